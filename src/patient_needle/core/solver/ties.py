"""What holds single vertices together that no mesh joins: contact and friction between cloth, and links."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..model.typed import Scalars, Vectors
from .blocks import add_block, add_square

Indices = NDArray[np.int64]


class Ties(NamedTuple):
    """t stiffnesses of an offset d = sum of weights * x[vertices], of up to four vertices each.

    vertices (t, 4) int64, -1 for none; weights (t, 4); along (t,) N/m, against d along the unit normal (t, 3);
    across (t,) N/m, against d across it.
    """

    vertices: Indices
    weights: Vectors
    normal: Vectors
    along: Scalars
    across: Scalars

    def add_own(self, diagonal: Vectors) -> None:
        """Add each vertex's own block to diagonal (n, 6) N/m."""
        _own(self, diagonal)

    def add_product(self, p: Vectors, out: Vectors) -> None:
        """Add the product of all but the own blocks with p (n, 3) to out (n, 3)."""
        _product(self, p, out)

    def between(self) -> tuple[Indices, Vectors]:
        """The blocks (c, 9) N/m off the diagonal: of the first of two vertices (c, 2) by the second."""
        return _between(self)  # type: ignore[no-any-return]


@njit(cache=True)
def _own(ties, diagonal):
    for t in range(len(ties.along)):
        for k in range(4):
            v = ties.vertices[t, k]
            if v >= 0:
                square = ties.weights[t, k] ** 2
                for m in range(3):
                    diagonal[v, m] += square * ties.across[t]
                force = square * (ties.along[t] - ties.across[t])
                add_square(diagonal, v, force, ties.normal[t, 0], ties.normal[t, 1], ties.normal[t, 2])


@njit(cache=True)
def _product(ties, p, out):
    for t in range(len(ties.along)):
        n0, n1, n2 = ties.normal[t, 0], ties.normal[t, 1], ties.normal[t, 2]
        a, b, c = 0.0, 0.0, 0.0
        for k in range(4):
            v, w = ties.vertices[t, k], ties.weights[t, k]
            if v >= 0:
                a += w * p[v, 0]
                b += w * p[v, 1]
                c += w * p[v, 2]
        for k in range(4):
            v, w = ties.vertices[t, k], ties.weights[t, k]
            if v >= 0:
                e, f, g = a - w * p[v, 0], b - w * p[v, 1], c - w * p[v, 2]
                beyond = (ties.along[t] - ties.across[t]) * (e * n0 + f * n1 + g * n2)
                out[v, 0] += w * (ties.across[t] * e + beyond * n0)
                out[v, 1] += w * (ties.across[t] * f + beyond * n1)
                out[v, 2] += w * (ties.across[t] * g + beyond * n2)


@njit(cache=True)
def _between(ties):
    count = len(ties.along)
    ends, blocks, used = np.empty((6 * count, 2), np.int64), np.zeros((6 * count, 9)), 0
    for t in range(count):
        n0, n1, n2 = ties.normal[t, 0], ties.normal[t, 1], ties.normal[t, 2]
        for k in range(4):
            for m in range(k + 1, 4):
                v, w = ties.vertices[t, k], ties.vertices[t, m]
                share = ties.weights[t, k] * ties.weights[t, m]
                if v < 0 or w < 0 or share == 0.0:
                    continue
                ends[used] = v, w
                d, s = share * ties.across[t], share * (ties.along[t] - ties.across[t])
                add_block(
                    blocks, used, d + s * n0 * n0, s * n0 * n1, s * n0 * n2, s * n1 * n0, d + s * n1 * n1,
                    s * n1 * n2, s * n2 * n0, s * n2 * n1, d + s * n2 * n2,
                )  # fmt: skip
                used += 1
    return ends[:used], blocks[:used]
