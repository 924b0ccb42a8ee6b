"""Pressure in a closed cloth: a given one, or the one that keeps a given volume.

A pressure p above that outside has the energy -p V, V the volume enclosed (the sum of x_a . (x_b x x_c) / 6
over triangles, by the divergence theorem). Kept volume has 1/2 s (V - V0)^2 / V0. The volume's own curvature
is left out of the Hessian: what it would add, the tension it raises in the cloth more than makes up for.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..model.typed import Points, Scalars, Triangles, Vectors
from .cloth import Cloth
from .forces import Inflation
from .gather import inner


class Pressure:
    """Energy term of what fills a closed cloth."""

    lagged = False

    def __init__(self, cloth: Cloth) -> None:
        self._triangles = cloth.triangles
        self._made = volume(cloth.rest_points, cloth.triangles)
        self._slope = np.zeros((cloth.count, 3))
        self._inflation = Inflation(False, 0.0, 0.0)

    def begin(self, inflation: Inflation) -> None:
        """Take what fills it during one substep."""
        self._inflation = inflation

    def _wanted(self) -> float:
        return self._inflation.amount * abs(self._made)

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N and return the energy, J."""
        self._slope[:] = 0.0
        sign = 1.0 if self._made >= 0 else -1.0
        held = sign * _volume_slope(x, self._triangles, self._slope)
        self._slope *= sign
        out -= self._pressure(held) * self._slope
        return self._energy(held)

    def energy(self, x: Points) -> float:
        """J."""
        return self._energy(abs(volume(x, self._triangles)))

    def _pressure(self, held: float) -> float:
        if not self._inflation.by_volume:
            return self._inflation.amount
        wanted = self._wanted()
        return self._inflation.stiffness * (wanted - held) / max(wanted, 1e-300)

    def _energy(self, held: float) -> float:
        if not self._inflation.by_volume:
            return -self._inflation.amount * held
        wanted = self._wanted()
        return 0.5 * self._inflation.stiffness * (held - wanted) ** 2 / max(wanted, 1e-300)

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the Hessian's product with p (n, 3)."""
        if self._inflation.by_volume:
            strength = self._inflation.stiffness / max(self._wanted(), 1e-300)
            out += strength * inner(self._slope, p) * self._slope

    def stiffness_along(self, directions: Vectors, out: Scalars) -> None:
        """Add each vertex's own stiffness along its direction (n, 3) to out (n,) N/m."""
        if self._inflation.by_volume:
            strength = self._inflation.stiffness / max(self._wanted(), 1e-300)
            out += strength * np.einsum("ij,ij->i", directions, self._slope) ** 2


def volume(points: Points, triangles: Triangles) -> float:
    """Enclosed volume, m3, positive where normals point outwards; of an open mesh, a number without meaning."""
    return float(_volume_slope(points, triangles, np.zeros_like(points)))


@njit(cache=True)
def _volume_slope(x, triangles, slope):
    o0, o1, o2 = x[0, 0], x[0, 1], x[0, 2]
    total = 0.0
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        a0, a1, a2 = x[a, 0] - o0, x[a, 1] - o1, x[a, 2] - o2
        b0, b1, b2 = x[b, 0] - o0, x[b, 1] - o1, x[b, 2] - o2
        c0, c1, c2 = x[c, 0] - o0, x[c, 1] - o1, x[c, 2] - o2
        n0, n1, n2 = b1 * c2 - b2 * c1, b2 * c0 - b0 * c2, b0 * c1 - b1 * c0
        total += (a0 * n0 + a1 * n1 + a2 * n2) / 6.0
        slope[a, 0] += n0 / 6.0
        slope[a, 1] += n1 / 6.0
        slope[a, 2] += n2 / 6.0
        slope[b, 0] += (c1 * a2 - c2 * a1) / 6.0
        slope[b, 1] += (c2 * a0 - c0 * a2) / 6.0
        slope[b, 2] += (c0 * a1 - c1 * a0) / 6.0
        slope[c, 0] += (a1 * b2 - a2 * b1) / 6.0
        slope[c, 1] += (a2 * b0 - a0 * b2) / 6.0
        slope[c, 2] += (a0 * b1 - a1 * b0) / 6.0
    return total
