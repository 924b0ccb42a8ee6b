"""What is wrong in a frame, by kind and place: counted exactly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..contact.intersections import crossing_pairs, inside, self_crossing_pairs
from ..model.typed import Flags, Indices, Points
from ..solver.cloth import Cloth
from .colliders import Colliders

IN_THE_BODY = "in the body"
THROUGH_ITSELF = "through itself"
PINCHED = "pinched"


@dataclass(frozen=True)
class Snag:
    """One fault of a frame: its kind, how many triangle pairs or vertices, where (m), and what it touches."""

    kind: str
    count: int
    place: tuple[float, float, float]
    with_what: str


@dataclass(frozen=True, eq=False)
class Crossings:
    """Exact crossings of one frame: with colliders (k, 2) and through itself (k, 2), triangle indices."""

    colliders: Indices
    itself: Indices


def find_crossings(cloth: Cloth, points: Points, colliders: Colliders, around: Points) -> Crossings:
    """Crossings of a cloth at points (n, 3) m with colliders at around (k, 3) m and with itself."""
    return Crossings(
        crossing_pairs(points, cloth.triangles, around, colliders.triangles),
        self_crossing_pairs(points, cloth.triangles),
    )


def list_snags(
    cloth: Cloth, points: Points, colliders: Colliders, crossings: Crossings, released: Flags
) -> tuple[Snag, ...]:
    """Snags of a frame, one per kind and collider part."""
    centres = points[cloth.triangles].mean(axis=1)
    parts = colliders.part[crossings.colliders[:, 1]] if len(crossings.colliders) else np.zeros(0)
    snags = [
        _snag(
            IN_THE_BODY,
            centres[np.unique(crossings.colliders[parts == part, 0])],
            int((parts == part).sum()),
            colliders.part_names[int(part)],
        )
        for part in np.unique(parts)
    ]
    if len(crossings.itself):
        snags.append(
            _snag(
                THROUGH_ITSELF,
                centres[np.unique(crossings.itself)],
                len(crossings.itself),
                cloth.name,
            )
        )
    for part in np.flatnonzero(released.any(axis=0)):
        let_go = released[:, part]
        snags.append(_snag(PINCHED, points[let_go], int(let_go.sum()), colliders.part_names[part]))
    return tuple(snags)


def _snag(kind: str, places: Points, count: int, with_what: str) -> Snag:
    x, y, z = places.mean(axis=0)
    return Snag(kind, count, (float(x), float(y), float(z)), with_what)


def rearmed(
    cloth: Cloth,
    points: Points,
    colliders: Colliders,
    around: Points,
    crossings: Crossings,
    released: Flags,
) -> Flags:
    """Which vertices stay released (n, p) at the end of a frame.

    Every triangle that a part still pierces is let go as a whole; a vertex is armed again once it is outside
    and none of its triangles is pierced.
    """
    if not released.any() and len(crossings.colliders) == 0:
        return released
    out = released.copy()
    pierced = np.zeros_like(released)
    for triangle, other in crossings.colliders:
        pierced[cloth.triangles[triangle], colliders.part[other]] = True
    out |= pierced
    waiting = np.flatnonzero(out.any(axis=1))
    still_in = inside(around, colliders.enclosing, points[waiting])
    free = waiting[~still_in]
    out[free] &= pierced[free]
    out[cloth.held] = False
    return out
