"""Aperture, lens, transport of light, surfaces and how they are lit."""
