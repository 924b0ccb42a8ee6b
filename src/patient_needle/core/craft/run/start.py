"""The start of a run: garments as placed, untangled, and checked for faults that no run-in can mend."""

from __future__ import annotations

from collections.abc import Callable
from math import ceil

import numpy as np

from ...contact.easing import easing_rows
from ...contact.filter import ringed
from ...contact.intersections import crossing_pairs, self_crossing_pairs
from ...contact.rows import Rows
from ...contact.tangles import find_contours, tangle_rows, without_knots
from ...geometry.closed import inside, insider
from ...geometry.tree import build_tree, closest_points
from ...model.errors import StartError
from ...model.shot import ShotPlan
from ...model.tolerances import (
    EASING_REACH,
    UNTANGLE_MOVE,
    UNTANGLE_PATIENCE,
    UNTANGLE_PULL,
    UNTANGLE_ROUNDS,
    UNTANGLE_SECONDS,
)
from ...model.typed import Flags, Indices, Points, Scalars, Triangles
from ...solver.cloth import Cloth
from ...solver.outfit import Outfit
from ...solver.state import ClothState, at_rest
from ...solver.step import Engine, Surround
from ...solver.sums import largest
from ..cast.colliders import Colliders
from ..holds.acting import together
from .advance import Constants
from .release import caught_by, find_crossings, parts_near, rearmed

PUT_OFF_ROUNDS = 8  # of moving to the nearest surface, which is another one in a corner
JUST = 1.0 - 1e-6  # of the clearance, below which a vertex is nearer than that


def check_start(
    worn: Outfit, start: Points, colliders: Colliders, points: Points, *, easing: bool = False
) -> None:
    """`StartError` when a cloth starts inside a collider, or crosses one, itself or another; start (n, 3) m,
    points (k, 3) m of the colliders. A cloth that is held all over is not checked.

    easing: whether there is a run-in, over which cloth comes out of a closed collider from less than REACH m.
    """
    check_bodies(worn, start, colliders, points, easing=easing)
    check_uncrossed(worn, start)


def check_uncrossed(worn: Outfit, start: Points) -> None:
    """`StartError` when cloth at start (n, 3) m crosses itself or other cloth."""
    crossing = crossing_cloth(worn, start)
    if len(crossing):
        one, other = (worn.cloths[worn.skin.garment[t]].name for t in crossing[0])
        raise StartError(
            f"it starts through {_what(one, other)} in {len(crossing)} places",
            where=f"garment '{one}', at {_place(start[worn.triangles[crossing[0, 0]]].mean(axis=0))}",
            remedy="Ease the layers apart there",
        )


def check_bodies(worn: Outfit, start: Points, colliders: Colliders, points: Points, *, easing: bool) -> None:
    """What `check_start` says of colliders."""
    for cloth, span in zip(worn.cloths, worn.spans, strict=True):
        if not cloth.held.all():
            _check_among(cloth, start[span], colliders, points, easing)


def crossing_cloth(worn: Outfit, points: Points) -> Indices:
    """Pairs (k, 2) of triangles of an outfit at points (n, 3) m that cross, in order; none that is all held."""
    pairs = self_crossing_pairs(*worn.as_one(points))
    pairs = pairs[~worn.held[worn.triangles[pairs]].all(axis=(1, 2))]
    return np.unique(np.sort(pairs, axis=1), axis=0)


def _check_among(cloth: Cloth, start: Points, colliders: Colliders, points: Points, easing: bool) -> None:
    if len(colliders.triangles) == 0:
        return
    within = inside(points, colliders.enclosing, start)
    caught = np.flatnonzero(within & ~cloth.held)
    depth = _depth(start[caught], colliders, points)
    fit = "Fit the garment to the rest pose there, or leave that part out of the collider"
    if len(caught) and not (easing and depth.max() < EASING_REACH):
        worst = caught[np.argmax(depth)]
        raise StartError(
            f"{len(caught)} vertices start inside a collider, up to {depth.max() * 1e3:.1f} mm deep",
            where=f"garment '{cloth.name}', vertex {int(worst)} at {_place(start[worst])}",
            remedy=fit + ("" if easing else ", or give the shot a run-in, over which it comes out"),
        )
    kept = np.flatnonzero(ringed(cloth.triangles, within & cloth.held) & within & ~cloth.held)
    if len(kept):
        raise StartError(
            f"{len(kept)} vertices start inside a collider beside held ones, which keep them there",
            where=f"garment '{cloth.name}', vertex {int(kept[0])} at {_place(start[kept[0]])}",
            remedy=fit,
        )
    crossing = crossing_pairs(start, cloth.triangles, points, colliders.triangles)
    if easing:
        crossing = crossing[~np.isin(colliders.member[crossing[:, 1]], colliders.enclosing_member)]
    if len(crossing):
        triangle, other = crossing[0]
        centre = start[cloth.triangles[triangle]].mean(axis=0)
        raise StartError(
            f"{len(crossing)} places of the garment cross a collider at the start",
            where=f"garment '{cloth.name}', triangle {int(triangle)} at {_place(centre)}, "
            f"on {colliders.part_names[colliders.part[other]]}",
            remedy="Ease the garment out of the body there",
        )


def _depth(within: Points, colliders: Colliders, points: Points) -> Scalars:
    """How deep points (k, 3) m inside closed colliders lie, m."""
    if len(within) == 0:
        return np.zeros(0)
    _, _, distance = closest_points(build_tree(points, colliders.enclosing), points, within)
    return distance


def put_off(start: Points, triangles: Triangles, colliders: Colliders, points: Points, frame: int) -> Points:
    """Cloth at start (n, 3) m put straight off colliders at points (k, 3) m where it lies in one, or nearer
    than the clearance at `frame`, (n, 3) m. What lies deeper than EASING_REACH stays: no way out is sure there.
    Where a body still comes through a triangle, its vertices go a clearance further, again and again.

    A pose that is carried to a finer mesh lies in bodies by as much as chords cut off a curve.
    """
    at_work = colliders.at_work(frame)
    if len(at_work.triangles) == 0 or len(start) == 0:
        return start
    tree, x = build_tree(points, at_work.triangles), start.copy()
    clearance, is_inside = at_work.surroundings(frame).gap, insider(points, at_work.enclosing)
    wanted = np.ones(len(x))  # clearances
    for _ in range(PUT_OFF_ROUNDS):
        for _ in range(PUT_OFF_ROUNDS):
            triangle, weights, away = closest_points(tree, points, x)
            nearest = np.einsum("ik,ikj->ij", weights, points[at_work.triangles[triangle]])
            within, gap = is_inside(x), wanted * clearance[triangle]
            near = np.where(within, away < EASING_REACH, away < gap * JUST) & (away > 0)
            if not near.any():
                break
            out = np.where(within[:, None], nearest - x, x - nearest)[near] / away[near, None]
            x[near] = nearest[near] + gap[near, None] * out
        through = crossing_pairs(x, triangles, points, at_work.triangles)
        if len(through) == 0:
            break
        wanted[triangles[np.unique(through[:, 0])]] += 1.0
    return x


def _what(one: str, other: str) -> str:
    return "itself" if one == other else f"'{other}'"


def _place(point: Points) -> str:
    return "(" + ", ".join(f"{value:.3f}" for value in point) + ") m"


def untangled(
    worn: Outfit,
    engine: Engine,
    start: Points,
    surround: Surround,
    colliders: Colliders,
    meanwhile: Callable[[], None] = lambda: None,
) -> Points:
    """Draw the outfit at start (n, 3) m out of itself, and out of the colliders on the way, (n, 3) m.

    Held vertices stay. Where some of it remains crossed the start comes back as it was. `meanwhile` is called
    in every round.
    """
    x, fewest, since = start, np.inf, 0
    for _ in range(UNTANGLE_ROUNDS):
        meanwhile()
        pairs = crossing_cloth(worn, x)
        if len(pairs) == 0:
            return x
        since = 0 if len(pairs) < fewest else since + 1
        fewest = min(fewest, len(pairs))
        if since == UNTANGLE_PATIENCE:
            break
        contours = find_contours(x, worn.triangles, pairs)
        x = without_knots(x, worn.triangles, contours, worn.held)
        rows, tangled = tangle_rows(
            x,
            worn.triangles,
            contours,
            float(worn.skin.thickness.mean()),
            UNTANGLE_PULL * worn.spacing,
            worn.stiffness,
        )
        within, easing = _easing(worn, x, colliders, surround)
        tangled |= ringed(worn.triangles, within)
        move = engine.drawn(x, rows.joined(easing), tangled, surround, UNTANGLE_SECONDS) - x
        x = x + move * min(1.0, UNTANGLE_MOVE * worn.spacing / max(largest(move), 1e-12))
    return start


def _easing(worn: Outfit, x: Points, colliders: Colliders, surround: Surround) -> tuple[Flags, Rows | None]:
    """Which vertices (n,) lie inside a collider, and rows that ease them out of it."""
    if len(colliders.triangles) == 0:
        return np.zeros(worn.count, bool), None
    scene = np.concatenate([x, surround.colliders_to])
    within = inside(surround.colliders_to, colliders.enclosing, x) & ~worn.held
    tree = build_tree(scene, (colliders.triangles + worn.count).astype(np.int32))
    around = surround.around.at_work()
    return within, easing_rows(tree, worn.triangles, scene, scene, within, around, worn.stiffness)


def begun(
    constants: Constants, plan: ShotPlan, placed: Points, meanwhile: Callable[[], None], *,
    easing: bool | None = None, time: float | None = None, points: Points | None = None,
) -> ClothState:  # fmt: skip
    """The state when the run begins: garments at rest at placed (n, 3) m, untangled where they cross
    themselves. Elsewhere than at the run's start with the colliders at points (k, 3) m at a time; easing:
    whether cloth may come out of bodies first, as it does over a run-in.

    Untangling can take minutes; `meanwhile` is called in every round, and an error that it raises ends it.
    Cloth inside a body waits to be eased out. `StartError` where neither helps: a run never starts from crossed
    cloth.
    """
    frame, worn = plan.first_simulated if time is None else ceil(time - 1e-9), constants.outfit
    colliders = constants.colliders.at_work(frame)
    points = constants.colliders.rest_points() if points is None else points
    around = constants.colliders.surroundings(frame)
    surround = Surround(points, points, placed[worn.held], around)
    start = untangled(worn, constants.engine, placed, surround, colliders, meanwhile)
    check_start(worn, start, colliders, points, easing=plan.run_in.length > 0 if easing is None else easing)
    caught = caught_by(worn, start, colliders, points)
    caught[:, ~parts_near(start[caught.any(axis=1)], colliders, points, EASING_REACH)] = False
    taken = together([one.taken(frame) for one in constants.dressed])
    state = at_rest(start, len(constants.colliders.rank), taken)
    if not caught.any():
        return state
    crossings = find_crossings(worn, start, colliders, points)
    released, eased = rearmed(worn, start, colliders, points, crossings, caught)
    return state.replace(released=released, eased=eased)
