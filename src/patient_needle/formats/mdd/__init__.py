"""MDD point caches in and out: a time for each frame, then one position per vertex per frame.

Layout (common practice, several programs; no published standard), all big-endian: int32 frames, int32 points,
float32 seconds of every frame, then float32 x y z of every point of every frame.
"""

from pathlib import Path

from ..registry import CacheContent, register
from .cache import read_mdd, write_mdd


def _content(path: Path) -> CacheContent:
    cache = read_mdd(path)
    first = None if cache.rate is None else float(cache.times[0]) * cache.rate
    return CacheContent(cache.frames, first_frame=first, frame_rate=cache.rate)


register(".mdd", cache_reader=_content, cache_writer=write_mdd)

__all__ = ["read_mdd", "write_mdd"]
