"""Areas and normals of triangles and vertices."""

from __future__ import annotations

import numpy as np

from ..model.typed import Points, Scalars, Triangles, Vectors


def area_vectors(points: Points, triangles: Triangles) -> Vectors:
    """Normal times area of each triangle, (m, 3) m2; zero for a triangle without area."""
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return np.cross(b - a, c - a) / 2


def triangle_areas(points: Points, triangles: Triangles) -> Scalars:
    """(m,) m2."""
    return np.linalg.norm(area_vectors(points, triangles), axis=1)


def unit(vectors: Vectors) -> Vectors:
    """Vectors (n, 3) at length 1; a zero vector stays zero."""
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    return vectors / np.where(length > 0, length, 1.0)


def vertex_normals(points: Points, triangles: Triangles) -> Vectors:
    """Area-weighted unit normals, (n, 3); zero for a vertex without faces."""
    weighted = area_vectors(points, triangles)
    total = np.zeros_like(points)
    for corner in range(3):
        for axis in range(3):
            total[:, axis] += np.bincount(triangles[:, corner], weighted[:, axis], minlength=len(points))
    return unit(total)


def vertex_areas(points: Points, triangles: Triangles) -> Scalars:
    """A third of the area of each incident triangle, (n,) m2."""
    third = triangle_areas(points, triangles) / 3
    out = np.zeros(len(points))
    for corner in range(3):
        out += np.bincount(triangles[:, corner], third, minlength=len(points))
    return out
