"""Bending over the hinges between triangles: 1/2 C (angle - rest angle)^2.

Source: E. Grinspun et al., Discrete shells, SCA 2003; the angle's derivatives after R. Bridson, S. Marino,
R. Fedkiw, Simulation of clothing with folds and wrinkles, SCA 2003. The angle itself is used, so that
large folds keep their stiffness. The Hessian keeps the part that is positive (Gauss-Newton).
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..model.typed import Points, Vectors
from .blocks import add_block, add_square
from .cloth import Cloth
from .stiffness import Blocks, Pattern
from .sums import Gather, total


class Bending:
    """Energy term of all hinges of a cloth."""

    lagged = False

    def __init__(self, cloth: Cloth, pattern: Pattern | None = None) -> None:
        self._hinges = cloth.hinges
        self._places = None if pattern is None else pattern.places(cloth.hinges)
        self._stiffness = cloth.bend
        self._rest = cloth.rest_angles
        self._retardation = cloth.bend_retardation
        self._damped = bool(self._retardation.any())
        self._gather = Gather(cloth.hinges, cloth.count)
        count = len(cloth.hinges)
        self._slopes = np.zeros((count, 4, 3))
        self._energies = np.zeros(count)
        self._before = np.zeros(count)
        self._ratio = np.zeros(count)
        self._stiff = self._stiffness.copy()

    def begin(self, x: Points, step: float, share: float = 1.0) -> None:
        """Take the angles at the substep's start for a share of the damping over `step` s."""
        if self._damped:
            self._ratio = share * self._retardation / step
            self._stiff = self._stiffness * (1 + self._ratio)
            _angles(x, self._hinges, self._before)

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N, keep the linearisation, return the energy, J."""
        _linearise(
            x, self._hinges, self._stiffness, self._rest, self._before, self._ratio,
            self._slopes, self._gather.shares, self._energies,
        )  # fmt: skip
        self._gather.add_to(out)
        return total(self._energies)

    def energy(self, x: Points) -> float:
        """J, with the damping potential."""
        _energies(x, self._hinges, self._stiffness, self._rest, self._before, self._ratio, self._energies)
        return total(self._energies)

    def stored(self, x: Points) -> float:
        """J stored in bending, without damping."""
        out, still = np.empty(len(self._hinges)), np.zeros_like(self._ratio)
        _energies(x, self._hinges, self._stiffness, self._rest, self._before, still, out)
        return total(out)

    def stiffen(self, stiffness: Blocks) -> None:
        """Add the Hessian's positive part."""
        assert self._places is not None, "a term without a pattern has no place in a matrix"
        p = self._places
        _stiffen(
            self._stiff, self._slopes, p.starts, p.codes, p.own_starts, p.own, stiffness.blocks,
            stiffness.diagonal,
        )  # fmt: skip

    def product(self, p: Vectors, out: Vectors) -> None:
        """All of the Hessian lies in the matrix."""


@njit(cache=True)
def _normals(x, hinges, i):
    """Edge vector and both area normals of a hinge.

    x (n, 3) m; hinges (h, 4): the edge's two ends, then the two vertices opposite it.
    """
    a, b = np.uint32(hinges[i, 0]), np.uint32(hinges[i, 1])
    c, d = np.uint32(hinges[i, 2]), np.uint32(hinges[i, 3])
    e0, e1, e2 = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
    c0, c1, c2 = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
    d0, d1, d2 = x[d, 0] - x[a, 0], x[d, 1] - x[a, 1], x[d, 2] - x[a, 2]
    return (
        e0, e1, e2,
        e1 * c2 - e2 * c1, e2 * c0 - e0 * c2, e0 * c1 - e1 * c0,
        d1 * e2 - d2 * e1, d2 * e0 - d0 * e2, d0 * e1 - d1 * e0,
        c0 * e0 + c1 * e1 + c2 * e2, d0 * e0 + d1 * e1 + d2 * e2,
    )  # fmt: skip


@njit(cache=True)
def _angle(e0, e1, e2, n0, n1, n2, m0, m1, m2):
    """The turn from one normal to the other about the edge, rad."""
    length = np.sqrt(e0 * e0 + e1 * e1 + e2 * e2)
    sine = ((n1 * m2 - n2 * m1) * e0 + (n2 * m0 - n0 * m2) * e1 + (n0 * m1 - n1 * m0) * e2) / length
    return np.arctan2(sine, n0 * m0 + n1 * m1 + n2 * m2)


@njit(parallel=True, cache=True)
def _angles(x, hinges, out):
    """The dihedral angle of each hinge, into out (h,) rad."""
    for i in prange(hinges.shape[0]):
        e0, e1, e2, n0, n1, n2, m0, m1, m2, _, _ = _normals(x, hinges, i)
        out[i] = _angle(e0, e1, e2, n0, n1, n2, m0, m1, m2)


@njit(cache=True)
def _density(angle, stiffness, rest, before, ratio, i):
    """Energy of hinge i at an angle, J, with its damping potential; all arrays (h,)."""
    away, turned = _wrapped(angle - rest[i]), _wrapped(angle - before[i])
    return 0.5 * stiffness[i] * (away * away + ratio[i] * turned * turned)


@njit(cache=True)
def _wrapped(angle):
    """The same turn within half a circle either way."""
    if angle > np.pi:
        return angle - 2 * np.pi
    if angle < -np.pi:
        return angle + 2 * np.pi
    return angle


@njit(parallel=True, cache=True)
def _energies(x, hinges, stiffness, rest, before, ratio, out):
    """Energy of each hinge, into out (h,) J; arrays as in `_linearise`."""
    for i in prange(hinges.shape[0]):
        e0, e1, e2, n0, n1, n2, m0, m1, m2, _, _ = _normals(x, hinges, i)
        angle = _angle(e0, e1, e2, n0, n1, n2, m0, m1, m2)
        out[i] = _density(angle, stiffness, rest, before, ratio, i)


@njit(parallel=True, cache=True)
def _linearise(x, hinges, stiffness, rest, before, ratio, slopes, shares, energies):
    """Energies, gradients and what the Hessian's positive part needs.

    x (n, 3) m; hinges (h, 4); stiffness (h,) N m; rest, before (h,) rad; ratio (h,), retardation over step.
    Out: slopes (h, 4, 3) rad/m, of the angle by each vertex; shares (4 h, 3) N, of the gradient; energies (h,)
    J.
    """
    for i in prange(hinges.shape[0]):
        e0, e1, e2, n0, n1, n2, m0, m1, m2, ce, de = _normals(x, hinges, i)
        angle = _angle(e0, e1, e2, n0, n1, n2, m0, m1, m2)
        energies[i] = _density(angle, stiffness, rest, before, ratio, i)
        ee = e0 * e0 + e1 * e1 + e2 * e2
        length = np.sqrt(ee)
        left = 1.0 / max(n0 * n0 + n1 * n1 + n2 * n2, 1e-30)
        right = 1.0 / max(m0 * m0 + m1 * m1 + m2 * m2, 1e-30)
        n0, n1, n2 = n0 * left, n1 * left, n2 * left
        m0, m1, m2 = m0 * right, m1 * right, m2 * right
        ac, ad = (ee - ce) / length, (ee - de) / length
        bc, bd = ce / length, de / length
        s = slopes[i]
        s[0, 0], s[0, 1], s[0, 2] = ac * n0 + ad * m0, ac * n1 + ad * m1, ac * n2 + ad * m2
        s[1, 0], s[1, 1], s[1, 2] = bc * n0 + bd * m0, bc * n1 + bd * m1, bc * n2 + bd * m2
        s[2, 0], s[2, 1], s[2, 2] = -length * n0, -length * n1, -length * n2
        s[3, 0], s[3, 1], s[3, 2] = -length * m0, -length * m1, -length * m2
        moment = stiffness[i] * (_wrapped(angle - rest[i]) + ratio[i] * _wrapped(angle - before[i]))
        for k in range(4):
            for j in range(3):
                shares[4 * i + k, j] = moment * s[k, j]


@njit(parallel=True, cache=True)
def _stiffen(stiff, slopes, starts, codes, own_starts, own, blocks, diagonal):
    """Add the Hessian's positive part to blocks (b, 9) and diagonal (n, 6) of a `Stiffness`.

    stiff (h,) N m with damping; slopes (h, 4, 3) rad/m; starts, codes, own_starts and own as in `Places`.
    """
    for k in prange(blocks.shape[0]):
        m0, m1, m2, m3, m4, m5, m6, m7, m8 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
        for index in range(starts[k], starts[k + 1]):
            h = np.uint32(codes[index] >> 4)
            i, j, f = np.uint32((codes[index] >> 2) & 3), np.uint32(codes[index] & 3), stiff[h]
            a, b, c = f * slopes[h, i, 0], f * slopes[h, i, 1], f * slopes[h, i, 2]
            d, e, g = slopes[h, j, 0], slopes[h, j, 1], slopes[h, j, 2]
            m0 += a * d
            m1 += a * e
            m2 += a * g
            m3 += b * d
            m4 += b * e
            m5 += b * g
            m6 += c * d
            m7 += c * e
            m8 += c * g
        add_block(blocks, k, m0, m1, m2, m3, m4, m5, m6, m7, m8)
    for v in prange(diagonal.shape[0]):
        for index in range(own_starts[v], own_starts[v + 1]):
            h, i = np.uint32(own[index] >> 2), np.uint32(own[index] & 3)
            add_square(diagonal, v, stiff[h], slopes[h, i, 0], slopes[h, i, 1], slopes[h, i, 2])
