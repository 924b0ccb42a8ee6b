"""Contours of cloth through cloth: what they cut off, and which way it comes out."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.contact.intersections import self_crossing_pairs
from patient_needle.core.contact.tangles import cut_off, find_contours, tangle_rows, without_knots
from patient_needle.core.geometry.topology import border_loops, build_topology
from tests.sheets import sheet

STEP, GAP = 1e-3, 5e-4


def bump_through_a_sheet():
    """A level sheet at height 0, and under it one whose middle is pushed 30 mm up through it."""
    points, triangles = sheet(0.4, 0.4, 0.02, seed=1)
    level = points[:, [0, 2, 1]] * [1, 0, -1]
    lower, faces = sheet(0.4, 0.4, 0.017, seed=2)
    under = lower[:, [0, 2, 1]] * [1, 0, -1]
    away = np.linalg.norm(under[:, [0, 2]] - [0.2, -0.2], axis=1)
    under[:, 1] = -0.02 + 0.05 * np.exp(-((away / 0.06) ** 2))
    return np.concatenate([level, under]), np.concatenate([triangles, faces + len(level)]), len(level)


def strip_through_a_sheet():
    """A level sheet, and an upright strip narrower than it whose lower border stands 30 mm beneath it."""
    points, triangles = sheet(0.4, 0.4, 0.02, seed=2)
    level = points[:, [0, 2, 1]] * [1, 0, -1]
    upright, faces = sheet(0.15, 0.15, 0.02, seed=3)
    upright = upright + [0.123, -0.03 - upright[:, 1].min(), -0.211]
    return np.concatenate([level, upright]), np.concatenate([triangles, faces + len(level)]), len(level)


def contours_of(points, triangles):
    return find_contours(points, triangles, self_crossing_pairs(points, triangles))


def test_a_bump_is_cut_off_both_sheets_by_one_closed_contour():
    points, triangles, count = bump_through_a_sheet()
    contours = contours_of(points, triangles)
    assert contours.contour.max() == 0
    # Along a closed curve directions to both neighbours nearly cancel; nowhere does it end.
    assert np.linalg.norm(contours.along, axis=1).max() < 0.9
    pieces = cut_off(triangles, contours, len(points))
    through, under = (
        next(p.vertices for p in pieces if (p.vertices >= count).all() == up) for up in (True, False)
    )
    assert set(through) == set(count + np.flatnonzero(points[count:, 1] > 0))
    radius = 0.06 * np.sqrt(np.log(0.05 / 0.02))
    off = np.linalg.norm(points[under][:, [0, 2]] - [0.2, -0.2], axis=1)
    assert off.max() < radius + 0.01
    assert len(pieces) == 2


def test_what_a_border_cuts_off_is_a_piece_and_the_slit_in_the_sheet_is_none():
    points, triangles, count = strip_through_a_sheet()
    contours = contours_of(points, triangles)
    (piece,) = cut_off(triangles, contours, len(points))
    assert set(piece.vertices) == set(count + np.flatnonzero(points[count:, 1] < 0))
    ends = np.flatnonzero(np.linalg.norm(contours.along, axis=1) > 0.99)
    assert len(ends) == 2
    across = contours.at[ends, 0]
    assert across.max() - across.min() == pytest.approx(0.15, abs=1e-9)


@pytest.mark.parametrize("scene", [bump_through_a_sheet, strip_through_a_sheet])
def test_rows_ask_each_vertex_back_through_the_sheet_it_went_through(scene):
    points, triangles, count = scene()
    rows, tangled = tangle_rows(points, triangles, contours_of(points, triangles), GAP, STEP, 100.0)
    upper = rows.ends[:, 0] >= count
    back = -np.sign(points[rows.ends[upper, 0], 1])
    assert rows.normal[upper][:, 1] * back == pytest.approx(1, abs=1e-9)
    height = np.einsum("ij,ij->i", points[rows.ends[:, 0]] - points[rows.ends[:, 1]], rows.normal)
    assert (rows.soft[upper] <= GAP + 1e-12).all()
    assert rows.soft[upper] == pytest.approx(np.minimum(GAP, height[upper] + STEP), abs=1e-12)
    assert (rows.hard == -np.inf).all()
    assert tangled.any()
    assert not tangled.all()


def test_two_borders_that_cross_are_drawn_along_their_contour():
    """Neither sheet is cut in two; the way out is along the contour, each border from the other."""
    points, triangles = sheet(0.2, 0.2, 0.02, seed=4)
    level = points[:, [0, 2, 1]] * [1, 0, -1]
    upright = points + [0.16, -0.093, -0.117]
    both = np.concatenate([level, upright])
    faces = np.concatenate([triangles, triangles + len(level)])
    contours = contours_of(both, faces)
    assert cut_off(faces, contours, len(both)) == []
    rows, _ = tangle_rows(both, faces, contours, GAP, STEP, 100.0)
    hard = rows.stiffness > 50
    assert hard.any()
    # The upright's border lies at x = 0.16, the level one's at 0.2: out means apart along x.
    of_upright = rows.ends[hard, 0] >= len(level)
    assert (rows.normal[hard][of_upright][:, 0] > 0.5).all()
    assert (rows.normal[hard][~of_upright][:, 0] < -0.5).all()


def test_a_knot_in_a_border_is_smoothed_out():
    """One border vertex is tucked in and under: the border's edge beside it goes through the sheet."""
    rest, triangles = sheet(0.2, 0.2, 0.02, seed=5)
    topology = build_topology(triangles, len(rest))
    (loop,) = border_loops(topology)
    points = rest.copy()
    middle = int(np.argmin(np.abs(rest[loop] - [0.1, 0, 0]).sum(axis=1)))
    points[loop[middle]] += [0.004, 0.045, -0.006]
    points[loop[middle - 1]] += [0.0, 0.012, 0.008]
    contours = contours_of(points, triangles)
    assert 1 <= len(contours) <= 3
    free = np.zeros(len(rest), bool)
    assert np.array_equal(without_knots(points, triangles, contours, ~free), points)
    for _ in range(20):
        points = without_knots(points, triangles, contours_of(points, triangles), free)
    assert len(self_crossing_pairs(points, triangles)) == 0


def test_cloth_that_crosses_nothing_has_no_contour():
    points, triangles = sheet(0.2, 0.2, 0.02)
    contours = contours_of(points, triangles)
    assert len(contours) == 0
    assert cut_off(triangles, contours, len(points)) == []
    rows, tangled = tangle_rows(points, triangles, contours, GAP, STEP, 100.0)
    assert len(rows) == 0
    assert not tangled.any()
