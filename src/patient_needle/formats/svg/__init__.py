"""Patterns as SVG drawings in true units, out and in.

Specification: W3C, Scalable Vector Graphics (SVG) 2, 2018; the library svgelements reads paths and transforms,
defusedxml keeps out what is no drawing.
"""

from ..isolated import isolated
from ..registry import register
from . import reader
from .writer import drawing_of

register(".svg", lister=isolated(reader.list_drawing))
read_drawing = isolated(reader.read_drawing)

__all__ = ["drawing_of", "read_drawing"]
