"""Contact and friction as energy terms of the elastic solve.

Each row pushes with k s^2 / d, s being what is missing to its soft gap and d its depth: gently at first, so
that cloth at rest neither chatters nor needs many passes, and with k s when it is d deep.

Friction pulls every pushed vertex back to its anchor along the surface: like a spring as long as that takes
less than mu times its push, with just that force beyond. The push is lagged: the first linearisation of a
substep takes the one the last substep ended with. For pushes held fixed friction has a convex potential
(J. J. Moreau, 1974), so that one line search serves all terms; its Hessian is the secant one, which bounds
the potential from above and so never overshoots the anchor.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..contact.rows import Rows
from ..model.typed import Points, Scalars, Vectors


class Contact:
    """Energy term of the rows, and of friction at the cloth's vertices.

    ends_at (all, 3) m positions of the scene at the substep's end, the cloth's part of which is replaced by
    the solver's x; anchors (n, 3) m at the substep's end; friction (n,) coefficient, 0 where there is no
    anchor; pushed (n,) N, each vertex's push as known so far; stick N/m, stiffness with which an anchor holds.
    """

    lagged = True

    def __init__(
        self, rows: Rows, ends_at: Points, anchors: Points, friction: Scalars, pushed: Scalars, stick: float
    ) -> None:
        self._rows = rows
        self._scene = ends_at.copy()
        self._anchors = anchors
        self._friction = friction
        self._stick = stick
        self._pushed: Scalars | None = pushed
        count = len(anchors)
        self.push = np.zeros((count, 3))
        self._limit = np.zeros(count)
        self._normal = np.zeros((count, 3))
        self._grip = np.zeros(count)
        self._active = np.zeros(len(rows), np.int32)
        self._row_stiffness = np.zeros(len(rows))
        self._active_count = 0

    @property
    def active_count(self) -> int:
        """Rows that push."""
        return self._active_count

    def slip_limit(self) -> Scalars:
        """(n,) m, how far each vertex may be from its anchor before it slips."""
        return self._friction * self.strength() / self._stick

    def strength(self) -> Scalars:
        """(n,) N, how hard each vertex is pushed."""
        return np.sqrt((self.push**2).sum(axis=1))

    def settle(self, x: Points) -> None:
        """Take the pushes at x (n, 3) m, where the solve ended."""
        self._find_push(x, np.zeros_like(x))

    def _find_push(self, x: Points, out: Vectors) -> float:
        self._scene[: len(x)] = x
        rows = self._rows
        self.push[:] = 0.0
        energy, self._active_count = _push(
            self._scene, len(x), rows.ends, rows.normal, rows.stiffness, rows.soft,
            rows.depth, self._active, self._row_stiffness, self.push, out,
        )  # fmt: skip
        return energy

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N, keep the linearisation, return the energy, J."""
        energy = self._find_push(x, out)
        self._limit = self._friction * (self.strength() if self._pushed is None else self._pushed)
        self._pushed = None
        return energy + _drag_back(
            x, self._anchors, self._limit, self._stick, self.push, self._normal, self._grip, out
        )

    def energy(self, x: Points) -> float:
        """J, with friction's limits as linearised last."""
        self._scene[: len(x)] = x
        rows = self._rows
        pressed = _pressed(self._scene, rows.ends, rows.normal, rows.stiffness, rows.soft, rows.depth)
        return pressed + _gripped(x, self._anchors, self._limit, self._stick, self._normal, self._grip)

    def stiffness_along(self, directions: Vectors, out: Scalars) -> None:
        """Add each vertex's own stiffness along its direction (n, 3) to out (n,) N/m."""
        rows = self._rows
        _own_stiffness(
            self._active[: self._active_count], rows.ends, rows.normal, self._row_stiffness, directions, out
        )

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the Hessian's product with p (n, 3)."""
        rows = self._rows
        _product(
            p, self._active[: self._active_count], rows.ends, rows.normal, self._row_stiffness,
            self._normal, self._grip, out,
        )  # fmt: skip


@njit(cache=True)
def _own_stiffness(active, ends, normal, row_stiffness, directions, out):
    count = directions.shape[0]
    for index in range(active.shape[0]):
        i = active[index]
        for k in range(2):
            v = ends[i, k]
            if v < count:
                along = (
                    directions[v, 0] * normal[i, 0]
                    + directions[v, 1] * normal[i, 1]
                    + directions[v, 2] * normal[i, 2]
                )
                out[v] += row_stiffness[index] * along * along


@njit(cache=True)
def _gap(x, a, b, normal, i):
    return (
        (x[a, 0] - x[b, 0]) * normal[i, 0]
        + (x[a, 1] - x[b, 1]) * normal[i, 1]
        + (x[a, 2] - x[b, 2]) * normal[i, 2]
    )


@njit(cache=True)
def _push(x, count, ends, normal, stiffness, soft, depth, active, row_stiffness, push, out):
    energy, used = 0.0, 0
    for i in range(ends.shape[0]):
        a, b = ends[i, 0], ends[i, 1]
        short = soft[i] - _gap(x, a, b, normal, i)
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
                push[a, k] += force * normal[i, k]
            if b < count:
                out[b, k] += force * normal[i, k]
                push[b, k] -= force * normal[i, k]
    return energy, used


@njit(cache=True)
def _pressed(x, ends, normal, stiffness, soft, depth):
    energy = 0.0
    for i in range(ends.shape[0]):
        short = soft[i] - _gap(x, ends[i, 0], ends[i, 1], normal, i)
        if short > 0.0:
            energy += stiffness[i] * short * short * short / (3.0 * depth[i])
    return energy


@njit(cache=True)
def _along(x, anchors, normal, v):
    """Offset of vertex v from its anchor, along the surface."""
    a, b, c = x[v, 0] - anchors[v, 0], x[v, 1] - anchors[v, 1], x[v, 2] - anchors[v, 2]
    out = a * normal[v, 0] + b * normal[v, 1] + c * normal[v, 2]
    return a - out * normal[v, 0], b - out * normal[v, 1], c - out * normal[v, 2]


@njit(cache=True)
def _drag_back(x, anchors, limit, stick, push, normal, grip, out):
    energy = 0.0
    for v in range(x.shape[0]):
        grip[v] = 0.0
        force = np.sqrt(push[v, 0] ** 2 + push[v, 1] ** 2 + push[v, 2] ** 2)
        if force == 0.0 or limit[v] == 0.0:
            continue
        for k in range(3):
            normal[v, k] = push[v, k] / force
        a, b, c = _along(x, anchors, normal, v)
        length = np.sqrt(a * a + b * b + c * c)
        if length * stick <= limit[v]:
            grip[v] = stick
        else:
            grip[v] = limit[v] / length
        energy += _friction_energy(length, limit[v], stick)
        out[v, 0] += grip[v] * a
        out[v, 1] += grip[v] * b
        out[v, 2] += grip[v] * c
    return energy


@njit(cache=True)
def _friction_energy(length, limit, stick):
    if length * stick <= limit:
        return 0.5 * stick * length * length
    return limit * (length - 0.5 * limit / stick)


@njit(cache=True)
def _gripped(x, anchors, limit, stick, normal, grip):
    energy = 0.0
    for v in range(x.shape[0]):
        if grip[v] > 0.0:
            a, b, c = _along(x, anchors, normal, v)
            energy += _friction_energy(np.sqrt(a * a + b * b + c * c), limit[v], stick)
    return energy


@njit(cache=True)
def _product(p, active, ends, normal, row_stiffness, surface, grip, out):
    count = p.shape[0]
    for index in range(active.shape[0]):
        i = active[index]
        a, b = ends[i, 0], ends[i, 1]
        closing = 0.0
        for k in range(3):
            if a < count:
                closing += p[a, k] * normal[i, k]
            if b < count:
                closing -= p[b, k] * normal[i, k]
        closing *= row_stiffness[index]
        for k in range(3):
            if a < count:
                out[a, k] += closing * normal[i, k]
            if b < count:
                out[b, k] -= closing * normal[i, k]
    for v in range(count):
        if grip[v] > 0.0:
            across = p[v, 0] * surface[v, 0] + p[v, 1] * surface[v, 1] + p[v, 2] * surface[v, 2]
            for k in range(3):
                out[v, k] += grip[v] * (p[v, k] - across * surface[v, k])
