"""The linearised energy as a symmetric matrix of 3 x 3 blocks, which every Newton pass makes anew.

Membrane and bending are summed into blocks once a pass, block by block from the elements around it, so that no
two threads write to one place and every sum has its order. They are then laid out row by row, each twice, so
that a product reads them in order and nothing else: conjugate gradients take many for every pass. Hinges and
triangles linearise to far more numbers than their blocks have.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from ..geometry.topology import incidence
from ..model.typed import Flags, Indices, Scalars, Triangles, Vectors
from .sums import total
from .ties import Ties

Unsigned = NDArray[np.uint32]  # an index without a sign needs no look at it in a kernel
NOTHING_TIED, NO_TIES = np.zeros((0, 2), np.int64), np.zeros((0, 9))
LEAST_TIE = 0.001  # of what holds two vertices, that a factor counts
CHUNKS = 8  # of the rows, each with a sum of its own: the same bits on any number of threads


@dataclass(frozen=True, eq=False)
class Pattern:
    """Which blocks one cloth's matrix has off the diagonal; b of them.

    ends (b, 2) int32 vertices, the lower first, sorted by it, then by the other.
    """

    count: int
    ends: Indices

    def __len__(self) -> int:
        return len(self.ends)

    def places(self, elements: Indices) -> Places:
        """How elements (m, c), all of whose pairs of corners the pattern has, fill the matrix."""
        width = elements.shape[1]
        first, second = np.triu_indices(width, 1)
        a, b = elements[:, first].astype(np.int64), elements[:, second].astype(np.int64)
        turned = a > b
        low, high = np.where(turned, b, a), np.where(turned, a, b)
        key = self.ends[:, 0].astype(np.int64) * self.count + self.ends[:, 1]
        block = np.searchsorted(key, (low * self.count + high).ravel())
        code = np.arange(len(elements))[:, None] * width * width + np.where(
            turned, second * width + first, first * width + second
        )
        order = np.argsort(block, kind="stable")
        starts = np.concatenate([[0], np.cumsum(np.bincount(block, minlength=len(self)))])
        return Places(
            starts.astype(np.uint32),
            code.ravel()[order].astype(np.uint32),
            *(one.astype(np.uint32) for one in incidence(elements, self.count)),
        )


@dataclass(frozen=True, eq=False)
class Places:
    """What of m elements of c corners goes into each of b blocks and n blocks of the diagonal.

    starts (b + 1,) into codes (m c (c - 1) / 2,): element c c + c first + second, the corners that are the
    block's lower and higher vertex. own_starts (n + 1,) into own (m c,): element c + corner.
    """

    starts: Unsigned
    codes: Unsigned
    own_starts: Unsigned
    own: Unsigned


def pattern_of(count: int, triangles: Triangles, hinges: Indices) -> Pattern:
    """The blocks that triangles (m, 3) and hinges (h, 4) of one cloth of `count` vertices fill."""
    pairs = [triangles[:, list(two)] for two in ((0, 1), (1, 2), (0, 2))]
    pairs += [hinges[:, [a, b]] for a, b in zip(*np.triu_indices(4, 1), strict=True)]
    ends = np.sort(np.concatenate(pairs), axis=1)
    key = np.unique(ends[:, 0].astype(np.int64) * count + ends[:, 1])
    return Pattern(count, np.stack([key // count, key % count], axis=1).astype(np.int32))


class Blocks:
    """Some rows of the matrix: diagonal (n, 6) and blocks (b, 9) N/m, as in `Stiffness`, and what ties vertices
    beside those.
    """

    def __init__(self, diagonal: Vectors, blocks: Vectors) -> None:
        self.diagonal, self.blocks = diagonal, blocks
        self.ties: list[Ties] = []

    def tie(self, ties: Ties) -> None:
        """Add ties."""
        ties.add_own(self.diagonal)
        self.ties.append(ties)

    def part(self, cloth: int) -> Blocks:  # noqa: ARG002
        """The rows of one cloth; of a part that is all of them."""
        return self


class Stiffness(Blocks):
    """The matrix of an outfit, with each cloth's own part of it.

    diagonal (n, 6) N/m, the symmetric blocks of the vertices as xx, yy, zz, xy, xz, yz; blocks (b, 9) N/m,
    those of lower vertices by higher, row by row; ends (b, 2) int32, which vertices those are.
    """

    def __init__(self, patterns: Sequence[Pattern]) -> None:
        firsts = np.concatenate([[0], np.cumsum([one.count for one in patterns])]).astype(int)
        ends = np.concatenate([one.ends + first for one, first in zip(patterns, firsts, strict=False)])
        self.ends = ends
        both = np.concatenate([ends, ends[:, ::-1]])
        order = np.lexsort((both[:, 1], both[:, 0]))
        self._neighbours = np.ascontiguousarray(both[order, 1], np.uint32)
        self._block = (order % max(len(ends), 1)).astype(np.uint32)
        self._turned = order >= len(ends)
        self._rows = np.zeros((len(both), 9))
        row = both[order, 0]
        count = int(firsts[-1])
        counts = np.bincount(row, minlength=count)
        self._starts = np.concatenate([[0], np.cumsum(counts)]).astype(np.uint32)
        super().__init__(np.zeros((count, 6)), np.zeros((len(ends), 9)))
        block_firsts = np.concatenate([[0], np.cumsum([len(one) for one in patterns])]).astype(int)
        self._parts = [
            Blocks(self.diagonal[a:b], self.blocks[c:d])
            for a, b, c, d in zip(firsts[:-1], firsts[1:], block_firsts[:-1], block_firsts[1:], strict=True)
        ]
        self._sums = np.zeros(CHUNKS)

    def clear(self) -> None:
        """Begin anew."""
        self.diagonal[:] = 0.0
        self.blocks[:] = 0.0
        self.ties.clear()

    def close(self) -> None:
        """Lay the blocks out row by row: products are of what was added so far."""
        _lay_out(self.blocks, self._block, self._turned, self._rows)

    def part(self, cloth: int) -> Blocks:
        """The rows of one cloth."""
        return self._parts[cloth]

    @property
    def bytes(self) -> int:
        """What one product reads and writes at least, each thing once."""
        read = self.diagonal.nbytes + self._rows.nbytes + self._neighbours.nbytes + self._starts.nbytes
        return read + 2 * 24 * len(self.diagonal)

    def product(self, p: Vectors, held: Flags, out: Vectors) -> float:
        """Add the product with p (n, 3) to out (n, 3), in which held rows (n,) become 0; the inner product of p
        with the outcome.
        """
        for ties in self.ties:
            ties.add_product(p, out)
        _multiply(
            p, self.diagonal, self._rows, self._starts, self._neighbours, held, out, self._sums,
        )  # fmt: skip
        return float(total(self._sums))

    def tied(self) -> tuple[Indices, Vectors]:
        """Blocks (c, 9) N/m between vertices (c, 2) that ties bring, the first by the second: those that count
        beside what else holds the two, the strongest first.
        """
        each = [ties.between() for ties in self.ties]
        ends = np.concatenate([NOTHING_TIED, *(one for one, _ in each)])
        blocks = np.concatenate([NO_TIES, *(one for _, one in each)])
        own = self.diagonal[:, :3].sum(axis=1)[ends]
        strength = np.abs(blocks[:, ::4].sum(axis=1))
        counts = np.flatnonzero(strength > LEAST_TIE * np.sqrt(own[:, 0] * own[:, 1]))
        order = counts[np.argsort(-strength[counts], kind="stable")]
        return ends[order], blocks[order]

    def along(self, directions: Vectors) -> Scalars:
        """Each vertex's own stiffness (n,) N/m along its direction (n, 3)."""
        out = np.empty(len(directions))
        _along(self.diagonal, directions, out)
        return out


@njit(parallel=True, cache=True)
def _lay_out(blocks, block, turned, rows):
    """Blocks (b, 9) of lower vertices by higher into rows (2 b, 9): of each, its block (2 b,), and whether
    turned over (2 b,).
    """
    for i in prange(rows.shape[0]):
        k = block[i]
        for m in range(3):
            for n in range(3):
                rows[i, 3 * m + n] = blocks[k, 3 * n + m] if turned[i] else blocks[k, 3 * m + n]


@njit(parallel=True, cache=True)
def _multiply(p, diagonal, rows, starts, neighbours, held, out, sums):
    """Add the matrix's product with p (n, 3) to out (n, 3); sums (CHUNKS,) of p times the outcome.

    diagonal (n, 6) as in `Stiffness`; rows (2 b, 9) as `_lay_out` makes them; those of vertex v with its
    neighbours (2 b,) from starts[v] to starts[v + 1]. held (n,) rows become 0.
    """
    count = p.shape[0]
    for chunk in prange(CHUNKS):
        sum_here = 0.0
        for v in range(chunk * count // CHUNKS, (chunk + 1) * count // CHUNKS):
            if held[v]:
                out[v, 0], out[v, 1], out[v, 2] = 0.0, 0.0, 0.0
                continue
            x, y, z = p[v, 0], p[v, 1], p[v, 2]
            a = out[v, 0] + diagonal[v, 0] * x + diagonal[v, 3] * y + diagonal[v, 4] * z
            b = out[v, 1] + diagonal[v, 3] * x + diagonal[v, 1] * y + diagonal[v, 5] * z
            c = out[v, 2] + diagonal[v, 4] * x + diagonal[v, 5] * y + diagonal[v, 2] * z
            for i in range(starts[v], starts[v + 1]):
                j = neighbours[i]
                e, f, g = p[j, 0], p[j, 1], p[j, 2]
                a += rows[i, 0] * e + rows[i, 1] * f + rows[i, 2] * g
                b += rows[i, 3] * e + rows[i, 4] * f + rows[i, 5] * g
                c += rows[i, 6] * e + rows[i, 7] * f + rows[i, 8] * g
            out[v, 0], out[v, 1], out[v, 2] = a, b, c
            sum_here += a * x + b * y + c * z
        sums[chunk] = sum_here


@njit(cache=True)
def _along(diagonal, directions, out):
    """d.D d of each vertex's block D, diagonal (n, 6), and direction d (n, 3), into out (n,)."""
    for v in range(out.shape[0]):
        x, y, z = directions[v, 0], directions[v, 1], directions[v, 2]
        out[v] = (
            diagonal[v, 0] * x * x
            + diagonal[v, 1] * y * y
            + diagonal[v, 2] * z * z
            + 2.0 * (diagonal[v, 3] * x * y + diagonal[v, 4] * x * z + diagonal[v, 5] * y * z)
        )
