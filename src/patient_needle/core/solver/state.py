"""What moves: everything a step needs from the one before it, and nothing else."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..contact.anchors import Anchors
from ..contact.rows import SIDES
from ..model.typed import Flags, Points, Vectors


@dataclass(frozen=True, eq=False)
class ClothState:
    """n vertices, p collider parts.

    positions, velocities                  (n, 3) m, m/s
    positions_before, velocities_before    (n, 3) of one substep earlier, for the second-order step
    last_step   s, the substep that led here; 0 when there is no history
    anchors     friction's holds, SIDES to a vertex
    pushed      (SIDES * n, 3) N, how contact pushed each vertex last from each side: the next first guess
    released    (n, p) bool, vertices let go by a part in a pinched place
    eased       (n,) bool, those of them that are drawn out again
    """

    positions: Points
    velocities: Vectors
    positions_before: Points
    velocities_before: Vectors
    last_step: float
    anchors: Anchors
    pushed: Vectors
    released: Flags
    eased: Flags

    def replace(self, **changes: object) -> ClothState:
        """The same state with some fields changed."""
        return replace(self, **changes)  # type: ignore[arg-type]


def at_rest(points: Points, parts: int) -> ClothState:
    """A cloth that stands still at `points` (n, 3) m, among `parts` collider parts."""
    still = np.zeros_like(points)
    anchors = SIDES * len(points)
    return ClothState(
        points.copy(),
        still,
        points.copy(),
        still.copy(),
        0.0,
        Anchors.none(anchors),
        np.zeros((anchors, 3)),
        np.zeros((len(points), parts), bool),
        np.zeros(len(points), bool),
    )
