"""The documents that are made from the models: schemas, the pages of the rig, the kinds and the command line."""
