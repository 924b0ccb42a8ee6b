r"""PC2 point caches in and out: one position per vertex per frame, nothing else.

Layout (common practice, several programs; no published standard): "POINTCACHE2\0", int32 version 1,
int32 points, float32 start frame, float32 frames per sample, int32 samples, then float32 x y z of every
point of every sample, little-endian.
"""

from pathlib import Path

from ..registry import CacheContent, register
from .cache import PointCache, read_pc2, write_pc2


def _content(path: Path) -> CacheContent:
    cache = read_pc2(path)
    return CacheContent(cache.frames, first_frame=cache.first_frame)


register(".pc2", cache_reader=_content, cache_writer=write_pc2)

__all__ = ["PointCache", "read_pc2", "write_pc2"]
