"""Pairs that are parted for certain, against exact predicates on all pairs (libigl)."""

from __future__ import annotations

import igl.predicates
import numpy as np
import pytest

from patient_needle.core.contact import apart
from patient_needle.core.contact.apart import doubtful_pairs
from patient_needle.core.contact.intersections import crossing_pairs, self_crossing_pairs
from patient_needle.core.model.errors import SolverError
from tests.sheets import sheet

EMPTY = np.zeros((0, 3), np.int32)


def crumpled(size: float, seed: int):
    points, triangles = sheet(0.4, 0.3, 0.03)
    return points + np.random.default_rng(seed).normal(size=points.shape) * size, triangles


def exact(*meshes) -> set[tuple[int, int]]:
    find = igl.predicates.find_intersections if len(meshes) == 4 else igl.predicates.find_self_intersections
    pairs = np.asarray(find(*(np.asarray(m, m.dtype if m.dtype == float else np.int64) for m in meshes))[1])
    return {tuple(pair) for pair in pairs.reshape(-1, 2).tolist()}


@pytest.mark.parametrize("size", [0.0, 0.002, 0.02])
@pytest.mark.parametrize("away", [0.0, 1e3])
def test_the_crossings_are_those_of_exact_predicates_on_every_pair(size, away):
    points, triangles = crumpled(size, 3)
    points = points + away
    own = {tuple(sorted(pair)) for pair in exact(points, triangles)}
    assert {tuple(pair) for pair in self_crossing_pairs(points, triangles).tolist()} == own
    other = points[:, [2, 1, 0]] + [0.2, 0.01, -0.1]
    found = {tuple(pair) for pair in crossing_pairs(points, triangles, other, triangles).tolist()}
    assert found == exact(points, triangles, other, triangles)
    assert len(found) > 0


def test_smooth_cloth_leaves_no_doubt_and_folded_cloth_does():
    points, triangles = sheet(0.4, 0.3, 0.03)
    rolled = np.stack([np.sin(4 * points[:, 0]) / 4, points[:, 1], np.cos(4 * points[:, 0]) / 4], axis=1)
    assert len(doubtful_pairs(rolled, triangles, rolled, triangles, itself=True)) < 0.05 * len(triangles)
    flat = points.copy()
    flat[:, 0] = np.abs(flat[:, 0] - 0.2)  # folded flat onto itself: only exact predicates can tell
    assert len(doubtful_pairs(flat, triangles, flat, triangles, itself=True)) > len(triangles)


def test_what_touches_in_a_point_or_lies_far_away():
    corner = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0]])
    one = np.array([[0, 1, 2]], np.int32)
    touching = np.array([[0.0, 0, 0], [-1, 0, 0.5], [0, -1, 0.5]])
    assert crossing_pairs(corner, one, touching, one).tolist() == [[0, 0]]
    assert len(crossing_pairs(corner, one, touching - [1e-9, 1e-9, 0], one)) == 0
    assert len(crossing_pairs(corner, one, touching + 50.0, one)) == 0
    assert len(crossing_pairs(corner, EMPTY, touching, one)) == 0
    assert len(self_crossing_pairs(corner, EMPTY)) == 0


def test_a_few_large_triangles_among_many_small_ones_keep_the_grid_small(monkeypatch):
    points, triangles = sheet(1.0, 1.0, 0.05)
    large = np.array([[-9.0, -9, -9], [9, -9, 9], [0, 9, 1]])
    other = np.concatenate([points, large])
    faces = np.concatenate([triangles, np.full((40, 3), len(points)) + [0, 1, 2]]).astype(np.int32)
    reached = []
    real = apart._sorted_into
    monkeypatch.setattr(apart, "_sorted_into", lambda *args: reached.append(real(*args)) or reached[-1])
    found = {tuple(pair) for pair in crossing_pairs(points, triangles, other, faces).tolist()}
    assert len(reached[0][1]) <= apart.MOST_SHARED * len(faces)
    assert found == exact(points, triangles, other, faces)


def test_a_point_that_is_no_number_is_said():
    points, triangles = sheet(0.2, 0.2, 0.1)
    points[3] = np.nan
    with pytest.raises(SolverError, match="no number"):
        self_crossing_pairs(points, triangles)
