"""Reading and writing MDD."""

from __future__ import annotations

import struct
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from shutil import copyfileobj
from tempfile import TemporaryFile

import numpy as np
from numpy.typing import NDArray

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ...core.model.typed import Points
from ..files import replacing
from ..frames import LazyFrames, stored_frames
from ..registry import CacheTiming

HEADER = struct.Struct(">ii")


@dataclass(frozen=True, eq=False)
class TimedCache:
    """frames (f, n, 3) float32, read as they are asked for; times (f,) s."""

    frames: LazyFrames
    times: NDArray[np.float64]

    @property
    def rate(self) -> float | None:
        """Frames a second; None for a single frame, or when the times do not rise evenly.

        Single precision blurs the times: a whole rate, or one of 1000/1001 of it, within the blur is meant.
        """
        steps = np.diff(self.times)
        if len(steps) == 0 or steps.min() <= 0 or np.ptp(steps) > 0.01 * steps.mean():
            return None
        span = float(self.times[-1] - self.times[0])
        rate = len(steps) / span
        blur = 2 * float(np.spacing(np.float32(np.abs(self.times).max()))) / span
        meant = min((round(rate), round(rate * 1.001) / 1.001), key=lambda one: abs(one - rate))
        return float(meant) if meant > 0 and abs(meant / rate - 1) <= blur else rate


def write_mdd(path: Path, mesh: Mesh, frames: Iterable[Points], timing: CacheTiming) -> None:
    """Write frames, each (n, 3), of `mesh`. Their number stands in the head: until it is known they wait."""
    with replacing(path) as part, part.open("wb") as stream, TemporaryFile(dir=path.parent) as waiting:
        count = 0
        for frame in frames:
            count += 1
            if frame.shape != mesh.vertices.shape:
                raise FileError(
                    f"a frame has {len(frame)} points, the mesh {mesh.vertex_count}", where=str(path)
                )
            waiting.write(np.ascontiguousarray(frame, ">f4").tobytes())
        times = (timing.first_frame + np.arange(count)) / timing.frame_rate
        stream.write(HEADER.pack(count, mesh.vertex_count))
        stream.write(times.astype(">f4").tobytes())
        waiting.seek(0)
        copyfileobj(waiting, stream, 1 << 20)


def read_mdd(path: Path) -> TimedCache:
    """Open a cache; `FileError` when its length is not what its head says."""
    try:
        size = path.stat().st_size
        with path.open("rb") as stream:
            head = stream.read(HEADER.size)
    except OSError as error:
        raise FileError(f"the file cannot be read ({error.strerror})", where=str(path)) from error
    count, points = HEADER.unpack(head) if len(head) == HEADER.size else (0, 0)
    needed = HEADER.size + 4 * count + 12 * count * points
    if count <= 0 or points <= 0 or size != needed:
        raise FileError(
            f"the head says {count} frames of {points} points, which would be {needed} bytes; it has {size}",
            where=str(path),
            remedy="Check that this is an MDD cache and that it was copied whole",
        )
    times = np.fromfile(path, ">f4", count, offset=HEADER.size).astype(np.float64)
    if not np.isfinite(times).all():
        raise FileError("the times of its frames are not numbers", where=str(path), remedy="Write it again")
    return TimedCache(stored_frames(path, HEADER.size + 4 * count, (count, points, 3), ">f4"), times)
