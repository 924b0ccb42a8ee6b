"""How far cloth still has to go: measured by how far it goes, not by what a model of it says."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model.typed import Points

EVERY = 6  # steps between two places that are remembered
SPAN = 4  # of them that one look goes over: half a second of cloth time
LEAST, MOST = 0.5, 0.9  # how much of its way in one span cloth is taken to go again in the next


@dataclass(frozen=True, eq=False)
class Rest:
    """Where cloth was (n, 3) m every few steps, the latest last, and `left` m, None until that can be told."""

    places: tuple[Points, ...] = ()
    left: float | None = None

    def after(self, step: int, points: Points) -> Rest:
        """The same after a step that ended at points (n, 3) m.

        How far it went in the latest span and in the one before give the share by which its ways shrink; what
        is left is the sum of all further ways (a geometric series). The share is held between LEAST and MOST:
        cloth that stands at the turn of a swing is not at rest, and creep that does not shrink is not endless.
        """
        if step % EVERY:
            return self
        places = (*self.places, points)[-2 * SPAN - 1 :]
        if len(places) <= SPAN:
            return Rest(places, None)
        now = _furthest(places[-1], places[-SPAN - 1 : -1])
        if len(places) <= 2 * SPAN:
            return Rest(places, now)
        before = _furthest(places[-SPAN - 1], places[-2 * SPAN - 1 : -SPAN - 1])
        share = min(MOST, max(LEAST, now / before if before > 0 else LEAST))
        return Rest(places, now * share / (1.0 - share))


def _furthest(last: Points, earlier: tuple[Points, ...]) -> float:
    return float(max(np.sqrt(((last - one) ** 2).sum(axis=1)).max(initial=0.0) for one in earlier))
