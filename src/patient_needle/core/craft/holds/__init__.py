"""Holds: places to hold on to, what acts in a run, seams between cloth and cloth."""
