"""Contact and friction as energy terms of the elastic solve.

Each row pushes with k s^2 / d, s being what is missing to its soft gap and d its depth: gently at first, so
that cloth at rest neither chatters nor needs many passes, and with k s when it is d deep.

Friction pulls every pushed vertex back to its anchor along the surface: like a spring as long as that takes
less than mu times its push, with just that force beyond. The push is lagged: the first linearisation of a
substep takes the one the last substep ended with. For pushes held fixed friction has a convex potential
(J. J. Moreau, 1974), so that one line search serves all terms; its Hessian is the secant one, which bounds
the potential from above and so never overshoots the anchor.

An anchor on cloth moves with that cloth, and pulls at it as hard the other way.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..contact.rows import Rows, row_gap
from ..geometry.triangles import lengths
from ..model.typed import Indices, Points, Scalars, Vectors
from .stiffness import Blocks, add_square


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


class Contact:
    """Energy term of the rows, and of friction at the cloth's vertices.

    ends_at (all, 3) m positions of the scene at the substep's end, the cloth's part of which is replaced by
    the solver's x; pushed (a,) N, each vertex's push from each side as known so far.
    """

    lagged = True

    def __init__(self, rows: Rows, ends_at: Points, grips: Grips, pushed: Scalars) -> None:
        self._rows = rows
        self._scene = ends_at.copy()
        self._grips = grips
        self._pushed: Scalars | None = pushed
        anchors = len(pushed)
        self.push = np.zeros((anchors, 3))
        self._limit = np.zeros(anchors)
        self._normal = np.zeros((anchors, 3))
        self._grip = np.zeros(anchors)
        self._active = np.zeros(len(rows), np.int32)
        self._row_stiffness = np.zeros(len(rows))
        self._active_count = 0
        self._among = np.zeros(len(rows), np.int32)
        self._gripping = np.zeros(anchors, np.int32)
        self._between = (0, 0)

    @property
    def active_count(self) -> int:
        """Rows that push."""
        return self._active_count

    def slip_limit(self) -> Scalars:
        """(a,) m, how far each vertex may be from its anchor before it slips."""
        return self._grips.friction * self.strength() / self._grips.stick

    def strength(self) -> Scalars:
        """(a,) N, how hard each vertex is pushed from each side."""
        return lengths(self.push)

    def settle(self, x: Points) -> None:
        """Take the pushes at x (n, 3) m, where the solve ended."""
        self._find_push(x, np.zeros_like(x))

    def _find_push(self, x: Points, out: Vectors) -> float:
        self._scene[: len(x)] = x
        rows = self._rows
        self.push[:] = 0.0
        energy, self._active_count = _push(
            self._scene, len(x), rows.ends, rows.normal, rows.stiffness, rows.soft,
            rows.depth, rows.sides, self._active, self._row_stiffness, self.push, out,
        )  # fmt: skip
        return energy

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N, keep the linearisation, return the energy, J."""
        energy, grips = self._find_push(x, out), self._grips
        self._limit = grips.friction * (self.strength() if self._pushed is None else self._pushed)
        self._pushed = None
        return energy + _drag_back(
            x, grips.corners, grips.weights, grips.offset, self._limit, grips.stick, self.push,
            self._normal, self._grip, out,
        )  # fmt: skip

    def energy(self, x: Points) -> float:
        """J, with friction's limits as linearised last."""
        self._scene[: len(x)] = x
        rows, grips = self._rows, self._grips
        pressed = _pressed(self._scene, rows.ends, rows.normal, rows.stiffness, rows.soft, rows.depth)
        return pressed + _gripped(
            x, grips.corners, grips.weights, grips.offset, self._limit, grips.stick, self._normal, self._grip
        )

    def stiffen(self, stiffness: Blocks) -> None:
        """Add what holds each vertex beside other cloth."""
        rows, grips = self._rows, self._grips
        self._between = _own(
            self._active[: self._active_count], rows.ends, rows.normal, self._row_stiffness, grips.corners,
            grips.weights, self._normal, self._grip, stiffness.diagonal, self._among, self._gripping,
        )  # fmt: skip

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the rest of the Hessian's product with p (n, 3): what cloth does to other cloth."""
        rows, grips = self._rows, self._grips
        pushing, gripping = self._between
        _product(
            p, self._among[:pushing], self._active, rows.ends, rows.normal, self._row_stiffness,
            self._gripping[:gripping], grips.corners, grips.weights, self._normal, self._grip, out,
        )  # fmt: skip


@njit(cache=True)
def _own(
    active, ends, normal, row_stiffness, corners, weights, surface, grip, diagonal, among, gripping
):  # fmt: skip
    """Add each vertex's own block of rows and grips to diagonal (n, 6); how many rows and how many grips are
    between cloth and cloth.

    active (a,) rows that push; ends (r, 2); normal (r, 3); row_stiffness (a,) N/m; anchors as in `_along`,
    surface their normals; grip N/m. Out: among (a,), which of `active` are between cloth; gripping (anchors,),
    which grips.
    """
    count, rows, grips = diagonal.shape[0], 0, 0
    for index in range(active.shape[0]):
        i = np.uint32(active[index])
        inside = 0
        for k in range(2):
            v = np.uint32(ends[i, k])
            if v < count:
                inside += 1
                add_square(diagonal, v, row_stiffness[index], normal[i, 0], normal[i, 1], normal[i, 2])
        if inside == 2:
            among[rows] = index
            rows += 1
    for anchor in range(grip.shape[0]):
        if grip[anchor] == 0.0:
            continue
        own = corners[anchor, 0] >= 0
        if own:
            gripping[grips] = anchor
            grips += 1
        for k in range(-1, 3 if own else 0):
            w, share = (anchor % count, 1.0) if k < 0 else (corners[anchor, k], weights[anchor, k])
            force = share * share * grip[anchor]
            for m in range(3):
                diagonal[w, m] += force
            add_square(diagonal, w, -force, surface[anchor, 0], surface[anchor, 1], surface[anchor, 2])
    return rows, grips


@njit(cache=True)
def _push(x, count, ends, normal, stiffness, soft, depth, sides, active, row_stiffness, push, out):
    """Energy of the rows, J, and how many push; their gradient is added to out (n, 3) N.

    x (s, 3) m, cloth then colliders, of which count = n are cloth; ends (r, 2); normal (r, 3); stiffness (r,)
    N/m; soft, depth (r,) m; sides (r, 2). Out: active (r,), row_stiffness (r,) N/m, both up to that number;
    push (SIDES * n, 3) N.
    """
    energy, used = 0.0, 0
    for i in range(ends.shape[0]):
        a, b = np.uint32(ends[i, 0]), np.uint32(ends[i, 1])
        short = soft[i] - row_gap(x, a, b, normal, i)
        if short <= 0.0:
            continue
        force = stiffness[i] * short * short / depth[i]
        energy += force * short / 3.0
        active[used] = i
        row_stiffness[used] = 2.0 * stiffness[i] * short / depth[i]
        used += 1
        for k in range(3):
            if a < count:
                out[a, k] -= force * normal[i, k]
                push[sides[i, 0] * count + a, k] += force * normal[i, k]
            if b < count:
                out[b, k] += force * normal[i, k]
                push[sides[i, 1] * count + b, k] -= force * normal[i, k]
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
def _drag_back(x, corners, weights, offset, limit, stick, push, normal, grip, out):
    """Energy of friction, J; its gradient is added to out (n, 3) N.

    x (s, 3) m; anchors as in `_along`; limit (a,) N; stick N/m; push (a, 3) N. Out: normal (a, 3), grip (a,)
    N/m.
    """
    energy, count = 0.0, x.shape[0]
    for i in range(limit.shape[0]):
        grip[i] = 0.0
        if limit[i] == 0.0:
            continue
        force = np.sqrt(push[i, 0] ** 2 + push[i, 1] ** 2 + push[i, 2] ** 2)
        if force == 0.0:
            continue
        for k in range(3):
            normal[i, k] = push[i, k] / force
        a, b, c = _along(x, corners, weights, offset, normal, i, i % count)
        length = np.sqrt(a * a + b * b + c * c)
        if length * stick <= limit[i]:
            grip[i] = stick
        else:
            grip[i] = limit[i] / length
        energy += _friction_energy(length, limit[i], stick)
        _pull(i, i % count, corners, weights, grip[i] * a, grip[i] * b, grip[i] * c, out)
    return energy


@njit(cache=True)
def _friction_energy(length, limit, stick):
    """Energy of one anchor, J: a spring up to its limit, then a constant force (limit in N, stick in N/m)."""
    if length * stick <= limit:
        return 0.5 * stick * length * length
    return limit * (length - 0.5 * limit / stick)


@njit(cache=True)
def _gripped(x, corners, weights, offset, limit, stick, normal, grip):
    """Energy of friction, J, with grip (a,) and normal (a, 3) as they are; arrays as in `_drag_back`."""
    energy, count = 0.0, x.shape[0]
    for i in range(grip.shape[0]):
        if grip[i] > 0.0:
            a, b, c = _along(x, corners, weights, offset, normal, i, i % count)
            energy += _friction_energy(np.sqrt(a * a + b * b + c * c), limit[i], stick)
    return energy


@njit(cache=True)
def _product(
    p, among, active, ends, normal, row_stiffness, gripping, corners, weights, surface, grip, out
):  # fmt: skip
    """Add what cloth does to other cloth when it moves by p (n, 3) to out (n, 3).

    among, gripping and the rest as in `_own`.
    """
    count = p.shape[0]
    for at in range(among.shape[0]):
        index = np.uint32(among[at])
        i = np.uint32(active[index])
        a, b = np.uint32(ends[i, 0]), np.uint32(ends[i, 1])
        n0, n1, n2 = normal[i, 0], normal[i, 1], normal[i, 2]
        of_a = -row_stiffness[index] * (p[b, 0] * n0 + p[b, 1] * n1 + p[b, 2] * n2)
        of_b = -row_stiffness[index] * (p[a, 0] * n0 + p[a, 1] * n1 + p[a, 2] * n2)
        out[a, 0] += of_a * n0
        out[a, 1] += of_a * n1
        out[a, 2] += of_a * n2
        out[b, 0] += of_b * n0
        out[b, 1] += of_b * n1
        out[b, 2] += of_b * n2
    for at in range(gripping.shape[0]):
        i = np.uint32(gripping[at])
        n0, n1, n2 = surface[i, 0], surface[i, 1], surface[i, 2]
        for k in range(-1, 3):
            v, own = (i % count, 1.0) if k < 0 else (corners[i, k], -weights[i, k])
            e, f, g = 0.0, 0.0, 0.0
            for m in range(-1, 3):
                if m == k:
                    continue
                w, share = (i % count, 1.0) if m < 0 else (corners[i, m], -weights[i, m])
                e += share * p[w, 0]
                f += share * p[w, 1]
                g += share * p[w, 2]
            across = e * n0 + f * n1 + g * n2
            force = own * grip[i]
            out[v, 0] += force * (e - across * n0)
            out[v, 1] += force * (f - across * n1)
            out[v, 2] += force * (g - across * n2)
