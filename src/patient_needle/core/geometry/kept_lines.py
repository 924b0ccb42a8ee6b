"""The lines of a surface that a new mesh keeps: borders, folds, and where one region meets another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.mesh import Topology
from ..model.typed import Flags, Indices, Points, Scalars
from .triangles import dihedral_angles

CREASE = np.radians(40)  # a sharper fold of the rest shape is a line to keep
CORNER = np.cos(np.radians(50))  # a line that turns more than this has a corner there
FREE, ON_LINE, CORNERED = 0, 1, 2


@dataclass(frozen=True, eq=False)
class Lines:
    """c lines to keep, and what the n vertices of the surface have to do with them.

    edges   (k, 2) the kept edges, the lower vertex first
    points  (q, 3) m, the corners of one line after the other; along (q,) m, how far along its line each is
    starts  (c + 1,) where each line begins and the last one ends; closed (c,)
    kind    (n,) FREE, ON_LINE or CORNERED; line (n,) which one it is on, -1 for none; at (n,) m, how far along
    """

    edges: Indices
    points: Points
    along: Scalars
    starts: Indices
    closed: Flags
    kind: Indices
    line: Indices
    at: Scalars


def lines_of(points: Points, topology: Topology, region: Indices, keep: Indices | None = None) -> Lines:
    """The lines of a surface, points (n, 3) m; region (m,) of each triangle; keep (k, 2): edges besides."""
    hinges, sides = topology.hinges, topology.sides
    sharp = np.abs(dihedral_angles(points, hinges)) > CREASE
    between = region[sides[:, 0]] != region[sides[:, 1]]
    found = [topology.edges[topology.border], np.sort(hinges[sharp | between, :2], axis=1)]
    if keep is not None and len(keep):
        found.append(np.sort(keep, axis=1))
    edges = np.unique(np.concatenate(found), axis=0).astype(np.int32)
    beside: list[list[int]] = [[] for _ in range(len(points))]
    for a, b in edges.tolist():
        beside[a].append(b)
        beside[b].append(a)
    kind = np.zeros(len(points), np.int32)
    for v in np.unique(edges).tolist():
        kind[v] = CORNERED if _is_corner(points, v, beside[v]) else ON_LINE
    return _measured(points, edges, kind, _chains(edges, beside, kind))


def _is_corner(points: Points, v: int, beside: list[int]) -> bool:
    if len(beside) != 2:
        return True
    one, two = points[v] - points[beside[0]], points[beside[1]] - points[v]
    return bool(one @ two < CORNER * np.linalg.norm(one) * np.linalg.norm(two))


def _chains(edges: Indices, beside: list[list[int]], kind: Indices) -> list[list[int]]:
    """The kept edges from corner to corner, then those that are closed without one; lists of vertices."""
    used: set[tuple[int, int]] = set()
    out = []

    def walk(a: int, b: int) -> list[int]:
        chain = [a, b]
        used.add((min(a, b), max(a, b)))
        while kind[chain[-1]] != CORNERED and chain[-1] != chain[0]:
            here, before = chain[-1], chain[-2]
            ahead = next(v for v in beside[here] if v != before)
            chain.append(ahead)
            used.add((min(here, ahead), max(here, ahead)))
        return chain

    for from_corner in (True, False):
        for a, b in edges.tolist():
            for one, other in ((a, b), (b, a)):
                if (min(a, b), max(a, b)) not in used and (kind[one] == CORNERED or not from_corner):
                    out.append(walk(one, other))
    return out


def _measured(points: Points, edges: Indices, kind: Indices, chains: list[list[int]]) -> Lines:
    line, at = np.full(len(points), -1, np.int32), np.zeros(len(points))
    places, lengths, starts, closed = [np.zeros((0, 3))], [np.zeros(0)], [0], []
    for index, chain in enumerate(chains):
        along = points[chain]
        length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(along, axis=0), axis=1))])
        loop = chain[0] == chain[-1] and kind[chain[0]] != CORNERED
        for v, far in zip(chain[:-1] if loop else chain, length.tolist(), strict=False):
            if kind[v] == ON_LINE:
                line[v], at[v] = index, far
        places.append(along)
        lengths.append(length)
        starts.append(starts[-1] + len(along))
        closed.append(loop)
    return Lines(
        edges, np.concatenate(places), np.concatenate(lengths), np.array(starts, np.int32),
        np.array(closed, bool), kind, line, at,
    )  # fmt: skip
