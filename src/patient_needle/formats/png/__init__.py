"""PNG in and out: grey pictures of maps.

Specification: W3C, Portable Network Graphics, third edition, 2025; the library Pillow does the reading.
"""

from ..registry import register
from .picture import list_picture, read_picture, write_picture

register(".png", lister=list_picture)

__all__ = ["list_picture", "read_picture", "write_picture"]
