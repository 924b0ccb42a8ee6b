"""The air's velocity: winds with keys, and eddies as a fixed function of place and time.

Eddies are a sum of waves, each square to its own direction so that no air is made or lost, after R. H.
Kraichnan, Diffusion by a random velocity field, Phys. Fluids 13 (1970); their strengths fall with wavelength
as in A. N. Kolmogorov's spectrum (1941); they are carried along with the wind as if frozen in it (G. I.
Taylor, The spectrum of turbulence, 1938), at the greatest strength the wind ever has.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ..model.typed import Points, Scalars, Vectors
from ..model.wind import Wind
from .curves import value_at

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
