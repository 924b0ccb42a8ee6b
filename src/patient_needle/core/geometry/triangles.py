"""Elementary measures of triangles: closest points, areas, normals, dihedral angles."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..model.typed import Indices, Points, Scalars, Triangles, Vectors


@njit(cache=True)
def point_triangle(p0, p1, p2, a0, a1, a2, b0, b1, b2, c0, c1, c2):
    """Barycentric coordinates (u, v, w) of the point of triangle abc closest to p.

    A triangle without area gives a point on one of its edges or corners.
    """
    ab0, ab1, ab2 = b0 - a0, b1 - a1, b2 - a2
    ac0, ac1, ac2 = c0 - a0, c1 - a1, c2 - a2
    ap0, ap1, ap2 = p0 - a0, p1 - a1, p2 - a2
    d1 = ab0 * ap0 + ab1 * ap1 + ab2 * ap2
    d2 = ac0 * ap0 + ac1 * ap1 + ac2 * ap2
    if d1 <= 0.0 and d2 <= 0.0:
        return 1.0, 0.0, 0.0
    bp0, bp1, bp2 = p0 - b0, p1 - b1, p2 - b2
    d3 = ab0 * bp0 + ab1 * bp1 + ab2 * bp2
    d4 = ac0 * bp0 + ac1 * bp1 + ac2 * bp2
    if d3 >= 0.0 and d4 <= d3:
        return 0.0, 1.0, 0.0
    vc = d1 * d4 - d3 * d2
    if vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0 and d1 > d3:
        v = d1 / (d1 - d3)
        return 1.0 - v, v, 0.0
    cp0, cp1, cp2 = p0 - c0, p1 - c1, p2 - c2
    d5 = ab0 * cp0 + ab1 * cp1 + ab2 * cp2
    d6 = ac0 * cp0 + ac1 * cp1 + ac2 * cp2
    if d6 >= 0.0 and d5 <= d6:
        return 0.0, 0.0, 1.0
    vb = d5 * d2 - d1 * d6
    if vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0 and d2 > d6:
        w = d2 / (d2 - d6)
        return 1.0 - w, 0.0, w
    va = d3 * d6 - d5 * d4
    if va <= 0.0 and (d4 - d3) >= 0.0 and (d5 - d6) >= 0.0 and (d4 - d3) + (d5 - d6) > 0.0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        return 0.0, 1.0 - w, w
    total = va + vb + vc
    if total <= 0.0:
        return 1.0, 0.0, 0.0
    return 1.0 - (vb + vc) / total, vb / total, vc / total


@njit(cache=True)
def segment_segment(x, a, b, c, d):
    """Parameters (s, t) in [0, 1] of the closest points of segments ab and cd, points of x (n, 3).

    Parallel segments give s = 0 or an end of the overlap. Segments without length are not allowed.
    """
    u0, u1, u2 = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
    v0, v1, v2 = x[d, 0] - x[c, 0], x[d, 1] - x[c, 1], x[d, 2] - x[c, 2]
    r0, r1, r2 = x[a, 0] - x[c, 0], x[a, 1] - x[c, 1], x[a, 2] - x[c, 2]
    uu = u0 * u0 + u1 * u1 + u2 * u2
    vv = v0 * v0 + v1 * v1 + v2 * v2
    vr = v0 * r0 + v1 * r1 + v2 * r2
    ur = u0 * r0 + u1 * r1 + u2 * r2
    uv = u0 * v0 + u1 * v1 + u2 * v2
    denominator = uu * vv - uv * uv
    s = 0.0
    if denominator > 1e-12 * uu * vv:
        s = min(1.0, max(0.0, (uv * vr - ur * vv) / denominator))
    t = (uv * s + vr) / vv
    if t < 0.0:
        t = 0.0
        s = min(1.0, max(0.0, -ur / uu))
    elif t > 1.0:
        t = 1.0
        s = min(1.0, max(0.0, (uv - ur) / uu))
    return s, t


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


def flat_areas(corners: Vectors) -> Scalars:
    """Areas (m,) of triangles by their corners (m, 3, 2) in a plane, never below 0."""
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    return np.asarray(np.abs(e1[:, 0] * e2[:, 1] - e1[:, 1] * e2[:, 0]) / 2)


def vertex_areas(points: Points, triangles: Triangles) -> Scalars:
    """A third of the area of each incident triangle, (n,) m2."""
    return shared_areas(triangle_areas(points, triangles), triangles, len(points))


def shared_areas(areas: Scalars, triangles: Triangles, count: int) -> Scalars:
    """A third of each triangle's area (m,) m2 for each of its vertices, summed, (count,) m2."""
    out = np.zeros(count)
    for corner in range(3):
        out += np.bincount(triangles[:, corner], areas / 3, minlength=count)
    return out


@njit(cache=True, inline="always")
def corners_of(triangles, t):
    """The corners of triangle t of triangles (m, 3), unsigned: an index without a sign needs no look at it."""
    return np.uint32(triangles[t, 0]), np.uint32(triangles[t, 1]), np.uint32(triangles[t, 2])


@njit(cache=True)
def _add_normals(points, triangles, total):
    """Add each triangle's area vector to its corners.

    points (n, 3) m; triangles (m, 3); total (n, 3) m2.
    """
    for t in range(triangles.shape[0]):
        a, b, c = corners_of(triangles, t)
        e0, e1, e2 = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        f0, f1, f2 = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        n0, n1, n2 = e1 * f2 - e2 * f1, e2 * f0 - e0 * f2, e0 * f1 - e1 * f0
        for v in (a, b, c):
            total[v, 0] += n0
            total[v, 1] += n1
            total[v, 2] += n2


def dihedral_angles(points: Points, hinges: Indices) -> Scalars:
    """Signed angle between the two triangles of each hinge, (h,) rad; 0 when they are flat.

    hinges (h, 4): edge a, b, opposite c (left of a to b) and d. Positive when the fold rises toward the
    normals.
    """
    a, b, c, d = (points[hinges[:, k]] for k in range(4))
    left = unit(np.cross(b - a, c - a))
    right = unit(np.cross(d - a, b - a))
    along = unit(b - a)
    sine = np.einsum("ij,ij->i", np.cross(left, right), along)
    return np.arctan2(sine, np.einsum("ij,ij->i", left, right))


def flat_bending_rows(points: Points, hinges: Indices) -> Vectors:
    """Coefficients (h, 4) whose product with a, b, c, d is the edge's length times its bend.

    Source: M. Bergou et al., A quadratic bending model for inextensible surfaces, 2006.
    """
    a, b, c, d = (points[hinges[:, k]] for k in range(4))
    ac, bc = _cotangent(a, b, c), _cotangent(b, a, c)
    ad, bd = _cotangent(a, b, d), _cotangent(b, a, d)
    return np.stack([bc + bd, ac + ad, -(ac + bc), -(ad + bd)], axis=1)


def _cotangent(at: Points, one: Points, other: Points) -> Scalars:
    u, v = one - at, other - at
    return np.einsum("ij,ij->i", u, v) / np.linalg.norm(np.cross(u, v), axis=1)
