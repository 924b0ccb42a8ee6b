"""An open shot: every cast member and garment read as far as it can be, faults kept beside what is good."""

from __future__ import annotations

from collections.abc import MutableMapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import TypeVar

import numpy as np

from ..core.craft.cast.colliders import Colliders, merged_colliders
from ..core.craft.cast.run_in import StagedMotion
from ..core.craft.cast.self_cuts import SelfCuts
from ..core.craft.garments.surface import GarmentSurface
from ..core.craft.holds.dressing import Dressed, dress
from ..core.craft.holds.seams import Seam, seams_of
from ..core.craft.inspect.hold_report import HoldMarks, marks_of, named
from ..core.craft.maps.drawing import drawn
from ..core.craft.maps.inputs import MapCache, MapInputs
from ..core.geometry.topology import border_loops
from ..core.model.errors import NeedleError, ShotError
from ..core.model.garment import RestMetric, Source
from ..core.model.mesh import Topology, TriangleMap
from ..core.model.shot import CastMember, Garment, ShotPlan, Wind
from ..core.model.typed import Indices, Points, Scalars
from ..core.solver.outfit import spans_of
from ..formats.shot_file.assemble import Making, assemble_garment, plan_of, wind_of
from ..formats.shot_file.document import ChoiceRecord, FileRecipe, GarmentRecord, ShotFile
from ..formats.shot_file.holds import kept_of
from ..formats.shot_file.members import AssembledMember, assemble_cast

T = TypeVar("T")


@dataclass(frozen=True, eq=False)
class OpenGarment:
    """A garment, to draw on and measure along, with its border loops."""

    garment: Garment
    surface: GarmentSurface
    loops: list[Indices]

    @property
    def cut(self) -> TriangleMap:
        """Its triangles."""
        return self.surface.cut

    @property
    def topology(self) -> Topology:
        """Their edges and borders."""
        return self.surface.topology

    @cached_property
    def metric(self) -> RestMetric:
        """The cloth at rest."""
        return self.garment.source.shape(self.garment.name, self.cut, self.topology).metric


@dataclass(frozen=True, eq=False)
class OpenShot:
    """A revision as the desk holds it. faults: one error per member, garment or wind that is no good."""

    shot: ShotFile
    sources: dict[str, AssembledMember]
    garments: dict[str, OpenGarment]
    faults: dict[str, NeedleError] = field(default_factory=dict)
    winds: list[Wind] = field(default_factory=list)
    cache: MapCache = field(default_factory=MapCache)

    @cached_property
    def cast(self) -> dict[str, CastMember]:
        """Cast members by name, understudies under names of their own."""
        return {each.name: each for source in self.sources.values() for each in source.cast}

    @cached_property
    def plan(self) -> ShotPlan:
        """A plan of everything that could be read."""
        garments = [one.garment for one in self.garments.values()]
        try:
            return plan_of(self.shot, self.cast.values(), garments, self.winds)
        except NeedleError:  # keys that no run can follow: a run says so, and all else can still be looked at
            even = self.shot.model_copy(update={"time_stretch": 1.0, "least_substeps": 1.0})
            return plan_of(even, self.cast.values(), garments, self.winds)

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

    def kept(self, garment: str) -> dict[str, ChoiceRecord]:
        """The choices that a garment keeps, by name."""
        return dict(kept_of(next(one for one in self.shot.garments if one.name == garment)))

    @cached_property
    def _dressed(self) -> dict[str, Dressed | NeedleError]:
        return {}

    def dressed(self, name: str) -> Dressed:
        """A garment made ready, once; its own fault when that cannot be."""
        piece = self.garment(name)
        if name not in self._dressed:
            try:
                self._dressed[name] = dress(self.plan, piece.garment, near=self.map_inputs)
            except NeedleError as error:
                self._dressed[name] = error
        found = self._dressed[name]
        if isinstance(found, NeedleError):
            raise found
        return found

    @cached_property
    def map_inputs(self) -> MapInputs:
        """What maps may be made from: the cast, and garments to draw on."""
        garments = {name: one.garment for name, one in self.garments.items()}
        return MapInputs(self.cast, garments, self.cache)

    def surface(self, name: str) -> GarmentSurface:
        """A garment to draw maps on."""
        return self.garment(name).surface

    def map_values(self, garment: str, name: str) -> Scalars:
        """A map's values (n,), worked out once."""
        if (garment, name) not in self._map_values:
            self.garment(garment)
            surface, maps = self.map_inputs.garment(garment)
            if name not in maps:
                raise ShotError(
                    f"'{garment}' has no map '{name}'", remedy=f"It has {', '.join(maps) or 'none'}"
                )
            values = drawn(maps[name], surface, maps, self.map_inputs, garment=garment)
            self._map_values[garment, name] = values
        return self._map_values[garment, name]

    @cached_property
    def _map_values(self) -> dict[tuple[str, str], Scalars]:
        return {}

    def worn_with(self, name: str) -> list[Dressed]:
        """All garments that are simulated together with one, itself included, if they could be prepared."""
        out = []
        for other, piece in self.garments.items():
            if other != name and not self.shot.together and not piece.garment.is_finished:
                continue
            try:
                out.append(self.dressed(other))
            except NeedleError:
                if other == name:
                    raise
        return out

    def seams(self, name: str) -> tuple[Seam, ...]:
        """What stitches a garment, or shortens it."""
        worn = self.worn_with(name)
        starts = [one.start(self.plan.first_simulated) for one in worn]
        return seams_of(worn, spans_of([one.cloth for one in worn]), starts, [name])

    def hold_marks(self, garment: str, hold: str) -> HoldMarks:
        """Where a hold takes hold."""
        dressed = self.dressed(garment)
        at = named([held.hold for held in dressed.holds], hold)
        if at is None:
            raise ShotError(f"'{garment}' has no hold '{hold}'", remedy="Open the shot again")
        first = self.plan.first_simulated
        scene = np.concatenate([one.start(first) for one in self.worn_with(garment)])
        return marks_of(dressed, at, self.seams(garment), first, scene)

    def source_positions(self, name: str, frame: int) -> Points:
        """A cast member itself (n, 3) m at a frame, whatever stands in for it."""
        member = self.source(name).member
        return StagedMotion(member.motion, self.plan.run_in, self.plan.frames[0]).shown_at(frame)

    def positions(self, name: str, first: int, last: int) -> Points:
        """A cast member's positions (f, n, 3) m at frames first to last, run-in included.

        Before the run-in it stands in its rest pose, after its animation's end as at the end.
        """
        member = self.member(name)
        staged = StagedMotion(member.motion, self.plan.run_in, self.plan.frames[0])
        return np.stack([staged.shown_at(frame) for frame in range(first, last + 1)])


def read_open_shot(
    shot: ShotFile,
    folder: Path,
    kept: MutableMapping[str, AssembledMember] | None = None,
    cache: MapCache | None = None,
    made: MutableMapping[str, Source] | None = None,
    lasts: MutableMapping[str, Source] | None = None,
) -> OpenShot:
    """Read everything the shot names; what cannot be read becomes a fault under its name.

    kept: as `assemble_cast` has it; cache: garments and maps of other revisions; made: as `Making.kept` has it;
    lasts: what garments that are made here were made of last: one that cannot be made now stands as it was.
    """
    opened = OpenShot(shot, {}, {}, cache=cache or MapCache())
    for wind in shot.forces.winds:
        try:
            opened.winds.append(wind_of(wind))
        except NeedleError as error:
            opened.faults[wind.name] = error
    for record, member in assemble_cast(shot.cast, folder, shot.frame_rate, shot.frames, kept):
        if isinstance(member, NeedleError):
            opened.faults[record.name] = _without_folder(member, folder)
        else:
            opened.sources[record.name] = member
    making = Making(shot, folder, opened.sources, kept={} if made is None else made)
    for piece in shot.garments:
        try:
            garment = _assembled(piece, making, opened.faults, lasts)
            surface = opened.cache.surface(garment.mesh)
            opened.garments[piece.name] = OpenGarment(garment, surface, border_loops(surface.topology))
        except NeedleError as error:
            opened.faults[piece.name] = _without_folder(error, folder)
    return opened


def _assembled(
    piece: GarmentRecord, making: Making, faults: dict[str, NeedleError],
    lasts: MutableMapping[str, Source] | None,
) -> Garment:  # fmt: skip
    """A garment; where it cannot be made here any more, as it was made last, with its fault."""
    lasts = {} if lasts is None else lasts
    try:
        garment = assemble_garment(piece, making)
    except NeedleError as error:
        if isinstance(piece.recipe, FileRecipe) or piece.name not in lasts:
            raise
        making.made[piece.name] = lasts[piece.name]
        garment = assemble_garment(piece, making, lasts[piece.name])
        remedy = f"{error.remedy}. Until then it stands as it was made last"
        fault = type(error)(error.what, where=error.where, remedy=remedy)
        faults[piece.name] = _without_folder(fault, making.folder)
    lasts[piece.name] = garment.source
    return garment


def _without_folder(error: NeedleError, folder: Path) -> NeedleError:
    """The error with the desk's own folder taken out of the place it names."""
    return type(error)(error.what, where=error.where.replace(f"{folder}/", ""), remedy=error.remedy)
