"""PLY in and out: a mesh whose vertices carry values as properties of their own.

Source: G. Turk, The PLY polygon file format, Stanford University, 1994. The library trimesh does the reading.
"""

from ..isolated import isolated
from ..registry import register
from .values import list_ply, read_values, write_values

register(".ply", values_reader=isolated(read_values), values_writer=write_values, lister=isolated(list_ply))

__all__ = ["list_ply", "read_values", "write_values"]
