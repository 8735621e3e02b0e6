"""What several kinds of light share."""
