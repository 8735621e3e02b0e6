"""What is found in a picture alone, and lights may ask for: areas, the sky, the subject, points of light, shadows."""
