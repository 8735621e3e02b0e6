"""One router for each noun."""
