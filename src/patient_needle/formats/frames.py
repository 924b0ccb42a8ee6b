"""Frames of a cache file that are read when they are asked for, a few at a time."""

from __future__ import annotations

import os
import weakref
from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..core.model.errors import FileError, ShotError
from ..core.model.mesh import Mesh

AT_ONCE = 8  # frames read at once
KEPT = 2  # such windows: what lies between two frames may ask both


class Spill:
    """Where frames go that are handed to another process: files beside `beside`, numbered by `count`."""

    beside: Path | None = None
    count = 0


class LazyFrames:
    """Stands for an array (f, n, 3) float32; read gives frames of a slice. `numpy.asarray` reads all of it.

    stays: whether frames can still be read when the file's name is gone.
    """

    def __init__(
        self, shape: tuple[int, int, int], read: Callable[[slice], NDArray[np.float32]], *, stays: bool = False
    ) -> None:
        self.shape, self.stays = shape, stays
        self._read = read
        self._windows: OrderedDict[int, NDArray[np.float32]] = OrderedDict()

    def __len__(self) -> int:
        return self.shape[0]

    def __getitem__(self, index: int) -> NDArray[np.float32]:
        number, place = divmod(range(len(self))[index], AT_ONCE)
        window = self._windows.get(number)
        if window is None:  # another thread may let it go again at once, so this one keeps its own
            first = number * AT_ONCE
            window = self._windows[number] = self._read(slice(first, min(first + AT_ONCE, len(self))))
            while len(self._windows) > KEPT:
                self._windows.popitem(last=False)
        return window[place]

    def __iter__(self) -> Iterator[NDArray[np.float32]]:
        return (self[index] for index in range(len(self)))

    def __reduce__(self) -> tuple[Any, ...]:
        """Handed to another process as a file beside the answer, so that nobody holds all frames at once."""
        if Spill.beside is None:
            raise TypeError("frames that are read as they are asked for cannot be pickled")
        path = Path(f"{Spill.beside}.{Spill.count}")
        Spill.count += 1
        with path.open("xb") as stream:
            for frame in self:
                stream.write(np.ascontiguousarray(frame, "<f4").tobytes())
        return stored_frames, (path, 0, self.shape, "<f4")

    def __array__(self, dtype: Any = None, copy: bool | None = None) -> NDArray[Any]:
        return self._read(slice(0, len(self))).astype(dtype or np.float32, copy=False)


def stored_frames(path: Path, start: int, shape: tuple[int, int, int], dtype: str) -> LazyFrames:
    """Frames that stand in a file one after the other from byte `start` on. The file stays open for them."""
    handle = os.open(path, os.O_RDONLY)
    size = 4 * shape[1] * shape[2]

    def read(span: slice) -> NDArray[np.float32]:
        count = len(range(shape[0])[span])
        out, offset, pieces = count * size, start + size * span.start, []
        while out > 0:
            piece = os.pread(handle, out, offset)
            if not piece:
                raise FileError("the cache ends too soon", where=str(path), remedy="Write it again")
            pieces.append(piece)
            out, offset = out - len(piece), offset + len(piece)
        return np.frombuffer(b"".join(pieces), dtype).astype(np.float32, copy=False).reshape(-1, *shape[1:])

    frames = LazyFrames(shape, read, stays=True)
    weakref.finalize(frames, os.close, handle)
    return frames


def lasting(samples: Samples) -> Samples:
    """The same frames, in memory if they can only be read while their file has its name."""
    return np.asarray(samples) if isinstance(samples, LazyFrames) and not samples.stays else samples


Samples = LazyFrames | NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class TurnedFrames:
    """Frames (f, n, 3), each point turned and scaled by a matrix (3, 3), in double precision."""

    samples: Samples
    matrix: NDArray[np.float64]

    def __len__(self) -> int:
        return len(self.samples)

    def __getitem__(self, index: int) -> NDArray[np.float64]:
        return np.asarray(np.asarray(self.samples[index], np.float64) @ self.matrix.T)


@dataclass(frozen=True, eq=False)
class CacheFrames:
    """A cache in metres, Y up, as a source of frames from `first` on; see `FrameSource`."""

    mesh: Mesh
    rate: float
    first: int
    samples: Samples
    origin: str

    @property
    def last(self) -> int:
        """The last frame it has."""
        return self.first + len(self.samples) - 1

    def at(self, frame: int) -> NDArray[np.float32]:
        """Positions (n, 3) m at a frame; `ShotError` outside."""
        if not self.first <= frame <= self.last:
            raise ShotError(
                f"it has frames {self.first} to {self.last}, not {frame}",
                where=self.origin,
                remedy="Ask for a frame that it has",
            )
        return np.asarray(self.samples[frame - self.first], np.float32)
