"""Looks and readings against what is known by construction."""

from __future__ import annotations

import igl
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from patient_needle.core.craft.cast.run_in import StagedMotion
from patient_needle.core.craft.inspect.looks import NEAR, closeness_per_vertex, picked, stretch_per_vertex
from patient_needle.core.geometry.motion import CachedMotion
from patient_needle.core.geometry.topology import build_topology
from patient_needle.core.model.errors import CastError
from patient_needle.core.model.shot import RunIn
from tests.sheets import box, sheet


def test_stretch_is_the_strain_of_the_worst_edge():
    points, triangles = sheet(0.2, 0.2, 0.05)
    topology = build_topology(triangles, len(points))
    rest = np.linalg.norm(points[topology.edges[:, 0]] - points[topology.edges[:, 1]], axis=1)
    assert stretch_per_vertex(topology, rest, points * 0.9).max() == 0  # compression is none
    assert stretch_per_vertex(topology, rest, points * 1.03) == pytest.approx(0.03)
    pulled = points.copy()
    pulled[0] += [-1.0, 0, 0]
    strain = stretch_per_vertex(topology, rest, pulled)
    around = np.unique(topology.edges[(topology.edges == 0).any(axis=1)])
    assert set(np.flatnonzero(strain > 0)) == set(around.tolist())


def test_closeness_is_the_distance_and_ends_at_near():
    points, faces = box((0, 0, 0), (1, 1, 1))
    queries = np.array([[0.5, 1.01, 0.5], [0.5, 0.5, 1.002], [2.0, 2, 2]])
    assert closeness_per_vertex(queries, points, faces) == pytest.approx([0.01, 0.002, NEAR])
    assert closeness_per_vertex(queries, points, faces[:0]) == pytest.approx([NEAR] * 3)


@given(st.integers(0, 2**32 - 1))
def test_a_ray_hits_what_libigl_hits(seed):
    """Against libigl's own ray casting."""
    points, faces = box((-0.3, 0.2, -0.4), (0.5, 0.9, 0.6))
    rng = np.random.default_rng(seed)
    origin, direction = rng.uniform(-2, 2, 3), rng.normal(size=3)
    found = picked(points, faces, origin, direction)
    hits = igl.ray_mesh_intersect(origin, direction, points, faces)
    nearest = min((along for _, along, _, _ in hits), default=None)
    assert (found is None) == (nearest is None)
    if found is not None:
        triangle, barycentric, along = found
        assert barycentric.sum() == pytest.approx(1)
        assert barycentric @ points[faces[triangle]] == pytest.approx(origin + along * direction, abs=1e-9)
        assert along == pytest.approx(nearest, rel=1e-4)


def test_motion_can_be_looked_at_outside_its_span_but_not_simulated():
    frames = np.arange(4.0)[:, None, None] * np.ones((1, 2, 3))
    motion = CachedMotion(-np.ones((2, 3)), frames, 1001)
    staged = StagedMotion(motion, RunIn(2, 2), 1001)
    assert staged.shown_at(900)[0, 0] == -1
    assert staged.shown_at(1003)[0, 0] == 2
    assert staged.shown_at(1200)[0, 0] == 3
    with pytest.raises(CastError):
        staged.at(1200)
    assert StagedMotion(motion, RunIn(2, 2), 2000).shown_at(2005)[0, 0] == -1
