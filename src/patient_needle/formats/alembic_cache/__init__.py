"""Alembic caches in and out, in the Ogawa container: a polygon mesh whose positions change over time.

Specification: the Alembic project, https://www.alembic.io, format as its library 1.8 writes it. The young
bindings to that library are used here and nowhere else.
"""

from pathlib import Path

from ..registry import CacheContent, register
from .cache import MeshCache, read_alembic, write_alembic


def _content(path: Path) -> CacheContent:
    cache = read_alembic(path)
    if len(cache.times) < 2:
        return CacheContent(cache.frames, cache.mesh.face_corners)
    rate = (len(cache.times) - 1) / float(cache.times[-1] - cache.times[0])
    return CacheContent(cache.frames, cache.mesh.face_corners, float(cache.times[0]) * rate, rate)


register(".abc", cache_reader=_content, cache_writer=write_alembic)

__all__ = ["MeshCache", "read_alembic", "write_alembic"]
