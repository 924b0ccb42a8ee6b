"""The bytes of a PC2 cache."""

from __future__ import annotations

import struct
from collections.abc import Iterable
from pathlib import Path

HEADER = struct.Struct("<12siiffi")
SIGNATURE = b"POINTCACHE2\0"


def write_pc2_bytes(path: Path, first_frame: int, frames: Iterable[bytes]) -> None:
    """A cache of frames that are float32 already, 12 bytes to a point, one after the other into a file."""
    with path.open("wb") as stream:
        stream.write(bytes(HEADER.size))
        points = count = 0
        for frame in frames:
            stream.write(frame)
            points, count = len(frame) // 12, count + 1
        stream.seek(0)
        stream.write(header(points, first_frame, count))


def header(points: int, first_frame: float, count: int) -> bytes:
    """The header: version 1, one sample to a frame."""
    return HEADER.pack(SIGNATURE, 1, points, float(first_frame), 1.0, count)
