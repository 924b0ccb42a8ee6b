"""Swing, free fall and friction against closed forms."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.special import jn_zeros

from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.tolerances import FINAL
from patient_needle.core.solver.diagnostics import FrameTally
from patient_needle.core.solver.state import Forces
from patient_needle.core.solver.step import Engine, Surround

from ..sheets import box, cloth_of, free_engine, halved_squares, run_free, sheet, still, surroundings

GRAVITY = 9.81


def test_free_fall():
    """A wholly free patch falls by g t^2 / 2 (Galilei; closed form), air off, within 0.1 %."""
    points, triangles = sheet(0.2, 0.2, 0.03)
    cloth = cloth_of(points, triangles, Fabric("free"))
    state = run_free(free_engine(cloth, FINAL), still(cloth), 0.5, 1 / 480)
    mass = cloth.mass / cloth.mass.sum()
    fallen = mass @ (cloth.placed - state.positions)[:, 1]
    assert fallen == pytest.approx(GRAVITY * 0.5**2 / 2, rel=1e-3)


def test_first_swing_mode():
    """A hanging strip swings with T = 4 pi / z1 sqrt(L / g) = 5.226 sqrt(L / g), z1 the first zero of J0
    (D. Bernoulli 1738; the hanging chain), small angle, air off, 1 %.
    """
    length, spacing = 0.6, 0.02
    points, triangles = halved_squares(0.06, length, spacing)
    hung = points - [0, length, 0]
    held = hung[:, 1] > -1e-9
    fabric = Fabric(
        "strip",
        stretch_warp=2e4,
        stretch_weft=2e4,
        shear=2e3,
        bend_warp=1e-8,
        bend_weft=1e-8,
        areal_density=0.2,
    )
    cloth = cloth_of(hung, triangles, fabric, held)
    period = 4 * np.pi / jn_zeros(0, 1)[0] * np.sqrt(length / GRAVITY)
    assert period == pytest.approx(5.226 * np.sqrt(length / GRAVITY), rel=1e-3)
    z1 = jn_zeros(0, 1)[0]
    from scipy.special import j0

    shape = j0(z1 * np.sqrt(np.clip((length + hung[:, 1]) / length, 0, 1)))
    start = hung + np.outer(0.012 * shape, [0, 0, 1])
    heights, times = [], []

    def watch(time, state):
        times.append(time)
        heights.append(state.positions[hung[:, 1] < -length + 1e-9, 2].mean())

    run_free(free_engine(cloth, FINAL), still(cloth, start), 2.3 * period, period / 240, watch)
    heights, times = np.array(heights), np.array(times)
    turn = np.flatnonzero((heights[:-1] > 0) & (heights[1:] <= 0))
    share = heights[turn] / (heights[turn] - heights[turn + 1])
    crossings = times[turn] + share * (times[1] - times[0])
    assert np.diff(crossings)[0] == pytest.approx(period, rel=0.01)


def slide(mu: float, degrees: float, seconds: float, step: float = 1 / 96):
    """Along-slope path of a patch laid on an incline: (times, distances of its mean, m).

    The slope is level and gravity leans, which is the same thing.
    """
    points, triangles = sheet(0.12, 0.12, 0.03)
    gap = 2e-3
    lying = points[:, [0, 2, 1]] * [1, 1, -1] + [0, gap - 2e-5, 0]
    fabric = Fabric("patch", areal_density=0.3, thickness=0.0, friction=mu)
    cloth = cloth_of(lying, triangles, fabric, warp=(0, 0, 1.0))
    slab, faces = box((-1.0, -0.2, -0.6), (1.5, 0.0, 0.6))
    angle = np.radians(degrees)
    gravity = GRAVITY * np.array([np.sin(angle), -np.cos(angle), 0])
    engine = Engine(cloth, slab, faces, FINAL, Forces(gravity), gap)
    around = surroundings(len(faces), gap, mu)
    state, times, means = still(cloth), [], []
    for index in range(round(seconds / step)):
        state = engine.step(state, Surround(slab, slab, np.zeros((0, 3)), around), step, FrameTally())
        times.append((index + 1) * step)
        means.append(cloth.mass @ state.positions[:, 0] / cloth.mass.sum())
    return np.array(times), np.array(means) - cloth.mass @ lying[:, 0] / cloth.mass.sum()


@pytest.mark.parametrize("mu", [0.3, 0.6])
def test_sticks_below_the_friction_angle_without_creep(mu):
    """Coulomb: one degree below arctan(mu) a patch stays; it creeps less than 0.1 mm in 2 s."""
    times, path = slide(mu, np.degrees(np.arctan(mu)) - 1.0, 2.5)
    settled = path[times > 0.5]
    assert np.ptp(settled) < 1e-4


@pytest.mark.parametrize(("mu", "degrees"), [(0.3, 25.0), (0.6, 40.0), (0.0, 20.0)])
def test_slides_at_the_right_rate_above_it(mu, degrees):
    """Coulomb: above the friction angle it slides with g (sin a - mu cos a), 2 %."""
    times, path = slide(mu, degrees, 0.8)
    late = times > 0.2
    acceleration = 2 * np.polyfit(times[late], path[late], 2)[0]
    angle = np.radians(degrees)
    assert acceleration == pytest.approx(GRAVITY * (np.sin(angle) - mu * np.cos(angle)), rel=0.02)


def test_sticks_or_slides_within_one_degree():
    """Coulomb: one degree above arctan(mu) it no longer stays."""
    _, path = slide(0.4, np.degrees(np.arctan(0.4)) + 1.0, 1.0)
    assert path[-1] > 0.02
