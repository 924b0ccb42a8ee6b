"""Contact and friction as energy terms of the elastic solve.

Each row pushes with k s^2 / d, s being what is missing to its soft gap and d its depth: gently at first, so
that cloth at rest neither chatters nor needs many passes, and with k s when it is d deep. Newton's method
would bring back half of what is far too deep in each pass. So the slope of a row is that of the secant, from
its depth to the one at which it would push as hard as the last pass foretold: a primal-dual method, as
friction's below.

Friction pulls every pushed vertex back to its anchor along the surface: like a spring as long as that takes
less than mu times its push, with just that force beyond. The push is lagged: each linearisation takes the one
that the last foretold, the first of a substep the one the last substep ended with. For pushes held fixed
friction has a convex potential (J. J. Moreau, 1974), so that one line search serves all terms.

What holds has the Hessian of a spring. What slips has the secant one across the way it slips. Along that way it
has less, by as much as friction already drags there: nothing in a slide that goes on, twice as much in one that
turns. The drag is a second unknown, which each pass foretells for the next (T. F. Chan, G. H. Golub, P. Mulet:
A nonlinear primal-dual method for total variation-based image restoration, 1999). With the secant alone a pass
lengthens a slide only as many times as what drives it exceeds its limit, and friction comes late.

An anchor on cloth moves with that cloth, and pulls at it as hard the other way.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numba import njit

from ..contact.rows import Rows, row_gap
from ..geometry.triangles import lengths
from ..model.tolerances import ON_LIMIT
from ..model.typed import Indices, Points, Scalars, Vectors
from .blocks import add_square
from .stiffness import Blocks
from .ties import Ties


@dataclass(frozen=True, eq=False)
class Grips:
    """What friction holds on to; a = SIDES * n anchors, entry side * n + v being vertex v's.

    An anchor's place is offset + the sum of weights * x[corners]: corners (a, 3) int32 cloth vertices, -1 where
    the anchor is on a collider; weights (a, 3); offset (a, 3) m. friction (a,) coefficient, 0 where there is no
    anchor; stick N/m, the stiffness of a hold.
    """

    corners: Indices
    weights: Vectors
    offset: Points
    friction: Scalars
    stick: float


class Linearised(NamedTuple):
    """Friction as it was linearised last.

    drag (a, 3) N, what pulls each vertex to its anchor; slide (a, 3) m, its offset from the anchor along the
    surface, and way (a, 3), of unit length, of what slips; normal (a, 3) of the surface; grip (a,) N/m, the
    stiffness along the surface, 0 where nothing pushes; relief (a,) N/m, how much less it is along way.
    """

    drag: Vectors
    slide: Vectors
    way: Vectors
    normal: Vectors
    grip: Scalars
    relief: Scalars

    @staticmethod
    def dragging(drag: Vectors) -> Linearised:
        """Nothing but the drag (a, 3) N is known so far."""
        slide, way, normal = (np.zeros_like(drag) for _ in range(3))
        return Linearised(drag.copy(), slide, way, normal, np.zeros(len(drag)), np.zeros(len(drag)))


class Pressing(NamedTuple):
    """How rows (r,) were linearised last: missing m and slope N/m; 0 where nothing pushed."""

    missing: Scalars
    slope: Scalars

    @staticmethod
    def none(count: int) -> Pressing:
        """Nothing pushed yet in any of so many rows."""
        return Pressing(np.zeros(count), np.zeros(count))


class Contact:
    """Energy term of the rows, and of friction at the cloth's vertices.

    ends_at (all, 3) m positions of the scene at the substep's end, the cloth's part of which is replaced by
    the solver's x; pushed (a,) N, each vertex's push from each side, and drag (a, 3) N, friction's force on
    what it is against, as known so far.
    """

    lagged = True

    def __init__(self, rows: Rows, ends_at: Points, grips: Grips, pushed: Scalars, drag: Vectors) -> None:
        self._rows = rows
        self._scene = ends_at.copy()
        self._grips = grips
        self._pushed: Scalars | None = pushed
        anchors = len(pushed)
        self.push = np.zeros((anchors, 3))
        self._limit = np.zeros(anchors)
        self._friction = Linearised.dragging(drag)
        self._active = np.zeros(len(rows), np.int32)
        self._active_count = 0
        self._pressing, self._foretells = Pressing.none(len(rows)), False

    @property
    def active_count(self) -> int:
        """Rows that push."""
        return self._active_count

    @property
    def drag(self) -> Vectors:
        """(a, 3) N, what pulls each vertex to its anchor."""
        return self._friction.drag

    def slip_limit(self) -> Scalars:
        """(a,) m, how far each vertex may be from its anchor before it slips."""
        return self._grips.friction * self.strength() / self._grips.stick

    def strength(self) -> Scalars:
        """(a,) N, how hard each vertex is pushed from each side: as it is once settled, before as foretold."""
        return lengths(self.push)

    def settle(self, x: Points) -> None:
        """Take the pushes and the drag at x (n, 3) m, where the solve ended."""
        self._foretells = False
        self.gradient(x, np.zeros_like(x))

    def _find_push(self, x: Points, out: Vectors) -> float:
        self._scene[: len(x)] = x
        rows = self._rows
        self.push[:] = 0.0
        energy, self._active_count = _push(
            self._scene, len(x), rows.ends, rows.normal, rows.stiffness, rows.soft, rows.depth, rows.sides,
            self._pressing, self._foretells, self._active, self.push, out,
        )  # fmt: skip
        self._foretells = True
        return energy

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N, keep the linearisation, return the energy, J."""
        energy, grips = self._find_push(x, out), self._grips
        self._limit = grips.friction * (self.strength() if self._pushed is None else self._pushed)
        self._pushed = None
        return energy + _drag_back(
            x, grips.corners, grips.weights, grips.offset, self._limit, grips.stick, self.push,
            self._friction, out,
        )  # fmt: skip

    def energy(self, x: Points) -> float:
        """J, with friction's limits as linearised last."""
        self._scene[: len(x)] = x
        rows, grips = self._rows, self._grips
        pressed = _pressed(self._scene, rows.ends, rows.normal, rows.stiffness, rows.soft, rows.depth)
        return pressed + _gripped(
            x, grips.corners, grips.weights, grips.offset, self._limit, grips.stick, self._friction
        )

    def stiffen(self, stiffness: Blocks) -> None:
        """Add what holds the cloth beside colliders and beside other cloth."""
        rows, grips = self._rows, self._grips
        active = self._active[: self._active_count]
        stiffness.tie(
            Ties(*_ties(
                active, rows.ends, rows.normal, self._pressing.slope, grips.corners, grips.weights,
                self._friction, stiffness.diagonal,
            ))
        )  # fmt: skip

    def product(self, p: Vectors, out: Vectors) -> None:
        """All of the Hessian lies in the matrix."""


@njit(cache=True)
def _ties(active, ends, normal, slope, corners, weights, friction, diagonal):
    """Add rows and grips beside colliders to each vertex's own block in diagonal (n, 6); the others as `Ties`.

    active (a,) rows that push; ends (r, 2); normal (r, 3); slope (r,) N/m; anchors as in `_along`;
    friction: `Linearised`.
    """
    surface, slips, grip, relief = friction.normal, friction.way, friction.grip, friction.relief
    count, used, most = diagonal.shape[0], 0, len(active)
    for anchor in range(len(grip)):
        most += 2 * (grip[anchor] != 0.0 and corners[anchor, 0] >= 0)
    tied, share = np.full((most, 4), -1, np.int64), np.zeros((most, 4))
    way, along, across = np.zeros((most, 3)), np.zeros(most), np.zeros(most)
    for index in range(len(active)):
        i = np.uint32(active[index])
        a, b = np.uint32(ends[i, 0]), np.uint32(ends[i, 1])
        if a < count and b < count:
            tied[used, 0], tied[used, 1] = a, b
            share[used, 0], share[used, 1] = 1.0, -1.0
            way[used], along[used] = normal[i], slope[i]
            used += 1
        elif a < count or b < count:
            v = min(a, b)
            add_square(diagonal, v, slope[i], normal[i, 0], normal[i, 1], normal[i, 2])
    for anchor in range(len(grip)):
        if grip[anchor] == 0.0:
            continue
        v = anchor % count
        if corners[anchor, 0] >= 0:
            tied[used, 0], share[used, 0] = v, 1.0
            for k in range(3):
                tied[used, 1 + k], share[used, 1 + k] = corners[anchor, k], -weights[anchor, k]
            way[used], across[used] = surface[anchor], grip[anchor] - max(relief[anchor], 0.0)
            used += 1
            if relief[anchor] == 0.0:
                continue
            # Ties only add stiffness: more along the way that slips; or less, and the rest across that way.
            tied[used], share[used] = tied[used - 1], share[used - 1]
            along[used] = abs(relief[anchor])
            if relief[anchor] < 0.0:
                way[used] = slips[anchor]
            else:
                for k in range(3):
                    m, n = (k + 1) % 3, (k + 2) % 3
                    way[used, k] = surface[anchor, m] * slips[anchor, n] - surface[anchor, n] * slips[anchor, m]
            used += 1
        else:
            for m in range(3):
                diagonal[v, m] += grip[anchor]
            add_square(diagonal, v, -grip[anchor], surface[anchor, 0], surface[anchor, 1], surface[anchor, 2])
            add_square(diagonal, v, -relief[anchor], slips[anchor, 0], slips[anchor, 1], slips[anchor, 2])
    return tied[:used], share[:used], way[:used], along[:used], across[:used]


@njit(cache=True)
def _push(x, count, ends, normal, stiffness, soft, depth, sides, pressing, foretells, active, push, out):
    """Energy of the rows, J, and how many push; their gradient is added to out (n, 3) N.

    x (s, 3) m, cloth then colliders, of which count = n are cloth; ends (r, 2); normal (r, 3); stiffness (r,)
    N/m; soft, depth (r,) m; sides (r, 2). pressing: `Pressing` of the last linearisation, replaced by the new
    one; foretells, whether that tells anything about this place. Out: active (r,), up to that number; push
    (SIDES * n, 3) N as foretold, else as it is.
    """
    energy, used = 0.0, 0
    missing, slope = pressing
    for i in range(ends.shape[0]):
        a, b = np.uint32(ends[i, 0]), np.uint32(ends[i, 1])
        short = soft[i] - row_gap(x, a, b, normal, i)
        if short <= 0.0:
            if slope[i] != 0.0:
                missing[i], slope[i] = 0.0, 0.0
            continue
        force = stiffness[i] * short * short / depth[i]
        energy += force * short / 3.0
        likely, aim = force, short
        if foretells:
            before = stiffness[i] * missing[i] * missing[i] / depth[i]
            likely = max(before + slope[i] * (short - missing[i]), 0.0)
            aim = np.sqrt(likely * depth[i] / stiffness[i])
        missing[i], slope[i] = short, stiffness[i] * (short + aim) / depth[i]
        active[used] = i
        used += 1
        for k in range(3):
            if a < count:
                out[a, k] -= force * normal[i, k]
                push[sides[i, 0] * count + a, k] += likely * normal[i, k]
            if b < count:
                out[b, k] += force * normal[i, k]
                push[sides[i, 1] * count + b, k] -= likely * normal[i, k]
    return energy, used


@njit(cache=True)
def _pressed(x, ends, normal, stiffness, soft, depth):
    """Energy of the rows, J; arrays as in `_push`."""
    energy = 0.0
    for i in range(ends.shape[0]):
        short = soft[i] - row_gap(x, np.uint32(ends[i, 0]), np.uint32(ends[i, 1]), normal, i)
        if short > 0.0:
            energy += stiffness[i] * short * short * short / (3.0 * depth[i])
    return energy


@njit(cache=True)
def _along(x, corners, weights, offset, normal, i, v):
    """Offset of vertex v from anchor i, along the surface.

    Anchors a = SIDES * n, anchor side * n + v of vertex v: corners (a, 3), -1 for a place in space; weights (a,
    3); offset (a, 3) m; normal (a, 3).
    """
    a, b, c = x[v, 0] - offset[i, 0], x[v, 1] - offset[i, 1], x[v, 2] - offset[i, 2]
    if corners[i, 0] >= 0:
        for k in range(3):
            a -= weights[i, k] * x[corners[i, k], 0]
            b -= weights[i, k] * x[corners[i, k], 1]
            c -= weights[i, k] * x[corners[i, k], 2]
    out = a * normal[i, 0] + b * normal[i, 1] + c * normal[i, 2]
    return a - out * normal[i, 0], b - out * normal[i, 1], c - out * normal[i, 2]


@njit(cache=True)
def _pull(i, v, corners, weights, a, b, c, out):
    """Add (a, b, c) to vertex v and take it from the corners that carry anchor i."""
    out[v, 0] += a
    out[v, 1] += b
    out[v, 2] += c
    if corners[i, 0] >= 0:
        for k in range(3):
            w = np.uint32(corners[i, k])
            out[w, 0] -= weights[i, k] * a
            out[w, 1] -= weights[i, k] * b
            out[w, 2] -= weights[i, k] * c


@njit(cache=True)
def _drag_back(x, corners, weights, offset, limit, stick, push, friction, out):
    """Energy of friction, J; its gradient is added to out (n, 3) N.

    x (s, 3) m; anchors as in `_along`; limit (a,) N; stick N/m; push (a, 3) N; friction: `Linearised`, the last
    one, replaced by the new one.
    """
    drag, slide, way, normal, grip, relief = friction
    energy, count = 0.0, x.shape[0]
    for i in range(limit.shape[0]):
        force = np.sqrt(push[i, 0] ** 2 + push[i, 1] ** 2 + push[i, 2] ** 2)
        if limit[i] == 0.0 or force == 0.0:
            grip[i], relief[i] = 0.0, 0.0
            continue
        for k in range(3):
            normal[i, k] = push[i, k] / force
        a, b, c = _along(x, corners, weights, offset, normal, i, i % count)
        length = np.sqrt(a * a + b * b + c * c)
        energy += _friction_energy(length, limit[i], stick)
        if length * stick <= ON_LIMIT * limit[i]:
            grip[i], relief[i] = stick, 0.0
        else:
            d, e, f = _foretold(friction, i, a, b, c)
            grip[i] = limit[i] / length
            way[i, 0], way[i, 1], way[i, 2] = a / length, b / length, c / length
            at_limit = max(np.sqrt(d * d + e * e + f * f), limit[i])
            relief[i] = grip[i] * (d * way[i, 0] + e * way[i, 1] + f * way[i, 2]) / at_limit
        slide[i, 0], slide[i, 1], slide[i, 2] = a, b, c
        drag[i, 0], drag[i, 1], drag[i, 2] = grip[i] * a, grip[i] * b, grip[i] * c
        _pull(i, i % count, corners, weights, drag[i, 0], drag[i, 1], drag[i, 2], out)
    return energy


@njit(cache=True)
def _foretold(friction, i, a, b, c):
    """Drag along the surface, N, that the last linearisation foretells anchor i for an offset (a, b, c) m."""
    drag, slide, way, normal, grip, relief = friction
    a, b, c = a - slide[i, 0], b - slide[i, 1], c - slide[i, 2]
    eased = relief[i] * (a * way[i, 0] + b * way[i, 1] + c * way[i, 2])
    a = drag[i, 0] + grip[i] * a - eased * way[i, 0]
    b = drag[i, 1] + grip[i] * b - eased * way[i, 1]
    c = drag[i, 2] + grip[i] * c - eased * way[i, 2]
    out = a * normal[i, 0] + b * normal[i, 1] + c * normal[i, 2]
    return a - out * normal[i, 0], b - out * normal[i, 1], c - out * normal[i, 2]


@njit(cache=True)
def _friction_energy(length, limit, stick):
    """Energy of one anchor, J: a spring up to its limit, then a constant force (limit in N, stick in N/m)."""
    if length * stick <= limit:
        return 0.5 * stick * length * length
    return limit * (length - 0.5 * limit / stick)


@njit(cache=True)
def _gripped(x, corners, weights, offset, limit, stick, friction):
    """Energy of friction, J, where and along the surfaces that it was linearised; arrays as in `_drag_back`."""
    energy, count = 0.0, x.shape[0]
    for i in range(limit.shape[0]):
        if friction.grip[i] > 0.0:
            a, b, c = _along(x, corners, weights, offset, friction.normal, i, i % count)
            energy += _friction_energy(np.sqrt(a * a + b * b + c * c), limit[i], stick)
    return energy
