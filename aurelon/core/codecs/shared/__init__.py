"""What every codec reads into and writes from."""
