"""The bytes of a PC2 cache."""

from __future__ import annotations

import struct
from collections.abc import Sequence

HEADER = struct.Struct("<12siiffi")
SIGNATURE = b"POINTCACHE2\0"


def pc2_bytes(first_frame: int, frames: Sequence[bytes]) -> bytes:
    """A cache as bytes, of frames that are float32 already, 12 bytes to a point; at least one frame."""
    return b"".join([header(len(frames[0]) // 12, first_frame, len(frames)), *frames])


def header(points: int, first_frame: float, count: int) -> bytes:
    """The header: version 1, one sample to a frame."""
    return HEADER.pack(SIGNATURE, 1, points, float(first_frame), 1.0, count)
