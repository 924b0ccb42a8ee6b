"""Wavefront OBJ in and out: polygons in order, texture coordinates, groups.

Specification: Wavefront Technologies, Advanced Visualizer Manual, appendix B1, Object files (.obj).
"""

from ..registry import register
from .reader import read_obj
from .writer import write_obj

register(".obj", mesh_reader=read_obj, mesh_writer=write_obj)

__all__ = ["read_obj", "write_obj"]
