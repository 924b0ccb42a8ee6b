"""Inertia, and calm: a brake on what a vertex does beyond its neighbourhood."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from scipy import sparse

from ..model.typed import Points, Scalars, Vectors
from .cloth import Cloth
from .factor import SideBySide, factorised
from .linear import rest_operator
from .state import ClothState
from .stiffness import Blocks
from .sums import inner

BRAKE = 1500.0  # 1/s, the fastest a wave dies away at a calm of 1
VISCOSITY = 2.5  # m2/s at a calm of 1: what lies within sqrt(VISCOSITY / BRAKE), 4 cm, is one neighbourhood


@dataclass(frozen=True, eq=False)
class Timing:
    """One substep of `step` s: velocity = (x - base) / reach, acceleration = (v - base_velocity) / reach.

    base (n, 3) m; base_velocity (n, 3) m/s; reach s, the factor of the implicit end.
    """

    step: float
    reach: float
    base: Points
    base_velocity: Vectors

    def velocity(self, positions: Points) -> Vectors:
        """Velocities (n, 3) m/s that belong to end positions (n, 3) m."""
        return (positions - self.base) / self.reach


def timing(state: ClothState, step: float) -> Timing:
    """The backward difference over one substep of `step` s, with whatever history there is."""
    if state.last_step == 0.0:
        return Timing(step, step, state.positions, state.velocities)
    ratio = step / state.last_step
    now = (1 + ratio) ** 2 / (1 + 2 * ratio)
    before = ratio**2 / (1 + 2 * ratio)
    return Timing(
        step,
        step * (1 + ratio) / (1 + 2 * ratio),
        now * state.positions - before * state.positions_before,
        now * state.velocities - before * state.velocities_before,
    )


class Inertia:
    """Energy term: 1/2 m/r^2 |x - y|^2, y being free flight under gravity."""

    lagged = False

    def __init__(self, mass: Scalars, time: Timing, gravity: Vectors) -> None:
        self.target = time.base + time.reach * (time.base_velocity + time.reach * gravity)
        self.weight = mass / time.reach**2

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N and return the energy, J."""
        return _pull_back(x, self.target, self.weight, out)

    def energy(self, x: Points) -> float:
        """J."""
        return _pull_back(x, self.target, self.weight, np.zeros_like(x))

    def stiffen(self, stiffness: Blocks) -> None:
        """Add the Hessian."""
        stiffness.diagonal[:, :3] += self.weight[:, None]

    def product(self, p: Vectors, out: Vectors) -> None:
        """All of the Hessian lies in the matrix."""


@njit(cache=True)
def _pull_back(x, target, weight, out):
    """Energy, J, and its gradient, added to out (n, 3) N.

    x, target (n, 3) m; weight (n,) N/m, mass over step squared.
    """
    energy = 0.0
    for v in range(x.shape[0]):
        for k in range(3):
            away = x[v, k] - target[v, k]
            energy += 0.5 * weight[v] * away * away
            out[v, k] += weight[v] * away
    return energy


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
        braked = viscous + sparse.diags(np.maximum(self._brake, 1e-12 * cloth.mass))
        self._smooth = SideBySide([(slice(0, cloth.count), factorised(braked))], [])
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

    def stiffen(self, stiffness: Blocks) -> None:
        """Add what holds each vertex beside its neighbours."""
        stiffness.diagonal[:, :3] += (self._own / self._reach)[:, None]

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the rest of the Hessian's product with p (n, 3)."""
        out += self._beyond(p) - (self._own / self._reach)[:, None] * p

    def _beyond(self, away: Vectors) -> Vectors:
        """The brake on what `away` (n, 3) m is beyond its neighbourhood, N."""
        smoothed = self._smooth.three(np.ascontiguousarray(self._brake[:, None] * away))
        return (self._brake / self._reach)[:, None] * (away - smoothed)
