"""Deliveries: the frames that are handed off, and the checks on them."""
