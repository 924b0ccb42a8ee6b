"""The Cholesky factor of a matrix of 3 x 3 blocks, made anew whenever the matrix has changed.

Multifrontal (I. Duff and J. Reid, ACM TOMS 9, 1983; J. W. H. Liu, SIAM Review 34, 1992): every front of an
`Elimination` is a small dense matrix, on which LAPACK and BLAS work. Single precision does, since conjugate
gradients ask for about the inverse only; numbers are scaled by a power of two, so that what decays across the
cloth does not come near the smallest ones.
"""

from __future__ import annotations

import numpy as np
import scipy.linalg.cython_blas
import scipy.linalg.cython_lapack
from llvmlite import binding
from numba import njit, prange, types
from numba.extending import get_cython_function_address

from ..model.errors import SolverError
from ..model.typed import Vectors
from .elimination import GROUPS, Dissection, Elimination, Indices
from .stiffness import NO_TIES, NOTHING_TIED, Stiffness

SHIFTS = (1e-8, 1e-6, 1e-4, 1e-2, 1.0, 100.0)  # shares of the diagonal added to it, until one serves
TOP = 96  # the exponent of the largest number


def _fortran(module: object, name: str, arguments: int) -> types.ExternalFunction:
    """A subroutine of SciPy's BLAS or LAPACK; all arguments are addresses."""
    binding.add_symbol(f"needle_{name}", get_cython_function_address(module.__name__, name))  # type: ignore[attr-defined]
    return types.ExternalFunction(f"needle_{name}", types.void(*[types.intp] * arguments))


_spotrf = _fortran(scipy.linalg.cython_lapack, "spotrf", 5)
_strsm = _fortran(scipy.linalg.cython_blas, "strsm", 11)
_ssyrk = _fortran(scipy.linalg.cython_blas, "ssyrk", 10)
_strsv = _fortran(scipy.linalg.cython_blas, "strsv", 8)
_sgemv = _fortran(scipy.linalg.cython_blas, "sgemv", 11)
LETTERS = np.frombuffer(b"LNTR", np.uint8).copy()


class Cholesky:
    """The factor of a matrix over n vertices, of which those of a dissection are unknown; room is kept."""

    def __init__(self, dissection: Dissection) -> None:
        self._dissection = dissection
        self._panels, self._stack = np.zeros(0, np.float32), np.zeros(0, np.float32)
        self._scale = 1.0

    def factorise(self, matrix: Stiffness, tied: Indices = NOTHING_TIED, ties: Vectors = NO_TIES) -> None:
        """Take up the matrix, and those of the blocks ties (c, 9) N/m, of the first of two vertices tied (c, 2)
        by the second, that find room in its fronts.

        A matrix that is not quite positive definite gets a share of its diagonal more. `SolverError` for
        numbers that are not finite, and for a matrix that no share makes positive.
        """
        largest = float(matrix.diagonal[:, :3].max(initial=0.0))
        if not np.isfinite(largest):
            raise SolverError("the cloth's stiffness is not finite", remedy="Report this as a fault")
        self._make_room(self._dissection.elimination(tied))
        self._scale = 2.0 ** (TOP - np.ceil(np.log2(max(largest, 1e-30))))
        for shift in SHIFTS:
            self._right[:] = True
            _factorise(
                self._order, matrix.diagonal, matrix.blocks, ties, self._scale, 1.0 + shift, self._panels,
                self._stack, self._right,
            )  # fmt: skip
            if self._right.all():
                return
        raise SolverError("the cloth's stiffness is not positive", remedy="Report this as a fault")

    def _make_room(self, order: Elimination) -> None:
        self._order = order
        if len(self._panels) < order.panels[-1]:
            self._panels = np.zeros(int(1.1 * order.panels[-1]), np.float32)
        if len(self._stack) < order.stack:
            self._stack = np.zeros(int(1.1 * order.stack), np.float32)
        unknown, last = len(order.origin), int(order.first[order.parts[GROUPS]])
        self._x = np.zeros((unknown, 3), np.float32)
        self._last = np.zeros((GROUPS, unknown - last, 3), np.float32)
        self._front = np.zeros((GROUPS, 3 * order.tallest), np.float32)
        self._right = np.zeros(GROUPS + 1, bool)

    def solve(self, right: Vectors, out: Vectors) -> None:
        """About the solution for right (n, 3), into out (n, 3); 0 where nothing is unknown."""
        _solve(
            self._order, self._panels, self._scale, right, self._x, self._last, self._front, out
        )  # fmt: skip


@njit(parallel=True, cache=True)
def _factorise(order, diagonal, blocks, ties, scale, more, panels, stack, right):
    """Both groups of fronts side by side, then the last ones; right (GROUPS + 1,) becomes False where that
    failed.

    diagonal (n, 6), blocks (b, 9) as in `Stiffness`, ties (c, 9) the blocks behind them; scale times all, and
    times more the diagonal; panels, stack as in `Elimination`.
    """
    for group in prange(GROUPS):
        _fronts(
            order, order.parts[group], order.parts[group + 1], diagonal, blocks, ties, scale, more, panels,
            stack, right, group,
        )  # fmt: skip
    if right.all():
        _fronts(
            order, order.parts[GROUPS], order.parts[GROUPS + 1], diagonal, blocks, ties, scale, more, panels,
            stack, right, GROUPS,
        )  # fmt: skip


@njit(cache=True)
def _fronts(order, begin, end, diagonal, blocks, ties, scale, more, panels, stack, right, group):
    """Fronts begin to end, in order. A front's columns lie one behind the other, rows from its own on."""
    sizes, one = np.zeros(5, np.int32), np.array([1.0, -1.0, 0.0], np.float32)
    rows_at, columns_at, height_at, width_at, info_at = _addresses(sizes.ctypes.data)
    lower, plain, turn, behind = _letters(LETTERS.ctypes.data)
    for k in range(begin, end):
        own = order.first[k + 1] - order.first[k]
        beyond = order.row_starts[k + 1] - order.row_starts[k]
        height = 3 * (own + beyond)
        panel = panels[order.panels[k] : order.panels[k + 1]]
        update = stack[order.updates[k] : order.updates[k] + 9 * beyond * beyond]
        _assemble(order, k, own, height, diagonal, blocks, ties, scale, more, panel)
        _take_up(order, k, 0, own, stack, panel, height)
        sizes[0], sizes[1], sizes[2], sizes[3] = 3 * own, 3 * beyond, max(height, 1), max(3 * beyond, 1)
        corner, block = panel.ctypes.data, panel.ctypes.data + 12 * own
        one_at = one.ctypes.data
        if own == 0:
            update[:] = 0.0
        else:
            _spotrf(lower, rows_at, corner, height_at, info_at)
            if sizes[4] != 0:
                right[group] = False
                return
            if beyond > 0:
                _strsm(
                    behind, lower, turn, plain, columns_at, rows_at, one_at, corner, height_at, block, height_at
                )
                _ssyrk(
                    lower, plain, columns_at, rows_at, one_at + 4, block, height_at, one_at + 8,
                    update.ctypes.data, width_at,
                )  # fmt: skip
        _take_up(order, k, own, own + beyond, stack, update, 3 * beyond)


@njit(cache=True, inline="always")
def _letters(at):
    """Addresses of "L", "N", "T" and "R"."""
    return at, at + 1, at + 2, at + 3


@njit(cache=True, inline="always")
def _addresses(at):
    """Addresses of five int32."""
    return at, at + 4, at + 8, at + 12, at + 16


@njit(cache=True)
def _assemble(order, k, own, height, diagonal, blocks, ties, scale, more, panel):
    """The matrix's own part of front k into its panel (3 own height,)."""
    panel[:] = 0.0
    for j in range(own):
        v, at = order.origin[order.first[k] + j], 3 * j * (height + 1)
        panel[at] = scale * more * diagonal[v, 0]
        panel[at + height + 1] = scale * more * diagonal[v, 1]
        panel[at + 2 * (height + 1)] = scale * more * diagonal[v, 2]
        panel[at + 1] = scale * diagonal[v, 3]
        panel[at + 2] = scale * diagonal[v, 4]
        panel[at + height + 2] = scale * diagonal[v, 5]
    for e in range(order.block_starts[k], order.block_starts[k + 1]):
        number, at = order.blocks[e], 3 * (order.columns[e] * height + order.block_rows[e])
        block = blocks[number] if number < len(blocks) else ties[number - len(blocks)]
        for i in range(3):
            for j in range(3):
                value = block[3 * j + i] if order.turned[e] else block[3 * i + j]
                panel[at + j * height + i] += scale * value


@njit(cache=True)
def _take_up(order, k, begin, end, stack, out, height):
    """Add what its children left for vertices begin to end of front k to the columns that out has of those, of
    `height` numbers each, from the row of vertex `begin` on.
    """
    for c in range(order.child_starts[k], order.child_starts[k + 1]):
        child = order.children[c]
        start, count = order.row_starts[child], order.row_starts[child + 1] - order.row_starts[child]
        for j in range(count):
            column = order.into[start + j]
            if column < begin or column >= end:
                continue
            for n in range(3):
                to = (3 * (column - begin) + n) * height
                source = order.updates[child] + (3 * j + n) * 3 * count
                for i in range(j, count):
                    row = to + 3 * (order.into[start + i] - begin)
                    out[row] += stack[source + 3 * i]
                    out[row + 1] += stack[source + 3 * i + 1]
                    out[row + 2] += stack[source + 3 * i + 2]


@njit(parallel=True, cache=True)
def _solve(order, panels, scale, right, x, last, front, out):
    """Forwards through both groups side by side, through the last fronts and back, and back through both.

    right, out (n, 3); x (f, 3), last (GROUPS, l, 3) and front (GROUPS, 3 tallest) float32 to work in.
    """
    end = order.first[order.parts[GROUPS]]
    out[:] = 0.0
    for group in prange(GROUPS):
        begin, until = order.parts[group], order.parts[group + 1]
        for i in range(order.first[begin], order.first[until]):
            for n in range(3):
                x[i, n] = scale * right[order.origin[i], n]
        last[group] = 0.0
        _down(order, begin, until, panels, x, last[group], end, front[group])
    for i in range(end, x.shape[0]):
        for n in range(3):
            x[i, n] = scale * right[order.origin[i], n]
            for group in range(GROUPS):
                x[i, n] += last[group, i - end, n]
    begin, until = order.parts[GROUPS], order.parts[GROUPS + 1]
    _down(order, begin, until, panels, x, last[0], x.shape[0], front[0])
    _up(order, begin, until, panels, x, front[0])
    for i in range(end, x.shape[0]):
        for n in range(3):
            out[order.origin[i], n] = x[i, n]
    for group in prange(GROUPS):
        begin, until = order.parts[group], order.parts[group + 1]
        _up(order, begin, until, panels, x, front[group])
        for i in range(order.first[begin], order.first[until]):
            for n in range(3):
                out[order.origin[i], n] = x[i, n]


@njit(cache=True)
def _opened(order, k, x, front, sizes):
    """Put x (f, 3) of its own vertices into front k, and its sizes where the library looks for them.

    Gives where its own vertices and its rows begin, and how many there are of each.
    """
    low, start = order.first[k], order.row_starts[k]
    own, beyond = order.first[k + 1] - low, order.row_starts[k + 1] - start
    for i in range(own):
        for n in range(3):
            front[3 * i + n] = x[low + i, n]
    sizes[0], sizes[1], sizes[2], sizes[3] = 3 * own, 3 * beyond, 3 * (own + beyond), 1
    return low, start, own, beyond


@njit(cache=True)
def _down(order, begin, until, panels, x, last, end, front):
    """Substitute forwards through fronts begin to until in x (f, 3); what comes to vertices from `end` on goes
    to last (l, 3).
    """
    sizes, one = np.zeros(5, np.int32), np.array([1.0, -1.0, 0.0], np.float32)
    lower, plain, _, _ = _letters(LETTERS.ctypes.data)
    own_at, beyond_at, height_at, single, _ = _addresses(sizes.ctypes.data)
    for k in range(begin, until):
        low, start, own, beyond = _opened(order, k, x, front, sizes)
        if own == 0:
            continue
        panel = panels[order.panels[k] : order.panels[k + 1]].ctypes.data
        head, tail = front.ctypes.data, front.ctypes.data + 12 * own
        _strsv(lower, plain, plain, own_at, panel, height_at, head, single)
        if beyond > 0:
            _sgemv(
                plain, beyond_at, own_at, one.ctypes.data + 4, panel + 12 * own, height_at, head, single,
                one.ctypes.data + 8, tail, single,
            )  # fmt: skip
        for i in range(own):
            for n in range(3):
                x[low + i, n] = front[3 * i + n]
        for i in range(beyond):
            row = order.rows[start + i]
            for n in range(3):
                if row < end:
                    x[row, n] += front[3 * (own + i) + n]
                else:
                    last[row - end, n] += front[3 * (own + i) + n]


@njit(cache=True)
def _up(order, begin, until, panels, x, front):
    """Substitute backwards through fronts begin to until in x (f, 3)."""
    sizes, one = np.zeros(5, np.int32), np.array([1.0, -1.0, 0.0], np.float32)
    lower, plain, turn, _ = _letters(LETTERS.ctypes.data)
    own_at, beyond_at, height_at, single, _ = _addresses(sizes.ctypes.data)
    for k in range(until - 1, begin - 1, -1):
        low, start, own, beyond = _opened(order, k, x, front, sizes)
        if own == 0:
            continue
        for i in range(beyond):
            for n in range(3):
                front[3 * (own + i) + n] = x[order.rows[start + i], n]
        panel = panels[order.panels[k] : order.panels[k + 1]].ctypes.data
        head, tail = front.ctypes.data, front.ctypes.data + 12 * own
        if beyond > 0:
            _sgemv(
                turn, beyond_at, own_at, one.ctypes.data + 4, panel + 12 * own, height_at, tail, single,
                one.ctypes.data, head, single,
            )  # fmt: skip
        _strsv(lower, turn, plain, own_at, panel, height_at, head, single)
        for i in range(own):
            for n in range(3):
                x[low + i, n] = front[3 * i + n]
