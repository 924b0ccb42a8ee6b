"""Pairs that could touch during one straight substep: broad phase and narrow phase.

All points of a scene stand in one array: the cloth's first, then the colliders'. A pair is a vertex
against a triangle or an edge against an edge, one side cloth and the other collider or cloth as well. It is
kept when its gap at the start is no larger than its own relative motion plus a slack: nothing else can touch.

What carries a pair's second member is numbered through: the k collider triangles first, then the cloth's.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ..geometry.tree import Swept, Tree, build_tree, sweep
from ..geometry.triangles import lengths
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .flat_patches import Fans, FlatPatches
from .pair_kernels import CHUNKS, GROUP, choose, keep_within_reach, search_tree

OWNS_VERTEX = 1  # bit k of a triangle's mask: it stands for its corner k
OWNS_EDGE = 8  # bit 3 + k: it stands for the edge from corner k to the next


@dataclass(frozen=True, eq=False)
class Pairs:
    """m pairs.

    vertices  (m, 4) int32: vertex and its triangle's corners, or the ends of one edge and of the other
    edge_edge (m,) bool
    normal    (m, 3) unit, from the second member to the first at the substep's start
    gap       (m,) m, distance at the substep's start
    carrier   (m,) int32 collider triangle, or k + the other cloth triangle
    owner     (m,) int32 cloth triangle that found it
    """

    vertices: Indices
    edge_edge: Flags
    normal: Vectors
    gap: Scalars
    carrier: Indices
    owner: Indices

    def __len__(self) -> int:
        return len(self.gap)

    def only(self, keep: Flags | Indices) -> Pairs:
        """The pairs chosen by `keep` (m,), in order, or those it numbers (k,), in its order."""
        chosen = np.flatnonzero(keep) if keep.dtype == bool else keep
        out = _empty(len(chosen))
        choose(chosen, *(getattr(self, name) for name in PAIR_FIELDS), *out)
        return Pairs(*out)

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
    """Finds pairs between the cloth and the merged colliders, and of the cloth with itself.

    cloth (m, 3) indices below `cloth_count`; colliders (k, 3) indices from `cloth_count` on; points (n, 3) m
    at rest, which decide how the trees are split. `margin` m: the search looks this far beyond the
    predicted motion, and searches again only where the true motion misses the prediction by more than
    half of what the caller's slack leaves of it; colliders are looked for `wider` m further, beyond margin and
    slack. Pairs are cached within a substep. one (n,): where vertices of cloth have the same number, it does
    not meet itself, as if they were one; None for none.
    """

    def __init__(
        self,
        points: Points,
        cloth: Triangles,
        colliders: Triangles,
        cloth_count: int,
        margin: float,
        *,
        against_itself: bool = False,
        wider: float = 0.0,
        one: Indices | None = None,
    ) -> None:
        self.margin = margin
        self._one = one
        self.wider = wider
        self.cloth_count = cloth_count
        self.carriers = np.concatenate([colliders, cloth]).astype(np.int32)
        self.cloth = build_tree(points, cloth)
        self.colliders = build_tree(points, colliders) if len(colliders) else None
        self._owns = (ownership(cloth), ownership(colliders))
        self._cloth_swept = np.zeros((len(self.cloth.left), 12), np.float32)
        others = 0 if self.colliders is None else len(self.colliders.left)
        self._colliders_swept = np.zeros((others, 12), np.float32)
        self._leaf_of = _leaf_of_triangle(self.cloth)
        self._leaf_at = self._leaf_of[self.cloth.order]
        self._groups = _groups(self.cloth)
        self._capacity = 1 << 14
        self._fans = Fans(cloth, cloth_count) if against_itself else None
        self._patches = FlatPatches(self.cloth) if against_itself else None
        self._search: _Search | None = None

    @property
    def foreign(self) -> int:
        """k, the number of carriers that are colliders."""
        return len(self.carriers) - len(self.cloth.triangles)

    def begin(self, start: Points, predicted: Points) -> None:
        """Search along start to predicted, both (n, 3) m, and keep what was found."""
        if self.colliders is not None:
            sweep(self.colliders, start, predicted - start, self._colliders_swept)
        pairs = self._query(start, predicted, self.cloth.leaves)
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
        missed = lengths(end[:count] - search.predicted[:count])
        far = missed > 0.5 * (self.margin - slack)
        if far.any():
            self._search_again(search, end, far)
        spare = np.where(search.pairs.carrier < self.foreign, slack + self.wider, slack)
        return search.pairs.only(within_reach(search.pairs, search.start, end, spare))

    def _search_again(self, search: _Search, end: Points, far: Flags) -> None:
        touched = far[self.cloth.triangles].any(axis=1)
        leaves = np.unique(self._leaf_of[touched]).astype(np.int32)
        search.predicted[: self.cloth_count][far] = end[: self.cloth_count][far]
        stale = np.zeros(len(self.cloth.left), bool)
        stale[leaves] = True
        gone = stale[self._leaf_of[search.pairs.owner]]
        carrier = search.pairs.carrier - self.foreign
        gone |= (carrier >= 0) & stale[self._leaf_of[np.maximum(carrier, 0)]]
        search.pairs = search.pairs.only(~gone).joined(self._query(search.start, search.predicted, leaves))

    def _query(self, start: Points, end: Points, leaves: Indices) -> Pairs:
        """Pairs of the cloth's leaves; the colliders are swept already."""
        motion = end - start
        sweep(self.cloth, start, motion, self._cloth_swept)
        found = []
        if self.colliders is not None:
            other = (self.colliders, self._colliders_swept, self._owns[1])
            none = np.zeros(0, np.bool_), np.zeros((0, 2), np.int32)
            found.append(self._against(other, 0, *none, start, motion, leaves, self.margin + self.wider))
        if self._fans is not None and self._patches is not None:
            own = (self.cloth, self._cloth_swept, self._owns[0])
            flat, patch = self._fans.flat(start, end), self._patches.spans(start, end, self.margin)
            pairs = self._against(own, self.foreign, flat, patch, start, motion, leaves, self.margin)
            found.append(pairs if self._one is None else pairs.only(~_sharing(pairs, self._one)))
        return found[0] if len(found) == 1 else found[0].joined(found[1])

    def _against(
        self,
        other: tuple[Tree, Swept, Indices],
        first_carrier: int,
        flat: Flags,
        patch: Indices,
        start: Points,
        motion: Vectors,
        leaves: Indices,
        margin: float,
    ) -> Pairs:
        """Pairs of the cloth's `leaves` with a tree, given swept and with its owners; for its own the flat fans
        (n,) and the spans (m, 2) of flat patches.
        """
        a, (b, swept, owns) = self.cloth, other
        among = np.zeros(len(a.left), bool)
        among[leaves] = True
        groups = self._groups[np.logical_or.reduceat(among[self._leaf_at], a.start[self._groups])]

        def run(*found: np.ndarray) -> None:
            search_tree(
                b is a, groups, self._leaf_at, among, flat, patch, first_carrier,
                a.order, a.start, a.end, self._cloth_swept, a.triangles, self._owns[0],
                b.order, b.left, b.right, b.start, b.end, swept, b.triangles, owns,
                start, motion, margin, *found,
            )  # fmt: skip

        # In the order of a search leaf by leaf, so that nothing depends on how leaves are grouped.
        turn = np.zeros(len(a.order), np.int64)
        each = np.arange(len(leaves))
        turn[a.order[a.start[leaves]]] = (each % CHUNKS) * len(leaves) + each
        pairs = self._gathered(run)
        return pairs.only(np.argsort(turn[pairs.owner], kind="stable").astype(np.int32))

    def _gathered(self, run: Callable[..., None]) -> Pairs:
        """What `run` writes into buffers, which grow until all of it has room."""
        while True:
            found = _Buffers(self._capacity)
            run(*found.arrays())
            if found.counts.max() <= self._capacity:
                return found.pairs()
            self._capacity = 2 * int(found.counts.max())


def _empty(*shape: int) -> tuple[np.ndarray, ...]:
    """Room for the fields of so many pairs."""
    return (
        np.empty((*shape, 4), np.int32), np.empty(shape, np.bool_), np.empty((*shape, 3)), np.empty(shape),
        np.empty(shape, np.int32), np.empty(shape, np.int32),
    )  # fmt: skip


class _Buffers:
    """Room for the pairs of each chunk."""

    def __init__(self, capacity: int) -> None:
        self.counts = np.zeros(CHUNKS, np.int64)
        self.fields = _empty(CHUNKS, capacity)

    def arrays(self):
        return (self.counts, *self.fields)

    def pairs(self) -> Pairs:
        return Pairs(
            *(np.concatenate([field[c, : self.counts[c]] for c in range(CHUNKS)]) for field in self.fields)
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


def _sharing(pairs: Pairs, one: Indices) -> Flags:
    """Which pairs (m,) of cloth have a vertex of the same number `one` (n,) in both members."""
    number = one[pairs.vertices]
    last = np.where(pairs.edge_edge, 1, 0)
    first = np.stack([number[:, 0], number[np.arange(len(last)), last]], axis=1)
    second = np.where(pairs.edge_edge[:, None], number[:, [2, 3, 3]], number[:, 1:])
    return np.asarray((first[:, :, None] == second[:, None, :]).any(axis=(1, 2)))


def _leaf_of_triangle(tree: Tree) -> Indices:
    leaf_of = np.zeros(len(tree.triangles), np.int32)
    for leaf in tree.leaves:
        leaf_of[tree.order[tree.start[leaf] : tree.end[leaf]]] = leaf
    return leaf_of


def _groups(tree: Tree) -> Indices:
    """The highest nodes with no more than GROUP triangles, in order."""
    small = tree.end - tree.start <= GROUP
    inner = np.flatnonzero(~small)
    below = np.concatenate([tree.left[inner], tree.right[inner], np.flatnonzero(small[:1])])
    found = below[small[below]].astype(np.int32)
    return found[np.argsort(tree.start[found])]


def within_reach(pairs: Pairs, start: Points, end: Points, slack: Scalars) -> Flags:
    """(m,) whether each pair's gap is at most its relative motion plus its slack (m,) m."""
    keep = np.zeros(len(pairs), np.bool_)
    keep_within_reach(pairs.vertices, pairs.edge_edge, pairs.gap, end - start, slack, keep)
    return keep
