"""Air, pressure and falling against closed forms."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import quad

from patient_needle.core.geometry.closed import volume
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.shot import Wind
from patient_needle.core.model.tolerances import FINAL, WORKING
from patient_needle.core.solver.air import AirFlow, air_velocity
from patient_needle.core.solver.inertia import timing
from patient_needle.core.solver.outfit import Wearing
from patient_needle.core.solver.state import Forces, Inflation

from ...balloon import inflated, two_discs
from ...sheets import box, cloth_of, free_engine, run_free, sheet, still

GRAVITY, AIR = 9.81, 1.2


def level(points):
    """A sheet that lies level, its normals up."""
    return points[:, [0, 2, 1]] * [1, 1, -1]


def test_terminal_speed_of_a_sheet_held_flat():
    """Drag balance (closed form): w g A = 1/2 d c A v^2, so v = sqrt(2 w g / (d c)), 2 %. A sheet stiff
    enough to stay flat falls until its speed no longer grows.
    """
    points, triangles = sheet(0.2, 0.2, 0.05, jitter=0.0)
    fabric = Fabric("board", bend_warp=5.0, bend_weft=5.0, stretch_warp=5e3, stretch_weft=5e3, air_across=1.2)
    cloth = cloth_of(level(points), triangles, fabric, warp=(1.0, 0, 0))
    state = run_free(free_engine(cloth, FINAL, air_density=AIR), still(cloth), 3.0, 1 / 96)
    expected = np.sqrt(2 * fabric.areal_density * GRAVITY / (AIR * fabric.air_across))
    assert -cloth.mass @ state.velocities[:, 1] / cloth.mass.sum() == pytest.approx(expected, rel=0.02)


@pytest.mark.parametrize("degrees", [15.0, 40.0, 70.0])
def test_drag_and_lift_of_a_slanted_plate(degrees):
    """Resolving the normal force n = 1/2 d c_n |w| w_n (Taylor 1952) along and across the wind: drag and
    lift.
    """
    points, triangles = sheet(0.2, 0.2, 0.05)
    slope = np.radians(degrees)
    fabric = Fabric("plate", air_across=1.1, air_along=0.0)
    cloth = cloth_of(points, triangles, fabric)
    wind = 6.0 * np.array([np.cos(slope), 0, np.sin(slope)])
    force = force_of(cloth, Forces(air_density=AIR), wind)
    normal = 0.5 * AIR * 1.1 * 36.0 * np.sin(slope) * 0.04
    along = wind / 6.0
    assert force @ along == pytest.approx(normal * np.sin(slope), rel=1e-3)
    assert force @ [-along[2], 0, along[0]] == pytest.approx(normal * np.cos(slope), rel=1e-3)


def force_of(cloth, forces, wind):
    """Force (3,) N of a wind (3,) m/s on a cloth that stands still."""
    air = AirFlow(cloth).around(
        cloth.placed,
        np.zeros_like(cloth.placed),
        np.tile(wind, (cloth.count, 1)),
        timing(still(cloth), 0.01),
        forces,
    )
    gradient = np.zeros_like(cloth.placed)
    air.gradient(cloth.placed, gradient)
    return -gradient.sum(axis=0)


def test_a_sheltered_back_is_spared_the_wind():
    points, triangles = sheet(0.2, 0.2, 0.05)
    cloth = cloth_of(points, triangles, Fabric("side"))
    forces = Forces(air_density=AIR, shelter=0.5)
    full = 0.5 * AIR * 1.2 * 25.0 * 0.04
    assert force_of(cloth, forces, [0, 0, -5.0]) == pytest.approx([0, 0, -full])
    assert force_of(cloth, forces, [0, 0, 5.0]) == pytest.approx([0, 0, full / 4])


def test_strong_wind_on_light_cloth_stays_finite():
    """The air's force follows the velocity at the substep's end: gauze goes no faster than the storm."""
    points, triangles = sheet(0.3, 0.3, 0.05)
    fabric = Fabric("gauze", areal_density=0.01)
    cloth = cloth_of(points, triangles, fabric, points[:, 1] > 0.3 - 1e-9)
    engine = free_engine(cloth, WORKING, air_density=AIR)
    fastest = []
    run_free(
        engine, still(cloth), 1.0, 1 / 96, wind=np.tile([0, 0, 40.0], (cloth.count, 1)),
        watch=lambda _, state: fastest.append(np.abs(state.velocities).max()),
    )  # fmt: skip
    assert np.isfinite(fastest).all()
    assert max(fastest) < 60


def test_keyed_wind_is_calm_before_and_full_after_its_keys():
    wind = Wind("gust", Curve(np.array([60.0, 75.0]), np.array([0.0, 9.0])), Curve.constant(90.0))
    points = np.zeros((1, 3))
    assert air_velocity([wind], points, 50, 24) == pytest.approx(np.zeros((1, 3)))
    assert air_velocity([wind], points, 80, 24) == pytest.approx(np.array([[0, 0, 9.0]]), abs=1e-12)
    assert 0 < air_velocity([wind], points, 67, 24)[0, 2] < 9


def test_eddies_have_the_strength_asked_for_make_no_air_and_do_not_change():
    """Kraichnan 1970: each wave is square to its own direction, so the field has no divergence."""
    wind = Wind("gusty", Curve.constant(5.0), turbulence=0.4, eddy=0.5, seed=3)
    grid = np.stack(np.meshgrid(*[np.linspace(0, 6, 22)] * 3), -1).reshape(-1, 3)
    field = air_velocity([wind], grid, 10, 24) - [5.0, 0, 0]
    assert np.sqrt((field**2).mean()) == pytest.approx(2.0, rel=0.1)
    step = 1e-5
    divergence = sum(
        (air_velocity([wind], grid + step * e, 10, 24) - air_velocity([wind], grid - step * e, 10, 24)) @ e
        for e in np.eye(3)
    ) / (2 * step)
    assert np.abs(divergence).max() < 1e-6 * np.abs(field).max() / wind.eddy * 100
    assert np.array_equal(field, air_velocity([wind], grid, 10, 24) - [5.0, 0, 0])
    other = Wind("gusty", Curve.constant(5.0), turbulence=0.4, eddy=0.5, seed=4)
    assert not np.allclose(field, air_velocity([other], grid, 10, 24) - [5.0, 0, 0])


def test_volume_of_a_box():
    corners, triangles = box((1, 1, 1), (2, 3, 1.5))
    assert volume(corners, triangles) == pytest.approx(1.0)
    assert volume(corners, triangles[:, ::-1].copy()) == pytest.approx(-1.0)


def paper_balloon() -> tuple[float, float]:
    """Radius and thickness of two inflated discs of radius 1 that do not stretch (W. Paulsen, What is the
    shape of a Mylar balloon?, Amer. Math. Monthly 101 (1994) 953), by quadrature: the profile z' = -r^2 /
    sqrt(R^4 - r^4) has length 1 over 0..R.
    """
    arc, _ = quad(lambda t: 1 / np.sqrt(1 + np.sin(t) ** 2), 0, np.pi / 2)
    height, _ = quad(lambda t: np.sin(t) ** 2 / np.sqrt(1 + np.sin(t) ** 2), 0, np.pi / 2)
    return 1 / arc, 2 * height / arc


def test_two_inflated_discs():
    """Paulsen 1994: radius 0.7627 a, thickness 0.9139 a, strain under 0.3 %, 2 %. Compression and bending near
    0.

    The radius at 10 edges to a radius, since finer meshes crimp at the rim, which a mean radius counts; the
    thickness at 14, since 10 chords of the bulge are 2.2 % too flat, solved to the end. 40 in the benchmarks.
    """
    radius, thickness = paper_balloon()
    assert (radius, thickness) == pytest.approx((0.7627, 0.9139), abs=2e-4)
    coarse, fine = inflated(10), inflated(14)
    assert coarse.radius == pytest.approx(radius, rel=0.02)
    assert fine.thickness == pytest.approx(thickness, rel=0.02)
    assert max(coarse.strain, fine.strain) < 0.003


def test_kept_volume():
    """A cushion asked for 1.5 times its made volume has it, but for what its cloth's tension takes."""
    points, triangles = two_discs(0.1, 6)
    points[:, 2] *= 40.0
    fabric = Fabric("cushion", stretch_warp=200, stretch_weft=200, shear=40)
    cloth = cloth_of(points, triangles, fabric, warp=(1.0, 0.3, 0.0))
    engine = free_engine(cloth, FINAL, gravity=(0, 0, 0), air_drag=1.0)
    state = run_free(
        engine, still(cloth), 1.0, 1 / 96, worn=(Wearing(inflation=Inflation(True, 1.5, 50_000.0)),)
    )
    assert volume(state.positions, triangles) / volume(points, triangles) == pytest.approx(1.5, rel=0.02)
