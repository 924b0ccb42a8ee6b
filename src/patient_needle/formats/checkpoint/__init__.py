"""Checkpoints: everything a run needs to go on to the same bits, as a NumPy archive (.npz).

Source of the container: NumPy enhancement proposal 1, a simple file format for NumPy arrays.
"""
