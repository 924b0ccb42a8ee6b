"""Pinched cloth sticks to the bodies that closed on it.

Cloth that a part released would be free inside it, and a pull on the garment would draw it through a
limb. Until it can be eased out it sticks to the other surface, which still holds it (after the flypapering of
D. Baraff, A. Witkin and M. Kass, Untangling cloth, ACM Transactions on Graphics 22, 2003, where it goes as both
surfaces go on average).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...contact.anchors import Anchors, anchor_points, placed
from ...geometry.tree import build_tree, closest_points
from ...model.tolerances import CLASP_STIFFNESS, CLASP_STRAIN, EASING_REACH
from ...model.typed import Flags, Indices, Points
from ...solver.links import Links, to_places
from ...solver.outfit import Outfit
from ..cast.colliders import Colliders


@dataclass(frozen=True, eq=False)
class Clasp:
    """Vertices (k,) that were asked whether they are stuck, and where each sticks to a collider, if so."""

    vertices: Indices
    places: Anchors

    @property
    def stuck(self) -> Flags:
        """Which of them (k,) are."""
        return np.asarray(self.places.triangle >= 0)

    @staticmethod
    def none() -> Clasp:
        """Nothing was asked yet."""
        return Clasp(np.zeros(0, np.int32), Anchors.none(0))

    def links(self, colliders: Colliders, here: Points, there: Points, worn: Outfit) -> Links:
        """What draws those of `worn` along in a substep that takes colliders from here to there (k, 3) m.

        `colliders` are those it was asked among.
        """
        stuck = self.stuck
        start, end = (
            anchor_points(self.places, points, colliders.triangles)[stuck] for points in (here, there)
        )
        firm = np.full(len(start), CLASP_STIFFNESS * worn.stiffness)
        modulus = 2 * worn.stiffness  # N/m, the stiffest cloth's
        made = to_places(self.vertices[stuck], start, end, firm, np.zeros_like(firm))
        return made.yielding(np.full_like(firm, CLASP_STRAIN * modulus * worn.spacing))


def clasped(
    before: Clasp, points: Points, pinched: Flags, eased: Flags, colliders: Colliders, around: Points
) -> Clasp:
    """The clasp of vertices at points (n, 3) m among the colliders that are on, at around (k, 3) m.

    A vertex sticks if a part that is on has released it, pinched (n, p), it is not eased (n,), and it is inside
    them and no deeper than REACH: on the nearest triangle of any other part, or of these where none is within
    reach. A vertex that was asked before keeps its place, or stays free.
    """
    vertices = np.flatnonzero(pinched.any(axis=1) & ~eased).astype(np.int32)
    triangle, coordinates = np.full(len(vertices), -1, np.int32), np.zeros((len(vertices), 4))
    kept, old = np.isin(vertices, before.vertices), np.isin(before.vertices, vertices)
    triangle[kept], coordinates[kept] = before.places.triangle[old], before.places.coordinates[old]
    fresh = np.flatnonzero(~kept)
    for parts in np.unique(pinched[vertices[fresh]], axis=0):
        alike = fresh[(pinched[vertices[fresh]] == parts).all(axis=1)]
        let_go = parts[colliders.part]
        own = _places(points[vertices[alike]], let_go, colliders, around)
        inside = (own.triangle >= 0) & (own.coordinates[:, 3] < 0)
        alike = alike[inside]
        other = _places(points[vertices[alike]], ~let_go, colliders, around)
        held = other.triangle >= 0
        triangle[alike] = np.where(held, other.triangle, own.triangle[inside])
        coordinates[alike] = np.where(held[:, None], other.coordinates, own.coordinates[inside])
    return Clasp(vertices, Anchors(triangle, coordinates))


def _places(points: Points, chosen: Flags, colliders: Colliders, around: Points) -> Anchors:
    """Where points (k, 3) m are, in the frames of the chosen triangles nearest to them; none out of reach."""
    if len(points) == 0 or not chosen.any():
        return Anchors.none(len(points))
    numbers = np.flatnonzero(chosen)
    tree = build_tree(around, colliders.triangles[chosen])
    nearest, _, _ = closest_points(tree, around, points, EASING_REACH)
    triangle = np.where(nearest >= 0, numbers[nearest], -1).astype(np.int32)
    return placed(triangle, points, around, colliders.triangles)
