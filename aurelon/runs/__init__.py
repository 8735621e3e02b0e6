"""Long jobs in the background."""
