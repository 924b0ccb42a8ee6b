"""Alembic caches in and out, in the Ogawa container: polygon meshes that move by points or as a whole.

Specification: the Alembic project, https://www.alembic.io, format as its library 1.8 writes it. The young
bindings to that library are used here and nowhere else.
"""

from pathlib import Path

from ...core.model.mesh import Mesh
from ..contents import FigureAsk
from ..registry import CacheContent, register
from .reader import MeshCache, list_alembic, read_alembic, read_figure
from .writer import write_alembic


def _content(path: Path) -> CacheContent:
    cache = read_alembic(path)
    first = None if cache.rate is None else float(cache.times[0]) * cache.rate
    return CacheContent(cache.frames, cache.mesh.face_corners, first, cache.rate)


def _meshes(path: Path) -> list[Mesh]:
    return [read_figure(path, FigureAsk(mesh=piece.name)).mesh for piece in list_alembic(path).pieces]


register(
    ".abc", cache_reader=_content, cache_writer=write_alembic, mesh_reader=_meshes, lister=list_alembic,
    figure_reader=read_figure,
)  # fmt: skip

__all__ = ["MeshCache", "list_alembic", "read_alembic", "read_figure", "write_alembic"]
