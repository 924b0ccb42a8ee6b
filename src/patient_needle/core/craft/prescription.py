"""Where a garment is told to be in place of being simulated: nowhere, everywhere, or in part."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..geometry.curves import value_at
from ..geometry.motion import Motion
from ..model.curve import Curve
from ..model.errors import ShotError
from ..model.typed import Flags, Points, Scalars
from .holds import WELD


@dataclass(frozen=True, eq=False)
class Prescription:
    """A garment of n vertices follows `motion` as far as its share says: 1 is told where to be, 0 is simulated,
    and what lies between is drawn there as by a hold of that grip, so that the two parts blend.

    motion   where it is, None when nothing is prescribed
    share    (n,) from 0 to 1, None for all of the garment
    during   factor on the share over frames, None for always
    """

    motion: Motion | None = None
    share: Scalars | None = None
    during: Curve | None = None

    @property
    def is_all(self) -> bool:
        """Whether nothing of the garment is simulated at any time."""
        return self.motion is not None and self.share is None and self.during is None

    @property
    def changes(self) -> bool:
        """Whether its share changes during a run."""
        return self.motion is not None and self.during is not None

    def shares(self, count: int, time: float) -> Scalars:
        """Its share (n,) of each of `count` vertices at `time`."""
        if self.motion is None:
            return np.zeros(count)
        share = np.ones(count) if self.share is None else self.share
        return share if self.during is None else share * value_at(self.during, time)

    def always(self, count: int) -> Flags:
        """Which vertices (n,) are told where to be throughout."""
        if self.motion is None:
            return np.zeros(count, bool)
        least = 1.0 if self.during is None else float(self.during.values.min())
        return (np.ones(count) if self.share is None else self.share) * least >= WELD

    def start(self, placed: Points, frame: float) -> Points:
        """Where the garment (n, 3) m is at `frame` that without it would be at `placed` (n, 3) m."""
        if self.motion is None:
            return placed
        if self.is_all:
            return self.motion.at(frame)
        share = self.shares(len(placed), frame)[:, None]
        return placed + share * (self.motion.at(frame) - placed)

    def check(self, count: int, first: int, last: int) -> None:
        """`ShotError` when it does not fit a garment of `count` vertices, or a run over these frames."""
        if self.motion is None:
            return
        if self.share is not None and self.share.shape != (count,):
            raise ShotError(
                f"its prescription has {len(self.share)} shares, the garment {count} vertices",
                remedy="Choose the part again",
            )
        if self.share is not None and not ((self.share >= 0) & (self.share <= 1)).all():
            raise ShotError("a share of its prescription is not from 0 to 1", remedy="Choose the part again")
        low, high = self.motion.span()
        if first < low or last > high:
            raise ShotError(
                f"it is finished from frame {low:g} to {high:g}, but the run goes from {first} to {last}, "
                "run-in included",
                remedy="Finish it over the whole range, run-in included, or simulate it again",
            )


FREE = Prescription()
