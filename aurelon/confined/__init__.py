"""Work on what came from outside, in processes that may do little else: decoders, and the client of a cluster."""
