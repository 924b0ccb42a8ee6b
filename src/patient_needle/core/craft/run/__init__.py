"""A run of garments, frame by frame: what acts in a frame, the way through it, and what is let go after it."""
