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

from ..model.typed import Points, Scalars, Vectors
from .cloth import Cloth
from .linear import Gather, sum_corners, total

# Columns of the linearisation: unit weft and warp images, then along/across stiffness of each, shear
# stiffness and the shear angle's derivative by both images.
COLUMNS = 17


class Membrane:
    """Energy term of all triangles of a cloth."""

    lagged = False

    def __init__(self, cloth: Cloth) -> None:
        order = np.argsort(cloth.triangles.min(axis=1), kind="stable")
        self._triangles = np.ascontiguousarray(cloth.triangles[order])
        self._rest = np.ascontiguousarray(cloth.rest_inverse[order])
        self._stretched, self._sheared = cloth.stretched[order], cloth.sheared[order]
        self._loads = cloth.loads
        self._retardation = cloth.stretch_retardation[order]
        self._damped = bool(self._retardation.any())
        self._gather = Gather(self._triangles, cloth.count)
        count = len(order)
        self._line = np.zeros((count, COLUMNS))
        self._energies = np.zeros(count)
        self._before = np.zeros((count, 3))
        self._ratio = np.zeros(count)

    @property
    def bytes(self) -> int:
        """What one product reads and writes at least, each thing once."""
        read = self._triangles.nbytes + self._rest.nbytes + self._line.nbytes + self._gather.bytes
        return read + 2 * 24 * len(self._gather.starts)

    def begin(self, x: Points, step: float) -> None:
        """Take the strains at the substep's start for damping over `step` s."""
        if self._damped:
            self._ratio = self._retardation / step
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

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the positive part of the Hessian's product with p (n, 3)."""
        gather = self._gather
        _product(p, self._triangles, self._rest, self._line, gather.shares, gather.starts, gather.corners, out)

    def stiffness_along(self, directions: Vectors, out: Scalars) -> None:
        """Add each vertex's own stiffness along its direction (n, 3) to out (n,) N/m."""
        shares = np.empty(3 * len(self._triangles))
        _own_stiffness(self._triangles, self._rest, self._line, directions, shares)
        self._gather.add_scalars_to(shares, out)


@njit(cache=True)
def images(x, triangles, rest, t):
    """Images of unit weft and warp in triangle t.

    x (n, 3) m; triangles (m, 3); rest (m, 4) 1/m, the inverse of the rest corners: weft and warp of corners 1
    and 2.
    """
    a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
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


@njit(cache=True)
def _corner_stiffness(line, t, p, q, n0, n1, n2):
    """Curvature of triangle t's energy when one corner, with image coefficients p and q, moves along n."""
    u = p * (line[t, 0] * n0 + line[t, 1] * n1 + line[t, 2] * n2)
    v = q * (line[t, 3] * n0 + line[t, 4] * n1 + line[t, 5] * n2)
    g = p * (line[t, 11] * n0 + line[t, 12] * n1 + line[t, 13] * n2)
    h = q * (line[t, 14] * n0 + line[t, 15] * n1 + line[t, 16] * n2)
    return (
        (line[t, 6] - line[t, 7]) * u * u
        + line[t, 7] * p * p
        + (line[t, 8] - line[t, 9]) * v * v
        + line[t, 9] * q * q
        + line[t, 10] * (g + h) ** 2
    )


@njit(parallel=True, cache=True)
def _own_stiffness(triangles, rest, line, directions, shares):
    """Each corner's own stiffness along its direction.

    line (m, 17) as in `_linearise`; directions (n, 3) unit; shares (3 m,) N/m.
    """
    for t in prange(rest.shape[0]):
        p, q, r, s = rest[t, 0], rest[t, 1], rest[t, 2], rest[t, 3]
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        d = directions
        shares[3 * t] = _corner_stiffness(line, t, -(p + r), -(q + s), d[a, 0], d[a, 1], d[a, 2])
        shares[3 * t + 1] = _corner_stiffness(line, t, p, q, d[b, 0], d[b, 1], d[b, 2])
        shares[3 * t + 2] = _corner_stiffness(line, t, r, s, d[c, 0], d[c, 1], d[c, 2])


@njit(parallel=True, cache=True)
def _product(p, triangles, rest, line, shares, starts, corners, out):
    """Add the Hessian's product with p (n, 3) to out (n, 3).

    line (m, 17) as in `_linearise`; shares (3 m, 3), scratch; corners (3 m,) about each vertex from starts (n +
    1,).
    """
    for t in prange(triangles.shape[0]):
        u0, u1, u2, v0, v1, v2 = images(p, triangles, rest, t)
        n0, n1, n2, m0, m1, m2 = line[t, 0], line[t, 1], line[t, 2], line[t, 3], line[t, 4], line[t, 5]
        g0, g1, g2, h0, h1, h2 = (
            line[t, 11], line[t, 12], line[t, 13], line[t, 14], line[t, 15], line[t, 16]
        )  # fmt: skip
        across_u, across_v = line[t, 7], line[t, 9]
        along_u = (line[t, 6] - across_u) * (n0 * u0 + n1 * u1 + n2 * u2)
        along_v = (line[t, 8] - across_v) * (m0 * v0 + m1 * v1 + m2 * v2)
        shear = line[t, 10] * (g0 * u0 + g1 * u1 + g2 * u2 + h0 * v0 + h1 * v1 + h2 * v2)
        spread(
            shares, rest, t,
            along_u * n0 + across_u * u0 + shear * g0,
            along_u * n1 + across_u * u1 + shear * g1,
            along_u * n2 + across_u * u2 + shear * g2,
            along_v * m0 + across_v * v0 + shear * h0,
            along_v * m1 + across_v * v1 + shear * h1,
            along_v * m2 + across_v * v2 + shear * h2,
        )  # fmt: skip
    for v in prange(out.shape[0]):
        sum_corners(v, starts, corners, shares, out)
