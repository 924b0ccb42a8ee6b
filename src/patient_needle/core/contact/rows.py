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
from ..model.typed import Flags, Indices, Points, Scalars, Vectors
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

    def with_gap(self, gap: Scalars) -> Surroundings:
        """The same colliders at another clearance."""
        return replace(self, gap=gap)


@dataclass(frozen=True, eq=False)
class Rows:
    """m rows; the gap of row i is normal[i] . (x[ends[i, 0]] - x[ends[i, 1]]).

    ends (m, 2) int32; normal (m, 3) unit; stiffness (m,) N/m; soft (m,) m, gap below which the row pushes;
    hard (m,) m, gap the filter keeps; carrier (m,) int32 collider triangle.
    """

    ends: Indices
    normal: Vectors
    stiffness: Scalars
    soft: Scalars
    hard: Scalars
    carrier: Indices

    def __len__(self) -> int:
        return len(self.soft)

    def joined(self, other: Rows | None) -> Rows:
        """These rows, then the others."""
        if other is None:
            return self
        return Rows(
            *(
                np.concatenate([getattr(self, name), getattr(other, name)])
                for name in Rows.__dataclass_fields__
            )
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
    let_go = released[
        np.where(cloth, pairs.vertices, 0), around.part[pairs.carrier][:, None]
    ]
    return pairs.only(~(let_go & cloth).any(axis=1))


def build_rows(
    pairs: Pairs,
    around: Surroundings,
    prescribed: Flags,
    stiffness: float,
    tolerances: Tolerances = DEFAULT,
) -> Rows:
    """Rows of `pairs`, leaving out those between two points that are both prescribed.

    prescribed (n,) bool for all points of the scene; stiffness N/m of a vertex-triangle pair's row (an
    edge-edge row gets half, since there are more of them).
    """
    room = int(np.where(pairs.edge_edge, 4, 3).sum())
    rows = Rows(
        np.zeros((room, 2), np.int32),
        np.zeros((room, 3)),
        np.zeros(room),
        np.zeros(room),
        np.zeros(room),
        np.zeros(room, np.int32),
    )
    soft = around.gap[pairs.carrier]
    hard = np.minimum(
        pairs.gap,
        np.maximum(
            tolerances.hard_share * np.minimum(pairs.gap, soft), tolerances.hard_floor_share * soft
        ),
    )
    used = _expand(
        pairs.vertices, pairs.edge_edge, pairs.normal, pairs.carrier, soft, hard, prescribed, stiffness,
        rows.ends, rows.normal, rows.stiffness, rows.soft, rows.hard, rows.carrier,
    )  # fmt: skip
    return Rows(*(getattr(rows, name)[:used] for name in Rows.__dataclass_fields__))


@njit(cache=True)
def _expand(
    vertices, edge_edge, normal, carrier, soft, hard, prescribed, stiffness,
    ends, out_normal, out_stiffness, out_soft, out_hard, out_carrier,
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
