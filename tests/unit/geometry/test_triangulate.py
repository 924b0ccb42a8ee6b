"""Polygons cut into triangles: all of them, of the right area and winding, however many corners."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from patient_needle.core.geometry.topology import cut_polygon, triangulated
from patient_needle.core.model.errors import MeshError
from tests.sheets import polygons


def star(count: int, seed: int = 0) -> np.ndarray:
    """A polygon of many spikes about the origin, in a tilted plane."""
    turn = np.linspace(0, 2 * np.pi, count, endpoint=False)
    reach = np.random.default_rng(seed).uniform(0.5, 1.5, count)
    flat = np.stack([reach * np.cos(turn), reach * np.sin(turn)], axis=1)
    return np.column_stack([flat, 0.3 * flat[:, 0] + 2])


def area_vector(points: np.ndarray) -> np.ndarray:
    """Newell's, which any cut into triangles must add up to."""
    return np.cross(points, np.roll(points, -1, axis=0)).sum(axis=0) / 2


def cut_area(points: np.ndarray, cut: np.ndarray) -> np.ndarray:
    a, b, c = (points[cut[:, k]] for k in range(3))
    return np.cross(b - a, c - a) / 2


def check(points: np.ndarray) -> None:
    cut = cut_polygon(points)
    whole = area_vector(points)
    pieces = cut_area(points, cut)
    assert len(cut) == len(points) - 2
    assert np.array_equal(np.unique(cut), np.arange(len(points)))
    assert_allclose(pieces.sum(axis=0), whole, atol=1e-9 * np.abs(points).max() ** 2)
    along = pieces @ whole
    assert along.min() >= -1e-12, "a triangle is wound against the polygon"


@pytest.mark.parametrize("count", [5, 6, 30, 1000, 20_000])
def test_a_star_of_any_number_of_corners(count):
    check(star(count))


@given(st.integers(0, 10_000), st.integers(5, 40))
def test_stars_of_all_shapes(seed, count):
    check(star(count, seed))


@given(st.lists(st.booleans(), min_size=36, max_size=36), st.integers(0, 35))
def test_corners_that_lie_on_straight_sides_stay(kept, turn):
    """A square whose sides hold many corners: none may be lost, or a seam would lose its stitches."""
    side = np.arange(9) / 9
    flat = np.concatenate(
        [np.stack(pair, axis=1) for pair in (
            (side, 0 * side), (0 * side + 1, side), (1 - side, 0 * side + 1), (0 * side, 1 - side)
        )]
    )  # fmt: skip
    corners = [k for k in range(36) if kept[k] or k % 9 == 0]
    points = np.roll(np.column_stack([flat, np.zeros(36)])[corners], turn, axis=0)
    if len(points) > 4:
        check(points)


def test_polygons_without_area_or_that_cross_themselves_become_fans():
    line = np.array([[k, 0.0, 0.0] for k in range(6)])
    assert cut_polygon(line).tolist() == [[0, k, k + 1] for k in range(1, 5)]
    pentagram = star(5)[[0, 2, 4, 1, 3]]
    assert len(cut_polygon(pentagram)) == 3


def test_a_quad_is_cut_along_its_shorter_diagonal_and_a_bent_one_from_an_ear():
    kite = polygons("kite", [(0, 0, 0), (3, -1, 0), (4, 0, 0), (3, 1, 0)], [(0, 1, 2, 3)])
    assert triangulated(kite).triangles.tolist() == [[0, 1, 3], [1, 2, 3]]
    square = polygons("square", [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)], [(0, 1, 2, 3)])
    assert triangulated(square).triangles.tolist() == [[0, 1, 2], [0, 2, 3]]
    arrow = np.array([(0, 0, 0), (2, 1, 0), (0, 2, 0), (1, 1, 0)], float)
    check(arrow)


def test_faces_of_all_kinds_keep_their_order_and_their_corners():
    mesh = polygons("mixed", star(12), [(0, 1, 2), (2, 3, 4, 5), (5, 6, 7, 8, 9), (9, 10, 11)])
    cut = triangulated(mesh)
    assert cut.source_face.tolist() == [0, 1, 1, 2, 2, 2, 3]
    assert np.array_equal(mesh.face_corners[cut.corners], cut.triangles)
    assert cut.triangles.dtype == cut.corners.dtype == cut.source_face.dtype == np.int32


def test_a_face_of_too_many_corners_and_a_vertex_too_far_off_are_refused():
    with pytest.raises(MeshError, match="60,000 corners"):
        polygons("wheel", star(60_000), [tuple(range(60_000))])
    with pytest.raises(MeshError, match=r"lies 1e\+300 units"):
        polygons("far", [(0, 0, 0), (1, 0, 0), (0, 1e300, 0)], [(0, 1, 2)])
