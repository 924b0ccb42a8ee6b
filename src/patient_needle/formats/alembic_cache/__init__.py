"""Alembic caches in and out, in the Ogawa container: polygon meshes that move by points or as a whole.

Specification: the Alembic project, https://www.alembic.io, format as its library 1.8 writes it. The young
bindings to that library are used here and nowhere else.
"""

from ..isolated import isolated
from ..registry import register
from .reader import MeshCache, list_alembic, read_alembic, read_content, read_figure, read_meshes
from .writer import write_alembic

register(
    ".abc",
    mesh_reader=isolated(read_meshes),
    cache_reader=isolated(read_content),
    lister=isolated(list_alembic),
    figure_reader=isolated(read_figure),
    cache_writer=write_alembic,
)

__all__ = ["MeshCache", "list_alembic", "read_alembic", "read_figure", "write_alembic"]
