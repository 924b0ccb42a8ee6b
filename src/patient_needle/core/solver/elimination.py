"""In which order the vertices of cloths are eliminated, and what each step of that needs.

Nested dissection (A. George, SIAM J. Numer. Anal. 10, 1973): the vertices are halved again and again by planes
across what is long, those along a cut come after both halves. What is eliminated at once, a front, then holds
the vertices of one cut or of one small rest (I. Duff and J. Reid, ACM TOMS 9, 1983). Two groups of fronts have
nothing in common and can be worked off side by side, those above both come last.
"""

from __future__ import annotations

import heapq
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from ..model.typed import Flags, Points, Scalars

Indices = NDArray[np.signedinteger]

SMALLEST = 16  # vertices that are not halved any more
GROUPS = 2  # of fronts, for as many threads
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


@dataclass(frozen=True, eq=False)
class _Fronts:
    """own: vertices of each front; parent (k,), -1 for none; children come before their parents."""

    own: list[Indices]
    parent: Indices


def elimination(ends: Indices, points: Points, free: Flags, spans: Sequence[slice]) -> Elimination:
    """The elimination of a matrix over n vertices at points (n, 3) m, of which those free (n,) are unknown.

    ends (b, 2) vertices of the blocks off the diagonal, the lower first; spans: slices of the vertices, with no
    block from one to another. Without free vertices there are no fronts.
    """
    inside = free[ends].all(axis=1)
    both = np.concatenate([ends[inside], ends[inside][:, ::-1]])
    count = len(points)
    graph = sparse.csr_matrix((np.ones(len(both), bool), (both[:, 0], both[:, 1])), (count, count))
    fronts = _joined([_dissected(graph, points, np.flatnonzero(free[s]) + s.start) for s in spans])
    order = np.arange(len(fronts.own))
    rows = _rows(graph, fronts, order)
    group = grouped(fronts.parent, _work(fronts, rows))
    order = np.argsort(group, kind="stable")
    place = np.empty(len(order), int)
    place[order] = np.arange(len(order))
    parent = fronts.parent[order]
    fronts = _Fronts([fronts.own[i] for i in order], np.where(parent < 0, -1, place[parent]))
    parts = np.searchsorted(group[order], np.arange(GROUPS + 2))
    return _laid_out(ends, np.flatnonzero(inside), fronts, _rows(graph, fronts, order), parts, count)


def _dissected(graph: sparse.csr_matrix, points: Points, vertices: Indices) -> _Fronts:
    """Fronts of some vertices of a graph."""
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

    if len(vertices):
        dissect(vertices)
    return _Fronts(own, np.array(parent, int))


def _halves(
    graph: sparse.csr_matrix, points: Points, of: Indices, side: Indices
) -> tuple[Indices, Indices, Indices]:
    """The fewest vertices along a cut across one of the main directions, and the two halves beside it.

    side (n,) all 0, for use here.
    """
    near = graph[of]
    row, neighbours = np.repeat(np.arange(len(of)), np.diff(near.indptr)), near.indices
    at = points[of] - points[of].mean(axis=0)
    found: tuple[Flags, Flags] | None = None
    for direction in np.linalg.eigh(at.T @ at)[1].T[::-1]:
        beyond = np.argsort(np.argsort(at @ direction, kind="stable"), kind="stable") >= len(of) // 2
        side[of] = np.where(beyond, 2, 1)
        across = side[neighbours] == np.where(beyond[row], 1, 2)
        touching = np.zeros(len(of), bool)
        touching[row[across]] = True
        for cut in (touching & ~beyond, touching & beyond):
            if found is None or cut.sum() < found[0].sum():
                found = cut, beyond
    side[of] = 0
    assert found is not None
    cut, beyond = found
    return of[cut], of[~beyond & ~cut], of[beyond & ~cut]


def _joined(each: list[_Fronts]) -> _Fronts:
    before = np.cumsum([0, *(len(one.own) for one in each)])
    parents = [
        np.where(one.parent < 0, -1, one.parent + start) for one, start in zip(each, before, strict=False)
    ]
    return _Fronts([own for one in each for own in one.own], np.concatenate([*parents, np.zeros(0, int)]))


def _rows(graph: sparse.csr_matrix, fronts: _Fronts, order: Indices) -> list[Indices]:
    """Of each front the places of later fronts' vertices that it touches, rising, with fronts as they stand."""
    count = len(order)
    place = np.zeros(graph.shape[0], int)
    origin = np.concatenate([*fronts.own, np.zeros(0, int)])
    place[origin] = np.arange(len(origin))
    first = np.cumsum([0, *(len(own) for own in fronts.own)])
    left: list[list[Indices]] = [[] for _ in range(count)]
    rows = []
    for front, own in enumerate(fronts.own):
        touched = np.unique(np.concatenate([place[graph[own].indices], *left[front]]))
        rows.append(touched[touched >= first[front + 1]])
        if fronts.parent[front] >= 0:
            left[fronts.parent[front]].append(rows[-1])
        left[front] = []
    return rows


def _work(fronts: _Fronts, rows: list[Indices]) -> Scalars:
    """Sums that each front takes, and some for its being one."""
    own = np.array([len(one) for one in fronts.own], float)
    beyond = np.array([len(one) for one in rows], float)
    return 27.0 * (own**3 / 3 + own**2 * beyond + own * beyond**2) + 1000.0


def grouped(parent: Indices, work: Scalars) -> Indices:
    """The group (k,) of each front or column, GROUPS for the last ones: those of two groups have nothing in
    common (J. W. H. Liu, The role of elimination trees in sparse factorization, SIAM J. Matrix Anal. Appl. 11,
    1990).

    parent (k,), -1 for none, comes after its children; work (k,), sums that each takes.
    """
    below = work.copy()
    children = _children(parent)
    for front in range(len(work)):
        if parent[front] >= 0:
            below[parent[front]] += below[front]
    group = np.full(len(work), -1)
    trees = [(-float(below[front]), front) for front in np.flatnonzero(parent < 0).tolist()]
    heapq.heapify(trees)
    while trees and -trees[0][0] > LARGEST * work.sum():
        _, front = heapq.heappop(trees)
        group[front] = GROUPS
        for child in children[front]:
            heapq.heappush(trees, (-float(below[child]), child))
    loads = [0.0] * GROUPS
    for size, front in sorted(trees):
        group[front] = loads.index(min(loads))
        loads[group[front]] -= size
    for front in range(len(work) - 1, -1, -1):  # a parent comes after its children
        if group[front] < 0:
            group[front] = group[parent[front]]
    return group


def _children(parent: Indices) -> list[list[int]]:
    out: list[list[int]] = [[] for _ in parent]
    for front, above in enumerate(parent.tolist()):
        if above >= 0:
            out[above].append(front)
    return out


def _laid_out(
    ends: Indices, inside: Indices, fronts: _Fronts, rows: list[Indices], parts: Indices, count: int
) -> Elimination:
    """Where everything lies; inside: which blocks are of free vertices alone."""
    own = np.array([len(one) for one in fronts.own], int)
    beyond = np.array([len(one) for one in rows], int)
    first = np.concatenate([[0], np.cumsum(own)])
    origin = np.concatenate([*fronts.own, np.zeros(0, int)])
    place = np.zeros(count, int)
    place[origin] = np.arange(len(origin))
    low, high = place[ends[inside]].T
    column, row, turned = np.minimum(low, high), np.maximum(low, high), low < high
    front = np.searchsorted(first, column, side="right") - 1
    order = np.argsort(front, kind="stable")
    column, row, front = column[order], row[order], front[order]
    starts = _starts(np.bincount(front, minlength=len(own)))
    into, within = [], row - first[front]
    for at, above in enumerate(fronts.parent.tolist()):
        mine = slice(starts[at], starts[at + 1])
        within[mine] = _local(row[mine], first, own, rows, at)
        into.append(_local(rows[at], first, own, rows, above) if above >= 0 else rows[at])
    children = _children(fronts.parent)
    updates, stack = _stacked(children, fronts.parent, beyond, parts)
    return Elimination(
        parts.astype(np.int64), first, origin, _starts(beyond), _flat(rows), _flat(into),
        _starts(np.array([len(one) for one in children], int)), _flat(children), starts, inside[order],
        column - first[front], within, turned[order], _starts(9 * own * (own + beyond)), updates, stack,
        int((own + beyond).max(initial=0)),
    )  # fmt: skip


def _local(of: Indices, first: Indices, own: Indices, rows: list[Indices], front: int) -> Indices:
    """Which vertex of a front each place is."""
    return np.where(
        of < first[front + 1], of - first[front], own[front] + np.searchsorted(rows[front], of)
    )  # fmt: skip


def _starts(counts: Indices) -> Indices:
    return np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)


def _flat(lists: Sequence[Sequence[int] | Indices]) -> Indices:
    return np.array([one for some in lists for one in some], np.int64)


def _stacked(
    children: list[list[int]], parent: Indices, beyond: Indices, parts: Indices
) -> tuple[Indices, int]:
    """Where what each front leaves for its parent lies (k,), and numbers in all.

    It is taken up while that of the parent is written: fronts of even and of odd depth have a stack each, in
    which the latest is the first to be taken up. So has each group, which cannot wait for another.
    """
    depth = np.zeros(len(parent), int)
    for front in range(len(parent) - 1, -1, -1):
        if parent[front] >= 0:
            depth[front] = depth[parent[front]] + 1
    updates, before = np.zeros(len(parent), np.int64), 0
    for begin, end in pairwise(parts.tolist()):
        for parity in (0, 1):
            top = highest = 0
            for front in range(begin, end):
                if depth[front] % 2 == parity:
                    updates[front] = before + top
                    top += 9 * int(beyond[front]) ** 2
                    highest = max(highest, top)
                else:
                    mine = [child for child in children[front] if child >= begin]
                    top = min([top, *(int(updates[child]) - before for child in mine)])
            before += highest
    return updates, before
