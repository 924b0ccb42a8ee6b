"""Flat fans: vertices whose triangles all face nearly one way, so that none of them can touch another.

The cull of nearly flat patches in cloth self-collision: P. Volino and N. Magnenat-Thalmann, Efficient
self-collision detection on smoothly discretized surface animations, 1994; here for one vertex at a time, where
its condition on the outline holds by itself.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..geometry.normals import vertex_normals
from ..model.typed import Flags, Points, Triangles

WITHIN = 0.5  # cosine of the furthest that a triangle of a flat fan leans from the mean


class Fans:
    """The fans of a cloth of `count` vertices and triangles (m, 3)."""

    def __init__(self, triangles: Triangles, count: int) -> None:
        self._triangles = triangles
        self._count = count

    def flat(self, start: Points, end: Points) -> Flags:
        """(n,) vertices whose fans are flat at both ends of a substep."""
        out = np.ones(self._count, np.bool_)
        for points in (start, end):
            mean = vertex_normals(points[: self._count], self._triangles)
            _strike_out(points, self._triangles, mean, WITHIN, out)
        return out


@njit(cache=True)
def _strike_out(points, triangles, mean, within, out):
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        e0, e1, e2 = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        f0, f1, f2 = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        n0, n1, n2 = e1 * f2 - e2 * f1, e2 * f0 - e0 * f2, e0 * f1 - e1 * f0
        least = within * np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
        for k in range(3):
            v = triangles[t, k]
            if n0 * mean[v, 0] + n1 * mean[v, 1] + n2 * mean[v, 2] < least:
                out[v] = False
