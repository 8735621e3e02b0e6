"""Pixels: colour, transfer curves, blending, resampling, pyramids, noise, tone."""
