"""Sums that come out the same on any number of threads."""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..geometry.topology import incidence
from ..model.typed import Indices, Vectors


class Gather:
    """Adds corner shares (m * c, 3) of elements (m, c) into their vertices."""

    def __init__(self, elements: Indices, vertex_count: int) -> None:
        self.starts, self.corners = incidence(elements, vertex_count)
        self.shares = np.zeros((elements.size, 3))

    def add_to(self, out: Vectors) -> None:
        """Add every share to its vertex in out (n, 3)."""
        _gather(self.starts, self.corners, self.shares, out)


@njit(parallel=True, cache=True)
def _gather(starts, corners, shares, out):
    """Add up every vertex's corners, in order.

    corners (c,) of each vertex from starts (n + 1,); shares (c, 3); out (n, 3).
    """
    for v in prange(out.shape[0]):
        a, b, c = 0.0, 0.0, 0.0
        for i in range(np.uint32(starts[v]), np.uint32(starts[v + 1])):
            corner = np.uint32(corners[i])
            a += shares[corner, 0]
            b += shares[corner, 1]
            c += shares[corner, 2]
        out[v, 0] += a
        out[v, 1] += b
        out[v, 2] += c


@njit(cache=True)
def total(values):
    """Sum of a vector, in order."""
    result = 0.0
    for i in range(values.shape[0]):
        result += values[i]
    return result


@njit(cache=True)
def inner(a, b):
    """Inner product of two (n, 3) arrays, in order: the same bits whatever their alignment."""
    result = 0.0
    for i in range(a.shape[0]):
        result += a[i, 0] * b[i, 0] + a[i, 1] * b[i, 1] + a[i, 2] * b[i, 2]
    return result


@njit(cache=True)
def largest(a):
    """Largest length among the rows of an (n, 3) array."""
    result = 0.0
    for i in range(a.shape[0]):
        result = max(result, a[i, 0] * a[i, 0] + a[i, 1] * a[i, 1] + a[i, 2] * a[i, 2])
    return np.sqrt(result)
