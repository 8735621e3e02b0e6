"""A rig resolved into nodes, what is kept of them, and what can be shown."""
