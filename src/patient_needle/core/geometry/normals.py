"""Areas and normals of triangles and vertices."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..model.typed import Points, Scalars, Triangles, Vectors


def area_vectors(points: Points, triangles: Triangles) -> Vectors:
    """Normal times area of each triangle, (m, 3) m2; zero for a triangle without area."""
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return np.cross(b - a, c - a) / 2


def triangle_areas(points: Points, triangles: Triangles) -> Scalars:
    """(m,) m2."""
    return lengths(area_vectors(points, triangles))


def lengths(vectors: Vectors) -> Scalars:
    """(n,) of vectors (n, 3); to the last bit those of `numpy.linalg.norm`, which takes three times as long."""
    x, y, z = vectors.T
    return np.asarray(np.sqrt(x * x + y * y + z * z))


def unit(vectors: Vectors) -> Vectors:
    """Vectors (n, 3) at length 1; a zero vector stays zero."""
    length = lengths(vectors)
    return vectors / np.where(length > 0, length, 1.0)[:, None]


def vertex_normals(points: Points, triangles: Triangles) -> Vectors:
    """Area-weighted unit normals, (n, 3); zero for a vertex without faces."""
    total = np.zeros_like(points)
    _add_normals(points, triangles, total)
    return unit(total)


def vertex_areas(points: Points, triangles: Triangles) -> Scalars:
    """A third of the area of each incident triangle, (n,) m2."""
    return shared_areas(triangle_areas(points, triangles), triangles, len(points))


def shared_areas(areas: Scalars, triangles: Triangles, count: int) -> Scalars:
    """A third of each triangle's area (m,) m2 for each of its vertices, summed, (count,) m2."""
    out = np.zeros(count)
    for corner in range(3):
        out += np.bincount(triangles[:, corner], areas / 3, minlength=count)
    return out


@njit(cache=True)
def _add_normals(points, triangles, total):
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        e0, e1, e2 = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        f0, f1, f2 = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        n0, n1, n2 = e1 * f2 - e2 * f1, e2 * f0 - e0 * f2, e0 * f1 - e1 * f0
        for k in range(3):
            v = triangles[t, k]
            total[v, 0] += n0
            total[v, 1] += n1
            total[v, 2] += n2
