"""Exact count of what has gone through: triangle against triangle by exact predicates (libigl)."""

from __future__ import annotations

import igl
import igl.predicates
import numpy as np

from ..model.typed import Flags, Indices, Points, Triangles


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


def inside(points: Points, triangles: Triangles, queries: Points) -> Flags:
    """Whether each query (k, 3) lies inside a closed surface: generalised winding number over one half.

    Source: A. Jacobson, L. Kavan, O. Sorkine-Hornung, Robust inside-outside segmentation, SIGGRAPH 2013.
    An open surface encloses nothing by this measure unless it nearly closes.
    """
    if len(queries) == 0 or len(triangles) == 0:
        return np.zeros(len(queries), bool)
    winding = igl.winding_number(
        np.ascontiguousarray(points, np.float64),
        np.ascontiguousarray(triangles, np.int64),
        np.ascontiguousarray(queries, np.float64),
    )
    return np.asarray(winding) > 0.5
