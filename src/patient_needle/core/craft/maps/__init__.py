"""Chalk maps: drawing their steps, what they can be made from, pictures."""
