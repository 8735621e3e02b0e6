"""How far everything in a plate is. Each finder is a file; `found.py` combines them."""
