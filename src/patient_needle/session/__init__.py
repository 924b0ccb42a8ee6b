"""A run that is driven from outside: opened at a frame, advanced, saved, its frames put in a sink."""
