"""Factors of symmetric positive definite matrices, and solves with several of them side by side.

SciPy's SuperLU orders and factorises (X. S. Li, An overview of SuperLU, ACM TOMS 2005), which happens a few
times a run. Solves happen for every iteration of conjugate gradients, so the substitutions are here: three
right-hand sides at once, and the factors of an outfit shared out to two threads. Each factor's sums have one
order, whichever thread takes it.
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

SHARES = 2  # that the solves are shared out to: as many as the threads this was made for


@dataclass(frozen=True, eq=False)
class Factor:
    """L D L^T of a matrix (n, n) with its rows in another order.

    starts (n + 1,) into rows and values (k,) of L's columns below the diagonal; inverse (n,) of D; place (n,),
    where each row of the matrix went.
    """

    starts: Indices
    rows: np.ndarray
    values: Scalars
    inverse: Scalars
    place: np.ndarray

    def solve(self, right: Vectors) -> Vectors:
        """The solution (n, 3) for right-hand sides (n, 3)."""
        out, work = np.empty_like(right), np.empty_like(right)
        _three(self.starts, self.rows, self.values, self.inverse, self.place, right, work, out)
        return out


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
    return Factor(
        lower.indptr.astype(np.uint64), lower.indices.astype(np.uint32), lower.data, 1.0 / diagonal,
        found.perm_c.astype(np.uint32),
    )  # fmt: skip


class SideBySide:
    """Solves with several factors at once, each over its slice of the vertices.

    Factors `anywhere` take three right-hand sides, those `along` one.
    """

    def __init__(self, anywhere: Sequence[tuple[slice, Factor]], along: Sequence[tuple[slice, Factor]]) -> None:
        pieces = [(3, span.start, factor) for span, factor in anywhere]
        pieces += [(1, span.start, factor) for span, factor in along]
        factors = [factor for _, _, factor in pieces]
        columns = np.cumsum([0, *(len(one.inverse) for one in factors)])
        entries = np.cumsum([0, *(len(one.values) for one in factors)])
        columns_of = [one.starts[:-1] + np.uint64(e) for one, e in zip(factors, entries, strict=False)]
        self._starts = np.concatenate([*columns_of, entries[-1:].astype(np.uint64)])
        self._rows = np.concatenate([one.rows for one in factors])
        self._values = np.concatenate([one.values for one in factors])
        self._inverse = np.concatenate([one.inverse for one in factors])
        self._place = np.concatenate([one.place for one in factors])
        self._tasks = np.array(
            [
                (lanes, vertex, columns[i], len(factors[i].inverse))
                for i, (lanes, vertex, _) in enumerate(pieces)
            ]
        )
        self._shares = _shared_out([len(one.values) * (2 + lanes) for lanes, _, one in pieces])
        count = max(span.stop for span, _ in anywhere)
        self._work, self._own = np.zeros((count, 3)), np.zeros(count)

    def solve(self, right: Vectors, force: Scalars, out: Vectors, moved: Scalars) -> None:
        """Solutions for right (n, 3) into out (n, 3), and for force (n,) into moved (n,), where there are
        factors.
        """
        _each(
            self._tasks, self._shares, self._starts, self._rows, self._values, self._inverse, self._place, right,
            force, self._work, self._own, out, moved,
        )  # fmt: skip


def _shared_out(sizes: Sequence[int]) -> Indices:
    """Which tasks (SHARES, most) each share has, -1 for none: the largest first, to the share with the least."""
    loads = [0] * SHARES
    shares: list[list[int]] = [[] for _ in range(SHARES)]
    for task in sorted(range(len(sizes)), key=lambda i: -sizes[i]):
        least = loads.index(min(loads))
        loads[least] += sizes[task]
        shares[least].append(task)
    out = np.full((SHARES, max(map(len, shares), default=0)), -1)
    for index, tasks in enumerate(shares):
        out[index, : len(tasks)] = tasks
    return out


@njit(parallel=True, cache=True)
def _each(
    tasks, shares, starts, rows, values, inverse, place, right, force, work, own, out, moved
):  # fmt: skip
    """Solve every task of every share.

    tasks (t, 4): right-hand sides, first vertex, first column, number of columns; shares as `_shared_out` makes
    them; the factors one behind the other; right, work, out (n, 3), force, own, moved (n,).
    """
    for share in prange(shares.shape[0]):
        for index in range(shares.shape[1]):
            task = shares[share, index]
            if task < 0:
                continue
            vertex, first, count = tasks[task, 1], tasks[task, 2], tasks[task, 3]
            last, end = first + count, vertex + count
            begin, scale, to = starts[first : last + 1], inverse[first:last], place[first:last]
            if tasks[task, 0] == 3:
                _three(begin, rows, values, scale, to, right[vertex:end], work[vertex:end], out[vertex:end])
            else:
                _one(begin, rows, values, scale, to, force[vertex:end], own[vertex:end], moved[vertex:end])


@njit(cache=True)
def _three(starts, rows, values, inverse, place, right, x, out):
    """The solution of three systems with one factor, for right (n, 3) into out (n, 3).

    starts (n + 1,) into rows and values, unsigned so that no index needs a look at its sign; inverse, place
    (n,); x (n, 3) scratch.
    """
    count = inverse.shape[0]
    for i in range(count):
        j = place[i]
        x[j, 0], x[j, 1], x[j, 2] = right[i, 0], right[i, 1], right[i, 2]
    for j in range(count):
        a, b, c = x[j, 0], x[j, 1], x[j, 2]
        for p in range(starts[j], starts[j + 1]):
            i, v = rows[p], values[p]
            x[i, 0] -= v * a
            x[i, 1] -= v * b
            x[i, 2] -= v * c
    for j in range(count - 1, -1, -1):
        a, b, c = x[j, 0] * inverse[j], x[j, 1] * inverse[j], x[j, 2] * inverse[j]
        for p in range(starts[j], starts[j + 1]):
            i, v = rows[p], values[p]
            a -= v * x[i, 0]
            b -= v * x[i, 1]
            c -= v * x[i, 2]
        x[j, 0], x[j, 1], x[j, 2] = a, b, c
    for i in range(count):
        j = place[i]
        out[i, 0], out[i, 1], out[i, 2] = x[j, 0], x[j, 1], x[j, 2]


@njit(cache=True)
def _one(starts, rows, values, inverse, place, right, x, out):
    """The same for one right-hand side (n,); two sums at a time, since each waits for its last addition."""
    count = inverse.shape[0]
    for i in range(count):
        x[place[i]] = right[i]
    for j in range(count):
        a = x[j]
        for p in range(starts[j], starts[j + 1]):
            x[rows[p]] -= values[p] * a
    for j in range(count - 1, -1, -1):
        a, b = x[j] * inverse[j], 0.0
        first, last = starts[j], starts[j + 1]
        half = (last - first) // np.uint64(2)
        for p in range(first, first + half):
            a -= values[p] * x[rows[p]]
            b -= values[p + half] * x[rows[p + half]]
        for p in range(first + half + half, last):
            a -= values[p] * x[rows[p]]
        x[j] = a + b
    for i in range(count):
        out[i] = x[place[i]]
