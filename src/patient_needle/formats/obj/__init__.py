"""Wavefront OBJ in and out: polygons in order, texture coordinates, groups; numbered files in as a cache.

Specification: Wavefront Technologies, Advanced Visualizer Manual, appendix B1, Object files (.obj).
"""

from pathlib import Path

from ..isolated import isolated
from ..registry import CacheContent, register
from .files import (
    Sequence,
    read_folder,
    read_obj,
    read_sequence,
    read_siblings,
    siblings,
    write_model,
    write_obj,
)


def _content(path: Path) -> CacheContent:
    read = isolated(read_siblings)(path.parent, path.name)
    return CacheContent(read.frames, read.mesh.face_corners, float(read.first))


register(
    ".obj",
    mesh_reader=isolated(read_obj),
    mesh_writer=write_obj,
    model_writer=write_model,
    cache_reader=_content,
)

read_numbered = isolated(read_folder)  # a folder's numbered files as one sequence, in a process of its own

__all__ = ["Sequence", "read_numbered", "read_obj", "read_sequence", "siblings", "write_obj"]
