"""The air: the wind's velocity, its force on cloth, and the pressure within closed cloth."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numba import njit, prange

from ..geometry.closed import volume, volume_slope
from ..geometry.curves import value_at
from ..geometry.topology import incidence
from ..model.shot import Wind
from ..model.typed import Indices, Points, Scalars, Triangles, Vectors
from .cloth import Cloth
from .inertia import Timing
from .state import Forces, Inflation
from .stiffness import Blocks
from .sums import inner

WAVES = 24
FINEST = 6.0  # the longest wave over the shortest
GOLDEN = (np.sqrt(5) - 1) / 2


def air_velocity(winds: Sequence[Wind], points: Points, frame: float, frame_rate: float) -> Vectors:
    """Velocity (n, 3) m/s of the air at points (n, 3) m; zero without winds."""
    out = np.zeros((len(points), 3))
    for wind in winds:
        strength = value_at(wind.strength, frame)
        out += strength * direction(value_at(wind.heading, frame), value_at(wind.rise, frame))
        if wind.turbulence > 0 and strength > 0:
            out += strength * wind.turbulence * _eddies(wind, points, frame / frame_rate)
    return out


def direction(heading: float | Scalars, rise: float | Scalars) -> Vectors:
    """Unit vector (3,) of a heading and a rise in degrees, or (k, 3) of k."""
    h, r = np.radians(heading), np.radians(rise)
    return np.stack([np.cos(r) * np.cos(h), np.sin(r), np.cos(r) * np.sin(h)], axis=-1)


def _eddies(wind: Wind, points: Points, seconds: float) -> Vectors:
    """(n, 3), with a root mean square of about 1 along each axis."""
    waves, amplitude, phase = _waves(wind)
    middle = float(wind.heading.values.mean()), float(wind.rise.values.mean())
    carried = points - seconds * float(wind.strength.values.max()) * direction(*middle)
    return np.cos(carried @ waves.T + phase) @ amplitude


def _waves(wind: Wind) -> tuple[Vectors, Vectors, np.ndarray]:
    """Wave vectors (w, 3) 1/m, amplitudes (w, 3) square to them, phases (w,). No random numbers: golden
    steps.
    """
    index = np.arange(WAVES) + 0.5
    turn = 2 * np.pi * ((index * GOLDEN + 0.61 * wind.seed) % 1)
    height = 1 - 2 * ((index * 0.7548776662 + 0.37 * wind.seed) % 1)
    level = np.sqrt(1 - height**2)
    unit = np.column_stack([level * np.cos(turn), height, level * np.sin(turn)])
    length = wind.eddy / FINEST ** ((index * 0.5698402910 + 0.23 * wind.seed) % 1)
    # Energy per wave number falls with k to the -5/3; waves are spaced evenly in log k.
    strength = (length / wind.eddy) ** (1 / 3)
    aside = np.cross(unit, np.roll(unit, 7, axis=0) + [0.3, 0.5, 0.7])
    aside /= np.linalg.norm(aside, axis=1, keepdims=True)
    amplitude = strength[:, None] * aside
    amplitude *= np.sqrt(6.0 / float((amplitude**2).sum()))
    phase = 2 * np.pi * ((index * 0.8191725134 + 0.91 * wind.seed) % 1)
    return unit * (2 * np.pi / length)[:, None], np.asarray(amplitude, float), phase


class AirFlow:
    """What stays the same about a cloth in the air."""

    def __init__(self, cloth: Cloth) -> None:
        self._triangles: Triangles = cloth.triangles
        self._corners: tuple[Indices, Indices] = incidence(cloth.triangles, cloth.count)
        self._share: Scalars = cloth.air
        self._across, self._along = cloth.fabric.air_across, cloth.fabric.air_along
        self._matrix = np.zeros((cloth.count, 6))
        self._carried = np.zeros((cloth.count, 3))

    def is_felt(self, forces: Forces) -> bool:
        """Whether there is any air at all."""
        across, along = self._pressing(forces)
        return across > 0 or along > 0 or forces.air_drag > 0

    def _pressing(self, forces: Forces) -> tuple[float, float]:
        """1/2 d c_n and 1/2 d c_t, kg/m3."""
        return 0.5 * forces.air_density * self._across, 0.5 * forces.air_density * self._along

    def around(self, x: Points, v: Vectors, wind: Vectors | None, time: Timing, forces: Forces) -> Air:
        """The term of one substep that starts at x (n, 3) m with v (n, 3) m/s in a wind (n, 3) m/s, if any."""
        air = np.zeros_like(x) if wind is None else wind
        across, along = self._pressing(forces)
        _meet(
            x, v, air, self._triangles, *self._corners, self._share, across, along,
            forces.air_drag, forces.shelter, self._matrix, self._carried,
        )  # fmt: skip
        return Air(self._matrix, self._carried, time)


class Air:
    """Energy term 1/2 r v.K v - r v.b of the velocity v at the substep's end; its force is b - K v.

    matrix (n, 6) kg/s, K of each vertex as xx, yy, zz, xy, xz, yz; carried (n, 3) N, b.
    """

    lagged = False

    def __init__(self, matrix: Vectors, carried: Vectors, time: Timing) -> None:
        self._matrix, self._carried, self._time = matrix, carried, time

    def gradient(self, x: Points, out: Vectors) -> float:
        """Add the gradient to out (n, 3) N and return the energy, J, up to a constant."""
        return _resist(x, self._time.base, self._time.reach, self._matrix, self._carried, out)

    def energy(self, x: Points) -> float:
        """J, up to a constant."""
        return _resist(x, self._time.base, self._time.reach, self._matrix, self._carried, np.zeros_like(x))

    def stiffen(self, stiffness: Blocks) -> None:
        """Add the Hessian."""
        stiffness.diagonal[:] += (1 / self._time.reach) * self._matrix

    def product(self, p: Vectors, out: Vectors) -> None:
        """All of the Hessian lies in the matrix."""


@njit(parallel=True, cache=True)
def _meet(
    x, v, air, triangles, starts, corners, share, across, along, viscous, shelter, matrix, carried
):  # fmt: skip
    """Each corner of a triangle carries a third of it, at its own speed.

    x (n, 3) m; v, air (n, 3) m/s; triangles (m, 3); corners (3 m,) about each vertex from starts (n + 1,);
    share (n,); matrix (n, 6) kg/s as in `Air`; carried (n, 3) N.
    """
    for i in prange(x.shape[0]):
        for k in range(6):
            matrix[i, k] = 0.0
        b0, b1, b2 = 0.0, 0.0, 0.0
        for index in range(starts[i], starts[i + 1]):
            t = corners[index] // 3
            a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            e0, e1, e2 = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
            f0, f1, f2 = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
            n0, n1, n2 = e1 * f2 - e2 * f1, e2 * f0 - e0 * f2, e0 * f1 - e1 * f0
            double = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
            if double == 0.0:
                continue
            n0, n1, n2 = n0 / double, n1 / double, n2 / double
            third = share[i] * double / 6.0
            u0, u1, u2 = air[i, 0], air[i, 1], air[i, 2]
            if u0 * n0 + u1 * n1 + u2 * n2 > 0.0:
                u0, u1, u2 = u0 * (1 - shelter), u1 * (1 - shelter), u2 * (1 - shelter)
            w0, w1, w2 = u0 - v[i, 0], u1 - v[i, 1], u2 - v[i, 2]
            speed = np.sqrt(w0 * w0 + w1 * w1 + w2 * w2)
            even = third * (along * speed + viscous)
            square = third * (across - along) * speed
            out = square * (u0 * n0 + u1 * n1 + u2 * n2)
            b0 += even * u0 + out * n0
            b1 += even * u1 + out * n1
            b2 += even * u2 + out * n2
            matrix[i, 0] += even + square * n0 * n0
            matrix[i, 1] += even + square * n1 * n1
            matrix[i, 2] += even + square * n2 * n2
            matrix[i, 3] += square * n0 * n1
            matrix[i, 4] += square * n0 * n2
            matrix[i, 5] += square * n1 * n2
        carried[i, 0], carried[i, 1], carried[i, 2] = b0, b1, b2


@njit(cache=True)
def _times(matrix, i, a, b, c):
    """A symmetric matrix, kept as xx, yy, zz, xy, xz, yz in row i of matrix (n, 6), times (a, b, c)."""
    return (
        matrix[i, 0] * a + matrix[i, 3] * b + matrix[i, 4] * c,
        matrix[i, 3] * a + matrix[i, 1] * b + matrix[i, 5] * c,
        matrix[i, 4] * a + matrix[i, 5] * b + matrix[i, 2] * c,
    )


@njit(cache=True)
def _resist(x, base, reach, matrix, carried, out):
    """Energy, J, and its gradient, added to out (n, 3) N.

    x, base (n, 3) m; reach s; matrix (n, 6) kg/s; carried (n, 3) N.
    """
    energy = 0.0
    for i in range(x.shape[0]):
        v0, v1, v2 = (
            (x[i, 0] - base[i, 0]) / reach,
            (x[i, 1] - base[i, 1]) / reach,
            (x[i, 2] - base[i, 2]) / reach,
        )
        f0, f1, f2 = _times(matrix, i, v0, v1, v2)
        energy += reach * (
            v0 * (0.5 * f0 - carried[i, 0]) + v1 * (0.5 * f1 - carried[i, 1]) + v2 * (0.5 * f2 - carried[i, 2])
        )
        out[i, 0] += f0 - carried[i, 0]
        out[i, 1] += f1 - carried[i, 1]
        out[i, 2] += f2 - carried[i, 2]
    return energy


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

    def stiffen(self, stiffness: Blocks) -> None:
        """Add what holds each vertex beside the others."""
        strength, slope = self._strength(), self._slope
        stiffness.diagonal[:, :3] += strength * slope**2
        for column, (a, b) in enumerate(((0, 1), (0, 2), (1, 2))):
            stiffness.diagonal[:, 3 + column] += strength * slope[:, a] * slope[:, b]

    def product(self, p: Vectors, out: Vectors) -> None:
        """Add the rest of the Hessian's product with p (n, 3)."""
        strength, slope = self._strength(), self._slope
        out += strength * (inner(slope, p) - np.einsum("ij,ij->i", slope, p))[:, None] * slope

    def _strength(self) -> float:
        """N/m5 by which it resists a change of volume."""
        return self._inflation.stiffness / max(self._wanted(), 1e-300) if self._inflation.by_volume else 0.0
