"""A fitting as a file: NumPy's own archive of arrays (NPZ), with what is in words as JSON inside."""
