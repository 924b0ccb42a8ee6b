"""The state of a run, and the forces on it: all that a step needs from the one before it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from ..contact.anchors import Anchors
from ..contact.rows import SIDES
from ..model.typed import Flags, Indices, Points, Vectors


@dataclass(frozen=True, eq=False)
class Forces:
    """gravity      (3,) m/s2
    air_drag     kg/(m2 s), force per area and speed that air takes from any motion against it
    air_density  kg/m3, of the air that presses by the square of its speed
    shelter      0 to 1, how much of the wind the garment's back side is spared
    calm         0 to 1, how much secondary motion is taken out
    """

    gravity: Vectors = field(default_factory=lambda: np.array([0.0, -9.81, 0.0]))
    air_drag: float = 0.0
    air_density: float = 0.0
    shelter: float = 0.0
    calm: float = 0.0


@dataclass(frozen=True)
class Inflation:
    """What fills a closed cloth in one substep, as `model.shot.Filling` says: amount in Pa or as a share."""

    by_volume: bool
    amount: float
    stiffness: float


@dataclass(frozen=True, eq=False)
class Taken:
    """Where holds that begin during a run took hold, q points of all holds in order.

    triangle (q,) int32 of what they hold on to, -1 for none; place (q, 7) in its frame, as the hold reads it;
    offset (q, 3) m and drift (q, 3) m/s, how far from its place each was when it was taken, and how that grew.
    """

    triangle: Indices
    place: Vectors
    offset: Vectors
    drift: Vectors

    @staticmethod
    def none(count: int = 0) -> Taken:
        """`count` points that hold on to nothing."""
        return Taken(
            np.full(count, -1, np.int32), np.zeros((count, 7)), np.zeros((count, 3)), np.zeros((count, 3))
        )

    def part(self, span: slice) -> Taken:
        """Some of the points."""
        return Taken(self.triangle[span], self.place[span], self.offset[span], self.drift[span])


@dataclass(frozen=True, eq=False)
class ClothState:
    """n vertices, p collider parts.

    positions, velocities                  (n, 3) m, m/s
    positions_before, velocities_before    (n, 3) of one substep earlier, for the second-order step
    last_step   s, the substep that led here; 0 when there is no history
    anchors     friction's holds, SIDES to a vertex
    pushed      (SIDES * n, 3) N, how contact pushed each vertex last from each side: the next first guess
    released    (n, p) bool, vertices that a part has released in a pinched place
    eased       (n,) bool, those of them that are drawn out again
    taken       where holds took hold
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
    taken: Taken = field(default_factory=Taken.none)

    def replace(self, **changes: object) -> ClothState:
        """The same state with some fields changed."""
        return replace(self, **changes)  # type: ignore[arg-type]


def at_rest(points: Points, parts: int, taken: Taken | None = None) -> ClothState:
    """A cloth that stands still at `points` (n, 3) m, among `parts` collider parts, held as in `taken`."""
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
        Taken.none() if taken is None else taken,
    )


def let_go(state: ClothState, freed: Flags, gravity: Vectors) -> ClothState:
    """The state in which the vertices `freed` (n,), so far prescribed, go on by themselves at their velocity.

    The second-order step looks back by one: it is given the flight that would have led here, so that cloth
    without other forces falls as it should from the first substep on.
    """
    h = state.last_step
    if not freed.any() or h == 0.0:
        return state
    x, v = state.positions[freed], state.velocities[freed]
    positions, velocities = state.positions_before.copy(), state.velocities_before.copy()
    positions[freed] = x - h * v + 0.5 * h * h * gravity
    velocities[freed] = v - h * gravity
    return state.replace(positions_before=positions, velocities_before=velocities)
