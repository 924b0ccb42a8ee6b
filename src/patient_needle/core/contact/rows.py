"""Rows: two points that must stay apart along a fixed normal.

A vertex-triangle pair gives three rows and an edge-edge pair four. While every row of a pair stays
positive to the end of a substep, straight motion cannot have brought its members through each other:
the row certifies the path as well as the end.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numba import njit, prange

from ..geometry.triangles import point_triangle, segment_segment
from ..model.tolerances import DEFAULT, LEAST_PUSH_SHARE, REST_SHARE, Tolerances
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .orientation import oriented
from .pair_kernels import has_corner
from .pairs import Pairs

# What touches a cloth vertex: a collider, or cloth on its front (where its normal points) or on its back.
COLLIDER, FRONT, BACK = range(3)
SIDES = 3


@dataclass(frozen=True, eq=False)
class Surroundings:
    """What the colliders ask of contact; k collider triangles, p parts.

    clearance (k,) m, which the cloth's own factor multiplies
    thickness (k,) m; half of it and half of the cloth's own come on top
    friction  (k,) square root of the collider's Coulomb coefficient; the cloth's own comes times it
    part      (k,) int32, which part of which collider
    rank      (p,) int32, the part with the lower rank releases cloth last in a pinched place
    off       (p,) bool, parts that are as if they were not there; None for none
    """

    clearance: Scalars
    thickness: Scalars
    friction: Scalars
    part: Indices
    rank: Indices
    off: Flags | None = None

    @property
    def count(self) -> int:
        """K."""
        return len(self.part)

    @property
    def on(self) -> Flags:
        """(k,) which triangles are of parts that are there."""
        return np.ones(self.count, bool) if self.off is None else ~self.off[self.part]

    def at_work(self) -> Surroundings:
        """Of those triangles alone, in order."""
        on = self.on
        return Surroundings(
            self.clearance[on], self.thickness[on], self.friction[on], self.part[on], self.rank
        )  # fmt: skip

    @property
    def gap(self) -> Scalars:
        """(k,) m that cloth without thickness and without a factor of its own keeps."""
        return self.clearance + 0.5 * self.thickness


@dataclass(frozen=True, eq=False)
class Skin:
    """What the cloth asks of contact; n vertices, m triangles.

    triangles (m, 3); near (n, 3) m, a pose whose distances a garment may keep where they are below its
    thickness, NaN where it may not; thickness (n,) m; clearance (n,), factor on that of colliders; garment (m,)
    int32; friction (n,), square root of the coefficient of a vertex on its like.
    """

    triangles: Triangles
    near: Points
    thickness: Scalars
    clearance: Scalars
    garment: Indices
    friction: Scalars


@dataclass(frozen=True, eq=False)
class Rows:
    """m rows; the gap of row i is normal[i] . (x[ends[i, 0]] - x[ends[i, 1]]).

    ends (m, 2) int32; normal (m, 3) unit; stiffness (m,) N/m; soft (m,) m, gap below which the row pushes;
    depth (m,) m, how far under that it pushes with stiffness times depth; hard (m,) m, gap the filter keeps;
    carrier (m,) int32, numbered as in `Pairs`; sides (m, 2) int32, which of SIDES each end is touched on.
    """

    ends: Indices
    normal: Vectors
    stiffness: Scalars
    soft: Scalars
    depth: Scalars
    hard: Scalars
    carrier: Indices
    sides: Indices

    def __len__(self) -> int:
        return len(self.soft)

    def joined(self, other: Rows | None) -> Rows:
        """These rows, then the others."""
        if other is None:
            return self
        return Rows(
            *(np.concatenate([getattr(self, name), getattr(other, name)]) for name in Rows.__dataclass_fields__)
        )

    def only(self, keep: Flags) -> Rows:
        """The rows chosen by `keep` (m,), in order."""
        return Rows(*(getattr(self, name)[keep] for name in Rows.__dataclass_fields__))

    def stiffer(self, factor: float) -> Rows:
        """The same rows pushing `factor` times as hard."""
        return replace(self, stiffness=self.stiffness * factor)

    def softer_gap(self, share: float) -> Rows:
        """The same rows with their hard gap shrunk to `share`."""
        return replace(self, hard=self.hard * share)


def armed(pairs: Pairs, around: Surroundings, released: Flags, cloth_count: int) -> Pairs:
    """Pairs whose part is on and none of whose cloth vertices is released from it; released (n, p) bool.

    Cloth never releases cloth.
    """
    if around.off is not None and around.off.any():
        met = np.append(around.on, True)  # and whatever is cloth
        pairs = pairs.only(met[np.minimum(pairs.carrier, around.count)])
    if not released.any():
        return pairs
    foreign = pairs.carrier < around.count
    part = around.part[np.where(foreign, pairs.carrier, 0)]
    cloth = (pairs.vertices < cloth_count) & foreign[:, None]
    let_go = released[np.where(cloth, pairs.vertices, 0), part[:, None]]
    return pairs.only(np.asarray(~(let_go & cloth).any(axis=1)))


def build_rows(
    pairs: Pairs,
    start: Points,
    end: Points,
    carriers: Triangles,
    around: Surroundings,
    prescribed: Flags,
    stiffness: float,
    reserve: float = np.inf,
    skin: Skin | None = None,
    tolerances: Tolerances = DEFAULT,
) -> Rows:
    """Rows of `pairs`, leaving out those between two points that are both prescribed.

    start (n, 3) m, where the pairs were found, and end, where they are thought to go; carriers (k + m, 3)
    triangles; prescribed (n,) bool for all points of the scene; stiffness N/m of a vertex-triangle pair's row
    (an edge-edge row gets half, since there are more of them), more between cloths towards where the members
    are nearest; reserve m: pairs that end further apart than their gap and so much more get no rows; skin: what
    the cloth asks, nothing without.
    """
    depth = _gaps(pairs, around, skin)
    soft = depth
    normal, height, passing, room = oriented(pairs, start, end, carriers, around.count, soft, tolerances)
    hard = np.minimum(
        height,
        np.maximum(tolerances.hard_share * np.minimum(height, soft), tolerances.hard_floor_share * soft),
    )
    soft = np.where(passing, np.minimum(soft, height), soft)
    kept = np.flatnonzero(room < depth + reserve)
    count = int(np.where(pairs.edge_edge[kept], 4, 3).sum())
    rows = Rows(
        np.zeros((count, 2), np.int32),
        np.zeros((count, 3)),
        np.zeros(count),
        np.zeros(count),
        np.zeros(count),
        np.zeros(count),
        np.zeros(count, np.int32),
        np.zeros((count, 2), np.int32),
    )
    used = _expand(
        kept, start, around.count, pairs.vertices, pairs.edge_edge, normal, pairs.carrier, soft, depth, hard,
        prescribed, stiffness,
        rows.ends, rows.normal, rows.stiffness, rows.soft, rows.depth, rows.hard, rows.carrier,
    )  # fmt: skip
    return Rows(*(getattr(rows, name)[:used] for name in Rows.__dataclass_fields__))


def _gaps(pairs: Pairs, around: Surroundings, skin: Skin | None) -> Scalars:
    """(m,) m wanted between the two members of each pair."""
    if skin is None:
        return around.gap[pairs.carrier]
    own = np.flatnonzero(pairs.carrier >= around.count)
    gap = np.empty(len(pairs))
    _between(
        pairs.vertices, pairs.edge_edge, pairs.carrier, around.clearance, around.thickness, skin.clearance,
        skin.thickness, gap,
    )  # fmt: skip
    wanted = gap[own]
    kin = skin.garment[pairs.owner[own]] == skin.garment[pairs.carrier[own] - around.count]
    kin &= np.isfinite(skin.near[pairs.vertices[own, 0], 0])
    _allow_rest(pairs.vertices[own], pairs.edge_edge[own], kin, skin.near, wanted)
    gap[own] = wanted
    return gap


@njit(parallel=True, cache=True)
def _between(vertices, edge_edge, carrier, clearance, collider_thickness, factor, thickness, gap):
    """Half of each member's thickness, and the collider's clearance times the cloth's factor, into gap, m.

    A member that is cloth has the mean of its corners.

    p pairs: vertices (p, 4), edge_edge (p,), carrier (p,); clearance, collider_thickness (colliders,) m;
    factor, thickness (n,); gap (p,) m.
    """
    count = len(factor)
    for i in prange(len(gap)):
        first = 2 if edge_edge[i] else 1
        total, own = 0.0, 0.0
        for low, high in ((0, first), (first, 4)):
            if vertices[i, low] >= count:
                continue
            thick, kept = 0.0, 0.0
            for k in range(low, high):
                thick += thickness[vertices[i, k]]
                kept += factor[vertices[i, k]]
            total += 0.5 * thick / (high - low)
            own = kept / (high - low)
        if carrier[i] < len(clearance):
            total += 0.5 * collider_thickness[carrier[i]] + own * clearance[carrier[i]]
        gap[i] = total


@njit(parallel=True, cache=True)
def _allow_rest(vertices, edge_edge, kin, rest, wanted):
    """Lower the gap wanted between parts of one garment to what they have at rest.

    p pairs: vertices (p, 4), edge_edge (p,), kin (p,) bool, of one garment; rest (n, 3) m; wanted (p,) m.
    """
    for i in prange(wanted.shape[0]):
        if not kin[i]:
            continue
        a, b = np.uint32(vertices[i, 0]), np.uint32(vertices[i, 1])
        c, d = np.uint32(vertices[i, 2]), np.uint32(vertices[i, 3])
        if edge_edge[i]:
            s, t = segment_segment(rest, a, b, c, d)
            u, v, w = 1 - s, t - 1, -t
            squared = 0.0
            for k in range(3):
                squared += (u * rest[a, k] + s * rest[b, k] + v * rest[c, k] + w * rest[d, k]) ** 2
        else:
            u, v, w = point_triangle(
                rest[a, 0], rest[a, 1], rest[a, 2],
                rest[b, 0], rest[b, 1], rest[b, 2],
                rest[c, 0], rest[c, 1], rest[c, 2],
                rest[d, 0], rest[d, 1], rest[d, 2],
            )  # fmt: skip
            squared = 0.0
            for k in range(3):
                squared += (rest[a, k] - u * rest[b, k] - v * rest[c, k] - w * rest[d, k]) ** 2
        wanted[i] = min(wanted[i], max(REST_SHARE * np.sqrt(squared), 1e-3 * wanted[i]))


@njit(cache=True)
def _nearest_at(x, v, edge_edge, weights):
    """Where the two members of a pair are nearest, as the corners' shares in it."""
    a, b, c, d = np.uint32(v[0]), np.uint32(v[1]), np.uint32(v[2]), np.uint32(v[3])
    if edge_edge:
        s, t = segment_segment(x, a, b, c, d)
        weights[0], weights[1], weights[2], weights[3] = 1 - s, s, 1 - t, t
    else:
        weights[0] = 1.0
        weights[1], weights[2], weights[3] = point_triangle(
            x[a, 0], x[a, 1], x[a, 2],
            x[b, 0], x[b, 1], x[b, 2],
            x[c, 0], x[c, 1], x[c, 2],
            x[d, 0], x[d, 1], x[d, 2],
        )  # fmt: skip


@njit(cache=True)
def _expand(
    kept, x, foreign, vertices, edge_edge, normal, carrier, soft, depth, hard, prescribed, stiffness,
    ends, out_normal, out_stiffness, out_soft, out_depth, out_hard, out_carrier,
):  # fmt: skip
    """One row for each first and second member of a pair, but for those that are both prescribed.

    kept (q,) of p pairs: vertices (p, 4), edge_edge (p,), normal (p, 3), carrier (p,), soft, depth, hard (p,)
    m; prescribed (n,) bool; stiffness (n,) N/m. Rows out: ends (r, 2), normal (r, 3), stiffness (r,) N/m, soft,
    depth, hard (r,) m, carrier (r,).
    """
    used, weights = 0, np.ones(4)
    for i in kept:
        firsts = 2 if edge_edge[i] else 1
        # Evenly spread, the pushes of two cloths would turn them against each other: free borders stood up.
        among_cloth = carrier[i] >= foreign
        if among_cloth:
            _nearest_at(x, vertices[i], edge_edge[i], weights)
        for k in range(firsts):
            a = np.uint32(vertices[i, k])
            for m in range(firsts, 4):
                b = np.uint32(vertices[i, m])
                if prescribed[a] and prescribed[b]:
                    continue
                ends[used, 0], ends[used, 1] = a, b
                for j in range(3):
                    out_normal[used, j] = normal[i, j]
                share = max(weights[k] * weights[m] / LEAST_PUSH_SHARE, 1.0) if among_cloth else 1.0
                out_stiffness[used] = stiffness * share * (0.5 if edge_edge[i] else 1.0)
                out_soft[used] = soft[i]
                out_depth[used] = depth[i]
                out_hard[used] = hard[i]
                out_carrier[used] = carrier[i]
                used += 1
    return used


def with_sides(rows: Rows, normals: Vectors, foreign: int) -> Rows:
    """The rows with their `sides` told, by the cloth's vertex normals (n, 3) at the substep's start.

    foreign: how many carriers are colliders.
    """
    sides = np.zeros((len(rows), 2), np.int32)
    _tell_sides(rows.ends, rows.normal, rows.carrier, normals, foreign, sides)
    return replace(rows, sides=sides)


@njit(cache=True)
def _side(normal, i, normals, v, first):
    """Where the other member lies: the pair's normal points from it to the first."""
    along = normal[i, 0] * normals[v, 0] + normal[i, 1] * normals[v, 1] + normal[i, 2] * normals[v, 2]
    return FRONT if (along < 0.0) == first else BACK


@njit(cache=True)
def _tell_sides(ends, normal, carrier, normals, foreign, sides):
    """On which side of its cloth each end of a row has the other.

    ends (r, 2); normal (r, 3); carrier (r,), from `foreign` on cloth; normals (n, 3) of the cloth; sides (r,
    2).
    """
    for i in range(ends.shape[0]):
        if carrier[i] >= foreign:
            sides[i, 0] = _side(normal, i, normals, ends[i, 0], True)
            sides[i, 1] = _side(normal, i, normals, ends[i, 1], False)


def nearest_carriers(pairs: Pairs, carriers: Triangles, foreign: int, normals: Vectors) -> Indices:
    """What carries each cloth vertex's nearest pair on each of its sides, (SIDES * n,) int32; -1 without one.

    carriers (k + m, 3), of which the first `foreign` are colliders; normals (n, 3) of the cloth's vertices.
    Entry side * n + v belongs to vertex v.
    """
    count = SIDES * len(normals)
    out = np.full(count, -1, np.int32)
    _nearest(
        pairs.vertices, pairs.edge_edge, pairs.gap, pairs.normal, pairs.carrier, pairs.owner, carriers,
        foreign, normals, np.full(count, np.inf), out,
    )  # fmt: skip
    return out


@njit(cache=True)
def _nearest(vertices, edge_edge, gap, normal, carrier, owner, carriers, foreign, normals, best, out):
    """Keep the carrier of the nearest pair on each side of each vertex.

    p pairs: vertices (p, 4), edge_edge, gap m, carrier, owner (p,), normal (p, 3); normals (n, 3) of the cloth;
    best, out (SIDES * n,), entry side * n + v of vertex v.
    """
    count = normals.shape[0]
    for i in range(gap.shape[0]):
        own = carrier[i] >= foreign
        for k in range(4):
            v = np.uint32(vertices[i, k])
            if v >= count:
                continue
            under, side = carrier[i], COLLIDER
            if own:
                side = _side(normal, i, normals, v, k == 0 or (edge_edge[i] and k == 1))
                if has_corner(carriers, under, v):
                    under = foreign + owner[i]
                    if has_corner(carriers, under, v):
                        continue
            if gap[i] < best[side * count + v]:
                best[side * count + v] = gap[i]
                out[side * count + v] = under


@njit(cache=True, inline="always")
def row_gap(x, a, b, normal, i):
    """Distance of points a and b of x along normal i, m."""
    return (
        (x[a, 0] - x[b, 0]) * normal[i, 0]
        + (x[a, 1] - x[b, 1]) * normal[i, 1]
        + (x[a, 2] - x[b, 2]) * normal[i, 2]
    )


def misses(points: Points, rows: Rows, slip: float = DEFAULT.row_slip) -> tuple[Scalars, Flags]:
    """How far each row is under its hard gap, (m,) m (0 when it holds), and which fail beyond `slip`."""
    gaps = np.einsum("ij,ij->i", points[rows.ends[:, 0]] - points[rows.ends[:, 1]], rows.normal)
    missing = np.maximum(rows.hard - gaps, 0.0)
    return missing, (missing > 0) & (missing > slip * rows.hard)
