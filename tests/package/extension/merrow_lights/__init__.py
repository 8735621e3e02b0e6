"""What somebody else's package may bring."""
