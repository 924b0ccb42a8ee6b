"""What is wrong in a frame, by kind and place: counted exactly."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..contact.intersections import crossing_pairs, inside, self_crossing_pairs
from ..model.typed import Flags, Indices, Points
from ..solver.outfit import Outfit
from .colliders import Colliders

IN_THE_BODY = "in the body"
THROUGH_ITSELF = "through itself"
THROUGH_ANOTHER = "through another garment"
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
    """Exact crossings of one frame, as pairs of triangles: the outfit's with colliders (k, 2), of each garment
    with itself (k, 2), and of one garment with another (k, 2).
    """

    colliders: Indices
    itself: Indices
    garments: Indices

    def of(self, garment: int, worn: Outfit) -> Crossings:
        """Those that the garment of that index takes part in; it comes first."""
        own = worn.skin.garment == garment
        turned = np.concatenate([self.garments, self.garments[:, ::-1]])
        return Crossings(
            self.colliders[own[self.colliders[:, 0]]],
            self.itself[own[self.itself[:, 0]]],
            turned[own[turned[:, 0]]],
        )


def find_crossings(worn: Outfit, points: Points, colliders: Colliders, around: Points) -> Crossings:
    """Crossings of an outfit at points (n, 3) m with colliders at around (k, 3) m and with itself."""
    cloth = self_crossing_pairs(points, worn.triangles)
    kin = worn.skin.garment[cloth[:, 0]] == worn.skin.garment[cloth[:, 1]]
    return Crossings(
        crossing_pairs(points, worn.triangles, around, colliders.triangles), cloth[kin], cloth[~kin]
    )


def list_snags(
    worn: Outfit, index: int, points: Points, colliders: Colliders, own: Crossings, released: Flags
) -> tuple[Snag, ...]:
    """Snags of one garment's frame, one per kind and what it meets; points (n, 3) m of the whole outfit."""
    centres = points[worn.triangles].mean(axis=1)
    cloth, span = worn.cloths[index], worn.spans[index]
    parts = colliders.part[own.colliders[:, 1]] if len(own.colliders) else np.zeros(0)
    snags = [
        _snag(
            IN_THE_BODY,
            centres[np.unique(own.colliders[parts == part, 0])],
            int((parts == part).sum()),
            colliders.part_names[int(part)],
        )
        for part in np.unique(parts)
    ]
    if len(own.itself):
        snags.append(_snag(THROUGH_ITSELF, centres[np.unique(own.itself)], len(own.itself), cloth.name))
    others = worn.skin.garment[own.garments[:, 1]]
    for other in np.unique(others):
        through = own.garments[others == other, 0]
        snags.append(_snag(THROUGH_ANOTHER, centres[np.unique(through)], len(through), worn.cloths[other].name))
    for part in np.flatnonzero(released[span].any(axis=0)):
        let_go = released[span, part]
        snags.append(_snag(PINCHED, points[span][let_go], int(let_go.sum()), colliders.part_names[part]))
    return tuple(snags)


def _snag(kind: str, places: Points, count: int, with_what: str) -> Snag:
    x, y, z = places.mean(axis=0)
    return Snag(kind, count, (float(x), float(y), float(z)), with_what)


def rearmed(
    cloth: Outfit,
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
