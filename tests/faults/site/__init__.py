"""On the path of every process that a fault is put into."""
