"""Rows: two points that must stay apart along a fixed normal.

A vertex-triangle pair gives three rows and an edge-edge pair four. While every row of a pair stays
positive to the end of a substep, straight motion cannot have brought its members through each other:
the row certifies the path as well as the end.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from ..model.tolerances import DEFAULT, Tolerances
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .pairs import Pairs


@dataclass(frozen=True, eq=False)
class Surroundings:
    """What the colliders ask of contact; k collider triangles, p parts.

    gap       (k,) m wanted between the surfaces' middles: clearance + half of each thickness
    friction  (k,) Coulomb coefficient of the cloth on this triangle
    part      (k,) int32, which part of which collider
    rank      (p,) int32, the part with the lower rank is let go last in a pinched place
    """

    gap: Scalars
    friction: Scalars
    part: Indices
    rank: Indices


@dataclass(frozen=True, eq=False)
class Rows:
    """m rows; the gap of row i is normal[i] . (x[ends[i, 0]] - x[ends[i, 1]]).

    ends (m, 2) int32; normal (m, 3) unit; stiffness (m,) N/m; soft (m,) m, gap below which the row pushes;
    depth (m,) m, how far under that it pushes with stiffness times depth; hard (m,) m, gap the filter keeps;
    carrier (m,) int32 collider triangle.
    """

    ends: Indices
    normal: Vectors
    stiffness: Scalars
    soft: Scalars
    depth: Scalars
    hard: Scalars
    carrier: Indices

    def __len__(self) -> int:
        return len(self.soft)

    def joined(self, other: Rows | None) -> Rows:
        """These rows, then the others."""
        if other is None:
            return self
        return Rows(
            *(np.concatenate([getattr(self, name), getattr(other, name)]) for name in Rows.__dataclass_fields__)
        )

    def stiffer(self, factor: float) -> Rows:
        """The same rows pushing `factor` times as hard."""
        return replace(self, stiffness=self.stiffness * factor)

    def softer_gap(self, share: float) -> Rows:
        """The same rows with their hard gap shrunk to `share`."""
        return replace(self, hard=self.hard * share)


def armed(pairs: Pairs, around: Surroundings, released: Flags, cloth_count: int) -> Pairs:
    """Pairs none of whose cloth vertices is released from the pair's part; released (n, p) bool."""
    if not released.any():
        return pairs
    cloth = pairs.vertices < cloth_count
    let_go = released[np.where(cloth, pairs.vertices, 0), around.part[pairs.carrier][:, None]]
    return pairs.only(np.asarray(~(let_go & cloth).any(axis=1)))


def build_rows(
    pairs: Pairs,
    start: Points,
    colliders: Triangles,
    around: Surroundings,
    prescribed: Flags,
    stiffness: float,
    tolerances: Tolerances = DEFAULT,
) -> Rows:
    """Rows of `pairs`, leaving out those between two points that are both prescribed.

    start (n, 3) m, where the pairs were found; colliders (k, 3) triangles; prescribed (n,) bool for all points
    of the scene; stiffness N/m of a vertex-triangle pair's row (an edge-edge row gets half, since there are
    more of them). Each row's normal comes from `_orient`.
    """
    room = int(np.where(pairs.edge_edge, 4, 3).sum())
    rows = Rows(
        np.zeros((room, 2), np.int32),
        np.zeros((room, 3)),
        np.zeros(room),
        np.zeros(room),
        np.zeros(room),
        np.zeros(room),
        np.zeros(room, np.int32),
    )
    depth = around.gap[pairs.carrier]
    soft = depth
    normal, height, passing = _oriented(pairs, start, colliders, soft, tolerances)
    hard = np.minimum(
        height,
        np.maximum(tolerances.hard_share * np.minimum(height, soft), tolerances.hard_floor_share * soft),
    )
    soft = np.where(passing, np.minimum(soft, height), soft)
    used = _expand(
        pairs.vertices, pairs.edge_edge, normal, pairs.carrier, soft, depth, hard, prescribed, stiffness,
        rows.ends, rows.normal, rows.stiffness, rows.soft, rows.depth, rows.hard, rows.carrier,
    )  # fmt: skip
    return Rows(*(getattr(rows, name)[:used] for name in Rows.__dataclass_fields__))


def _oriented(
    pairs: Pairs, start: Points, colliders: Triangles, soft: Scalars, tolerances: Tolerances
) -> tuple[Vectors, Scalars, Flags]:
    """Normal (m, 3) of each pair, the least gap of its rows along it (m,) m, and whether it only passes by."""
    normal, height = pairs.normal.copy(), pairs.gap.copy()
    passing = np.zeros(len(pairs), np.bool_)
    _orient(
        pairs.vertices, pairs.edge_edge, pairs.gap, colliders[pairs.carrier], start, soft,
        tolerances.aligned_share, tolerances.hard_share, normal, height, passing,
    )  # fmt: skip
    return normal, height, passing


@njit(cache=True)
def _orient(
    vertices, edge_edge, gap, carriers, x, soft, aligned, least, normal, height, passing
):  # fmt: skip
    """Turn the normals of pairs that lie side by side to the normal of the surface between them.

    The line between the closest points of a vertex and the triangle beside the one below it slants along the
    surface: a half-space across it would stop cloth from sliding. The plane of that triangle separates them
    as well as long as the vertex is above it, and lets it slide. So the plane's normal is taken where the pair
    is further apart than the gap wanted (it passes by, and must not be pushed further), or where both normals
    nearly agree.
    """
    for i in range(gap.shape[0]):
        v = vertices[i]
        if edge_edge[i]:
            a, b, c = carriers[i, 0], carriers[i, 1], carriers[i, 2]
        else:
            a, b, c = v[1], v[2], v[3]
        e0, e1, e2 = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
        f0, f1, f2 = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
        n0, n1, n2 = e1 * f2 - e2 * f1, e2 * f0 - e0 * f2, e0 * f1 - e1 * f0
        length = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
        if length == 0.0:
            continue
        n0, n1, n2 = n0 / length, n1 / length, n2 / length
        if n0 * normal[i, 0] + n1 * normal[i, 1] + n2 * normal[i, 2] < 0.0:
            n0, n1, n2 = -n0, -n1, -n2
        if edge_edge[i]:
            low = np.inf
            for k in range(2):
                for m in range(2, 4):
                    p, q = v[k], v[m]
                    low = min(
                        low, n0 * (x[p, 0] - x[q, 0]) + n1 * (x[p, 1] - x[q, 1]) + n2 * (x[p, 2] - x[q, 2])
                    )
        else:
            p = v[0]
            low = n0 * (x[p, 0] - x[a, 0]) + n1 * (x[p, 1] - x[a, 1]) + n2 * (x[p, 2] - x[a, 2])
        near = gap[i] < soft[i]
        if low >= aligned * gap[i] or (not near and low >= least * soft[i]):
            normal[i, 0], normal[i, 1], normal[i, 2] = n0, n1, n2
            height[i] = low
            passing[i] = not near


@njit(cache=True)
def _expand(
    vertices, edge_edge, normal, carrier, soft, depth, hard, prescribed, stiffness,
    ends, out_normal, out_stiffness, out_soft, out_depth, out_hard, out_carrier,
):  # fmt: skip
    used = 0
    for i in range(vertices.shape[0]):
        firsts = 2 if edge_edge[i] else 1
        for k in range(firsts):
            a = vertices[i, k]
            for m in range(firsts, 4):
                b = vertices[i, m]
                if prescribed[a] and prescribed[b]:
                    continue
                ends[used, 0], ends[used, 1] = a, b
                for j in range(3):
                    out_normal[used, j] = normal[i, j]
                out_stiffness[used] = stiffness * (0.5 if edge_edge[i] else 1.0)
                out_soft[used] = soft[i]
                out_depth[used] = depth[i]
                out_hard[used] = hard[i]
                out_carrier[used] = carrier[i]
                used += 1
    return used


def nearest_carriers(pairs: Pairs, cloth_count: int) -> Indices:
    """The collider triangle of each cloth vertex's nearest pair, (n,) int32; -1 without one."""
    carrier = np.full(cloth_count, -1, np.int32)
    _nearest(pairs.vertices, pairs.gap, pairs.carrier, np.full(cloth_count, np.inf), carrier)
    return carrier


@njit(cache=True)
def _nearest(vertices, gap, carrier, best, out):
    for i in range(gap.shape[0]):
        for k in range(4):
            v = vertices[i, k]
            if v < best.shape[0] and gap[i] < best[v]:
                best[v] = gap[i]
                out[v] = carrier[i]


def misses(points: Points, rows: Rows, slip: float = DEFAULT.row_slip) -> tuple[Scalars, Flags]:
    """How far each row is under its hard gap, (m,) m (0 when it holds), and which fail beyond `slip`."""
    gaps = np.einsum("ij,ij->i", points[rows.ends[:, 0]] - points[rows.ends[:, 1]], rows.normal)
    missing = np.maximum(rows.hard - gaps, 0.0)
    return missing, (missing > 0) & (missing > slip * rows.hard)
