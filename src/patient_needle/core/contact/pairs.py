"""Which pairs could touch during one straight substep: the broad and the narrow phase.

All points of a scene stand in one array: the cloth's first, then the colliders'. A pair is a vertex
against a triangle or an edge against an edge, one side cloth and the other collider. It is kept when its
gap at the start is no larger than its own relative motion plus a slack: nothing else can touch.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit, prange

from ..geometry.kernels import point_triangle, segment_segment
from ..geometry.tree import STACK, Tree, build_tree, refit
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors

CHUNKS = 4  # fixed, so that pairs come in the same order on any number of threads
OWNS_VERTEX = 1  # bit k of a triangle's mask: it stands for its corner k
OWNS_EDGE = 8  # bit 3 + k: it stands for the edge from corner k to the next


@dataclass(frozen=True, eq=False)
class Pairs:
    """m pairs.

    vertices  (m, 4) int32: vertex and its triangle's corners, or the ends of one edge and of the other
    edge_edge (m,) bool
    normal    (m, 3) unit, from the second member to the first at the substep's start
    gap       (m,) m, distance at the substep's start
    carrier   (m,) int32 collider triangle
    owner     (m,) int32 leaf of the cloth's tree that found it
    """

    vertices: Indices
    edge_edge: Flags
    normal: Vectors
    gap: Scalars
    carrier: Indices
    owner: Indices

    def __len__(self) -> int:
        return len(self.gap)

    def only(self, keep: Flags) -> Pairs:
        """The pairs chosen by `keep` (m,), in order."""
        return Pairs(*(getattr(self, name)[keep] for name in PAIR_FIELDS))

    def joined(self, other: Pairs) -> Pairs:
        """These pairs, then the others."""
        return Pairs(*(np.concatenate([getattr(self, n), getattr(other, n)]) for n in PAIR_FIELDS))


PAIR_FIELDS = tuple(Pairs.__dataclass_fields__)


@dataclass(eq=False)
class _Search:
    """What one substep has found so far."""

    start: Points
    predicted: Points
    pairs: Pairs


class PairFinder:
    """Finds pairs between one cloth and the merged colliders, cached within a substep.

    cloth (m, 3) indices below `cloth_count`; colliders (k, 3) indices from `cloth_count` on; points (n, 3) m
    at rest, which decide how the trees are split. `margin` m: the search looks this far beyond the
    predicted motion, and searches again only where the true motion misses the prediction by more than
    half of what the caller's slack leaves of it.
    """

    def __init__(
        self, points: Points, cloth: Triangles, colliders: Triangles, cloth_count: int, margin: float
    ) -> None:
        self.margin = margin
        self.cloth_count = cloth_count
        self.cloth = build_tree(points, cloth)
        self.colliders = build_tree(points, colliders)
        self._owns = (ownership(cloth), ownership(colliders))
        self._sweep = (np.zeros_like(self.cloth.boxes), np.zeros_like(self.colliders.boxes))
        self._leaf_of = _leaf_of_triangle(self.cloth)
        self._capacity = 1 << 14
        self._search: _Search | None = None

    def begin(self, start: Points, predicted: Points) -> None:
        """Search along start to predicted, both (n, 3) m, and keep what was found."""
        pairs = self._query(start, predicted, self.margin, self.cloth.leaves)
        self._search = _Search(start, predicted.copy(), pairs)

    @property
    def start(self) -> Points:
        """Where the present search began, (n, 3) m."""
        assert self._search is not None, "begin() comes first"
        return self._search.start

    def along(self, end: Points, slack: float) -> Pairs:
        """Pairs for the straight motion from the search's start to `end`, with `slack` m to spare."""
        search = self._search
        assert search is not None, "begin() comes first"
        count = self.cloth_count
        missed = np.sqrt(((end[:count] - search.predicted[:count]) ** 2).sum(axis=1))
        far = missed > 0.5 * (self.margin - slack)
        if far.any():
            self._search_again(search, end, far)
        return search.pairs.only(within_reach(search.pairs, search.start, end, slack))

    def _search_again(self, search: _Search, end: Points, far: Flags) -> None:
        touched = far[self.cloth.triangles].any(axis=1)
        leaves = np.unique(self._leaf_of[touched]).astype(np.int32)
        search.predicted[: self.cloth_count][far] = end[: self.cloth_count][far]
        kept = search.pairs.only(~np.isin(search.pairs.owner, leaves))
        search.pairs = kept.joined(self._query(search.start, search.predicted, self.margin, leaves))

    def _query(self, start: Points, end: Points, slack: float, leaves: Indices) -> Pairs:
        motion = end - start
        for tree, sweep in zip((self.cloth, self.colliders), self._sweep, strict=True):
            refit(tree, start)
            refit(tree, motion, sweep)
        while True:
            found = _Buffers(self._capacity)
            a, b = self.cloth, self.colliders
            _search_leaves(
                leaves, a.order, a.start, a.end, a.boxes, self._sweep[0], a.triangles, self._owns[0],
                b.order, b.left, b.right, b.start, b.end, b.boxes, self._sweep[1], b.triangles,
                self._owns[1], start, motion, slack, *found.arrays(),
            )  # fmt: skip
            if found.counts.max() <= self._capacity:
                return found.pairs()
            self._capacity = 2 * int(found.counts.max())


class _Buffers:
    """Room for the pairs of each chunk."""

    def __init__(self, capacity: int) -> None:
        self.counts = np.zeros(CHUNKS, np.int64)
        self.vertices = np.zeros((CHUNKS, capacity, 4), np.int32)
        self.edge_edge = np.zeros((CHUNKS, capacity), np.bool_)
        self.normal = np.zeros((CHUNKS, capacity, 3))
        self.gap = np.zeros((CHUNKS, capacity))
        self.carrier = np.zeros((CHUNKS, capacity), np.int32)
        self.owner = np.zeros((CHUNKS, capacity), np.int32)

    def arrays(self):
        return (self.counts, *(getattr(self, name) for name in PAIR_FIELDS))

    def pairs(self) -> Pairs:
        return Pairs(
            *(
                np.concatenate([getattr(self, name)[c, : self.counts[c]] for c in range(CHUNKS)])
                for name in PAIR_FIELDS
            )
        )


def ownership(triangles: Triangles) -> Indices:
    """A mask per triangle (m,): which of its corners and edges it stands for, so that each is tested once."""
    mask = np.zeros(len(triangles), np.int32)
    _, first = np.unique(triangles.ravel(), return_index=True)
    np.bitwise_or.at(mask, first // 3, (OWNS_VERTEX << (first % 3)).astype(np.int32))
    sides = np.sort(np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2), axis=1)
    _, first = np.unique(sides, axis=0, return_index=True)
    np.bitwise_or.at(mask, first // 3, (OWNS_EDGE << (first % 3)).astype(np.int32))
    return mask


def _leaf_of_triangle(tree: Tree) -> Indices:
    leaf_of = np.zeros(len(tree.triangles), np.int32)
    for leaf in tree.leaves:
        leaf_of[tree.order[tree.start[leaf] : tree.end[leaf]]] = leaf
    return leaf_of


def within_reach(pairs: Pairs, start: Points, end: Points, slack: float) -> Flags:
    """(m,) whether each pair's gap is at most its relative motion plus `slack` m."""
    keep = np.zeros(len(pairs), np.bool_)
    _within_reach(pairs.vertices, pairs.edge_edge, pairs.gap, end - start, slack, keep)
    return keep


@njit(cache=True)
def _relative2(motion, i, j):
    a = motion[i, 0] - motion[j, 0]
    b = motion[i, 1] - motion[j, 1]
    c = motion[i, 2] - motion[j, 2]
    return a * a + b * b + c * c


@njit(cache=True)
def _pair_motion(motion, edge_edge, a, b, c, d):
    """Largest relative motion between the two members of a pair, m."""
    if edge_edge:
        squared = max(
            max(_relative2(motion, a, c), _relative2(motion, a, d)),
            max(_relative2(motion, b, c), _relative2(motion, b, d)),
        )
    else:
        squared = max(_relative2(motion, a, b), max(_relative2(motion, a, c), _relative2(motion, a, d)))
    return np.sqrt(squared)


@njit(cache=True)
def _within_reach(vertices, edge_edge, gap, motion, slack, keep):
    for i in range(gap.shape[0]):
        moved = _pair_motion(
            motion, edge_edge[i], vertices[i, 0], vertices[i, 1], vertices[i, 2], vertices[i, 3]
        )
        keep[i] = gap[i] <= moved + slack


@njit(cache=True)
def _boxes_meet(boxes_a, sweep_a, i, boxes_b, sweep_b, j, slack):
    """Whether two boxes come within `slack`, swept by their relative motion."""
    for k in range(3):
        ahead = min(0.0, sweep_a[i, k] - sweep_b[j, 3 + k])
        if boxes_a[i, k] - boxes_b[j, 3 + k] + ahead > slack:
            return False
        behind = max(0.0, sweep_a[i, 3 + k] - sweep_b[j, k])
        if boxes_a[i, 3 + k] - boxes_b[j, k] + behind < -slack:
            return False
    return True


@njit(cache=True)
def _vertex_triangle(x, motion, v, a, b, c, slack):
    """(near, gap, normal) of a vertex and a triangle at the start."""
    for k in range(3):
        low = min(x[a, k], min(x[b, k], x[c, k]))
        high = max(x[a, k], max(x[b, k], x[c, k]))
        motion_low = min(motion[a, k], min(motion[b, k], motion[c, k]))
        motion_high = max(motion[a, k], max(motion[b, k], motion[c, k]))
        if x[v, k] - high + min(0.0, motion[v, k] - motion_high) > slack:
            return False, 0.0, 0.0, 0.0, 0.0
        if x[v, k] - low + max(0.0, motion[v, k] - motion_low) < -slack:
            return False, 0.0, 0.0, 0.0, 0.0
    l0, l1, l2 = point_triangle(
        x[v, 0], x[v, 1], x[v, 2],
        x[a, 0], x[a, 1], x[a, 2],
        x[b, 0], x[b, 1], x[b, 2],
        x[c, 0], x[c, 1], x[c, 2],
    )  # fmt: skip
    n0 = x[v, 0] - l0 * x[a, 0] - l1 * x[b, 0] - l2 * x[c, 0]
    n1 = x[v, 1] - l0 * x[a, 1] - l1 * x[b, 1] - l2 * x[c, 1]
    n2 = x[v, 2] - l0 * x[a, 2] - l1 * x[b, 2] - l2 * x[c, 2]
    gap = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
    if gap > _pair_motion(motion, False, v, a, b, c) + slack:
        return False, 0.0, 0.0, 0.0, 0.0
    scale = 1.0 / max(gap, 1e-14)
    return True, gap, n0 * scale, n1 * scale, n2 * scale


@njit(cache=True)
def _edge_edge(x, motion, a, b, c, d, slack):
    """(near, gap, normal) of edges ab and cd at the start."""
    for k in range(3):
        ahead = min(0.0, min(motion[a, k], motion[b, k]) - max(motion[c, k], motion[d, k]))
        if min(x[a, k], x[b, k]) - max(x[c, k], x[d, k]) + ahead > slack:
            return False, 0.0, 0.0, 0.0, 0.0
        behind = max(0.0, max(motion[a, k], motion[b, k]) - min(motion[c, k], motion[d, k]))
        if max(x[a, k], x[b, k]) - min(x[c, k], x[d, k]) + behind < -slack:
            return False, 0.0, 0.0, 0.0, 0.0
    s, t = segment_segment(x, a, b, c, d)
    n0 = x[a, 0] * (1 - s) + x[b, 0] * s - x[c, 0] * (1 - t) - x[d, 0] * t
    n1 = x[a, 1] * (1 - s) + x[b, 1] * s - x[c, 1] * (1 - t) - x[d, 1] * t
    n2 = x[a, 2] * (1 - s) + x[b, 2] * s - x[c, 2] * (1 - t) - x[d, 2] * t
    gap = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
    if gap > _pair_motion(motion, True, a, b, c, d) + slack:
        return False, 0.0, 0.0, 0.0, 0.0
    scale = 1.0 / max(gap, 1e-14)
    return True, gap, n0 * scale, n1 * scale, n2 * scale


@njit(cache=True)
def _keep(
    found, carrier, owner, edge_edge, a, b, c, d, counts, q,
    out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
):  # fmt: skip
    if not found[0]:
        return
    i = counts[q]
    counts[q] = i + 1
    if i >= out_gap.shape[1]:
        return
    out_vertices[q, i, 0], out_vertices[q, i, 1] = a, b
    out_vertices[q, i, 2], out_vertices[q, i, 3] = c, d
    out_edge_edge[q, i] = edge_edge
    out_gap[q, i] = found[1]
    out_normal[q, i, 0], out_normal[q, i, 1], out_normal[q, i, 2] = found[2], found[3], found[4]
    out_carrier[q, i] = carrier
    out_owner[q, i] = owner


@njit(parallel=True, cache=True)
def _search_leaves(
    leaves, order_a, start_a, end_a, boxes_a, sweep_a, tri_a, owns_a,
    order_b, left_b, right_b, start_b, end_b, boxes_b, sweep_b, tri_b, owns_b,
    x, motion, slack, counts,
    out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
):  # fmt: skip
    """Pairs of each cloth leaf in `leaves` against the whole collider tree.

    Longer than most functions: the traversal and the six pair tests of two triangles share one loop.
    """
    for q in prange(CHUNKS):
        stack = np.zeros(STACK, np.int32)
        for index in range(q, leaves.shape[0], CHUNKS):
            leaf = leaves[index]
            top = 1
            stack[0] = 0
            while top > 0:
                top -= 1
                node = stack[top]
                if not _boxes_meet(boxes_a, sweep_a, leaf, boxes_b, sweep_b, node, slack):
                    continue
                if left_b[node] >= 0:
                    stack[top] = left_b[node]
                    stack[top + 1] = right_b[node]
                    top += 2
                    continue
                for i in range(start_a[leaf], end_a[leaf]):
                    p = order_a[i]
                    for j in range(start_b[node], end_b[node]):
                        r = order_b[j]
                        for k in range(3):
                            if (owns_a[p] >> k) & 1:
                                v, a, b, c = tri_a[p, k], tri_b[r, 0], tri_b[r, 1], tri_b[r, 2]
                                _keep(
                                    _vertex_triangle(x, motion, v, a, b, c, slack),
                                    r, leaf, False, v, a, b, c, counts, q, out_vertices,
                                    out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
                                )  # fmt: skip
                            if (owns_b[r] >> k) & 1:
                                v, a, b, c = tri_b[r, k], tri_a[p, 0], tri_a[p, 1], tri_a[p, 2]
                                _keep(
                                    _vertex_triangle(x, motion, v, a, b, c, slack),
                                    r, leaf, False, v, a, b, c, counts, q, out_vertices,
                                    out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
                                )  # fmt: skip
                            if (owns_a[p] >> (3 + k)) & 1:
                                a, b = tri_a[p, k], tri_a[p, (k + 1) % 3]
                                for m in range(3):
                                    if (owns_b[r] >> (3 + m)) & 1:
                                        c, d = tri_b[r, m], tri_b[r, (m + 1) % 3]
                                        _keep(
                                            _edge_edge(x, motion, a, b, c, d, slack),
                                            r, leaf, True, a, b, c, d, counts, q, out_vertices,
                                            out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
                                        )  # fmt: skip
