"""What several jobs share."""
