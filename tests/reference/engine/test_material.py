"""Load curves, anisotropy, shape memory and limits against closed forms."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.model.errors import MaterialError
from patient_needle.core.model.fabric import LIMIT_STIFFENING, Fabric, LoadCurve, Multipliers
from patient_needle.core.model.tolerances import FINAL
from patient_needle.core.solver.bending import Bending
from patient_needle.core.solver.cloth import STRIP
from patient_needle.core.solver.membrane import Membrane

from ...sheets import cloth_of, free_engine, halved_squares, run_free, sheet, still

GRAVITY = 9.81


def force_of(fabric: Fabric, axis: int, strain: float, **options) -> float:
    """Force per width, N/m, that a sheet 0.2 m square shows when it is pulled evenly along an axis."""
    points, triangles = sheet(0.2, 0.2, 0.04)
    cloth = cloth_of(points, triangles, fabric, **options)
    pulled = points.copy()
    pulled[:, axis] *= 1 + strain
    membrane, gradient = Membrane(cloth), np.zeros_like(points)
    membrane.begin(points, 1.0)
    membrane.gradient(pulled, gradient)
    return float(gradient[points[:, axis] > 0.2 - 1e-9, axis].sum() / 0.2)


@pytest.mark.parametrize("axis", [0, 1])
@pytest.mark.parametrize("strain", [-0.04, -0.01, 0.01, 0.04])
def test_tension_and_compression_are_apart(axis, strain):
    """Hooke, in each direction and sense by its own stiffness."""
    fabric = Fabric(
        "apart",
        stretch_warp=900,
        stretch_weft=500,
        compress_warp=90,
        compress_weft=30,
        bend_warp=0,
        bend_weft=0,
    )
    stiffness = ((500, 30), (900, 90))[axis][strain < 0]
    assert force_of(fabric, axis, strain) == pytest.approx(stiffness * strain, rel=1e-9)


@pytest.mark.parametrize(
    ("strain", "force"), [(0.01, 2.0), (0.02, 4.0), (0.03, 12.0), (0.05, 28.0), (0.07, 44.0)]
)
def test_a_measured_pull_is_given_back(strain, force):
    """A load curve gives the forces it was measured with, straight lines between, the last slope beyond."""
    curve = LoadCurve((0.02, 0.05), (4.0, 28.0))
    assert force_of(Fabric("measured", load_warp=curve), 1, strain) == pytest.approx(force, rel=1e-9)


def test_a_measured_shear_is_given_back():
    """Energy of a small shear under a load curve: the area under the curve (closed form)."""
    curve = LoadCurve((0.1, 0.3), (2.0, 12.0))
    points, triangles = sheet(0.2, 0.2, 0.04)
    membrane = Membrane(cloth_of(points, triangles, Fabric("sheared", load_shear=curve)))
    membrane.begin(points, 1.0)
    for sine in (0.05, -0.2):
        sheared = points + np.outer(points[:, 1] * np.tan(np.arcsin(sine)), [1, 0, 0])
        # Warp is turned and lengthened by the shear; take that away so that shear alone is left.
        sheared[:, 1] *= 1.0
        stretch, shear = membrane.stored(sheared)
        s = abs(sine)
        work = 10 * s * s if s <= 0.1 else 0.1 + (s - 0.1) * 2.0 + 0.5 * 50 * (s - 0.1) ** 2
        assert shear == pytest.approx(work * 0.04, rel=1e-6)
        assert stretch >= 0


def test_strain_limit_stiffens_beyond_it():
    """Beyond the limit each further strain takes LIMIT_STIFFENING times the force (our rule)."""
    fabric = Fabric("limited", stretch_warp=100.0, strain_limit=0.05)
    assert force_of(fabric, 1, 0.05) == pytest.approx(5.0)
    assert force_of(fabric, 1, 0.06) == pytest.approx(5.0 + LIMIT_STIFFENING * 1.0)


def test_strain_limit_holds_a_sagging_sheet_and_says_so():
    """A sheet too soft for its weight: the strain w y / k grows with the cloth below until it meets the
    limit, and hardly beyond (integrated by hand); the triangles beyond it are counted.
    """
    points, triangles = sheet(0.3, 0.6, 0.05)
    fabric = Fabric("limp", stretch_warp=12.0, stretch_weft=60.0, areal_density=0.3, strain_limit=0.06)
    cloth = cloth_of(points, triangles, fabric, points[:, 1] > 0.6 - 1e-9)
    engine = free_engine(cloth, FINAL, air_drag=2.0)
    assert engine.wear[0].beyond_limit(still(cloth)) == 0
    state = run_free(engine, still(cloth), 3.0, 1 / 96)
    weight, limit, stiff = 0.3 * GRAVITY, 0.06, 12.0 * LIMIT_STIFFENING
    slack = limit * 12.0 / weight  # m of cloth that hangs below the place where the limit is reached
    above = 0.6 - slack
    sink = limit * slack / 2 + limit * above + weight * above**2 / (2 * stiff)
    assert -state.positions[points[:, 1] < 1e-9, 1].mean() == pytest.approx(sink, rel=0.02)
    assert engine.wear[0].beyond_limit(state) > 0


@pytest.mark.parametrize("name", ["stretch", "bend", "density"])
def test_even_maps_are_the_property_itself(name):
    """Multiplying a property by 2 everywhere is a fabric with twice that property."""
    points, triangles = halved_squares(0.2, 0.2, 0.05)
    plain = {"stretch": ("stretch_warp", "stretch_weft", "shear"), "bend": ("bend_warp", "bend_weft")}
    doubled = {key: 2 * getattr(Fabric("x"), key) for key in plain.get(name, ("areal_density",))}
    twice = cloth_of(points, triangles, Fabric("twice", **doubled))
    mapped = cloth_of(
        points, triangles, Fabric("x"), multipliers=Multipliers(**{name: np.full(len(points), 2.0)})
    )
    for field in ("warp", "weft", "shear", "bend", "mass"):
        assert getattr(mapped, field) == pytest.approx(getattr(twice, field), rel=1e-12), field


@pytest.mark.parametrize(
    ("values", "said"),
    [
        (np.ones(3), "3 values"),
        (np.r_[np.ones(24), -1.0], "vertex 24"),
        (np.r_[np.nan, np.ones(24)], "vertex 0"),
    ],
)
def test_maps_that_do_not_fit_are_refused(values, said):
    points, triangles = halved_squares(0.2, 0.2, 0.05)
    with pytest.raises(MaterialError, match=said):
        cloth_of(points, triangles, Fabric("x"), multipliers=Multipliers(bend=values))


@pytest.mark.parametrize("directions", [(0, "weft"), (1, "warp")])
def test_bending_is_that_of_the_direction_it_is_rolled_in(directions):
    """Plate theory (closed form): rolled along weft it costs the weft's rigidity, along warp the warp's."""
    axis, name = directions
    radius, rigidity = 0.15, {"warp": 6e-5, "weft": 1e-5}
    points, triangles = halved_squares(0.3, 0.3, 0.01)
    fabric = Fabric("woven", bend_warp=rigidity["warp"], bend_weft=rigidity["weft"])
    bending = Bending(cloth_of(points, triangles, fabric))
    angle = points[:, axis] / radius
    rolled = points.copy()
    rolled[:, axis], rolled[:, 2] = radius * np.sin(angle), radius * (1 - np.cos(angle))
    # The diagonals of the squares bend too, with the mean of both rigidities.
    found = bending.stored(rolled) / (STRIP / (2 * radius**2) * 0.29 * 0.3)
    other = rigidity["warp" if name == "weft" else "weft"]
    assert min(rigidity[name], (rigidity[name] + other) / 2) * 0.99 <= found
    assert found <= max(rigidity[name], (rigidity[name] + other) / 2) * 1.01


def test_shape_memory_rests_between_flat_and_made():
    """Two hinges side by side, one resting flat and one as made: the angle splits by their stiffness (closed
    form).

    A narrow strip modelled as an arc of radius R keeps the curvature m / (B + m) / R.
    """
    radius, rigidity, memory = 0.1, 1e-2, 3e-2
    points, triangles = halved_squares(0.2, 0.04, 0.01)
    angle = points[:, 0] / radius
    made = np.stack([radius * np.sin(angle), points[:, 1], radius * (1 - np.cos(angle))], 1)
    fabric = Fabric("tailored", bend_warp=rigidity, bend_weft=rigidity, memory=memory)
    held = points[:, 0] < 0.011
    cloth = cloth_of(made, triangles, fabric, held, warp=(1.0, 0, 0))
    state = run_free(free_engine(cloth, FINAL, (0, 0, 0), air_drag=3.0), still(cloth), 1.5, 1 / 96)
    middle = [state.positions[np.abs(points[:, 0] - at) < 1e-9].mean(axis=0) for at in (0.04, 0.05, 0.18, 0.19)]
    turn = [np.arctan2(*(end - start)[[2, 0]]) for start, end in (middle[:2], middle[2:])]
    assert (turn[1] - turn[0]) / 0.14 == pytest.approx(memory / (rigidity + memory) / radius, rel=0.02)
