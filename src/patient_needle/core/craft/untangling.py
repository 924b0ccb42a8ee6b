"""A start that passes through itself is drawn apart, as far as that can be told, before the run-in."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from ..contact.easing import easing_rows
from ..contact.filter import ringed
from ..contact.intersections import inside
from ..contact.rows import Rows
from ..contact.tangles import find_contours, tangle_rows, without_knots
from ..geometry.tree import build_tree
from ..model.typed import Flags, Points
from ..solver.gather import largest
from ..solver.outfit import Outfit
from ..solver.step import Engine, Surround
from .checks import crossing_cloth
from .colliders import Colliders

ROUNDS = 200
PATIENCE = 40  # rounds without fewer crossings, after which it is given up
STEP = 0.12  # of the spacing, how far cloth is asked to come out at once
FURTHEST = 0.3  # of the spacing, how far it goes at once
SECONDS = 1 / 96  # of a round: inertia holds what nothing draws


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
    for _ in range(ROUNDS):
        meanwhile()
        pairs = crossing_cloth(worn, x)
        if len(pairs) == 0:
            return x
        since = 0 if len(pairs) < fewest else since + 1
        fewest = min(fewest, len(pairs))
        if since == PATIENCE:
            break
        contours = find_contours(x, worn.triangles, pairs)
        x = without_knots(x, worn.triangles, contours, worn.held)
        rows, tangled = tangle_rows(
            x, worn.triangles, contours, float(worn.skin.thickness.mean()), STEP * worn.spacing, worn.stiffness
        )
        within, easing = _easing(worn, x, colliders, surround)
        tangled |= ringed(worn.triangles, within)
        move = engine.drawn(x, rows.joined(easing), tangled, surround, SECONDS) - x
        x = x + move * min(1.0, FURTHEST * worn.spacing / max(largest(move), 1e-12))
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
