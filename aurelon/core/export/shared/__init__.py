"""What every export target shares."""
