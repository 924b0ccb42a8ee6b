"""Letting a garment out: a ring of it is made longer, and the cloth on both sides follows."""

from __future__ import annotations

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra
from shapely import MultiPoint

from ..model.mesh import Topology
from ..model.typed import Indices, Points


def let_out(points: Points, topology: Topology, ring: Indices, share: float, reach: float) -> Points:
    """Points (n, 3) m in which a ring of vertices (k,) is longer by `share` of its length.

    The ring is spread from its middle in its own plane. What lies further off along the cloth is spread less,
    and from `reach` m on not at all. A ring without extent changes nothing.
    """
    edges = topology.edges
    n = len(points)
    lengths = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1)
    graph = coo_matrix((np.maximum(lengths, 1e-9), (edges[:, 0], edges[:, 1])), shape=(n, n)).tocsr()
    away = np.minimum(dijkstra(graph, directed=False, indices=ring, min_only=True, limit=reach) / reach, 1.0)
    fade = 1.0 - away * away * (3.0 - 2.0 * away)
    centre = points[ring].mean(axis=0)
    axis = np.linalg.svd(points[ring] - centre, full_matrices=False)[2][2]
    aside = points - centre
    aside = aside - (aside @ axis)[:, None] * axis
    return np.asarray(points + share * fade[:, None] * aside)


def girth_of(points: Points, ring: Indices) -> float:
    """Length in m of a string drawn tight around vertices (k,) of a ring, in its own plane."""
    centre = points[ring].mean(axis=0)
    flat = (points[ring] - centre) @ np.linalg.svd(points[ring] - centre, full_matrices=False)[2][:2].T
    return float(MultiPoint(flat).convex_hull.length)
