"""The bytes of a PC2 cache."""

from __future__ import annotations

import struct
from collections.abc import Iterable, Sequence
from pathlib import Path

HEADER = struct.Struct("<12siiffi")
SIGNATURE = b"POINTCACHE2\0"


def pc2_bytes(first_frame: int, frames: Sequence[bytes]) -> bytes:
    """A cache as bytes, of frames that are float32 already, 12 bytes to a point; at least one frame."""
    return b"".join([header(len(frames[0]) // 12, first_frame, len(frames)), *frames])


def write_pc2_bytes(path: Path, first_frame: int, frames: Iterable[bytes]) -> None:
    """The same into a file, one frame after the other."""
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
