"""The filter: the last stage of every substep. It finds a path that passes through nothing.

Gauss-Seidel projection onto the rows' half-spaces, verified against pairs found along the corrected path;
a path that cannot be corrected is cut in two. Where even short cuts fail the gap shrinks. Cloth that is then
still caught among itself is carried along with whatever holds it, zone by zone, without deforming (rigid impact
zones: X. Provot, Collision and self-collision handling in cloth model dedicated to design garments, 1997). As a
last resort, where held vertices are turned into their own cloth, that cloth stands still. Where colliders close
on cloth from both sides no path exists. There the part of lower rank releases the cloth, and the place is
listed. Cloth never releases cloth.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit
from scipy import sparse
from scipy.sparse.csgraph import connected_components

from ..geometry.triangles import lengths
from ..model.errors import SolverError
from ..model.tolerances import (
    CARRY_ATTEMPTS,
    DEEPEST_CUT,
    DEFAULT,
    FILTER_ROUNDS,
    FILTER_SWEEPS,
    PRESSING_GAPS,
    RELEASE_ROUNDS,
    STANDSTILL_ROUND,
    Tolerances,
)
from ..model.typed import Flags, Indices, Points, Scalars, Triangles
from .pairs import PairFinder
from .rows import Rows, Skin, Surroundings, armed, build_rows, misses, row_gap


@dataclass(frozen=True, eq=False)
class Filtered:
    """What the filter did.

    points (n, 3) m; released (n, p) bool; moved m, the largest correction; cuts, how often the path was cut;
    let_go, how many vertices were released.
    """

    points: Points
    released: Flags
    moved: float
    cuts: int
    let_go: int


class PathFilter:
    """Filters one substep after the other in a scene that does not change its topology.

    inverse_mass (n,) 1/kg for all points of the scene, 0 where the position is prescribed.
    """

    def __init__(
        self,
        finder: PairFinder,
        cloth: Triangles,
        inverse_mass: Scalars,
        slack: float,
        skin: Skin | None = None,
        tolerances: Tolerances = DEFAULT,
    ) -> None:
        self._finder = finder
        self._cloth = cloth
        self._skin = skin
        self._inverse_mass = inverse_mass
        self._prescribed = inverse_mass == 0
        self._slack = slack
        self._tolerances = tolerances

    def weigh(self, inverse_mass: Scalars) -> None:
        """Take other inverse masses (n,) 1/kg from here on."""
        self._inverse_mass = inverse_mass
        self._prescribed = inverse_mass == 0

    def run(self, start: Points, goal: Points, around: Surroundings, released: Flags) -> Filtered:
        """The end of a safe path from `start` toward `goal`, both (n, 3) m.

        The finder's search must have begun at `start`. `SolverError` when even releasing every failing
        row does not help, which would be a fault of the engine.
        """
        walk = _Walk(self, around, released.copy())
        end = walk.go(start, goal, 0)
        moved = lengths((end - goal)[: len(released)])
        return Filtered(end, walk.released, float(moved.max(initial=0.0)), walk.cuts, walk.let_go)


class _Walk:
    """One run of the filter: its cuts and releases."""

    def __init__(self, parent: PathFilter, around: Surroundings, released: Flags) -> None:
        self._p = parent
        self._around = around
        self.released = released
        self.cuts = 0
        self.let_go = 0
        self._beside_held = True

    def go(self, start: Points, goal: Points, depth: int) -> Points:
        if depth > 0:
            self._p._finder.begin(start, goal)
        end = self._correct(goal, 1.0)
        if end is not None:
            return end
        if depth < DEEPEST_CUT:
            self.cuts += 1
            middle = self.go(start, 0.5 * (start + goal), depth + 1)
            return self.go(middle, goal, depth + 1)
        return self._squeeze(start, goal)

    def _rows(self, end: Points) -> Rows:
        parent = self._p
        pairs = parent._finder.along(end, parent._slack)
        pairs = armed(pairs, self._around, self.released, len(self.released))
        rows = build_rows(
            pairs,
            parent._finder.start,
            end,
            parent._finder.carriers,
            self._around,
            parent._prescribed,
            0.0,
            parent._slack,
            parent._skin,
            parent._tolerances,
        )
        if self._beside_held:
            return rows
        given = parent._prescribed[: len(self.released)]
        own = rows.carrier >= self._around.count
        return rows.only(~(own & given[np.where(own[:, None], rows.ends, 0)].any(axis=1)))

    def _correct(self, goal: Points, share: float) -> Points | None:
        """A corrected end, or None; a round's corrections must stay within half the slack it was found with."""
        end = goal.copy()
        for _ in range(FILTER_ROUNDS):
            base = end.copy()
            rows = self._rows(base).softer_gap(share)
            done = _project(
                end, self._p._inverse_mass, rows.ends, rows.normal, rows.hard,
                self._p._tolerances.row_slip, FILTER_SWEEPS,
            )  # fmt: skip
            moved = lengths(end - base).max()
            if done and moved <= 0.5 * self._p._slack:
                return end
        return None

    def _squeeze(self, start: Points, goal: Points) -> Points:
        """Shrink the gap, carry cloth caught among itself, release part by part, until a path exists."""
        share, zone = self._p._tolerances.pinch_share, np.zeros(len(self.released), bool)
        links = np.zeros((0, 2), np.int32)
        for attempt in range(RELEASE_ROUNDS):
            end = self._correct(goal, share)
            if end is not None:
                self._beside_held = True
                return end
            if attempt == STANDSTILL_ROUND:
                self._beside_held = False
                goal = np.where(self._p._prescribed[:, None], goal, start)
                continue
            rows = self._failing(goal, share)
            foreign = rows.carrier < self._around.count
            standing = attempt > STANDSTILL_ROUND
            if foreign.all() or (
                foreign.any() and (standing or attempt % CARRY_ATTEMPTS == CARRY_ATTEMPTS - 1)
            ):
                self._release(rows, foreign, everything=attempt >= 4)
            elif not standing:
                links = np.concatenate([links, rows.ends[~foreign]])
                zone |= self._ringed(rows.ends[~foreign])
                goal = self._carried(start, goal, zone, links)
            else:
                break
        raise SolverError(
            "no way was found for cloth that is caught between colliders",
            remedy="Raise the patience, or blend in a corrected body over these frames",
        )

    def _failing(self, goal: Points, share: float) -> Rows:
        """The rows that no projection satisfies; all of them when the projection only moved too far.

        Which of the colliders that close on a vertex fails is chance, so all that press on it count.
        """
        rows, end = self._rows(goal).softer_gap(share), goal.copy()
        _project(
            end, self._p._inverse_mass, rows.ends, rows.normal, rows.hard,
            self._p._tolerances.row_slip, FILTER_SWEEPS,
        )  # fmt: skip
        rows = self._rows(end).softer_gap(share)
        _, failing = misses(end, rows, self._p._tolerances.row_slip)
        if not failing.any():
            return rows
        foreign = rows.carrier < self._around.count
        vertex = rows.ends.min(axis=1)  # of the cloth, whose points come first
        caught = self._ringed(vertex[failing & foreign])
        near, _ = misses(end, rows.softer_gap(PRESSING_GAPS))
        return rows.only(failing | ((near > 0) & foreign & caught[vertex]))

    def _ringed(self, ends: Indices) -> Flags:
        """(n,) the cloth vertices `ends` and those one ring further."""
        chosen = np.zeros(len(self.released), bool)
        chosen[ends] = True
        return ringed(self._p._cloth, chosen)

    def _carried(self, start: Points, goal: Points, zone: Flags, links: Indices) -> Points:
        """The goal with each connected piece of `zone` (n,) moved without deforming; links (k, 2) connect too.

        A piece that holds prescribed vertices goes with them, others as their mass goes.
        """
        out = goal.copy()
        for piece in patches(self._p._cloth, zone, links):
            fixed = piece[self._p._prescribed[piece]]
            leading = fixed if len(fixed) else piece
            weight = np.ones(len(fixed)) if len(fixed) else 1 / self._p._inverse_mass[piece]
            out[piece] = rigidly_moved(start[piece], start[leading], goal[leading], weight)
            out[fixed] = goal[fixed]
        return out

    def _release(self, rows: Rows, foreign: Flags, *, everything: bool) -> None:
        """Let the failing rows' vertices go from the parts of lowest standing among what they touch."""
        count = len(self.released)
        parts = self._around.part[rows.carrier[foreign]]
        ranks = self._around.rank[parts]
        chosen = np.ones(len(parts), bool) if everything else ranks == ranks.max()
        ends = rows.ends[foreign]
        for part in np.unique(parts[chosen]):
            vertices = np.unique(ends[chosen & (parts == part)])
            ring = np.isin(self._p._cloth, vertices[vertices < count]).any(axis=1)
            fresh = np.unique(self._p._cloth[ring])
            fresh = fresh[~self.released[fresh, part]]
            self.released[fresh, part] = True
            self.let_go += len(fresh)


def rigidly_moved(points: Points, start: Points, end: Points, weight: Scalars) -> Points:
    """Points (k, 3) moved as the rigid motion that best takes start to end (m, 3), weighted (m,).

    Source: W. Kabsch, A solution for the best rotation to relate two sets of vectors, 1976. Fewer than three
    leading points only translate.
    """
    share = weight / weight.sum()
    here, there = share @ start, share @ end
    if len(start) < 3:
        return points + (there - here)
    u, _, vt = np.linalg.svd((start - here).T @ (share[:, None] * (end - there)))
    turn = u @ np.diag([1.0, 1.0, np.sign(np.linalg.det(u @ vt)) or 1.0]) @ vt
    return (points - here) @ turn + there


def patches(triangles: Triangles, zone: Flags, links: Indices | None = None) -> list[Indices]:
    """The pieces of the vertices in `zone` (n,) that triangles, or links (k, 2), connect; each (m,) int."""
    links = np.zeros((0, 2), np.int32) if links is None else links
    inner = triangles[zone[triangles].all(axis=1)]
    sides = np.concatenate([inner[:, [0, 1]], inner[:, [1, 2]], inner[:, [2, 0]], links])
    graph = sparse.coo_matrix((np.ones(len(sides)), (sides[:, 0], sides[:, 1])), (len(zone), len(zone)))
    _, label = connected_components(graph, directed=False)
    members = np.flatnonzero(zone)
    order = np.argsort(label[members], kind="stable")
    members = members[order]
    return np.split(members, np.flatnonzero(np.diff(label[members])) + 1) if len(members) else []


def ringed(triangles: Triangles, chosen: Flags) -> Flags:
    """(n,) the vertices chosen and those one triangle further."""
    out = chosen.copy()
    out[triangles[chosen[triangles].any(axis=1)]] = True
    return out


@njit(cache=True)
def _project(x, inverse_mass, ends, normal, hard, slip, sweeps):
    """Move points, mass weighted, until every row keeps (1 - slip) of its hard gap; False when it does not.

    x (n, 3) m, moved in place; inverse_mass (n,) 1/kg, 0 for what stays; rows: ends (r, 2), normal (r, 3), hard
    (r,) m.
    """
    for _ in range(sweeps):
        failing = 0
        for i in range(ends.shape[0]):
            a, b = ends[i, 0], ends[i, 1]
            gap = row_gap(x, a, b, normal, i)
            if gap >= (1.0 - slip) * hard[i]:
                continue
            failing += 1
            weight = inverse_mass[a] + inverse_mass[b]
            if weight == 0.0:
                return False
            push = (1.05 * hard[i] - gap) / weight
            for k in range(3):
                x[a, k] += inverse_mass[a] * push * normal[i, k]
                x[b, k] -= inverse_mass[b] * push * normal[i, k]
        if failing == 0:
            return True
    return False
