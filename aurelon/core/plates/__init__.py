"""Where plates come from: files that are decoded, and blank backdrops."""
