"""How far cloth still has to go: measured by how far it goes, not by what a model of it says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...geometry.triangles import lengths
from ...model.typed import Points

EVERY = 6  # steps between two places that are remembered
SPAN = 4  # of them that one look goes over: half a second of cloth time
LEAST, MOST = 0.5, 0.9  # how much of its way in one span cloth is taken to go again in the next


@dataclass(frozen=True, eq=False)
class Rest:
    """Where cloth was (n, 3) m every few steps, the latest last."""

    places: tuple[Points, ...] = ()

    def after(self, step: int, points: Points) -> Rest:
        """The same after a step that ended at points (n, 3) m."""
        return self if step % EVERY else Rest((*self.places, points)[-2 * SPAN - 1 :])

    def left(self, share: float = 1.0) -> float | None:
        """What that share of the vertices has at most still to go, m; None until it can be told.

        How far they went in the latest span and in the one before give the share by which their ways shrink;
        what is left is the sum of all further ways (a geometric series). The share is held between LEAST and
        MOST: cloth that stands at the turn of a swing is not at rest, and creep that does not shrink is not
        endless.
        """
        places = self.places
        if len(places) <= SPAN:
            return None
        now = _gone(places[-1], places[-SPAN - 1 : -1], share)
        if len(places) <= 2 * SPAN:
            return now
        before = _gone(places[-SPAN - 1], places[-2 * SPAN - 1 : -SPAN - 1], share)
        shrinks = min(MOST, max(LEAST, now / before if before > 0 else LEAST))
        return now * shrinks / (1.0 - shrinks)


def _gone(last: Points, earlier: tuple[Points, ...], share: float) -> float:
    """How far at most that share of the vertices lies from any of its earlier places, m."""
    return float(max(np.quantile(lengths(last - one), share, method="lower") for one in earlier))
