"""The last word on every substep: a path that passes through nothing.

Gauss-Seidel projection onto the rows' half-spaces, verified against pairs found along the corrected path;
a path that cannot be corrected is cut in two. Where colliders close on cloth from both sides no path
exists: there the gap shrinks first, then the cloth is let go by the part of lower rank, and listed.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..model.errors import SolverError
from ..model.tolerances import DEFAULT, Tolerances
from ..model.typed import Flags, Points, Scalars, Triangles
from .pairs import PairFinder
from .rows import Rows, Surroundings, armed, build_rows, misses

ROUNDS = 4
SWEEPS = 60
DEEPEST_CUT = 3
LETTING_GO = 64


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
        tolerances: Tolerances = DEFAULT,
    ) -> None:
        self._finder = finder
        self._cloth = cloth
        self._inverse_mass = inverse_mass
        self._prescribed = inverse_mass == 0
        self._slack = slack
        self._tolerances = tolerances

    def run(self, start: Points, goal: Points, around: Surroundings, released: Flags) -> Filtered:
        """The end of a safe path from `start` toward `goal`, both (n, 3) m.

        The finder's search must have begun at `start`. `SolverError` when even letting go of every failing
        row does not help, which would be a fault of the engine.
        """
        walk = _Walk(self, around, released.copy())
        end = walk.go(start, goal, 0)
        moved = np.sqrt(((end - goal)[: len(released)] ** 2).sum(axis=1))
        return Filtered(end, walk.released, float(moved.max(initial=0.0)), walk.cuts, walk.let_go)


class _Walk:
    """One run of the filter: its cuts and releases."""

    def __init__(self, parent: PathFilter, around: Surroundings, released: Flags) -> None:
        self._p = parent
        self._around = around
        self.released = released
        self.cuts = 0
        self.let_go = 0

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
        return self._squeeze(goal)

    def _rows(self, end: Points) -> Rows:
        parent = self._p
        pairs = parent._finder.along(end, parent._slack)
        pairs = armed(pairs, self._around, self.released, len(self.released))
        return build_rows(
            pairs,
            parent._finder.start,
            parent._finder.colliders.triangles,
            self._around,
            parent._prescribed,
            0.0,
            parent._tolerances,
        )

    def _correct(self, goal: Points, share: float) -> Points | None:
        """A corrected end, or None; a round's corrections must stay within half the slack it was found with."""
        end = goal.copy()
        for _ in range(ROUNDS):
            base = end.copy()
            rows = self._rows(base).softer_gap(share)
            done = _project(
                end, self._p._inverse_mass, rows.ends, rows.normal, rows.hard,
                self._p._tolerances.row_slip, SWEEPS,
            )  # fmt: skip
            moved = np.sqrt(((end - base) ** 2).sum(axis=1).max())
            if done and moved <= 0.5 * self._p._slack:
                return end
        return None

    def _squeeze(self, goal: Points) -> Points:
        """Shrink the gap, then let go part by part, lowest rank first, until a path exists."""
        share = self._p._tolerances.pinch_share
        for attempt in range(LETTING_GO):
            end = self._correct(goal, share)
            if end is not None:
                return end
            self._release(goal, share, everything=attempt >= 4)
        raise SolverError(
            "no way was found for cloth that is caught between colliders",
            remedy="Raise the patience, or blend in a corrected body over these frames",
        )

    def _release(self, goal: Points, share: float, *, everything: bool) -> None:
        rows = self._rows(goal).softer_gap(share)
        end = goal.copy()
        _project(
            end, self._p._inverse_mass, rows.ends, rows.normal, rows.hard,
            self._p._tolerances.row_slip, SWEEPS,
        )  # fmt: skip
        rows = self._rows(end).softer_gap(share)
        _, failing = misses(end, rows, self._p._tolerances.row_slip)
        if not failing.any():
            failing = np.ones(len(rows), bool)
        count = len(self.released)
        parts = self._around.part[rows.carrier[failing]]
        ranks = self._around.rank[parts]
        chosen = np.ones(len(parts), bool) if everything else ranks == ranks.max()
        ends = rows.ends[failing]
        for part in np.unique(parts[chosen]):
            vertices = np.unique(ends[chosen & (parts == part)])
            ring = np.isin(self._p._cloth, vertices[vertices < count]).any(axis=1)
            fresh = np.unique(self._p._cloth[ring])
            fresh = fresh[~self.released[fresh, part]]
            self.released[fresh, part] = True
            self.let_go += len(fresh)


@njit(cache=True)
def _project(x, inverse_mass, ends, normal, hard, slip, sweeps):
    """Move points, mass weighted, until every row keeps (1 - slip) of its hard gap; False when it does not."""
    for _ in range(sweeps):
        failing = 0
        for i in range(ends.shape[0]):
            a, b = ends[i, 0], ends[i, 1]
            gap = (
                (x[a, 0] - x[b, 0]) * normal[i, 0]
                + (x[a, 1] - x[b, 1]) * normal[i, 1]
                + (x[a, 2] - x[b, 2]) * normal[i, 2]
            )
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
