"""Campaigns that try to break what Aurelon promises. A small one of each runs with the tests; `make attack` runs them whole."""
