"""In which order the vertices of cloths are eliminated, and what each step of that needs.

Nested dissection (A. George, SIAM J. Numer. Anal. 10, 1973): the vertices are halved again and again by planes
across what is long, the fewest that keep both halves apart come after them. What is eliminated at once, a
front, then holds the vertices of one cut or of one small rest (I. Duff and J. Reid, ACM TOMS 9, 1983). Two
groups of fronts have nothing in common and can be worked off side by side, those above both come last.

Ties join vertices that no mesh joins, and come and go. The cuts stay: of two tied vertices whose fronts have
nothing in common one moves up to the first front above both.
"""

from __future__ import annotations

import heapq
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy import sparse

from ..model.typed import Flags, Points, Scalars
from .cover import covering

Indices = NDArray[np.signedinteger]

SMALLEST = 16  # vertices that are not halved any more
GROUPS = 2  # of fronts, for as many threads
CUTS = (0.5, 0.44, 0.56, 0.38, 0.62)  # shares of the vertices below a cut
MOST_LIFTED = 30  # vertices that ties may bring to one front
LARGEST = 0.5  # of all work, a tree that stays in one piece


class Elimination(NamedTuple):
    """k fronts over f free vertices in their order, fronts of either group first, then the last ones.

    A front has its own vertices, then those of later fronts that they touch: its rows. Numbers of vertices are
    places in the order; only `origin` and `blocks` tell where they come from.

    parts (GROUPS + 2,) where each group begins, the last ones, and the end; first (k + 1,) own vertices; origin
    (f,) which vertex each was. row_starts (k + 1,) into rows, and into, which vertex of its parent's front each
    row is. child_starts (k + 1,) into children. block_starts (k + 1,) into blocks of the matrix with what they
    fill of the front: column, row, and whether they stand turned. panels (k + 1,) where the columns of its own
    vertices lie in the factor; updates (k,) where what is left for its parent lies in a stack of `stack`
    numbers. tallest: vertices of the largest front.
    """

    parts: Indices
    first: Indices
    origin: Indices
    row_starts: Indices
    rows: Indices
    into: Indices
    child_starts: Indices
    children: Indices
    block_starts: Indices
    blocks: Indices
    columns: Indices
    block_rows: Indices
    turned: Flags
    panels: Indices
    updates: Indices
    stack: int
    tallest: int


class Dissection:
    """Which front each vertex of a matrix belongs to.

    Over n vertices at points (n, 3) m, of which those free (n,) are unknown; ends (b, 2) vertices of the blocks
    off the diagonal; spans: slices of the vertices, with no block from one to another. Above all fronts stands
    one that is empty as long as nothing ties the slices together.
    """

    def __init__(self, ends: Indices, points: Points, free: Flags, spans: Sequence[slice]) -> None:
        inside = free[ends].all(axis=1)
        both = np.concatenate([ends[inside], ends[inside][:, ::-1]])
        count = len(points)
        graph = sparse.csr_matrix((np.ones(len(both), bool), (both[:, 0], both[:, 1])), (count, count))
        own, parent = _dissected(graph, points, [np.flatnonzero(free[s]) + s.start for s in spans])
        node = np.full(count, -1)
        for front, vertices in enumerate(own):
            node[vertices] = front
        self._ends = ends.astype(np.int64)
        plain = _laid_out(node, parent, *_below(parent), np.array([0, 0, 0, len(parent)]), self._ends)
        group = grouped(parent, _work(plain))
        order = np.argsort(group, kind="stable")
        place = np.full(len(order) + 1, -1)
        place[order] = np.arange(len(order))
        self._node, self._parent = place[node], place[parent[order]]
        self._below = _below(self._parent)
        self._parts = np.searchsorted(group[order], np.arange(GROUPS + 2)).astype(np.int64)
        self._plain = _laid_out(self._node, self._parent, *self._below, self._parts, self._ends)

    def elimination(self, tied: Indices) -> Elimination:
        """The elimination of the matrix with blocks between the vertices tied (c, 2) too, the strongest first.

        Blocks count on behind the matrix's own. Of two tied vertices, of which neither's front comes after the
        other's, one moves to the first front that comes after both. A front to which very many would come gets
        none of them: some without the others serve little. Ties that find no room are left out, and those of
        vertices that are not free.
        """
        if not len(tied):
            return self._plain
        node, kept = _lifted(self._node, self._parent, tied)
        ends = np.concatenate([self._ends, np.where(kept[:, None], tied, -1)])
        return _laid_out(node, self._parent, *self._below, self._parts, ends)


def _dissected(
    graph: sparse.csr_matrix, points: Points, each: Sequence[Indices]
) -> tuple[list[Indices], Indices]:
    """The vertices of each front, and its parent (k,), -1 for the last one; `each`: which vertices of a graph
    have nothing in common. Children come before their parents.
    """
    own: list[Indices] = []
    parent: list[int] = []
    side = np.zeros(graph.shape[0], np.int8)

    def front(of: Indices, below: list[int]) -> int:
        own.append(of)
        parent.append(-1)
        for child in below:
            parent[child] = len(own) - 1
        return len(own) - 1

    def dissect(of: Indices) -> int:
        if len(of) <= SMALLEST:
            return front(of, [])
        cut, first, second = _halves(graph, points, of, side)
        return front(cut, [dissect(half) for half in (first, second) if len(half)])

    front(np.zeros(0, int), [dissect(vertices) for vertices in each if len(vertices)])
    return own, np.array(parent)


def _halves(
    graph: sparse.csr_matrix, points: Points, of: Indices, side: Indices
) -> tuple[Indices, Indices, Indices]:
    """The vertices along a cut across one of the main directions, and the two halves beside it: of a few cuts
    near the middle the one with the fewest for each vertex of the smaller half.

    side (n,) all 0, for use here.
    """
    at = points[of] - points[of].mean(axis=0)
    least, found = np.inf, (np.zeros(len(of), bool), np.zeros(len(of), bool))
    for direction in np.linalg.eigh(at.T @ at)[1].T[::-1]:
        rank = np.argsort(np.argsort(at @ direction, kind="stable"), kind="stable")
        for share in CUTS:
            beyond = rank >= share * len(of)
            side[of] = np.where(beyond, 2, 1)
            cut = covering(graph.indptr, graph.indices, of, side)
            score = cut.sum() / max(min((beyond & ~cut).sum(), (~beyond & ~cut).sum()), 1)
            if score < least:
                least, found = score, (cut, beyond)
    side[of] = 0
    cut, beyond = found
    return of[cut], of[~beyond & ~cut], of[beyond & ~cut]


def _work(of: Elimination) -> Scalars:
    """Sums that each front takes, and some for its being one."""
    own, beyond = np.diff(of.first).astype(float), np.diff(of.row_starts).astype(float)
    return 27.0 * (own**3 / 3 + own**2 * beyond + own * beyond**2) + 1000.0


def grouped(parent: Indices, work: Scalars) -> Indices:
    """The group (k,) of each front or column, GROUPS for the last ones: those of two groups have nothing in
    common (J. W. H. Liu, The role of elimination trees in sparse factorization, SIAM J. Matrix Anal. Appl. 11,
    1990).

    parent (k,), -1 for none, comes after its children; work (k,), sums that each takes.
    """
    below = work.copy()
    starts, children = _below(parent)
    for front in range(len(work)):
        if parent[front] >= 0:
            below[parent[front]] += below[front]
    group = np.full(len(work), -1)
    trees = [(-float(below[front]), front) for front in np.flatnonzero(parent < 0).tolist()]
    heapq.heapify(trees)
    while trees and -trees[0][0] > LARGEST * work.sum():
        _, front = heapq.heappop(trees)
        group[front] = GROUPS
        for child in children[starts[front] : starts[front + 1]].tolist():
            heapq.heappush(trees, (-float(below[child]), child))
    loads = [0.0] * GROUPS
    for size, front in sorted(trees):
        group[front] = loads.index(min(loads))
        loads[group[front]] -= size
    for front in range(len(work) - 1, -1, -1):  # a parent comes after its children
        if group[front] < 0:
            group[front] = group[parent[front]]
    return group


def _below(parent: Indices) -> tuple[Indices, Indices]:
    """The children of each front: child_starts (k + 1,) into children."""
    children = np.argsort(parent, kind="stable")
    counts = np.bincount(parent[parent >= 0], minlength=len(parent))
    return np.concatenate([[0], np.cumsum(counts)]), children[(parent < 0).sum() :]


@njit(cache=True)
def _lifted(given, parent, tied):
    """The front of each vertex (n,), moved up until of two tied vertices one's comes after the other's; which
    ties (c,) are kept.

    given (n,), -1 for none; parent (k,); tied (c, 2).
    """
    node, kept, apart = given.copy(), np.zeros(len(tied), np.bool_), np.zeros(len(given), np.int64)
    for t in range(len(tied)):
        a, b = node[tied[t, 0]], node[tied[t, 1]]
        if a >= 0 and b >= 0:
            front = _meeting(a, b, parent)
            if front != a and front != b:
                apart[tied[t]] += 1
    full = np.zeros(len(parent), np.bool_)
    for _ in range(2):  # the second time without the fronts that were full the first time
        node[:], kept[:] = given, False
        taken, shut = np.zeros(len(parent), np.int64), full.copy()
        for t in range(len(tied)):
            a, b = tied[t]
            if node[a] < 0 or node[b] < 0:
                continue
            front = _meeting(node[a], node[b], parent)
            if front != node[a] and front != node[b]:
                full[front] |= taken[front] >= MOST_LIFTED
                if full[front] or shut[front]:
                    continue
                taken[front] += 1
                node[a if apart[a] >= apart[b] else b] = front
            kept[t] = True
    return node, kept


@njit(cache=True)
def _meeting(a, b, parent):
    """The first front that is a or comes after it, and is b or comes after that."""
    while a != b:
        if a < b:
            a = parent[a]
        else:
            b = parent[b]
    return a


@njit(cache=True)
def _laid_out(node, parent, child_starts, children, parts, ends):
    """Where everything lies: an `Elimination` of blocks between ends (b, 2), -1 where a block is left out."""
    count = len(parent)
    first, origin = _sorted(node, count)
    place = np.full(len(node), -1, np.int64)
    for i in range(len(origin)):
        place[origin[i]] = i
    at = np.full(len(ends), -1, np.int64)
    for e in range(len(ends)):
        if ends[e, 0] >= 0 and place[ends[e, 0]] >= 0 and place[ends[e, 1]] >= 0:
            at[e] = min(node[ends[e, 0]], node[ends[e, 1]])
    block_starts, blocks = _sorted(at, count)
    columns, block_rows = np.empty(len(blocks), np.int64), np.empty(len(blocks), np.int64)
    turned = np.empty(len(blocks), np.bool_)
    for i in range(len(blocks)):
        low, high = place[ends[blocks[i], 0]], place[ends[blocks[i], 1]]
        columns[i], block_rows[i], turned[i] = min(low, high), max(low, high), low < high
    row_starts, rows = _rows(first, child_starts, children, block_starts, block_rows)
    local, into = np.zeros(len(origin), np.int64), rows.copy()
    panels, tallest = np.zeros(count + 1, np.int64), 0
    for k in range(count):
        own, beyond = first[k + 1] - first[k], row_starts[k + 1] - row_starts[k]
        for i in range(own):
            local[first[k] + i] = i
        for i in range(beyond):
            local[rows[row_starts[k] + i]] = own + i
        for i in range(block_starts[k], block_starts[k + 1]):
            columns[i], block_rows[i] = columns[i] - first[k], local[block_rows[i]]
        for c in children[child_starts[k] : child_starts[k + 1]]:
            for i in range(row_starts[c], row_starts[c + 1]):
                into[i] = local[rows[i]]
        panels[k + 1] = panels[k] + 9 * own * (own + beyond)
        tallest = max(tallest, own + beyond)
    updates, stack = _stacked(parent, child_starts, children, np.diff(row_starts), parts)
    return Elimination(
        parts, first, origin, row_starts, rows, into, child_starts, children, block_starts, blocks, columns,
        block_rows, turned, panels, updates, stack, tallest,
    )  # fmt: skip


@njit(cache=True)
def _sorted(key, count):
    """Places of keys by rising key below `count`, those of -1 left out: starts (count + 1,) and places."""
    starts = np.zeros(count + 1, np.int64)
    for i in range(len(key)):
        if key[i] >= 0:
            starts[key[i] + 1] += 1
    starts = np.cumsum(starts)
    at, out = starts.copy(), np.empty(starts[count], np.int64)
    for i in range(len(key)):
        if key[i] >= 0:
            out[at[key[i]]] = i
            at[key[i]] += 1
    return starts, out


@njit(cache=True)
def _rows(first, child_starts, children, block_starts, block_rows):
    """Of each front the later fronts' vertices that it touches, rising: starts (k + 1,) into rows."""
    count = len(first) - 1
    starts, rows, used = np.zeros(count + 1, np.int64), np.empty(4 * first[count] + 64, np.int64), 0
    seen = np.full(first[count], -1, np.int64)
    for k in range(count):
        if len(rows) - used < first[count]:
            rows = np.concatenate((rows, np.empty(len(rows), np.int64)))
        used = _touched(block_rows[block_starts[k] : block_starts[k + 1]], k, first, seen, rows, used)
        for c in children[child_starts[k] : child_starts[k + 1]]:
            used = _touched(rows[starts[c] : starts[c + 1]], k, first, seen, rows, used)
        rows[starts[k] : used].sort()
        starts[k + 1] = used
    return starts, rows[:used].copy()


@njit(cache=True)
def _touched(some, k, first, seen, rows, used):
    """Add those of some vertices that come after front k to rows, each once; how many rows there are then."""
    for row in some:
        if row >= first[k + 1] and seen[row] != k:
            seen[row] = k
            rows[used] = row
            used += 1
    return used


@njit(cache=True)
def _stacked(parent, child_starts, children, beyond, parts):
    """Where what each front leaves for its parent lies (k,), and numbers in all.

    It is taken up while that of the parent is written: fronts of even and of odd depth have a stack each, in
    which the latest is the first to be taken up. So has each group, which cannot wait for another.
    """
    depth, updates, before = np.zeros(len(parent), np.int64), np.zeros(len(parent), np.int64), 0
    for front in range(len(parent) - 1, -1, -1):
        if parent[front] >= 0:
            depth[front] = depth[parent[front]] + 1
    for part in range(len(parts) - 1):
        for parity in range(2):
            top = highest = 0
            for front in range(parts[part], parts[part + 1]):
                if depth[front] % 2 == parity:
                    updates[front] = before + top
                    top += 9 * beyond[front] ** 2
                    highest = max(highest, top)
                else:
                    for c in children[child_starts[front] : child_starts[front + 1]]:
                        if c >= parts[part]:
                            top = min(top, updates[c] - before)
            before += highest
    return updates, before
