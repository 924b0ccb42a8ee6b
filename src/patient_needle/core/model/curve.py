"""A value that changes over the shot's frames, given by keys."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .errors import ShotError
from .typed import Scalars


@dataclass(frozen=True, eq=False)
class Curve:
    """Keys of one value over time.

    frames (k,) float64, rising, in frames; values (k,) float64 in the unit of the property. One key is a
    constant. Evaluate with `geometry.curves.value_at`.
    """

    frames: Scalars
    values: Scalars

    def __post_init__(self) -> None:
        if len(self.frames) == 0 or len(self.frames) != len(self.values):
            raise ShotError(
                "a curve needs the same number of frames and values, at least one of each",
                remedy="Give one value per key",
            )
        if not (np.all(np.isfinite(self.frames)) and np.all(np.isfinite(self.values))):
            raise ShotError("a curve has a key that is not a finite number", remedy="Mend that key")
        if np.any(np.diff(self.frames) <= 0):
            raise ShotError(
                "the keys of a curve are not in rising order of frame",
                remedy="Sort the keys and keep one per frame",
            )

    @staticmethod
    def constant(value: float) -> Curve:
        """A curve that has `value` at every frame."""
        return Curve(np.zeros(1), np.array([float(value)]))
