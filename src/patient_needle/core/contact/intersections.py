"""Exact crossings: triangle against triangle, by exact predicates (libigl)."""

from __future__ import annotations

import igl
import igl.predicates
import numpy as np

from ..geometry.triangles import unit
from ..model.typed import Indices, Points, Scalars, Triangles


def crossing_pairs(
    points_a: Points, triangles_a: Triangles, points_b: Points, triangles_b: Triangles
) -> Indices:
    """Pairs (k, 2) of intersecting triangles of two meshes."""
    if len(triangles_a) == 0 or len(triangles_b) == 0:
        return np.zeros((0, 2), np.int32)
    _, pairs, _ = igl.predicates.find_intersections(
        np.ascontiguousarray(points_a, np.float64),
        np.ascontiguousarray(triangles_a, np.int64),
        np.ascontiguousarray(points_b, np.float64),
        np.ascontiguousarray(triangles_b, np.int64),
    )
    return np.asarray(pairs, np.int32).reshape(-1, 2)


def self_crossing_pairs(points: Points, triangles: Triangles) -> Indices:
    """Pairs (k, 2) of triangles of one mesh that intersect; neighbours only where they fold through."""
    _, pairs, _ = igl.predicates.find_self_intersections(
        np.ascontiguousarray(points, np.float64), np.ascontiguousarray(triangles, np.int64)
    )
    return np.asarray(pairs, np.int32).reshape(-1, 2)


def crossing_depths(
    points_a: Points, triangles_a: Triangles, points_b: Points, triangles_b: Triangles
) -> Scalars:
    """How far (k,) m each of k triangles reaches through its partner: the least way square to either of the two
    that would part them; 0 where they do not reach past each other's plane.
    """
    reach = [
        _beyond(points_a[triangles_a], points_b[triangles_b]),
        _beyond(points_b[triangles_b], points_a[triangles_a]),
    ]
    return np.minimum(*reach)


def _beyond(corners: Points, other: Points) -> Scalars:
    """How far the corners (k, 3, 3) lie on the lesser side of the other triangle's plane, (k,) m."""
    normal = np.cross(other[:, 1] - other[:, 0], other[:, 2] - other[:, 0])
    height = np.einsum("kij,kj->ki", corners - other[:, :1], unit(normal))
    return np.maximum(np.minimum(height.max(axis=1), -height.min(axis=1)), 0.0)
