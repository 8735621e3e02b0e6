"""What is measured of a lit picture or a reel: numbers to judge by, the finder, colour match, what is followed and carried."""
