"""Stretch along warp and weft, and shear between them.

Energy per area: W_u(|F_u| - 1) + W_v(|F_v| - 1) + W_s(|g|), with F_u and F_v the images of unit weft and warp
and g = F_u.F_v / (|F_u| |F_v|), the sine of the shear angle. Each W is the work under a measured force curve,
tension and compression apart. Source of the form: D. Baraff and A. Witkin, Large steps in cloth simulation,
SIGGRAPH 1998, made intensive by area so that the constants are forces per width. Damping is Kelvin-Voigt,
over the strains at the substep's start and with the stiffness that a curve begins with.

Triangles are taken in the order of their lowest vertex, so that what lies together is read together.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..geometry.triangles import corners_of
from ..model.typed import Points, Vectors
from .blocks import add_block, add_square
from .cloth import Cloth, Part
from .stiffness import Blocks, Pattern
from .sums import Gather, total

# Columns of the linearisation: unit weft and warp images, then along/across stiffness of each, shear
# stiffness and the shear angle's derivative by both images.
COLUMNS = 17


class Membrane:
    """Energy term of all triangles of a cloth."""

    lagged = False

    def __init__(self, cloth: Cloth, pattern: Pattern | None = None, part: Part | None = None) -> None:
        order = np.argsort(cloth.triangles.min(axis=1), kind="stable")
        if part is not None:
            order = order[np.isin(order, part.triangles)]
        self._triangles = np.ascontiguousarray(cloth.triangles[order])
        self._rest = np.ascontiguousarray(cloth.rest_inverse[order])
        self._stretched, self._sheared = cloth.stretched[order], cloth.sheared[order]
        self._loads = cloth.loads if part is None else part.loads
        self._retardation = cloth.stretch_retardation[order]
        self._damped = bool(self._retardation.any())
        self._gather = Gather(self._triangles, cloth.count)
        first, second = self._rest[:, :2], self._rest[:, 2:]
        self._corners = np.stack([-(first + second), first, second], axis=1).reshape(-1, 2)
        self._places = None if pattern is None else pattern.places(self._triangles)
        count = len(order)
        self._line = np.zeros((count, COLUMNS))
        self._energies = np.zeros(count)
        self._before = np.zeros((count, 3))
        self._ratio = np.zeros(count)

    def begin(self, x: Points, step: float, share: float = 1.0) -> None:
        """Take the strains at the substep's start for a share of the damping over `step` s."""
        if self._damped:
            self._ratio = share * self._retardation / step
            strains_of(x, self._triangles, self._rest, self._before)

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N, keep the linearisation, return the energy, J."""
        _linearise(
            x, self._triangles, self._rest, self._stretched, self._sheared, *self._loads,
            self._before, self._ratio, self._gather.shares, self._line, self._energies,
        )  # fmt: skip
        self._gather.add_to(out)
        return total(self._energies)

    def energy(self, x: Points) -> float:
        """J, with the damping potential."""
        _energies(
            x, self._triangles, self._rest, self._stretched, self._sheared, *self._loads,
            self._before, self._ratio, self._energies,
        )  # fmt: skip
        return total(self._energies)

    def strains(self, x: Points) -> Vectors:
        """(m, 3) strain along weft and along warp, and sine of the shear angle, in the term's own order."""
        out = np.empty((len(self._triangles), 3))
        strains_of(x, self._triangles, self._rest, out)
        out[:, :2] -= 1.0
        return out

    def stored(self, x: Points) -> tuple[float, float]:
        """J stored in stretch and in shear, without damping."""
        none, out = np.zeros(len(self._triangles)), np.empty(len(self._triangles))
        still = np.zeros_like(self._ratio)
        found = []
        for stretched, sheared in ((self._stretched, none), (none, self._sheared)):
            _energies(
                x, self._triangles, self._rest, stretched, sheared, *self._loads, self._before, still, out
            )
            found.append(total(out))
        return found[0], found[1]

    def stiffen(self, stiffness: Blocks) -> None:
        """Add the positive part of the Hessian."""
        assert self._places is not None, "a term without a pattern has no place in a matrix"
        p = self._places
        _stiffen(
            self._corners, self._line, p.starts, p.codes, p.own_starts, p.own, stiffness.blocks,
            stiffness.diagonal,
        )  # fmt: skip

    def product(self, p: Vectors, out: Vectors) -> None:
        """All of the Hessian lies in the matrix."""


class SewnMembrane:
    """The same of a cloth whose parts are of several fabrics, one after the other."""

    lagged = False

    def __init__(self, cloth: Cloth, pattern: Pattern | None = None) -> None:
        self._parts = [Membrane(cloth, pattern, part) for part in cloth.parts]

    def begin(self, x: Points, step: float, share: float = 1.0) -> None:
        """See `Membrane.begin`."""
        for part in self._parts:
            part.begin(x, step, share)

    def gradient(self, x: Points, out: Vectors) -> float:
        """See `Membrane.gradient`."""
        return sum(part.gradient(x, out) for part in self._parts)

    def energy(self, x: Points) -> float:
        """See `Membrane.energy`."""
        return sum(part.energy(x) for part in self._parts)

    def strains(self, x: Points) -> Vectors:
        """See `Membrane.strains`; those of one part after the other."""
        return np.concatenate([part.strains(x) for part in self._parts])

    def stored(self, x: Points) -> tuple[float, float]:
        """See `Membrane.stored`."""
        found = [part.stored(x) for part in self._parts]
        return sum(one for one, _ in found), sum(other for _, other in found)

    def stiffen(self, stiffness: Blocks) -> None:
        """See `Membrane.stiffen`."""
        for part in self._parts:
            part.stiffen(stiffness)

    def product(self, p: Vectors, out: Vectors) -> None:
        """All of the Hessian lies in the matrix."""


def membrane_of(cloth: Cloth, pattern: Pattern | None = None) -> Membrane | SewnMembrane:
    """The term of a cloth, of one fabric or of several."""
    return SewnMembrane(cloth, pattern) if cloth.parts else Membrane(cloth, pattern)


@njit(cache=True)
def images(x, triangles, rest, t):
    """Images of unit weft and warp in triangle t.

    x (n, 3) m; triangles (m, 3); rest (m, 4) 1/m, the inverse of the rest corners: weft and warp of corners 1
    and 2.
    """
    a, b, c = corners_of(triangles, t)
    p, q, r, s = rest[t, 0], rest[t, 1], rest[t, 2], rest[t, 3]
    e0, e1, e2 = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
    f0, f1, f2 = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
    return (
        e0 * p + f0 * r, e1 * p + f1 * r, e2 * p + f2 * r,
        e0 * q + f0 * s, e1 * q + f1 * s, e2 * q + f2 * s,
    )  # fmt: skip


@njit(cache=True)
def _measure(u0, u1, u2, v0, v1, v2):
    """Lengths of both images and the sine of their shear."""
    lu = max(np.sqrt(u0 * u0 + u1 * u1 + u2 * u2), 1e-8)
    lv = max(np.sqrt(v0 * v0 + v1 * v1 + v2 * v2), 1e-8)
    return lu, lv, (u0 * v0 + u1 * v1 + u2 * v2) / (lu * lv)


@njit(parallel=True, cache=True)
def strains_of(x, triangles, rest, out):
    """Lengths of the images of weft and warp and the sine of their shear, of each triangle.

    out (m, 3).
    """
    for t in prange(triangles.shape[0]):
        lu, lv, shear = _measure(*images(x, triangles, rest, t))
        out[t, 0], out[t, 1], out[t, 2] = lu, lv, shear


@njit(cache=True)
def _row(table, strain):
    """The row of a force table that holds at `strain`.

    table (k, 4) as `model.fabric.force_table` lays it out.
    """
    if strain < 0.0:
        return 0
    row = 1
    while row + 1 < table.shape[0] and table[row + 1, 0] <= strain:
        row += 1
    return row


@njit(cache=True)
def _work(table, strain):
    """Energy per area, N/m."""
    row = _row(table, strain)
    over = strain - table[row, 0]
    return table[row, 3] + over * (table[row, 1] + 0.5 * table[row, 2] * over)


@njit(cache=True)
def _pull(table, strain):
    """Force per width and its slope, N/m."""
    row = _row(table, strain)
    return table[row, 1] + table[row, 2] * (strain - table[row, 0]), table[row, 2]


@njit(cache=True)
def _density(lu, lv, shear, stretched, sheared, weft, warp, slide, before, ratio):
    """Energy of one triangle, J, with its damping potential; stretched, sheared m2 of it."""
    du, dv, ds = lu - before[0], lv - before[1], shear - before[2]
    return stretched * (
        _work(weft, lu - 1) + _work(warp, lv - 1) + 0.5 * ratio * (weft[1, 2] * du * du + warp[1, 2] * dv * dv)
    ) + sheared * (_work(slide, abs(shear)) + 0.5 * ratio * slide[1, 2] * ds * ds)


@njit(parallel=True, cache=True)
def _energies(x, triangles, rest, stretched, sheared, weft, warp, slide, before, ratio, out):
    """Energy of each triangle, into out (m,) J; arrays as in `_linearise`."""
    for t in prange(triangles.shape[0]):
        lu, lv, shear = _measure(*images(x, triangles, rest, t))
        out[t] = _density(lu, lv, shear, stretched[t], sheared[t], weft, warp, slide, before[t], ratio[t])


@njit(cache=True)
def spread(shares, rest, t, a0, a1, a2, b0, b1, b2):
    """Forces on the images to the triangle's corners.

    shares (3 m, 3) N; rest (m, 4) 1/m.
    """
    p, q, r, s = rest[t, 0], rest[t, 1], rest[t, 2], rest[t, 3]
    i = 3 * t
    shares[i + 1, 0], shares[i + 1, 1] = p * a0 + q * b0, p * a1 + q * b1
    shares[i + 1, 2] = p * a2 + q * b2
    shares[i + 2, 0], shares[i + 2, 1] = r * a0 + s * b0, r * a1 + s * b1
    shares[i + 2, 2] = r * a2 + s * b2
    for k in range(3):
        shares[i, k] = -shares[i + 1, k] - shares[i + 2, k]


@njit(parallel=True, cache=True)
def _linearise(
    x, triangles, rest, stretched, sheared, weft, warp, slide, before, ratio, shares, line, energies
):  # fmt: skip
    """Energies, gradients and what the Hessian's positive part needs.

    x (n, 3) m; triangles (m, 3); rest (m, 4) 1/m; stretched, sheared (m,) m2; before (m, 3) strains at the
    substep's start; ratio (m,), retardation over step. Out: shares (3 m, 3) N; energies (m,) J; line (m, 17):
    unit images of weft 0:3 and warp 3:6, stiffness along and across of weft 6:8 and warp 8:10, of shear 10,
    slopes of shear by weft 11:14, by warp 14:17.
    """
    for t in prange(triangles.shape[0]):
        u0, u1, u2, v0, v1, v2 = images(x, triangles, rest, t)
        lu, lv, shear = _measure(u0, u1, u2, v0, v1, v2)
        area, sliding, lag = stretched[t], sheared[t], ratio[t]
        energies[t] = _density(lu, lv, shear, area, sliding, weft, warp, slide, before[t], lag)
        u0, u1, u2, v0, v1, v2 = u0 / lu, u1 / lu, u2 / lu, v0 / lv, v1 / lv, v2 / lv
        pull_u, slope_u = _pull(weft, lu - 1)
        pull_v, slope_v = _pull(warp, lv - 1)
        pull_s, slope_s = _pull(slide, abs(shear))
        if shear < 0.0:
            pull_s = -pull_s
        slow_u, slow_v, slow_s = lag * weft[1, 2], lag * warp[1, 2], lag * slide[1, 2]
        pull_u = area * (pull_u + slow_u * (lu - before[t, 0]))
        pull_v = area * (pull_v + slow_v * (lv - before[t, 1]))
        pull_s = sliding * (pull_s + slow_s * (shear - before[t, 2]))
        g0, g1, g2 = (v0 - shear * u0) / lu, (v1 - shear * u1) / lu, (v2 - shear * u2) / lu
        h0, h1, h2 = (u0 - shear * v0) / lv, (u1 - shear * v1) / lv, (u2 - shear * v2) / lv
        spread(
            shares, rest, t,
            pull_u * u0 + pull_s * g0, pull_u * u1 + pull_s * g1, pull_u * u2 + pull_s * g2,
            pull_v * v0 + pull_s * h0, pull_v * v1 + pull_s * h1, pull_v * v2 + pull_s * h2,
        )  # fmt: skip
        line[t, 0], line[t, 1], line[t, 2] = u0, u1, u2
        line[t, 3], line[t, 4], line[t, 5] = v0, v1, v2
        line[t, 6], line[t, 7] = area * (slope_u + slow_u), max(0.0, pull_u / lu)
        line[t, 8], line[t, 9] = area * (slope_v + slow_v), max(0.0, pull_v / lv)
        line[t, 10] = sliding * (slope_s + slow_s)
        line[t, 11], line[t, 12], line[t, 13] = g0, g1, g2
        line[t, 14], line[t, 15], line[t, 16] = h0, h1, h2


@njit(cache=True, inline="always")
def _weights(line, t, p, q, r, s):
    """Of two corners of triangle t, with shares p, q and r, s in the images: the stiffness of moving them along
    weft, along warp, and in any direction.
    """
    u, v = p * r, q * s
    return (line[t, 6] - line[t, 7]) * u, (line[t, 8] - line[t, 9]) * v, line[t, 7] * u + line[t, 9] * v


@njit(parallel=True, cache=True)
def _stiffen(corners, line, starts, codes, own_starts, own, blocks, diagonal):
    """Add the Hessian's positive part to blocks (b, 9) and diagonal (n, 6) of a `Stiffness`.

    corners (3 m, 2) 1/m, what each corner adds to the images of unit weft and warp; line (m, 17) as in
    `_linearise`; starts, codes, own_starts and own as in `Places`.
    """
    for k in prange(blocks.shape[0]):
        m0, m1, m2, m3, m4, m5, m6, m7, m8 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for index in range(starts[k], starts[k + 1]):
            t, two = np.uint32(codes[index] // 9), codes[index] % 9
            i, j = np.uint32(3 * t + two // 3), np.uint32(3 * t + two % 3)
            p, q = corners[i, 0], corners[i, 1]
            r, s = corners[j, 0], corners[j, 1]
            weft, warp, even = _weights(line, t, p, q, r, s)
            g0, g1, g2 = (
                p * line[t, 11] + q * line[t, 14],
                p * line[t, 12] + q * line[t, 15],
                p * line[t, 13] + q * line[t, 16],
            )
            h0, h1, h2 = (
                r * line[t, 11] + s * line[t, 14],
                r * line[t, 12] + s * line[t, 15],
                r * line[t, 13] + s * line[t, 16],
            )
            g0, g1, g2 = line[t, 10] * g0, line[t, 10] * g1, line[t, 10] * g2
            a, b, c = weft * line[t, 0], weft * line[t, 1], weft * line[t, 2]
            d, e, f = warp * line[t, 3], warp * line[t, 4], warp * line[t, 5]
            m0 += even + a * line[t, 0] + d * line[t, 3] + g0 * h0
            m1 += a * line[t, 1] + d * line[t, 4] + g0 * h1
            m2 += a * line[t, 2] + d * line[t, 5] + g0 * h2
            m3 += b * line[t, 0] + e * line[t, 3] + g1 * h0
            m4 += even + b * line[t, 1] + e * line[t, 4] + g1 * h1
            m5 += b * line[t, 2] + e * line[t, 5] + g1 * h2
            m6 += c * line[t, 0] + f * line[t, 3] + g2 * h0
            m7 += c * line[t, 1] + f * line[t, 4] + g2 * h1
            m8 += even + c * line[t, 2] + f * line[t, 5] + g2 * h2
        add_block(blocks, k, m0, m1, m2, m3, m4, m5, m6, m7, m8)
    for v in prange(diagonal.shape[0]):
        for index in range(own_starts[v], own_starts[v + 1]):
            t = np.uint32(own[index] // 3)
            p, q = corners[own[index], 0], corners[own[index], 1]
            weft, warp, even = _weights(line, t, p, q, p, q)
            diagonal[v, 0] += even
            diagonal[v, 1] += even
            diagonal[v, 2] += even
            add_square(diagonal, v, weft, line[t, 0], line[t, 1], line[t, 2])
            add_square(diagonal, v, warp, line[t, 3], line[t, 4], line[t, 5])
            add_square(
                diagonal,
                v,
                line[t, 10],
                p * line[t, 11] + q * line[t, 14],
                p * line[t, 12] + q * line[t, 15],
                p * line[t, 13] + q * line[t, 16],
            )
