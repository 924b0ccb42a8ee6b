"""Pressure in a closed cloth: a given one, or the one that keeps a given volume.

A pressure p above that outside has the energy -p V, V the volume enclosed (the sum of x_a . (x_b x x_c) / 6
over triangles, by the divergence theorem). Kept volume has 1/2 s (V - V0)^2 / V0. The volume's own curvature
is left out of the Hessian: what it would add, the tension it raises in the cloth more than makes up for.
"""

from __future__ import annotations

import numpy as np

from ..geometry.volume import volume, volume_slope
from ..model.typed import Points, Scalars, Vectors
from .cloth import Cloth
from .forces import Inflation
from .gather import inner


class Pressure:
    """Energy term of what fills a closed cloth."""

    lagged = False

    def __init__(self, cloth: Cloth) -> None:
        self._triangles = cloth.triangles
        self._made = cloth.volume
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
        held = sign * volume_slope(x, self._triangles, self._slope)
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
