"""Reports to the artist: reading and checks before a run, faults and figures after each frame."""
