"""How far everything in a plate is: found in the picture, said by hand, or taken from a file; a file for each way to find it."""
