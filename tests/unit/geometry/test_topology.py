"""Triangulation, edges, hinges and borders."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from patient_needle.core.geometry.topology import (
    border_loops,
    build_topology,
    check_triangles,
    incidence,
    triangulated,
)
from patient_needle.core.geometry.triangles import (
    dihedral_angles,
    flat_bending_rows,
    triangle_areas,
    vertex_areas,
    vertex_normals,
)
from patient_needle.core.model.errors import MeshError
from tests.sheets import box, polygons, sheet


@given(st.lists(st.floats(0.3, 2.0), min_size=3, max_size=12), st.floats(-1, 1))
def test_star_polygons_keep_their_area_and_winding(radii, tilt):
    """Shoelace (closed form): the triangles of a flat polygon add up to its area, all wound like it."""
    turn = np.arange(len(radii)) / len(radii) * 2 * np.pi
    flat = np.stack([radii * np.cos(turn), radii * np.sin(turn)], 1)
    x, y = flat.T
    area = np.sum(x * np.roll(y, -1) - y * np.roll(x, -1)) / 2
    points = np.column_stack([flat, tilt * x])
    cut = triangulated(polygons("star", points, [range(len(radii))]))
    a, b, c = (flat[cut.triangles[:, k]] for k in range(3))
    signed = ((b - a)[:, 0] * (c - a)[:, 1] - (b - a)[:, 1] * (c - a)[:, 0]) / 2
    assert signed.min() > -1e-12
    assert signed.sum() == pytest.approx(area, rel=1e-9)


def test_quads_are_cut_along_the_shorter_diagonal_and_remember_their_face():
    points = [(0, 0, 0), (2, 0, 0), (2.5, 1, 0), (0.8, 1, 0), (0, 5, 0)]
    cut = triangulated(polygons("m", points, [(0, 3, 4), (0, 1, 2, 3)]))
    assert cut.source_face.tolist() == [0, 1, 1]
    assert {1, 3} <= set(cut.triangles[1].tolist())
    assert {1, 3} <= set(cut.triangles[2].tolist())


def test_euler_number_of_a_box_and_a_sheet():
    points, triangles = box((0, 0, 0), (1, 1, 1))
    closed = build_topology(triangles, len(points))
    assert len(points) - len(closed.edges) + len(triangles) == 2
    assert not closed.border.any()
    points, triangles = sheet(1, 1, 0.2)
    opened = build_topology(triangles, len(points))
    assert len(points) - len(opened.edges) + len(triangles) == 1
    assert len(opened.hinges) == (~opened.border).sum()


def test_border_loop_runs_round_the_sheet():
    points, triangles = sheet(1, 0.5, 0.1)
    (loop,) = border_loops(build_topology(triangles, len(points)))
    length = np.linalg.norm(points[loop] - points[np.roll(loop, 1)], axis=1).sum()
    assert length == pytest.approx(3.0)


def test_two_loops_of_a_tube_longest_first():
    triangles = np.array(
        [t for i in range(12) for t in ((i, 12 + i, (i + 1) % 12), ((i + 1) % 12, 12 + i, 12 + (i + 1) % 12))],
        np.int32,
    )
    loops = border_loops(build_topology(triangles, 24))
    assert [set(loop.tolist()) for loop in loops] == [set(range(12)), set(range(12, 24))]


def test_third_triangle_on_an_edge_is_named():
    with pytest.raises(MeshError, match="fin, edge 0-1"):
        build_topology(np.array([(0, 1, 2), (1, 0, 3), (0, 1, 4)], np.int32), 5, name="fin")


def test_opposite_winding_is_named():
    with pytest.raises(MeshError, match="wound in opposite directions"):
        build_topology(np.array([(0, 1, 2), (0, 1, 3)], np.int32), 4)


@pytest.mark.parametrize(
    ("triangles", "says"),
    [([(0, 1, 1)], "no area"), ([(0, 1, 2), (2, 0, 1)], "twice"), ([(0, 1, 3)], "no area")],
)
def test_unusable_triangles_are_named(triangles, says):
    points = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0), (2, 0, 0)], float)
    with pytest.raises(MeshError, match=says):
        check_triangles(points, np.array(triangles, np.int32), name="m")


def test_incidence_lists_each_corner_once_in_order():
    starts, corners = incidence(np.array([(0, 1, 2), (2, 1, 3)], np.int32), 5)
    assert [corners[starts[v] : starts[v + 1]].tolist() for v in range(5)] == [[0], [1, 4], [2, 3], [5], []]


def test_right_angle_fold_and_flat_sheet():
    points = np.array([(0, 0, 0), (0, 1, 0), (-1, 0.5, 0), (1, 0.5, 0.0)])
    hinge = np.array([(0, 1, 2, 3)], np.int32)
    assert dihedral_angles(points, hinge)[0] == pytest.approx(0)
    assert flat_bending_rows(points, hinge) @ points[hinge[0]] == pytest.approx(np.zeros((1, 3)), abs=1e-12)
    points[3] = (0, 0.5, 1)
    assert abs(dihedral_angles(points, hinge)[0]) == pytest.approx(np.pi / 2)


def test_normals_and_areas_of_a_sheet():
    points, triangles = sheet(0.4, 0.3, 0.05)
    assert triangle_areas(points, triangles).sum() == pytest.approx(0.12)
    assert vertex_areas(points, triangles).sum() == pytest.approx(0.12)
    assert vertex_normals(points, triangles) == pytest.approx(np.tile([0, 0, 1.0], (len(points), 1)))
