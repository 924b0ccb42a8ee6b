"""Values per vertex to look at: stretch, and distance to the nearest collider."""

from __future__ import annotations

import numpy as np

from ...geometry.tree import build_tree, closest_points
from ...model.mesh import Topology
from ...model.typed import Points, Scalars, Triangles

NEAR = 0.05  # m; further is as good as away


def stretch_per_vertex(topology: Topology, rest: Scalars, now: Points) -> Scalars:
    """The largest strain of a vertex's edges, (n,), compression counted as nothing; 0 at a lone vertex.

    rest (e,) m, how long each edge is at rest; now (n, 3) m.
    """
    a, b = topology.edges[:, 0], topology.edges[:, 1]
    strain = np.maximum(np.linalg.norm(now[a] - now[b], axis=1) / rest - 1, 0.0)
    out = np.zeros(len(now))
    np.maximum.at(out, a, strain)
    np.maximum.at(out, b, strain)
    return out


def closeness_per_vertex(points: Points, around: Points, triangles: Triangles) -> Scalars:
    """Distance (n,) m of each vertex from the colliders, `NEAR` when that is further or there are none."""
    if len(triangles) == 0:
        return np.full(len(points), NEAR)
    _, _, distance = closest_points(build_tree(around, triangles), around, points, NEAR)
    return np.minimum(distance, NEAR)


def picked(
    points: Points, triangles: Triangles, origin: Points, direction: Points
) -> tuple[int, Points, float] | None:
    """The first triangle a ray meets, where (barycentric (3,)) and how far in m; None when it meets none.

    origin, direction (3,). Both sides of the cloth count. Source: T. Moeller and B. Trumbore, Fast, minimum
    storage ray/triangle intersection, 1997.
    """
    a, b, c = (points[triangles[:, k]] for k in range(3))
    e1, e2 = b - a, c - a
    p = np.cross(direction, e2)
    det = np.einsum("ij,ij->i", e1, p)
    safe = np.where(np.abs(det) > 1e-15, det, np.inf)
    s = origin - a
    u = np.einsum("ij,ij->i", s, p) / safe
    q = np.cross(s, e1)
    v = q @ direction / safe
    t = np.einsum("ij,ij->i", e2, q) / safe
    hit = (u >= 0) & (v >= 0) & (u + v <= 1) & (t > 0)
    if not hit.any():
        return None
    first = int(np.argmin(np.where(hit, t, np.inf)))
    return first, np.array([1 - u[first] - v[first], u[first], v[first]]), float(t[first])
