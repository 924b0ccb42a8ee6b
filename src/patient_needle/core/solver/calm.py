"""Calm: a brake on what a vertex does beyond its neighbourhood, in a frame that turns with the fastening.

Let u be the cloth's velocity less the turning of its fastening, and w that velocity smoothed over the cloth, so
that BRAKE m (w - u) = VISCOSITY m Laplace w. Calm takes energy at the rate of calm times
BRAKE m |u - w|^2 + VISCOSITY m |grad w|^2, which is the least there can be over all w. A wave of length L dies
away at the rate of calm / (1 / BRAKE + (L / 2 pi)^2 / VISCOSITY): long waves, the swing of the whole garment,
like a viscous sheet and so hardly; small and quick ones at nearly BRAKE; and none faster, so that slow
settling into folds is not drawn out for minutes. Cloth that falls or is carried along as a whole is its own
neighbourhood and does not float; cloth at rest hangs as it would.

Smoothing by a screened Poisson equation is common (P. Bhat et al., Fourier analysis of the 2D screened Poisson
equation, ECCV 2008); the rule itself is ours.
"""

from __future__ import annotations

import numpy as np
from scipy import sparse

from ..model.typed import Points, Scalars, Vectors
from .cloth import Cloth
from .gather import inner
from .inertia import Timing
from .operators import factorised, rest_operator

BRAKE = 1500.0  # 1/s, the fastest a wave dies away at a calm of 1
VISCOSITY = 2.5  # m2/s at a calm of 1: what lies within sqrt(VISCOSITY / BRAKE), 4 cm, is one neighbourhood


class Calm:
    """Energy term 1/2 (x - X) K (x - X): X where the cloth would be if it only turned with its fastening, K the
    rate of damping over the reach.
    """

    lagged = False

    def __init__(self, cloth: Cloth, calm: float) -> None:
        self._brake = BRAKE * calm * cloth.mass * cloth.calm
        mass = (cloth.mass / cloth.vertex_areas)[cloth.triangles].mean(axis=1) * cloth.areas
        viscosity = VISCOSITY * calm * mass * cloth.calm[cloth.triangles].mean(axis=1)
        viscous = rest_operator(cloth, viscosity, viscosity)
        self._smooth = factorised(viscous + sparse.diags(np.maximum(self._brake, 1e-12 * cloth.mass)))
        own = viscous.diagonal()
        self._own = self._brake * own / np.maximum(self._brake + own, 1e-300)
        self._carried = np.zeros((cloth.count, 3))
        self._reach = 1.0

    def begin(self, time: Timing, spin: Vectors | None, share: float = 1.0) -> None:
        """Take where the cloth would go if it only turned with its fastening at `spin` (3,) rad/s; `share` of
        calm counts, above 0.
        """
        self._reach = time.reach / share
        turned = 0.0 if spin is None else time.reach * np.cross(spin, time.base)
        self._carried = time.base + turned

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N and return the energy, J."""
        away = x - self._carried
        force = self._beyond(away)
        out += force
        return 0.5 * inner(away, force)

    def energy(self, x: Points) -> float:
        """J."""
        away = x - self._carried
        return 0.5 * inner(away, self._beyond(away))

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the Hessian's product with p (n, 3)."""
        out += self._beyond(p)

    def stiffness_along(self, directions: Vectors, out: Scalars) -> None:
        """Add each vertex's own stiffness along its unit direction (n, 3) to out (n,) N/m."""
        out += self._own / self._reach * np.einsum("ij,ij->i", directions, directions)

    def _beyond(self, away: Vectors) -> Vectors:
        """The brake on what `away` (n, 3) m is beyond its neighbourhood, N."""
        smoothed = np.zeros_like(away)
        self._smooth.solve(np.ascontiguousarray(self._brake[:, None] * away), smoothed)
        return (self._brake / self._reach)[:, None] * (away - smoothed)
