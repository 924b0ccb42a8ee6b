"""Factors of symmetric positive definite matrices, and solves with several of them on two threads.

SciPy's SuperLU orders and factorises (X. S. Li, An overview of SuperLU, ACM TOMS 2005), which happens a few
times a run. Solves happen in every iteration of conjugate gradients, so the substitutions are here, for three
right-hand sides at once. Columns whose elimination trees have nothing in common go to two groups, those above
both come last. The groups are worked off side by side. What they add to the last columns they keep apart, so
that every sum has one order on any number of threads.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from scipy import sparse
from scipy.sparse.linalg import splu

from ..model.errors import SolverError
from ..model.typed import Indices, Scalars, Vectors
from .elimination import GROUPS, grouped


@dataclass(frozen=True, eq=False)
class Factor:
    """L D L^T of a matrix (n, n) with its rows in another order: those of either group, then the last ones.

    ends (2,) where each group ends; starts (n + 1,) into rows and values (k,) of L's columns below the
    diagonal, and split (n,) from where a column's rows are of the last; inverse (n,) of D; origin (n,), which
    row of the matrix each was.
    """

    ends: tuple[int, int]
    starts: Indices
    split: Indices
    rows: Indices
    values: Scalars
    inverse: Scalars
    origin: Indices


def factorised(matrix: sparse.csr_matrix) -> Factor:
    """The factor of a symmetric positive definite matrix (n, n); `SolverError` if it is neither."""
    found = splu(
        matrix.tocsc(), permc_spec="MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
    )
    diagonal = found.U.diagonal()
    if not (np.array_equal(found.perm_r, found.perm_c) and (diagonal > 0).all()):
        raise SolverError("a factor's matrix is not positive definite", remedy="Report this as a fault")
    lower = sparse.tril(found.L, -1).tocsc()
    lower.sort_indices()
    group = grouped(_parents(lower.indptr, lower.indices), np.diff(lower.indptr) + 3.0)
    order = np.argsort(group, kind="stable")
    place = np.empty_like(order)
    place[order] = np.arange(len(order))
    entries = lower.tocoo()
    columns, rows = place[entries.col], place[entries.row]
    along = np.lexsort((rows, columns))
    columns, rows = columns[along], rows[along]
    starts = np.concatenate([[0], np.cumsum(np.bincount(columns, minlength=len(order)))])
    ends = (int((group == 0).sum()), int((group < GROUPS).sum()))
    early = np.bincount(columns[rows < ends[1]], minlength=len(order))
    return Factor(
        ends, starts.astype(np.uint64), (starts[:-1] + early).astype(np.uint64), rows.astype(np.uint32),
        entries.data[along], (1.0 / diagonal)[order], np.argsort(found.perm_c)[order].astype(np.uint32),
    )  # fmt: skip


def _parents(starts: Indices, rows: Indices) -> Indices:
    """The column (n,) that each column leads to, -1 for none; rows of the columns in rising order."""
    parent = np.full(len(starts) - 1, -1)
    filled = np.flatnonzero(np.diff(starts))
    parent[filled] = rows[starts[filled]]
    return parent


class SideBySide:
    """Solves with several factors at once, each over its slice of the vertices.

    Factors `anywhere` take three right-hand sides, those `along` one.
    """

    def __init__(self, anywhere: Sequence[tuple[slice, Factor]], along: Sequence[tuple[slice, Factor]]) -> None:
        pieces = [(3, span.start, factor) for span, factor in anywhere]
        pieces += [(1, span.start, factor) for span, factor in along]
        tasks, columns, entries, last = [], 0, 0, 0
        starts, split = [], []
        loads = [0, 0]
        for lanes, vertex, one in pieces:
            count, (first, second) = len(one.inverse), one.ends
            work = [int(one.starts[first]), int(one.starts[second] - one.starts[first])]
            turned = (work[0] > work[1]) == (loads[0] > loads[1])
            for group in range(GROUPS):
                loads[group] += lanes * work[1 - group if turned else group]
            tasks.append((lanes, vertex, columns, count, first, second, turned, last))
            starts.append(one.starts[:-1] + np.uint64(entries))
            split.append(one.split + np.uint64(entries))
            columns, entries, last = columns + count, entries + len(one.values), last + count - second
        factors = [factor for _, _, factor in pieces]
        self._tasks = np.array(tasks, np.int64)
        self._starts = np.concatenate([*starts, np.array([entries], np.uint64)])
        self._split = np.concatenate(split)
        self._rows = np.concatenate([one.rows for one in factors])
        self._values = np.concatenate([one.values for one in factors])
        self._inverse = np.concatenate([one.inverse for one in factors])
        self._origin = np.concatenate([one.origin for one in factors])
        self._work = np.zeros((columns, 3))
        self._last = np.zeros((GROUPS, last, 3))

    def three(self, right: Vectors) -> Vectors:
        """Solutions (n, 3) for right (n, 3) alone."""
        out, nothing = np.zeros_like(right), np.zeros(len(right))
        self.solve(right, nothing, out, nothing)
        return out

    def solve(self, right: Vectors, force: Scalars, out: Vectors, moved: Scalars) -> None:
        """Solve for right (n, 3) into out (n, 3), and for force (n,) into moved (n,) where factors say so."""
        _solve(
            self._tasks, self._starts, self._split, self._rows, self._values, self._inverse, self._origin,
            right, force, self._work, self._last, out, moved,
        )  # fmt: skip


@njit(parallel=True, cache=True)
def _solve(
    tasks, starts, split, rows, values, inverse, origin, right, force, work, last, out, moved
):  # fmt: skip
    """Forwards through both groups side by side, through the last columns and back, and back through both.

    tasks (t, 8): right-hand sides, first vertex, first column, how many columns, where the groups end, whether
    they are turned, and where its part of `last` (GROUPS, k, 3) begins. Factors one behind the other as in
    `Factor`; work (columns, 3) scratch; right, out (n, 3); force, moved (n,).
    """
    for share in prange(GROUPS):
        for t in range(tasks.shape[0]):
            first, count, middle, end = tasks[t, 2], tasks[t, 3], tasks[t, 4], tasks[t, 5]
            low, high = (0, middle) if (share == 1) == (tasks[t, 6] == 1) else (middle, end)
            x, kept = work[first : first + count], last[share, tasks[t, 7] : tasks[t, 7] + count - end]
            of = origin[first : first + count]
            begin, part = starts[first : first + count + 1], split[first : first + count]
            kept[:] = 0.0
            if tasks[t, 0] == 3:
                given = right[tasks[t, 1] : tasks[t, 1] + count]
                for j in range(low, high):
                    i = of[j]
                    x[j, 0], x[j, 1], x[j, 2] = given[i, 0], given[i, 1], given[i, 2]
                _three_down(begin, part, rows, values, low, high, end, x, kept)
            else:
                given_one = force[tasks[t, 1] : tasks[t, 1] + count]
                for j in range(low, high):
                    x[j, 0] = given_one[of[j]]
                _one_down(begin, part, rows, values, low, high, end, x, kept)
    for t in range(tasks.shape[0]):
        first, count, end = tasks[t, 2], tasks[t, 3], tasks[t, 5]
        x, of = work[first : first + count], origin[first : first + count]
        begin, scale = starts[first : first + count + 1], inverse[first : first + count]
        at = tasks[t, 7] - end
        three = tasks[t, 0] == 3
        for j in range(end, count):
            for k in range(3 if three else 1):
                value = right[tasks[t, 1] + of[j], k] if three else force[tasks[t, 1] + of[j]]
                x[j, k] = value + last[0, at + j, k] + last[1, at + j, k]
        if three:
            _three_down(begin, begin[1:], rows, values, end, count, count, x, last[0, :0])
            _three_up(begin, rows, values, scale, end, count, x)
        else:
            _one_down(begin, begin[1:], rows, values, end, count, count, x, last[0, :0])
            _one_up(begin, rows, values, scale, end, count, x)
    for share in prange(GROUPS):
        for t in range(tasks.shape[0]):
            first, count, middle, end = tasks[t, 2], tasks[t, 3], tasks[t, 4], tasks[t, 5]
            low, high = (0, middle) if (share == 1) == (tasks[t, 6] == 1) else (middle, end)
            x, of = work[first : first + count], origin[first : first + count]
            begin, scale = starts[first : first + count + 1], inverse[first : first + count]
            if tasks[t, 0] == 3:
                taken = out[tasks[t, 1] : tasks[t, 1] + count]
                _three_up(begin, rows, values, scale, low, high, x)
                for piece in range(2):
                    for j in range(low, high) if piece == 0 else range(end, count if share == 0 else end):
                        i = of[j]
                        taken[i, 0], taken[i, 1], taken[i, 2] = x[j, 0], x[j, 1], x[j, 2]
            else:
                taken_one = moved[tasks[t, 1] : tasks[t, 1] + count]
                _one_up(begin, rows, values, scale, low, high, x)
                for piece in range(2):
                    for j in range(low, high) if piece == 0 else range(end, count if share == 0 else end):
                        taken_one[of[j]] = x[j, 0]


@njit(cache=True)
def _three_down(starts, split, rows, values, low, high, end, x, kept):
    """Substitute forwards in columns low to high of x (n, 3); what comes to rows from `end` on goes to kept (k,
    3).

    starts (n + 1,), split (n,), rows and values as in `Factor`, unsigned: an index without a sign needs no look
    at it.
    """
    for j in range(low, high):
        a, b, c = x[j, 0], x[j, 1], x[j, 2]
        for p in range(starts[j], split[j]):
            i, v = rows[p], values[p]
            x[i, 0] -= v * a
            x[i, 1] -= v * b
            x[i, 2] -= v * c
        for p in range(split[j], starts[j + 1]):
            i, v = rows[p] - np.uint32(end), values[p]
            kept[i, 0] -= v * a
            kept[i, 1] -= v * b
            kept[i, 2] -= v * c


@njit(cache=True)
def _three_up(starts, rows, values, inverse, low, high, x):
    """Divide by the diagonal and substitute backwards in columns low to high of x (n, 3)."""
    for j in range(high - 1, low - 1, -1):
        a, b, c = x[j, 0] * inverse[j], x[j, 1] * inverse[j], x[j, 2] * inverse[j]
        for p in range(starts[j], starts[j + 1]):
            i, v = rows[p], values[p]
            a -= v * x[i, 0]
            b -= v * x[i, 1]
            c -= v * x[i, 2]
        x[j, 0], x[j, 1], x[j, 2] = a, b, c


@njit(cache=True)
def _one_down(starts, split, rows, values, low, high, end, x, kept):
    """The same as `_three_down` for the first right-hand side alone."""
    for j in range(low, high):
        a = x[j, 0]
        for p in range(starts[j], split[j]):
            x[rows[p], 0] -= values[p] * a
        for p in range(split[j], starts[j + 1]):
            kept[rows[p] - np.uint32(end), 0] -= values[p] * a


@njit(cache=True)
def _one_up(starts, rows, values, inverse, low, high, x):
    """The same as `_three_up` for the first alone; two sums at a time: each waits for its last addition."""
    for j in range(high - 1, low - 1, -1):
        a, b = x[j, 0] * inverse[j], 0.0
        first, last = starts[j], starts[j + 1]
        half = (last - first) // np.uint64(2)
        for p in range(first, first + half):
            a -= values[p] * x[rows[p], 0]
            b -= values[p + half] * x[rows[p + half], 0]
        for p in range(first + half + half, last):
            a -= values[p] * x[rows[p], 0]
        x[j, 0] = a + b
