"""The lines of a surface that a new mesh keeps: borders, folds, and where one region meets another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.mesh import Topology
from ..model.typed import Indices, Points, Scalars
from .triangles import dihedral_angles

CREASE = np.radians(40)  # a sharper fold of the rest shape is a line to keep
CORNER = np.cos(np.radians(50))  # a line that turns more than this has a corner there
FREE, ON_LINE, FIXED = 0, 1, 2
OVER = 0.1  # share of a piece that a line may have over a whole number of them: each is that much longer


@dataclass(frozen=True, eq=False)
class Cuts:
    """k places at which kept lines are cut, in order along each: on the edge from vertex a (k,) to b (k,), the
    share (k,) of the way.
    """

    a: Indices
    b: Indices
    share: Scalars


def kept_edges(points: Points, topology: Topology, region: Indices, keep: Indices | None = None) -> Indices:
    """Edges (k, 2) of a surface to keep, the lower vertex first; region (m,) of each triangle; keep (k, 2):
    edges besides.
    """
    hinges, sides = topology.hinges, topology.sides
    sharp = np.abs(dihedral_angles(points, hinges)) > CREASE
    between = region[sides[:, 0]] != region[sides[:, 1]]
    found = [topology.edges[topology.border], np.sort(hinges[sharp | between, :2], axis=1)]
    if keep is not None and len(keep):
        found.append(np.sort(keep, axis=1))
    return np.unique(np.concatenate(found), axis=0).astype(np.int32)


def kinds_of(points: Points, edges: Indices) -> Indices:
    """FREE, ON_LINE or, at corners and ends of kept lines, FIXED: (n,) int32 for points (n, 3) m."""
    kind = np.zeros(len(points), np.int32)
    for v, beside in _beside(edges).items():
        kind[v] = FIXED if _is_corner(points, v, beside) else ON_LINE
    return kind


def cuts_of(points: Points, edges: Indices, kind: Indices, size: Scalars) -> Cuts:
    """Where kept lines are cut into even pieces, each no longer than OVER above `size` (n,) m says there.

    A line from corner to corner is cut between them; a closed one without a corner also at its first vertex.
    """
    a, b, share = [np.zeros(0, np.int32)], [np.zeros(0, np.int32)], [np.zeros(0)]
    for chain in _chains(edges, _beside(edges), kind):
        steps = (
            np.linalg.norm(np.diff(points[chain], axis=0), axis=1) * 2 / (size[chain[:-1]] + size[chain[1:]])
        )
        along = np.concatenate([[0.0], np.cumsum(steps)])
        closed = chain[0] == chain[-1]
        pieces = max(3 if closed else 1, int(np.ceil(along[-1] - OVER)))
        at = along[-1] * np.arange(0 if closed and kind[chain[0]] != FIXED else 1, pieces) / pieces
        on = np.clip(np.searchsorted(along, at, side="right") - 1, 0, len(steps) - 1)
        a.append(chain[on])
        b.append(chain[on + 1])
        share.append(np.where(steps[on] > 0, (at - along[on]) / np.where(steps[on] > 0, steps[on], 1.0), 0.0))
    return Cuts(np.concatenate(a), np.concatenate(b), np.concatenate(share))


def _beside(edges: Indices) -> dict[int, list[int]]:
    beside: dict[int, list[int]] = {}
    for a, b in edges.tolist():
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    return beside


def _is_corner(points: Points, v: int, beside: list[int]) -> bool:
    if len(beside) != 2:
        return True
    one, two = points[v] - points[beside[0]], points[beside[1]] - points[v]
    return bool(one @ two < CORNER * np.linalg.norm(one) * np.linalg.norm(two))


def _chains(edges: Indices, beside: dict[int, list[int]], kind: Indices) -> list[Indices]:
    """The kept edges from corner to corner, then those that are closed without one; vertices (k,) of each."""
    used: set[tuple[int, int]] = set()
    out = []

    def walk(a: int, b: int) -> Indices:
        chain = [a, b]
        used.add((min(a, b), max(a, b)))
        while kind[chain[-1]] != FIXED and chain[-1] != chain[0]:
            here, before = chain[-1], chain[-2]
            ahead = next(v for v in beside[here] if v != before)
            chain.append(ahead)
            used.add((min(here, ahead), max(here, ahead)))
        return np.array(chain, np.int32)

    for from_corner in (True, False):
        for a, b in edges.tolist():
            for one, other in ((a, b), (b, a)):
                if (min(a, b), max(a, b)) not in used and (kind[one] == FIXED or not from_corner):
                    out.append(walk(one, other))
    return out
