"""Distances along a surface, from a point on it or from a line of its vertices.

Each triangle hands on a distance from two corners to the third. From a point: two distances place the source in
the triangle's plane, unfolded (M. Novotni and R. Klein, Computing geodesic distances on triangular meshes, WSCG
2002); exact where the surface can be unrolled without a cut between. From a line: the front is taken as
straight (R. Kimmel and J. A. Sethian, Computing geodesic paths on manifolds, PNAS 95, 1998). A corner is looked
at again whenever it comes nearer, so that blunt triangles do no harm.
"""

from __future__ import annotations

from dataclasses import dataclass
from heapq import heappop, heappush

import numpy as np
from numba import njit

from ..model.typed import Indices, Points, Scalars, Triangles, Vectors
from .topology import incidence


@dataclass(frozen=True, eq=False)
class Walk:
    """A surface to walk on: points (n, 3) m, triangles (m, 3), and the corners at each vertex (`incidence`)."""

    points: Points
    triangles: Triangles
    first: Indices
    around: Indices

    @staticmethod
    def on(points: Points, triangles: Triangles) -> Walk:
        """The surface made ready."""
        first, around = incidence(triangles, len(points))
        return Walk(np.ascontiguousarray(points, float), triangles, first, around)

    def from_point(self, triangle: int, barycentric: Vectors, within: float = np.inf) -> Scalars:
        """Distance (n,) m of each vertex from a place in a triangle, (3,) barycentric; infinite beyond `within`
        and on other pieces.
        """
        corners = self.triangles[triangle]
        place = np.asarray(barycentric, float) @ self.points[corners]
        start = np.linalg.norm(self.points[corners] - place, axis=1)
        return _walk(
            self.points, self.triangles, self.first, self.around, corners.astype(np.int64), start, within, False
        )

    def brushed(
        self, triangle: Indices, barycentric: Vectors, pressure: Scalars, radius: float, soft: float
    ) -> Scalars:
        """What a brush of `radius` m leaves at each vertex, (n,): the most of any of its k places in triangles
        (k,), (k, 3) barycentric, by pressure (k,), falling smoothly to 0 over the last `soft` m of the radius.
        """
        out = np.zeros(len(self.points))
        _brush(
            self.points, self.triangles, self.first, self.around, np.asarray(triangle, np.int64),
            np.ascontiguousarray(barycentric, float), np.ascontiguousarray(pressure, float), radius, soft, out,
        )  # fmt: skip
        return out

    def from_line(self, vertices: Indices, within: float = np.inf) -> Scalars:
        """Distance (n,) m of each vertex from the line that `vertices` (k,) make; infinite beyond `within` and
        on other pieces.
        """
        start = np.asarray(vertices, np.int64)
        return _walk(
            self.points, self.triangles, self.first, self.around, start, np.zeros(len(start)), within, True
        )


@njit(cache=True)
def _walk(points, triangles, first, around, sources, start, within, straight):
    """Distance (n,) m of every vertex from sources (k,) that have start (k,) m; infinite beyond `within` m.

    points (n, 3) m; triangles (m, 3); around (3 m,) corners of the triangles about each vertex, from first (n +
    1,).
    """
    distance = np.full(len(points), np.inf)
    touched = np.empty(len(points), np.int64)
    surface = (points, triangles, first, around)
    _spread(surface, sources, start, within, straight, distance, touched)
    return distance


@njit(cache=True)
def _spread(surface, sources, start, within, straight, distance, touched):
    """Fill in `distance`, infinite before, as far as `within`; which vertices were `touched`, and how many."""
    points, triangles, first, around = surface
    count = 0
    heap = [(0.0, np.int64(0)) for _ in range(0)]
    for k in range(len(sources)):
        vertex = sources[k]
        if start[k] < distance[vertex] and start[k] <= within:
            if distance[vertex] == np.inf:
                touched[count] = vertex
                count += 1
            distance[vertex] = start[k]
            heappush(heap, (start[k], vertex))
    while len(heap) > 0:
        key, vertex = heappop(heap)
        if key > distance[vertex]:
            continue
        for at in range(first[vertex], first[vertex + 1]):
            triangle, place = around[at] // 3, around[at] % 3
            a, b = triangles[triangle, (place + 1) % 3], triangles[triangle, (place + 2) % 3]
            for one, other in ((a, b), (b, a)):
                new = _handed_on(points, vertex, one, other, distance[vertex], distance[one], straight)
                if new < distance[other] * (1.0 - 1e-12) and new <= within:
                    if distance[other] == np.inf:
                        touched[count] = other
                        count += 1
                    distance[other] = new
                    heappush(heap, (new, np.int64(other)))
    return count


@njit(cache=True)
def _brush(points, triangles, first, around, triangle, barycentric, pressure, radius, soft, out):
    """The most of pressure times fall-off that any hit gives each vertex, into `out` (n,).

    h hits: triangle (h,), barycentric (h, 3), pressure (h,); radius, soft m, as `Walk.brushed`
    has them; the surface as in `_walk`.
    """
    distance = np.full(len(points), np.inf)
    touched = np.empty(len(points), np.int64)
    surface = (points, triangles, first, around)
    sources, start, place = np.empty(3, np.int64), np.empty(3), np.empty(3)
    for k in range(len(triangle)):
        place[:] = 0.0
        for corner in range(3):
            sources[corner] = triangles[triangle[k], corner]
            place += barycentric[k, corner] * points[sources[corner]]
        for corner in range(3):
            start[corner] = np.sqrt(((points[sources[corner]] - place) ** 2).sum())
        count = _spread(surface, sources, start, radius, False, distance, touched)
        for at in range(count):
            vertex = touched[at]
            share = min((radius - distance[vertex]) / soft, 1.0) if soft > 0.0 else 1.0
            out[vertex] = max(out[vertex], pressure[k] * share * share * (3.0 - 2.0 * share))
            distance[vertex] = np.inf


@njit(cache=True)
def _handed_on(points, a, b, c, to_a, to_b, straight):
    """Distance of c by its triangle's corners a and b."""
    ax, ay, az = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
    ex, ey, ez = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
    edge = np.sqrt(ex * ex + ey * ey + ez * ez)
    side = np.sqrt(ax * ax + ay * ay + az * az)
    along = to_a + side
    if not np.isfinite(to_b) or edge <= 0.0:
        return along
    bx, by, bz = points[c, 0] - points[b, 0], points[c, 1] - points[b, 1], points[c, 2] - points[b, 2]
    along = min(along, to_b + np.sqrt(bx * bx + by * by + bz * bz))
    # c in the plane of the edge: x along it from a, y off it, above.
    x = (ax * ex + ay * ey + az * ez) / edge
    y = np.sqrt(max(side * side - x * x, 0.0))
    if straight:
        slope = (to_b - to_a) / edge
        if abs(slope) > 1.0:
            return along
        rise = np.sqrt(1.0 - slope * slope)
        foot = x - y * slope / rise if rise > 1e-12 else -1.0
        return to_a + slope * x + rise * y if 0.0 <= foot <= edge else along
    sx = (to_a * to_a - to_b * to_b + edge * edge) / (2.0 * edge)
    below = to_a * to_a - sx * sx
    if below < 0.0:
        return along
    sy = np.sqrt(below)  # the source is that far below the edge
    foot = sx + (x - sx) * sy / (sy + y) if sy + y > 0.0 else sx
    return np.sqrt((x - sx) ** 2 + (y + sy) ** 2) if 0.0 <= foot <= edge else along
