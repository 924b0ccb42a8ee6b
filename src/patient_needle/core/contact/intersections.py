"""Exact crossings: triangle against triangle, by exact predicates (libigl) where rounding leaves a doubt."""

from __future__ import annotations

import igl
import igl.predicates
import numpy as np

from ..geometry.triangles import unit
from ..model.typed import Indices, Points, Scalars, Triangles
from .apart import doubtful_pairs


def crossing_pairs(
    points_a: Points, triangles_a: Triangles, points_b: Points, triangles_b: Triangles
) -> Indices:
    """Pairs (k, 2) of intersecting triangles of two meshes, in rising order."""
    if len(triangles_a) == 0 or len(triangles_b) == 0:
        return np.zeros((0, 2), np.int32)
    doubtful = doubtful_pairs(points_a, triangles_a, points_b, triangles_b)
    if len(doubtful) == 0:
        return doubtful
    some_a, some_b = np.unique(doubtful[:, 0]), np.unique(doubtful[:, 1])
    _, pairs, _ = igl.predicates.find_intersections(
        np.ascontiguousarray(points_a, np.float64),
        np.ascontiguousarray(triangles_a[some_a], np.int64),
        np.ascontiguousarray(points_b, np.float64),
        np.ascontiguousarray(triangles_b[some_b], np.int64),
    )
    pairs = np.asarray(pairs, np.int64).reshape(-1, 2)
    return _in_order(np.stack([some_a[pairs[:, 0]], some_b[pairs[:, 1]]], axis=1))


def self_crossing_pairs(points: Points, triangles: Triangles) -> Indices:
    """Pairs (k, 2) of triangles of one mesh that intersect, in rising order; neighbours only where they fold
    through.
    """
    if len(triangles) == 0:
        return np.zeros((0, 2), np.int32)
    doubtful = doubtful_pairs(points, triangles, points, triangles, itself=True)
    if len(doubtful) == 0:
        return doubtful
    some = np.unique(doubtful)
    _, pairs, _ = igl.predicates.find_self_intersections(
        np.ascontiguousarray(points, np.float64), np.ascontiguousarray(triangles[some], np.int64)
    )
    return _in_order(np.sort(some[np.asarray(pairs, np.int64).reshape(-1, 2)], axis=1))


def _in_order(pairs: Indices) -> Indices:
    return pairs[np.lexsort((pairs[:, 1], pairs[:, 0]))].astype(np.int32)


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
