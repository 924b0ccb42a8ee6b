"""One file per change of the tables, in order."""
