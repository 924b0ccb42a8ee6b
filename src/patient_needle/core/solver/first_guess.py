"""The first guess of a substep: pairs that touch come no nearer, cloth that hardly moves may stay.

Contact pushes with the square of the depth. A pass of Newton's method therefore only halves a depth that is far
too large. The predicted motion sinks by a whole substep's fall. From there a solve would end long before it is
right, with pushes and friction that are many times too strong.

Cloth that hangs still is predicted to fall, too. A solve that stops early leaves some of that fall as noise: it
kept stacked sheets shivering at 17 mm/s for ever. The first pass may therefore start anywhere between the guess
and "it stays", where the energy is least.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..contact.anchors import Anchors
from ..contact.rows import Rows, row_gap
from ..geometry.triangles import lengths, unit
from ..model.tolerances import GUESS_SWEEPS, LANDING_SHARE
from ..model.typed import Points, Scalars, Vectors
from .contact_force import Grips
from .state import ClothState


@dataclass(frozen=True, eq=False)
class Friction:
    """Friction's data of one substep.

    anchors; where they are when the scene is at its goal (a, 3) m; how the colliders carry each vertex's anchor
    on them (n, 3) m; what the solve holds on to; and the drag (a, 3) N with which it begins.
    """

    anchors: Anchors
    points: Points
    carried: Vectors
    grips: Grips
    drag: Vectors


def first_guess(
    state: ClothState, start: Points, goal: Points, rows: Rows, friction: Friction, softness: Scalars
) -> Points:
    """A first guess (n, 3) m for the solve: nothing comes nearer than it is, or than just within its gap.

    start, goal (all, 3) m of the scene, goal's cloth where it would go by itself; softness (all,) m/N: how far
    a force takes each point in a substep, 0 for a prescribed one. What presses on a collider stays on it, and
    slides as friction lets it; then every row is kept, points sharing the way by their softness.
    """
    count, out = len(state.positions), goal.copy()
    out[:count] = _on_colliders(state, goal, friction, softness[:count])
    _keep_rows(start, out, rows.ends, rows.normal, rows.soft, softness, LANDING_SHARE, GUESS_SWEEPS)
    grips = friction.grips
    strength = lengths(state.pushed)
    _keep_grips(
        start, out, unit(state.pushed), grips.corners, grips.weights, grips.friction * strength, softness,
        count, GUESS_SWEEPS,
    )  # fmt: skip
    return out[:count]


def staying(state: ClothState, guess: Points, friction: Friction, fall: float, step: float) -> Vectors:
    """What leads (n, 3) m from a first guess (n, 3) m to where each vertex is, or is carried by its collider.

    All of it for what does not move, half for what moves as far in the substep of `step` s as it would fall
    from rest, `fall` m, above 0; hardly any for what is faster, so that swings and falls keep their guess.
    """
    on_collider = friction.anchors.triangle[: len(guess)] >= 0
    ride = np.where(on_collider[:, None], friction.carried, 0.0)
    moved = lengths(state.velocities * step - ride) ** 2
    share = fall**2 / (fall**2 + moved)
    return share[:, None] * (state.positions + ride - guess)


def _on_colliders(state: ClothState, predicted: Points, friction: Friction, softness: Scalars) -> Points:
    """The guess of vertices that a collider pushed last.

    Along the surface each vertex slides as far from its anchor as it would go by itself, less what friction
    takes off in a substep under the last push; what would not move stays.
    """
    count = len(state.positions)
    x, pushed = predicted[:count], state.pushed[:count]
    normal, held = unit(pushed), friction.anchors.triangle[:count] >= 0
    ride = state.positions + np.where(held[:, None], friction.carried, 0.0)
    closing = np.minimum(_dot(x - ride, normal), 0.0)
    free = x - closing[:, None] * normal
    offset = free - friction.points[:count]
    offset -= _dot(offset, normal)[:, None] * normal
    length = lengths(offset)
    pressed = held & (_dot(normal, normal) > 0)
    slowing = friction.grips.friction[:count] * lengths(pushed) * softness
    share = np.minimum(slowing / np.maximum(length, 1e-300), 1.0)
    slowed = free - share[:, None] * offset
    return np.where(pressed[:, None], np.where((share < 1.0)[:, None], slowed, ride), free)


@njit(cache=True)
def _keep_rows(start, x, ends, normal, soft, softness, landing, sweeps):
    """Gauss-Seidel over the rows that would close, forwards and backwards in turn.

    start, x (s, 3) m, x moved in place; ends (r, 2); normal (r, 3); soft (r,) m; softness (s,) m/N, 0 for what
    stays.
    """
    used = 0
    chosen = np.empty(ends.shape[0], np.int64)
    wanted = np.empty(ends.shape[0])
    for i in range(ends.shape[0]):
        a, b = ends[i, 0], ends[i, 1]
        if softness[a] + softness[b] == 0.0:
            continue
        want = min(row_gap(start, a, b, normal, i), (1.0 - landing) * soft[i])
        if row_gap(x, a, b, normal, i) < want:
            chosen[used] = i
            wanted[used] = want
            used += 1
    for sweep in range(sweeps):
        moved = False
        for index in range(used):
            at = index if sweep % 2 == 0 else used - 1 - index
            i = chosen[at]
            a, b = ends[i, 0], ends[i, 1]
            short = wanted[at] - row_gap(x, a, b, normal, i)
            if short <= 1e-3 * landing * soft[i]:
                continue
            moved = True
            share = short / (softness[a] + softness[b])
            for k in range(3):
                x[a, k] += share * softness[a] * normal[i, k]
                x[b, k] -= share * softness[b] * normal[i, k]
        if not moved:
            break


@njit(cache=True)
def _keep_grips(start, x, normal, corners, weights, limit, softness, count, sweeps):
    """Projected Gauss-Seidel (J. J. Moreau, M. Jean, 1994) of friction between cloth and cloth.

    Each anchor takes the motion along the surface between its vertex and what carries it, with at most the
    force `limit` (a,) N.

    start, x (s, 3) m; anchors of `contact_force`: normal, weights (a, 3), corners (a, 3); softness (s,) m/N;
    count, of the cloth's vertices.
    """
    force = np.zeros((normal.shape[0], 3))
    along = np.zeros(3)
    for _ in range(sweeps):
        moved = False
        for i in range(count, normal.shape[0]):
            if corners[i, 0] < 0 or limit[i] == 0.0:
                continue
            v, give, out = i % count, softness[i % count], 0.0
            for k in range(3):
                along[k] = x[v, k] - start[v, k]
                for m in range(3):
                    along[k] -= weights[i, m] * (x[corners[i, m], k] - start[corners[i, m], k])
                out += along[k] * normal[i, k]
            for m in range(3):
                give += weights[i, m] ** 2 * softness[corners[i, m]]
            if give == 0.0:
                continue
            size = 0.0
            for k in range(3):
                along[k] = force[i, k] - (along[k] - out * normal[i, k]) / give
                size += along[k] * along[k]
            share = min(1.0, limit[i] / max(np.sqrt(size), 1e-300))
            for k in range(3):
                change = share * along[k] - force[i, k]
                moved = moved or abs(change) > 1e-3 * limit[i]
                force[i, k] += change
                x[v, k] += softness[v] * change
                for m in range(3):
                    x[corners[i, m], k] -= weights[i, m] * softness[corners[i, m]] * change
        if not moved:
            break


def _dot(a: Vectors, b: Vectors) -> Scalars:
    return np.einsum("ij,ij->i", a, b)
