"""Positions over time: a body's motion, and a garment's frames."""

from __future__ import annotations

from collections import OrderedDict
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from .mesh import Mesh
from .typed import Points

KEPT = 6  # frames that a window keeps: a cubic in time asks for four


class Motion(Protocol):
    """Positions of one fixed topology over time, in metres."""

    def rest(self) -> Points:
        """Positions in the rest pose, (n, 3) m."""

    def at(self, frame: float) -> Points:
        """Positions at `frame`, (n, 3) m."""

    def toward_first(self, frame: float, share: float) -> Points:
        """Part of the way from the rest pose to `frame`, (n, 3) m."""

    def span(self) -> tuple[float, float]:
        """First and last frame for which positions exist."""

    def shaped(self, frame: float) -> Motion:
        """The motion in the shape that the body has at `frame`, run-in included; itself when it has but one."""


class FrameSource(Protocol):
    """Where frames come from.

    mesh    as the garment was made, in metres; every frame has its vertices
    rate    frames a second
    first, last  the first and the last frame it has, without a gap between
    origin  in words, for messages
    """

    @property
    def mesh(self) -> Mesh:
        """See the class."""
        ...

    @property
    def rate(self) -> float:
        """See the class."""
        ...

    @property
    def first(self) -> int:
        """See the class."""
        ...

    @property
    def last(self) -> int:
        """See the class."""
        ...

    @property
    def origin(self) -> str:
        """See the class."""
        ...

    def at(self, frame: int) -> NDArray[np.float32]:
        """Positions (n, 3) m at a frame from first to last."""
        ...


class Window:
    """A source's frames by index from 0, as an array of frames would be; the latest few are kept."""

    def __init__(self, source: FrameSource) -> None:
        self._source = source
        self._kept: OrderedDict[int, NDArray[np.float32]] = OrderedDict()

    def __len__(self) -> int:
        return self._source.last - self._source.first + 1

    def __getitem__(self, index: int) -> NDArray[np.float32]:
        if not 0 <= index < len(self):
            raise IndexError(index)
        frame = self._kept.get(index)
        if frame is None:  # another thread may let it go again at once, so this one keeps its own
            frame = self._kept[index] = self._source.at(self._source.first + index)
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)
        return frame
