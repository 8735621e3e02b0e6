"""The rig as data: the open format, and what is done to it as a whole."""
