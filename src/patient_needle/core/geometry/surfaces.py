"""Whether a surface has an outside everywhere."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.typed import Points, Triangles


@dataclass(frozen=True)
class Soundness:
    """crowded: an edge (a, b) that more than two triangles share, and how many such edges there are; opposed:
    two triangles that wind against each other, and how many such edges; inside_out: closed and winding inwards.
    """

    crowded: tuple[int, int] | None
    crowded_count: int
    opposed: tuple[int, int] | None
    opposed_count: int
    inside_out: bool

    @property
    def turned(self) -> bool:
        """Whether turning triangles over would mend it."""
        return self.inside_out or self.opposed is not None


def soundness(points: Points, triangles: Triangles) -> Soundness:
    """What is wrong with the winding of triangles (m, 3) over points (n, 3) m."""
    count = len(points)
    ways = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2).astype(np.int64)
    code = np.sort(ways, axis=1) @ [count, 1]
    order = np.argsort(code, kind="stable")
    values, starts, shares = np.unique(code[order], return_index=True, return_counts=True)
    many = np.flatnonzero(shares > 2)
    crowded = None if len(many) == 0 else (int(values[many[0]] // count), int(values[many[0]] % count))
    pairs = starts[shares == 2]
    first, second = order[pairs], order[pairs + 1]
    against = np.flatnonzero(ways[first, 0] == ways[second, 0])
    opposed = None
    if len(against):
        opposed = (int(first[against[0]] // 3), int(second[against[0]] // 3))
    a, b, c = (points[triangles[:, k]] for k in range(3))
    closed = bool((shares == 2).all())
    volume = float(np.einsum("ij,ij->", a - points.mean(axis=0), np.cross(b - a, c - a)))
    return Soundness(crowded, len(many), opposed, len(against), closed and opposed is None and volume < 0)
