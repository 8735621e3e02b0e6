"""What every kind of moving picture has."""
