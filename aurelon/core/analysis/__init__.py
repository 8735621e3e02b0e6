"""What is measured or found in a picture."""
