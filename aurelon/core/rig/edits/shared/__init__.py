"""What every edit of a rig shares."""
