"""Calm: a viscosity between neighbours, in a frame that turns with what the cloth is fastened to.

Let u be the cloth's velocity less the turning of its fastening. Calm takes energy at the rate of nu times
mass times |grad u|^2: a wave of length L dies away at nu (2 pi / L)^2 per second. Waves on hung cloth run the
faster the longer they are, so fine and quick motion goes first and the swing of the whole garment last. Cloth
that falls or is carried along as a whole has no gradient and does not float; cloth at rest hangs as it would.

The viscosity is that of a Newtonian fluid with all velocity gradients damped alike (the Laplacian form, H.
Lamb, Hydrodynamics, 1932, art. 328); the rule itself is ours.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..model.typed import Points, Scalars, Vectors
from .cloth import Cloth
from .gather import Gather, sum_corners, total
from .inertia import Timing
from .membrane import images, spread

MOST = 1.5  # m2/s, the viscosity at a calm of 1


class Calm:
    """Energy term 1/2 k (|X_u - U|^2 + |X_v - V|^2): X_u and X_v images of weft and warp at the substep's
    end, U and V where they would be if the cloth only turned with its fastening, k = viscosity times mass
    over the reach.
    """

    lagged = False

    def __init__(self, cloth: Cloth, calm: float) -> None:
        order = np.argsort(cloth.triangles.min(axis=1), kind="stable")
        self._triangles = np.ascontiguousarray(cloth.triangles[order])
        self._rest = np.ascontiguousarray(cloth.rest_inverse[order])
        mass = (cloth.mass / cloth.vertex_areas)[self._triangles].mean(axis=1) * cloth.areas[order]
        self._viscosity = MOST * calm * mass * cloth.calm[self._triangles].mean(axis=1)
        self._stiffness = self._viscosity
        self._gather = Gather(self._triangles, cloth.count)
        self._carried = np.zeros((cloth.count, 3))
        self._energies = np.zeros(len(order))

    def begin(self, time: Timing, spin: Vectors | None) -> None:
        """Take where the cloth would go if it only turned with its fastening at `spin` (3,) rad/s."""
        self._stiffness = self._viscosity / time.reach
        turned = 0.0 if spin is None else time.reach * np.cross(spin, time.base)
        self._carried = time.base + turned

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N and return the energy, J."""
        gather = self._gather
        _slow(
            x - self._carried, self._triangles, self._rest, self._stiffness, gather.shares, gather.starts,
            gather.corners, self._energies, out,
        )  # fmt: skip
        return total(self._energies)

    def energy(self, x: Points) -> float:
        """J."""
        return self.gradient(x, np.zeros_like(x))

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the Hessian's product with p (n, 3)."""
        gather = self._gather
        _slow(
            p, self._triangles, self._rest, self._stiffness, gather.shares, gather.starts, gather.corners,
            self._energies, out,
        )  # fmt: skip

    def stiffness_along(self, directions: Vectors, out: Scalars) -> None:
        """Add each vertex's own stiffness along its unit direction (n, 3) to out (n,) N/m."""
        p, q, r, s = self._rest.T
        own = self._stiffness[:, None] * np.stack([(p + r) ** 2 + (q + s) ** 2, p**2 + q**2, r**2 + s**2], 1)
        shares = np.zeros(len(out))
        self._gather.add_scalars_to(np.ascontiguousarray(own.ravel()), shares)
        out += shares * np.einsum("ij,ij->i", directions, directions)


@njit(parallel=True, cache=True)
def _slow(away, triangles, rest, stiffness, shares, starts, corners, energies, out):
    for t in prange(triangles.shape[0]):
        u0, u1, u2, v0, v1, v2 = images(away, triangles, rest, t)
        k = stiffness[t]
        energies[t] = 0.5 * k * (u0 * u0 + u1 * u1 + u2 * u2 + v0 * v0 + v1 * v1 + v2 * v2)
        spread(shares, rest, t, k * u0, k * u1, k * u2, k * v0, k * v1, k * v2)
    for v in prange(out.shape[0]):
        sum_corners(v, starts, corners, shares, out)
