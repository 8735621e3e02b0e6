"""Small faults that are put into the code on purpose, to see whether the tests see them."""
