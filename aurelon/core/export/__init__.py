"""What can be written of a rig on a plate."""
