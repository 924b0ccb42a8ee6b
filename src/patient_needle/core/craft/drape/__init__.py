"""Garments in somebody's hands: pulled, pinned, parked and settled while the figure stands or walks."""
