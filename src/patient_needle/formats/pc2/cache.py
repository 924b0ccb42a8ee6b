"""Reading and writing PC2."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ...core.model.typed import Points
from ..files import replacing
from ..frames import LazyFrames, stored_frames
from ..registry import CacheTiming
from .layout import HEADER, SIGNATURE, header


@dataclass(frozen=True, eq=False)
class PointCache:
    """frames (f, n, 3) float32, read as they are asked for; first_frame; frames per sample."""

    frames: LazyFrames
    first_frame: float
    sample_step: float


def write_pc2(path: Path, mesh: Mesh, frames: Iterable[Points], timing: CacheTiming) -> None:
    """Write frames, each (n, 3), of `mesh`. An empty cache is a header without samples."""
    with replacing(path) as part, part.open("wb") as stream:
        stream.write(_header(mesh, timing, 0))
        count = 0
        for frame in frames:
            if frame.shape != mesh.vertices.shape:
                raise FileError(
                    f"a frame has {len(frame)} points, the mesh {mesh.vertex_count}", where=str(path)
                )
            stream.write(np.ascontiguousarray(frame, "<f4").tobytes())
            count += 1
        stream.seek(0)
        stream.write(_header(mesh, timing, count))


def _header(mesh: Mesh, timing: CacheTiming, count: int) -> bytes:
    return header(mesh.vertex_count, timing.first_frame, count)


def read_pc2(path: Path) -> PointCache:
    """Open a cache; `FileError` when it is not one, or shorter than it says."""
    try:
        size = path.stat().st_size
        with path.open("rb") as stream:
            head = stream.read(HEADER.size)
    except OSError as error:
        raise FileError(f"the file cannot be read ({error.strerror})", where=str(path)) from error
    if len(head) < HEADER.size or not head.startswith(SIGNATURE):
        raise FileError(
            "this is not a PC2 cache", where=str(path), remedy="Check that the right file was chosen"
        )
    _, version, points, start, step, samples = HEADER.unpack(head)
    if version != 1 or points <= 0 or samples < 0 or not math.isfinite(start) or not math.isfinite(step):
        raise FileError(
            f"the header makes no sense (version {version}, {points} points, {samples} frames from {start}, "
            f"{step} apart)",
            where=str(path),
            remedy="Write the cache again",
        )
    needed = HEADER.size + 12 * points * samples
    if size < needed:
        raise FileError(
            f"the cache says {samples} frames but ends in frame "
            f"{start + (size - HEADER.size) // (12 * points):g}",
            where=str(path),
            remedy="It was cut short: write it again",
        )

    return PointCache(stored_frames(path, HEADER.size, (samples, points, 3), "<f4"), start, step)
