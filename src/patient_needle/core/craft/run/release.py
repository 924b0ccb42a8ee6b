"""After a frame: its exact crossings, and which vertices are released or eased out in the next one."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ...contact.filter import patches
from ...contact.intersections import crossing_pairs, self_crossing_pairs
from ...geometry.closed import inside
from ...geometry.tree import build_tree, closest_points
from ...geometry.triangles import area_vectors, unit
from ...model.tolerances import COVER_LIFT, DRAWN_IN, SUNK_REACH
from ...model.typed import Flags, Indices, Points, Triangles, Vectors
from ...solver.outfit import Outfit
from ...solver.state import ClothState
from ..cast.colliders import Colliders


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
    """Crossings of an outfit at points (n, 3) m with colliders at around (k, 3) m and with itself; what is
    basted together is one.
    """
    cloth = self_crossing_pairs(*worn.as_one(points))
    kin = worn.skin.garment[cloth[:, 0]] == worn.skin.garment[cloth[:, 1]]
    return Crossings(
        crossing_pairs(points, worn.triangles, around, colliders.triangles), cloth[kin], cloth[~kin]
    )


def as_posed(
    worn: Outfit, points: Points, crossings: Crossings, colliders: Colliders, posed: Points, room: Vectors
) -> tuple[Crossings, Flags]:
    """The crossings of a frame as one sees them: with bodies posed (k, 3) m, not as they make `room` (k, 3) m;
    and which vertices (n, p) each part has in its grip, where it was drawn in.
    """
    pairs = crossing_pairs(points, worn.triangles, posed, colliders.triangles)
    drawn = drawn_in(colliders, room)[pairs[:, 1]]
    gripped = np.zeros((len(points), len(colliders.rank)), bool)
    for triangle, other in pairs[drawn]:
        gripped[worn.triangles[triangle], colliders.part[other]] = True
    return replace(crossings, colliders=pairs), gripped


def drawn_in(colliders: Colliders, room: Vectors) -> Flags:
    """Which of the colliders' triangles (m,) make room, (k, 3) m at each point."""
    return np.asarray((np.linalg.norm(room, axis=1) > DRAWN_IN)[colliders.triangles].any(axis=1))


def rearmed(
    cloth: Outfit,
    points: Points,
    colliders: Colliders,
    around: Points,
    crossings: Crossings,
    released: Flags,
) -> tuple[Flags, Flags]:
    """Which vertices stay released (n, p) at the end of a frame, and which of them (n,) are to be eased out.

    Every triangle that a part still pierces is released as a whole. The part meets a connected patch again
    once all of it is outside and none of its triangles is pierced. A patch that is wholly outside is on its
    right side. A single vertex can be outside every body and still be on the wrong side of a limb. Nothing is
    eased out beside a part that has sunk into another: its nearest surface may be the far side.
    """
    if not released.any() and len(crossings.colliders) == 0:
        return released, np.zeros(len(released), bool)
    out = released.copy()
    pierced = np.zeros_like(released)
    for triangle, other in crossings.colliders:
        pierced[cloth.triangles[triangle], colliders.part[other]] = True
    out |= pierced
    out[cloth.held] = False
    waiting = np.flatnonzero(out.any(axis=1))
    caught = pierced.copy()
    caught[waiting[inside(around, colliders.enclosing, points[waiting])]] = True
    eased = np.zeros(len(out), bool)
    for part in map(int, np.flatnonzero(out.any(axis=0))):
        for patch in patches(cloth.triangles, out[:, part]):
            out[patch, part] = caught[patch, part].any()
        let_go = np.flatnonzero(out[:, part])
        eased[let_go[~_beside_sunk(points[let_go], colliders, around, part)]] = True
    return out, eased


def caught_by(cloth: Outfit, points: Points, colliders: Colliders, around: Points) -> Flags:
    """Vertices (n, p) that each part would catch at points (n, 3) m: those of triangles it pierces, and those
    that lie inside, of whichever part; whole triangles of them, so that none is held by one corner.
    """
    out = np.zeros((len(points), len(colliders.rank)), bool)
    for triangle, other in find_crossings(cloth, points, colliders, around).colliders:
        out[cloth.triangles[triangle], colliders.part[other]] = True
    within = inside(around, colliders.enclosing, points)
    out[cloth.triangles[within[cloth.triangles].any(axis=1)].ravel()] = True
    out[cloth.held] = False
    return out


def parts_near(points: Points, colliders: Colliders, around: Points, reach: float) -> Flags:
    """Which parts (p,) come within `reach` m of any of points (k, 3) m."""
    near = np.zeros(len(colliders.rank), bool)
    for part in np.unique(colliders.part):
        tree = build_tree(around, colliders.triangles[colliders.part == part])
        near[part] = np.isfinite(closest_points(tree, around, points, reach)[2]).any()
    return near


def _beside_sunk(points: Points, colliders: Colliders, around: Points, part: int) -> Flags:
    """Which points (n, 3) m lie within `SUNK_REACH` of where a part's surface has sunk into another's.

    What is sunk in the rest pose, as in a joint, is how the figure is made.
    """
    triangles = colliders.triangles[colliders.part == part]
    sunk = _covered(triangles, colliders, around)
    sunk[sunk] = ~_covered(triangles[sunk], colliders, colliders.rest_points())
    if not sunk.any():
        return np.zeros(len(points), bool)
    _, _, distance = closest_points(build_tree(around, triangles[sunk]), around, points, SUNK_REACH)
    return np.asarray(distance <= SUNK_REACH)


def _covered(triangles: Triangles, colliders: Colliders, points: Points) -> Flags:
    """Which triangles (m, 3) of colliders at points (k, 3) m have a closed collider over them."""
    lifted = points[triangles].mean(axis=1) + COVER_LIFT * unit(area_vectors(points, triangles))
    return inside(points, colliders.enclosing, lifted)


def switched(state: ClothState, frame: int, colliders: Colliders, worn: Outfit, around: Points) -> ClothState:
    """The state in which colliders that are off at `frame` let nothing go; around (k, 3) m at its start.

    One that is switched on takes what lies outside it; what it would catch waits, as in a pinched place.
    """
    return turned(state, colliders.parts_off(frame - 1), colliders.parts_off(frame), colliders, worn, around)


def turned(
    state: ClothState, was: Flags, off: Flags, colliders: Colliders, worn: Outfit, around: Points
) -> ClothState:
    """The same for parts that were off, `was` (p,), and are `off` (p,)."""
    if not (off.any() or was.any()):
        return state
    released = state.released.copy()
    released[:, off] = False
    on_again = was & ~off
    if on_again.any():
        caught = caught_by(worn, state.positions, colliders.without(off), around)
        released[:, on_again] = caught[:, on_again]
    return state.replace(released=released)


def released_after(
    state: ClothState, worn: Outfit, colliders: Colliders, around: Points, crossings: Crossings
) -> ClothState:
    """The state after a frame that ended with `crossings` among colliders at around (k, 3) m."""
    released, eased = rearmed(worn, state.positions, colliders, around, crossings, state.released)
    return state.replace(released=released, eased=eased)
