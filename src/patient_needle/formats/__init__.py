"""Open file formats, one folder each, and the registry that finds them by file ending."""
