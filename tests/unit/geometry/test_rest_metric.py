"""The rest metric: from a surface as from flat pieces, and where two sides of an edge differ."""

import numpy as np
import pytest

from patient_needle.core.geometry.rest_metric import drawn_directions, metric_of_pieces, shape_of_triangles
from patient_needle.core.geometry.topology import build_topology
from patient_needle.core.model.errors import MeshError
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.garment import GarmentShape, RestMetric
from patient_needle.core.model.tolerances import FINAL
from patient_needle.core.solver.bending import Bending
from patient_needle.core.solver.cloth import Cloth, build_cloth
from patient_needle.core.solver.membrane import Membrane
from patient_needle.core.solver.state import at_rest
from tests.sheets import free_engine, polygons, run_free, sheet

TWO = np.array([[0, 1, 2], [1, 0, 3]], np.int32)  # they share the edge from 0 to 1
SHORT, LONG = 0.01, 0.015  # m
FABRIC = Fabric("even", stretch_warp=1000, stretch_weft=1000, shear=300, bend_warp=2e-5, bend_weft=1e-5)


def sewn(metric: RestMetric, triangles, placed, near=None) -> Cloth:
    """A cloth of pieces that lies anywhere."""
    topology = build_topology(triangles, len(placed))
    surface = polygons("pieces", placed, triangles.tolist())
    faces = np.arange(len(triangles), dtype=np.int32)
    shape = GarmentShape("pieces", topology, metric, placed, near, surface, faces, "pieces")
    return build_cloth(shape, FABRIC, np.zeros(len(placed), bool))


def gathered() -> tuple[RestMetric, np.ndarray]:
    """Two triangles whose common edge is short in one and long in the other, and a place for them."""
    left = [[0, 0], [SHORT, 0], [0.5 * SHORT, 0.01]]
    right = [[LONG, 0], [0, 0], [0.5 * LONG, -0.01]]
    corners = np.array([left, right])
    placed = np.array([[0, 0, 0], [SHORT, 0, 0], [0.5 * SHORT, 0.01, 0], [0.5 * SHORT, -0.01, 0.0]])
    return metric_of_pieces(corners, build_topology(TWO, 4)), placed


def test_flat_pieces_and_a_flat_surface_are_the_same_cloth():
    points, triangles = sheet(0.2, 0.1, 0.02, seed=4)
    warp = drawn_directions(points, triangles, np.array([0.3, 1.0, 0.0]))
    made = shape_of_triangles("sheet", points, triangles, warp)
    flat = made.metric.corners + np.random.default_rng(0).normal(size=(len(triangles), 1, 2))
    pieces = metric_of_pieces(flat, made.topology)
    for name in RestMetric.__dataclass_fields__:
        if name not in ("corners", "volume"):
            np.testing.assert_allclose(
                getattr(pieces, name), getattr(made.metric, name), atol=1e-11, err_msg=name
            )
    np.testing.assert_allclose(pieces.matrices, made.metric.matrices, atol=1e-12)


def test_each_side_of_a_gathered_edge_stretches_from_its_own_length():
    metric, placed = gathered()
    cloth = sewn(metric, TWO, placed)
    strains = Membrane(cloth).strains(placed)
    assert strains[0] == pytest.approx([0, 0, 0], abs=1e-12)
    assert strains[1, 0] == pytest.approx(SHORT / LONG - 1)
    assert strains[1, 1] == pytest.approx(0, abs=1e-12)
    assert cloth.rest_lengths[0] == pytest.approx((SHORT + LONG) / 2)
    assert cloth.areas == pytest.approx([SHORT * 0.01 / 2, LONG * 0.01 / 2])


def test_a_gathered_edge_comes_to_rest_where_both_sides_pull_alike():
    metric, placed = gathered()
    cloth = sewn(metric, TWO, placed)
    engine = free_engine(cloth, FINAL, gravity=(0, 0, 0), air_drag=20.0)
    x = run_free(engine, at_rest(placed, 1), 4.0, 1 / 96).positions
    gradient = np.zeros_like(x)
    terms = (Membrane(cloth), Bending(cloth))
    for term in terms:
        term.begin(x, 1 / 96)
        term.gradient(x, gradient)
    assert SHORT < np.linalg.norm(x[1] - x[0]) < LONG
    assert np.abs(gradient).max() < 1e-4 * FABRIC.stretch_weft * SHORT  # N, of what one percent would pull


def test_no_place_of_the_rest_surface_reaches_the_engine():
    metric, placed = gathered()
    moved = sewn(metric, TWO, placed + [3.0, -1.0, 2.0])
    cloth = sewn(metric, TWO, placed)
    for name in Cloth.__dataclass_fields__:
        one, other = getattr(cloth, name), getattr(moved, name)
        if isinstance(one, np.ndarray) and name != "placed":
            np.testing.assert_array_equal(one, other, err_msg=name)


def test_what_fits_no_cloth_is_refused():
    topology = build_topology(TWO, 4)
    with pytest.raises(MeshError, match="does not fit 2 triangles"):
        metric_of_pieces(np.zeros((3, 3, 2)), topology)
    with pytest.raises(MeshError, match="no area at rest"):
        metric_of_pieces(np.zeros((2, 3, 2)), topology)
