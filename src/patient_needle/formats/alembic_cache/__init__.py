"""Alembic caches in and out, in the Ogawa container: a polygon mesh whose positions change over time.

Specification: the Alembic project, https://www.alembic.io, format as its library 1.8 writes it. The young
bindings to that library are used here and nowhere else.
"""

from ..registry import register
from .cache import MeshCache, read_alembic, write_alembic

register(".abc", cache_reader=lambda path: read_alembic(path).frames, cache_writer=write_alembic)

__all__ = ["MeshCache", "read_alembic", "write_alembic"]
