"""The lines on which a value that is given at vertices is 0: sections, rings and levels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ..model.typed import Indices, Points, Scalars, Triangles


@dataclass(frozen=True, eq=False)
class LevelLine:
    """Where a value given at vertices is 0 on triangles.

    edges, share  (k, 2) vertices and (k,) how far from the first to the second: the points of the line
    pieces, rows  (q, 2) points that a piece joins, and (q,) the triangle it runs through
    part, count   (k,) which of the lines that hang together, and how many those are
    """

    edges: NDArray[np.int64]
    share: Scalars
    pieces: NDArray[np.int64]
    rows: NDArray[np.int64]
    part: Indices
    count: int

    def of(self, points: Points) -> Points:
        """Its points (k, 3), of vertices (n, 3)."""
        ends = points[self.edges]
        return np.asarray(ends[:, 0] + self.share[:, None] * (ends[:, 1] - ends[:, 0]))


def level_line(triangles: Triangles, values: Scalars) -> LevelLine:
    """Where values (n,) at the vertices of triangles (m, 3) are 0; values that are not finite are passed by."""
    values = np.where(values == 0, 1e-12, values)  # a line through a vertex passes beside it
    above = values[triangles] > 0
    cut = above.any(axis=1) & ~above.all(axis=1) & np.isfinite(values[triangles]).all(axis=1)
    rows = np.flatnonzero(cut)
    above = above[rows]
    lone = np.where(above.sum(axis=1) == 1, above.argmax(axis=1), (~above).argmax(axis=1))
    apex = triangles[rows, lone]
    sides = [np.stack([apex, triangles[rows, (lone + k) % 3]], axis=1) for k in (1, 2)]
    crossed = np.sort(np.stack(sides, axis=1), axis=2).astype(np.int64)
    edges, pieces = np.unique(crossed.reshape(-1, 2), axis=0, return_inverse=True)
    pieces = pieces.reshape(-1, 2)
    low, high = values[edges[:, 0]], values[edges[:, 1]]
    beside = coo_matrix((np.ones(len(pieces)), (pieces[:, 0], pieces[:, 1])), shape=(len(edges), len(edges)))
    count, part = connected_components(beside, directed=False) if len(edges) else (0, np.zeros(0, np.int32))
    return LevelLine(edges, -low / (high - low), pieces, rows, part, int(count))


def in_order(pieces: NDArray[np.int64]) -> NDArray[np.int64]:
    """The corners of a closed line, from its pieces (k, 2) in any order."""
    beside: dict[int, list[int]] = {}
    for a, b in pieces.tolist():
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    first = int(pieces[0, 0])
    out, before, here = [first], first, beside[first][0]
    while here != first and len(out) <= len(pieces):
        out.append(here)
        after = beside[here]
        before, here = here, after[0] if after[1] == before else after[1]
    return np.array(out)
