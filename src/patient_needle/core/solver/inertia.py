"""Inertia, as a quadratic term about where the cloth would go by itself.

Time integration is the second-order backward difference (C. F. Curtiss and J. O. Hirschfelder, 1952; for
steps of unequal length E. Hairer, S. Norsett, G. Wanner, Solving ODEs I, III.5); the first step after a
start is backward Euler.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..model.typed import Points, Scalars, Vectors
from .state import ClothState


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

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the Hessian's product with p (n, 3)."""
        _weigh(p, self.weight, out)

    def stiffness_along(self, directions: Vectors, out: Scalars) -> None:  # noqa: ARG002
        """Add each vertex's own stiffness along its unit direction (n, 3) to out (n,) N/m."""
        out += self.weight


@njit(cache=True)
def _pull_back(x, target, weight, out):
    energy = 0.0
    for v in range(x.shape[0]):
        for k in range(3):
            away = x[v, k] - target[v, k]
            energy += 0.5 * weight[v] * away * away
            out[v, k] += weight[v] * away
    return energy


@njit(cache=True)
def _weigh(p, weight, out):
    for v in range(p.shape[0]):
        for k in range(3):
            out[v, k] += weight[v] * p[v, k]
