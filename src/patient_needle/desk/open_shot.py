"""An open shot: every cast member and garment read as far as it can be, faults kept beside what is good."""

from __future__ import annotations

from collections.abc import MutableMapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import TypeVar

import numpy as np

from ..core.craft.colliders import Colliders, merged_colliders
from ..core.craft.plan import CastMember, Garment, RunIn, ShotPlan
from ..core.craft.run_in import StagedMotion
from ..core.craft.self_cuts import SelfCuts
from ..core.geometry.topology import Topology, border_loops, build_topology
from ..core.geometry.triangulate import TriangleMap, triangulated
from ..core.model.errors import NeedleError, ShotError
from ..core.model.patience import FIRST_LOOK
from ..core.model.typed import Indices, Points
from ..formats.shot_file.assemble import assemble_garment
from ..formats.shot_file.document import ShotFile
from ..formats.shot_file.fabrics import fabrics_of
from ..formats.shot_file.members import AssembledMember, assemble_cast

T = TypeVar("T")


@dataclass(frozen=True)
class OpenGarment:
    """A garment with its triangles, topology and border loops."""

    garment: Garment
    cut: TriangleMap
    topology: Topology
    loops: list[Indices]


@dataclass(frozen=True, eq=False)
class OpenShot:
    """A revision as the desk holds it. faults: one error per member or garment that could not be read."""

    shot: ShotFile
    sources: dict[str, AssembledMember]
    garments: dict[str, OpenGarment]
    faults: dict[str, NeedleError] = field(default_factory=dict)

    @cached_property
    def cast(self) -> dict[str, CastMember]:
        """Cast members by name, understudies under names of their own."""
        return {each.name: each for source in self.sources.values() for each in source.cast}

    @cached_property
    def plan(self) -> ShotPlan:
        """What is good, as a plan."""
        shot = self.shot
        return ShotPlan(
            shot.name, shot.frame_rate, shot.frames, RunIn(shot.run_in.settle, shot.run_in.move),
            tuple(self.cast.values()), tuple(g.garment for g in self.garments.values()),
            np.array(shot.forces.gravity), shot.forces.air_drag, patience=FIRST_LOOK,
            together=shot.together,
        )  # fmt: skip

    @cached_property
    def colliders(self) -> Colliders:
        """The cast as one collider."""
        return merged_colliders(self.plan)

    def source(self, name: str) -> AssembledMember:
        """A cast member with what was read beside it; its own fault when it could not be read."""
        return self._one(self.sources, name, "cast member")

    def self_cuts(self, name: str) -> SelfCuts:
        """Where a cast member cuts into itself, searched once."""
        return self.source(name).self_cuts(self.plan.run_in)

    def member(self, name: str) -> CastMember:
        """A cast member; its own fault when it could not be read."""
        return self._one(self.cast, name, "cast member")

    def garment(self, name: str) -> OpenGarment:
        """A garment; its own fault when it could not be read."""
        return self._one(self.garments, name, "garment")

    def _one(self, table: dict[str, T], name: str, what: str) -> T:
        if name in table:
            return table[name]
        if name in self.faults:
            raise self.faults[name]
        raise ShotError(f"there is no {what} '{name}'", remedy="Open the shot again")

    def positions(self, name: str, first: int, last: int) -> Points:
        """A cast member's positions (f, n, 3) m at frames first to last, run-in included.

        Before the run-in it stands in its rest pose, after its animation's end as at the end.
        """
        member = self.member(name)
        staged = StagedMotion(member.motion, self.plan.run_in, self.plan.frames[0])
        return np.stack([staged.shown_at(frame) for frame in range(first, last + 1)])


def read_open_shot(
    shot: ShotFile, folder: Path, kept: MutableMapping[str, AssembledMember] | None = None
) -> OpenShot:
    """Read everything the shot names; what cannot be read becomes a fault under its name.

    kept: as `assemble_cast` has it.
    """
    opened = OpenShot(shot, {}, {})
    for record, member in assemble_cast(shot.cast, folder, shot.frame_rate, shot.frames, kept):
        if isinstance(member, NeedleError):
            opened.faults[record.name] = _without_folder(member, folder)
        else:
            opened.sources[record.name] = member
    fabrics = fabrics_of(shot)
    for piece in shot.garments:
        try:
            garment = assemble_garment(piece, folder, fabrics)
            cut = triangulated(garment.mesh)
            topology = build_topology(cut.triangles, garment.mesh.vertex_count, name=garment.mesh.name)
            opened.garments[piece.name] = OpenGarment(garment, cut, topology, border_loops(topology))
        except NeedleError as error:
            opened.faults[piece.name] = _without_folder(error, folder)
    return opened


def _without_folder(error: NeedleError, folder: Path) -> NeedleError:
    """The error with the desk's own folder taken out of the place it names."""
    return type(error)(error.what, where=error.where.replace(f"{folder}/", ""), remedy=error.remedy)
