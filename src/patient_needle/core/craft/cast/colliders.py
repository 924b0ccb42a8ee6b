"""The cast merged into one collider: points, triangles, and the clearance and friction of each."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ...contact.rows import Surroundings
from ...geometry.curves import value_at
from ...geometry.topology import is_closed
from ...model.shot import CastMember, ColliderSettings, ShotPlan
from ...model.typed import Flags, Indices, Points, Triangles
from .run_in import StagedMotion


@dataclass(frozen=True, eq=False)
class Colliders:
    """k points, m triangles, p parts of every cast member that collides.

    triangles (m, 3) into the merged points; member (m,) index into `members`; part (m,) and rank (p,);
    part_names p names like "lamplighter: shankL"; enclosing (e, 3) all triangles of members that are closed,
    left-out ones too: only those have an inside; enclosing_member (e,) and member_of_part (p,) index members.
    """

    members: tuple[CastMember, ...]
    motions: tuple[StagedMotion, ...]
    triangles: Triangles
    member: Indices
    part: Indices
    rank: Indices
    part_names: tuple[str, ...]
    enclosing: Triangles
    enclosing_member: Indices
    member_of_part: Indices

    def points_at(self, frame: float) -> Points:
        """Merged positions (k, 3) m at `frame`."""
        if not self.motions:
            return np.zeros((0, 3))
        return np.concatenate([motion.at(frame) for motion in self.motions])

    def rest_points(self) -> Points:
        """Merged positions (k, 3) m in the rest pose, as the run begins with it."""
        if not self.motions:
            return np.zeros((0, 3))
        return np.concatenate([motion.start() for motion in self.motions])

    def parts_off(self, frame: float) -> Flags:
        """Which parts (p,) do not meet cloth at `frame`, because their member is switched off then."""
        off = np.array([s.on is not None and value_at(s.on, frame) < 0.5 for s in self._settings], bool)
        return off[self.member_of_part] if len(off) else np.zeros(0, bool)

    def at_work(self, frame: float) -> Colliders:
        """The colliders that are on at `frame`, over the same points and parts."""
        return self.without(self.parts_off(frame))

    def without(self, off: Flags) -> Colliders:
        """The colliders but for the parts that are `off` (p,), over the same points and parts."""
        if not off.any():
            return self
        on = ~off[self.part]
        members_off = np.zeros(len(self.members), bool)
        members_off[self.member_of_part[off]] = True
        return replace(
            self, triangles=self.triangles[on], member=self.member[on], part=self.part[on],
            enclosing=self.enclosing[~members_off[self.enclosing_member]],
            enclosing_member=self.enclosing_member[~members_off[self.enclosing_member]],
        )  # fmt: skip

    @property
    def spans(self) -> tuple[slice, ...]:
        """Each member's slice of the merged points."""
        ends = np.cumsum([member.mesh.vertex_count for member in self.members])
        return tuple(
            slice(int(end) - member.mesh.vertex_count, int(end))
            for end, member in zip(ends, self.members, strict=True)
        )

    @property
    def _settings(self) -> list[ColliderSettings]:
        return [m.collider for m in self.members if m.collider is not None]

    def widest(self) -> tuple[float, float]:
        """The largest clearance and the largest thickness at any frame, m."""
        clearance = [float(s.clearance.values.max()) for s in self._settings]
        thickness = [float(s.thickness.values.max()) for s in self._settings]
        return max(clearance, default=0.0), max(thickness, default=0.0)

    def surroundings(self, frame: int, time: float | None = None) -> Surroundings:
        """What the colliders ask of contact in `frame`, or at a time within it: clearance, thickness and
        friction per triangle; which are off is of the whole frame.
        """
        time = frame if time is None else time
        settings = self._settings
        clearance = np.array([value_at(s.clearance, time) for s in settings], float)
        thickness = np.array([value_at(s.thickness, time) for s in settings], float)
        friction = np.sqrt([value_at(s.friction, time) for s in settings])
        of = self.member
        return Surroundings(
            clearance[of], thickness[of], friction[of], self.part, self.rank, self.parts_off(frame)
        )


def merged_colliders(plan: ShotPlan) -> Colliders:
    """All colliders of a shot, in the order of its cast."""
    members = tuple(m for m in plan.cast if m.collider is not None)
    motions = tuple(StagedMotion(m.motion, plan.run_in, plan.frames[0]) for m in members)
    triangles, member, part, rank, names, enclosing = [], [], [], [], [], []
    within, of_part = [], []
    points = parts = 0
    for index, cast in enumerate(members):
        chosen = cast.chosen
        triangles.append(cast.cut.triangles[chosen] + points)
        member.append(np.full(int(chosen.sum()), index))
        part.append(cast.part[chosen] + parts)
        rank.append(cast.rank)
        if is_closed(cast.cut.triangles):
            enclosing.append(cast.cut.triangles + points)
            within.append(np.full(len(cast.cut.triangles), index))
        of_part.append(np.full(len(cast.rank), index))
        names += [f"{cast.name}: {name}" for name in cast.part_names]
        points += cast.mesh.vertex_count
        parts += len(cast.rank)

    def joined(pieces: list, shape: tuple[int, ...]) -> np.ndarray:  # type: ignore[type-arg]
        return (np.concatenate(pieces) if pieces else np.zeros(shape)).astype(np.int32)

    return Colliders(
        members,
        motions,
        joined(triangles, (0, 3)),
        joined(member, (0,)),
        joined(part, (0,)),
        joined(rank, (0,)),
        tuple(names),
        joined(enclosing, (0, 3)),
        joined(within, (0,)),
        joined(of_part, (0,)),
    )
