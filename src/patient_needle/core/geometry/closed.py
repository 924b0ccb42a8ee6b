"""Closed surfaces: whether one has an inside, which way it faces, what lies within, its volume."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import igl
import numpy as np
import trimesh
from numba import njit

from ..model.mesh import TriangleMap
from ..model.typed import Flags, Points, Triangles

ORDER, ACCURACY = 2, 2.0  # of the expansion; far triangles are taken together
FEW, CERTAIN = 16, 1e-6  # so few places are sooner answered by exact sums than by a tree


@dataclass(frozen=True)
class Soundness:
    """crowded: an edge (a, b) that more than two triangles share, and how many such edges there are; opposed:
    two triangles that wind against each other, and how many such edges; inside_out: closed and winding inwards.
    """

    crowded: tuple[int, int] | None
    crowded_count: int
    opposed: tuple[int, int] | None
    opposed_count: int
    inside_out: bool

    @property
    def turned(self) -> bool:
        """Whether turning triangles over would mend it."""
        return self.inside_out or self.opposed is not None


def soundness(points: Points, triangles: Triangles) -> Soundness:
    """Faults in the winding of triangles (m, 3) over points (n, 3) m."""
    count = len(points)
    ways = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2).astype(np.int64)
    code = np.sort(ways, axis=1) @ [count, 1]
    order = np.argsort(code, kind="stable")
    values, starts, shares = np.unique(code[order], return_index=True, return_counts=True)
    many = np.flatnonzero(shares > 2)
    crowded = None if len(many) == 0 else (int(values[many[0]] // count), int(values[many[0]] % count))
    pairs = starts[shares == 2]
    first, second = order[pairs], order[pairs + 1]
    against = np.flatnonzero(ways[first, 0] == ways[second, 0])
    opposed = None
    if len(against):
        opposed = (int(first[against[0]] // 3), int(second[against[0]] // 3))
    a, b, c = (points[triangles[:, k]] for k in range(3))
    closed = bool((shares == 2).all())
    volume = float(np.einsum("ij,ij->", a - points.mean(axis=0), np.cross(b - a, c - a)))
    return Soundness(crowded, len(many), opposed, len(against), closed and opposed is None and volume < 0)


def turned_outwards(points: Points, cut: TriangleMap) -> TriangleMap:
    """The same triangles, wound so that neighbours agree and every closed body looks outwards (trimesh)."""
    solid = trimesh.Trimesh(points, cut.triangles, process=False)
    trimesh.repair.fix_normals(solid, multibody=True)
    wanted = np.asarray(solid.faces)
    first = np.argmax(wanted == cut.triangles[:, :1], axis=1)
    after = wanted[np.arange(len(wanted)), (first + 1) % 3]
    turned = (after != cut.triangles[:, 1])[:, None]
    return replace(
        cut, triangles=np.where(turned, cut.triangles[:, ::-1], cut.triangles),
        corners=np.where(turned, cut.corners[:, ::-1], cut.corners),
    )  # fmt: skip


def insider(points: Points, triangles: Triangles) -> Callable[[Points], Flags]:
    """A question that can be asked of places (k, 3) m: whether each lies inside, (k,) bool.

    Source: G. Barill, N. Dickson, R. Schmidt, D. Levin, A. Jacobson, Fast winding numbers for soups and clouds,
    SIGGRAPH 2018. It errs only within a hair of the surface.
    """
    tree = igl.FastWindingNumberBVH()
    tree.init(np.ascontiguousarray(points, np.float64), np.ascontiguousarray(triangles, np.int64), order=ORDER)

    def asked(places: Points) -> Flags:
        if len(places) == 0:
            return np.zeros(0, bool)
        return np.asarray(tree.winding_number(np.ascontiguousarray(places), ACCURACY)) > 0.5

    return asked


def inside(points: Points, triangles: Triangles, queries: Points) -> Flags:
    """Which queries (k, 3) m lie inside a closed surface, (k,), as `insider` says; nothing without triangles.

    A query on the surface is outside. An open surface encloses nothing by this measure unless it nearly closes.
    """
    if len(queries) == 0 or len(triangles) == 0:
        return np.zeros(len(queries), bool)
    if len(queries) <= FEW:
        corners, faces = np.ascontiguousarray(points, np.float64), triangles.astype(np.int64)
        winds = np.array([igl.winding_number(corners, faces, place) for place in np.asarray(queries, float)])
        # A whole number is certain. On the surface, and of an open one, only the tree's answer counts.
        if (np.abs(winds - np.round(winds)) < CERTAIN).all():
            return winds > 0.5
    return insider(points, triangles)(queries)


def volume(points: Points, triangles: Triangles) -> float:
    """Enclosed volume, m3, positive where normals point outwards; of an open mesh, a number without meaning."""
    return float(volume_slope(points, triangles, np.zeros_like(points)))


@njit(cache=True)
def volume_slope(x, triangles, slope):
    """Add the slope of the volume over points x (n, 3) m to slope (n, 3) m2; return the volume, m3."""
    o0, o1, o2 = x[0, 0], x[0, 1], x[0, 2]
    total = 0.0
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        a0, a1, a2 = x[a, 0] - o0, x[a, 1] - o1, x[a, 2] - o2
        b0, b1, b2 = x[b, 0] - o0, x[b, 1] - o1, x[b, 2] - o2
        c0, c1, c2 = x[c, 0] - o0, x[c, 1] - o1, x[c, 2] - o2
        n0, n1, n2 = b1 * c2 - b2 * c1, b2 * c0 - b0 * c2, b0 * c1 - b1 * c0
        total += (a0 * n0 + a1 * n1 + a2 * n2) / 6.0
        slope[a, 0] += n0 / 6.0
        slope[a, 1] += n1 / 6.0
        slope[a, 2] += n2 / 6.0
        slope[b, 0] += (c1 * a2 - c2 * a1) / 6.0
        slope[b, 1] += (c2 * a0 - c0 * a2) / 6.0
        slope[b, 2] += (c0 * a1 - c1 * a0) / 6.0
        slope[c, 0] += (a1 * b2 - a2 * b1) / 6.0
        slope[c, 1] += (a2 * b0 - a0 * b2) / 6.0
        slope[c, 2] += (a0 * b1 - a1 * b0) / 6.0
    return total
