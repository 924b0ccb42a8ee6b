"""The cast as one collider: merged points, triangles, and what contact wants of each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..contact.rows import Surroundings
from ..geometry.curves import value_at
from ..geometry.topology import is_closed
from ..model.typed import Indices, Points, Triangles
from .plan import CastMember, ShotPlan
from .run_in import StagedMotion


@dataclass(frozen=True, eq=False)
class Colliders:
    """k points, m triangles, p parts of every cast member that collides.

    triangles (m, 3) into the merged points; member (m,) index into `members`; part (m,) and rank (p,);
    part_names p names like "lamplighter: shankL"; enclosing (e, 3) all triangles of members that are closed,
    left-out ones too: only those have an inside.
    """

    members: tuple[CastMember, ...]
    motions: tuple[StagedMotion, ...]
    triangles: Triangles
    member: Indices
    part: Indices
    rank: Indices
    part_names: tuple[str, ...]
    enclosing: Triangles

    def points_at(self, frame: float) -> Points:
        """Merged positions (k, 3) m at `frame`."""
        if not self.motions:
            return np.zeros((0, 3))
        return np.concatenate([motion.at(frame) for motion in self.motions])

    def rest_points(self) -> Points:
        """Merged positions (k, 3) m in the rest pose."""
        if not self.motions:
            return np.zeros((0, 3))
        return np.concatenate([motion.motion.rest() for motion in self.motions])

    def surroundings(self, frame: float) -> Surroundings:
        """What the colliders ask of contact at `frame`: gaps and friction per triangle."""
        settings = [m.collider for m in self.members]
        gap = [value_at(s.clearance, frame) + s.thickness / 2 for s in settings if s is not None]
        friction = [float(np.sqrt(s.friction)) for s in settings if s is not None]
        return Surroundings(
            np.array(gap)[self.member] if gap else np.zeros(0),
            np.array(friction)[self.member] if friction else np.zeros(0),
            self.part,
            self.rank,
        )


def merged_colliders(plan: ShotPlan) -> Colliders:
    """All colliders of a shot, in the order of its cast."""
    members = tuple(m for m in plan.cast if m.collider is not None)
    motions = tuple(StagedMotion(m.motion, plan.run_in, plan.frames[0]) for m in members)
    triangles, member, part, rank, names, enclosing = [], [], [], [], [], []
    points = parts = 0
    for index, cast in enumerate(members):
        chosen = cast.chosen
        triangles.append(cast.cut.triangles[chosen] + points)
        member.append(np.full(int(chosen.sum()), index))
        part.append(cast.part[chosen] + parts)
        rank.append(cast.rank)
        if is_closed(cast.cut.triangles):
            enclosing.append(cast.cut.triangles + points)
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
    )
