"""What the screen, the command line and the documents are built from: every kind, part, format and setting, described."""
