"""Calm against its own rule: what it takes out, and what it must leave."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.shot import Wind
from patient_needle.core.model.tolerances import FINAL, WORKING
from patient_needle.core.solver.air import air_velocity
from patient_needle.core.solver.diagnostics import FrameTally
from patient_needle.core.solver.inertia import BRAKE, VISCOSITY
from patient_needle.core.solver.outfit import Wearing
from patient_needle.core.solver.step import Surround, settle

from ...sheets import NOTHING, cloth_of, free_engine, halved_squares, run_free, sheet, still, surroundings


@pytest.mark.parametrize(("calm", "length"), [(0.05, 0.4), (0.15, 0.8), (0.1, 0.16)])
def test_a_wave_dies_away_at_its_rate(calm, length):
    """Screened diffusion of velocity (closed form): a wave of length L in a free sheet keeps exp(-r t) of its
    speed, r = calm / (1 / BRAKE + (L / 2 pi)^2 / VISCOSITY). Nothing else acts: no stiffness out of the plane,
    no weight.
    """
    points, triangles = halved_squares(0.8, 0.1, 0.02)
    fabric = Fabric("limp", stretch_warp=1.0, stretch_weft=1.0, shear=0.1, bend_warp=0, bend_weft=0)
    cloth = cloth_of(points, triangles, fabric)
    wave = np.cos(2 * np.pi * points[:, 0] / length)
    start = still(cloth).replace(velocities=np.outer(0.2 * wave, [0, 0, 1]))
    engine = free_engine(cloth, FINAL, gravity=(0, 0, 0), calm=calm)
    seconds = 0.04
    state = run_free(engine, start, seconds, 1 / 300)
    kept = (state.velocities[:, 2] @ wave) / (0.2 * wave @ wave)
    rate = calm / (1 / BRAKE + (length / (2 * np.pi)) ** 2 / VISCOSITY)
    assert -np.log(kept) == pytest.approx(rate * seconds, rel=0.03)


def test_calmed_cloth_falls_as_it_would():
    """Galilei: calm does not make cloth float."""
    points, triangles = sheet(0.2, 0.2, 0.03)
    cloth = cloth_of(points, triangles, Fabric("free"))
    state = run_free(free_engine(cloth, FINAL, calm=1.0), still(cloth), 0.5, 1 / 480)
    fallen = cloth.mass @ (cloth.placed - state.positions)[:, 1] / cloth.mass.sum()
    assert fallen == pytest.approx(9.81 * 0.5**2 / 2, rel=1e-3)


def test_calmed_cloth_that_turns_with_its_fastening_is_not_held_back():
    """A sheet that already turns as its fastening does feels nothing of calm (no gradient left)."""
    points, triangles = sheet(0.2, 0.2, 0.04)
    cloth = cloth_of(points, triangles, Fabric("turning", stretch_warp=1.0, stretch_weft=1.0, shear=0.1))
    spin = np.array([0.0, 3.0, 0.0])
    start = still(cloth).replace(velocities=np.cross(spin, points))
    engine = free_engine(cloth, FINAL, gravity=(0, 0, 0), calm=1.0)
    turned = run_free(engine, start, 0.02, 1 / 960, worn=(Wearing(spin=spin),))
    slowed = run_free(engine, start, 0.02, 1 / 960)
    assert np.abs(turned.velocities).max() > 0.9 * np.abs(start.velocities).max()
    assert np.abs(slowed.velocities).max() < 0.7 * np.abs(start.velocities).max()


def test_calm_leaves_the_hang_alone():
    """1 %: at rest there is no velocity for it to act on."""
    points, triangles = sheet(0.3, 0.3, 0.025, jitter=0.0)
    held = (points[:, 1] > 0.3 - 1e-9) & (np.abs(points[:, 0] - 0.15) < 0.0751)
    fabric = Fabric(
        "swatch", shear=50, bend_warp=2e-4, bend_weft=2e-4, bend_damping=0.02, stretch_damping=0.005
    )
    cloth = cloth_of(points, triangles, fabric, held)
    start = points + np.outer(0.3 - points[:, 1], [0, 0, 0.2])
    start[held] = points[held]
    around = Surround(NOTHING, NOTHING, points[held], surroundings(0, 1e-3))
    found = []
    for calm in (0.0, 1.0):
        engine = free_engine(cloth, FINAL, air_drag=0.8, calm=calm)
        rested = settle(engine, still(cloth, start), around, to=2e-4, most=2400)
        assert rested.unrest <= 2e-4
        found.append(rested.state.positions[:, 1])
    assert found[1] == pytest.approx(found[0], abs=0.01 * 0.3)


def test_calm_takes_the_flutter_out_of_a_gust():
    """Ours: energy of motion above 4 Hz of a curtain in a gusty wind falls by 6 dB at 0.5 and by 12 dB at 1."""
    points, triangles = sheet(0.5, 0.7, 0.05, jitter=0.0)
    held = points[:, 1] > 0.7 - 1e-9
    cloth = cloth_of(points, triangles, Fabric("curtain", shear=60, bend_warp=2e-5, bend_weft=2e-5), held)
    wind = Wind("gusty", Curve.constant(4.0), Curve.constant(90.0), turbulence=0.5, eddy=0.5)
    quick = []
    for calm in (0.0, 0.5, 1.0):
        engine, state, seen = free_engine(cloth, WORKING, air_density=1.2, calm=calm), still(cloth), []
        for step in range(8 * 72):
            air = air_velocity([wind], state.positions, (step + 1) / 8, 24)
            around = Surround(NOTHING, NOTHING, points[held], surroundings(0, 1e-3), air)
            state = engine.step(state, around, 1 / 192, FrameTally())
            if step % 8 == 7 and step >= 8 * 24:
                seen.append(state.positions[~held])
        speed = np.diff(np.array(seen), axis=0) * 24
        spectrum = np.abs(np.fft.rfft(speed * np.hanning(len(speed))[:, None, None], axis=0)) ** 2
        quick.append(spectrum[np.fft.rfftfreq(len(speed), 1 / 24) > 4.0].sum())
    assert 10 * np.log10(quick[1] / quick[0]) <= -6
    assert 10 * np.log10(quick[2] / quick[0]) <= -12
