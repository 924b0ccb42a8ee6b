"""A garment made anew in a shot: everything that names its vertices is carried over to its new mesh."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from ...core.craft.garments.carrying import Carrying
from ...core.craft.sewing.source import FromPieces
from ...core.model.errors import NeedleError
from ...core.model.garment import Source
from ...core.model.mesh import Mesh
from ...core.model.typed import Indices
from .document import (
    BeginsRecord,
    ChoiceRecord,
    FileRecipe,
    FromChoiceStep,
    FromFileStep,
    GarmentRecord,
    HoldRecord,
    LetOutRecord,
    MapRecord,
    Recipe,
    SewnRecipe,
    ShotFile,
    StepRecord,
    StitchRecord,
    StrokeStep,
    ValuesStep,
)
from .strokes import read_hits


@dataclass
class Carried:
    """garments: those of a shot whose records change, as they are now; lost: what could not be carried, in a
    sentence each.
    """

    garments: list[GarmentRecord] = field(default_factory=list)
    lost: list[str] = field(default_factory=list)


def carried(
    shot: ShotFile,
    name: str,
    recipe: Recipe,
    old: Mapping[str, Source],
    new: Mapping[str, Source],
    folder: Path,
) -> Carried:
    """The records of a shot's garments once the one called `name` is made by another recipe.

    old, new  what garments are made from before and after, by name; those that could not be made are missing,
              and what names their vertices stays; folder: where the shot's files lie
    """
    out = Carried()
    records = {one.name: one for one in shot.garments}
    before = records[name].recipe
    records[name] = records[name].model_copy(update={"recipe": recipe})
    if _is_worn(new.get(name)):
        records[name] = records[name].model_copy(update={"begins": _but_for_present(records[name].begins)})
    elif _is_worn(old.get(name)):
        records[name] = _from_present(records[name], before)
    for each in old:
        if each in new and old[each].surface.fingerprint != new[each].surface.fingerprint:
            carrying = _between(old[each], new[each], each, out.lost)
            if carrying is None:
                continue
            over = _Over(carrying, _named_parts(new[each].surface), folder, out.lost)
            before = next(one for one in shot.garments if one.name == each).recipe
            records = {other: over.record(record, each, before) for other, record in records.items()}
    out.garments = [records[one.name] for one in shot.garments if records[one.name] != one]
    return out


def _is_worn(source: Source | None) -> bool:
    return isinstance(source, FromPieces) and source.is_sewn


PRESENT = "before its pieces were changed"


def _but_for_present(begins: BeginsRecord | None) -> BeginsRecord | None:
    """A start pose, unless it was only for sewing on: what is worn again as it was needs none."""
    return None if begins is not None and begins.take == PRESENT else begins


def _from_present(record: GarmentRecord, before: Recipe) -> GarmentRecord:
    """A garment of pieces that were changed, whose sewing can go on from how it was worn by another recipe."""
    if not isinstance(before, SewnRecipe) or before.file is None or not isinstance(record.recipe, SewnRecipe):
        return record
    begins = BeginsRecord(cache=before.file, recipe=before, take=PRESENT)
    return record.model_copy(update={"begins": begins})


def steps_carried(steps: Sequence[StepRecord], old: Source, new: Source, folder: Path) -> list[StepRecord]:
    """Steps of a map that go by place, on another cut; a stroke that lay where no cloth is now goes."""
    over = _Over(Carrying.between(old, new), _named_parts(new.surface), folder, [])
    found = [over.step(step, "") for step in steps]
    return [step for step in found if step is not None]


def _between(old: Source, new: Source, name: str, lost: list[str]) -> Carrying | None:
    """What becomes of places; None where the former mesh was no cloth, so that nothing can be told of them."""
    try:
        return Carrying.between(old, new)
    except NeedleError:
        if not np.array_equal(old.surface.vertices, new.surface.vertices):
            lost.append(f"the former mesh of {name} was no cloth, so what names its vertices stays as it was")
        return None


def _named_parts(mesh: Mesh) -> set[str]:
    """Names by which its groups and rows are chosen."""
    return {*mesh.groups, *mesh.rows}


@dataclass
class _Over:
    carrying: Carrying
    groups: set[str]
    folder: Path
    lost: list[str]

    def record(self, record: GarmentRecord, name: str, before: Recipe) -> GarmentRecord:
        """A record once the garment called `name`, made by the recipe `before`, has its new mesh."""
        if record.name == name:
            return self.own(record, before)
        holds = [self.stitched_to(hold, name, f"{record.name}, hold {hold.name}") for hold in record.holds]
        return record if holds == record.holds else record.model_copy(update={"holds": holds})

    def own(self, record: GarmentRecord, before: Recipe) -> GarmentRecord:
        recipe = record.recipe
        if (
            isinstance(recipe, FileRecipe)
            and isinstance(before, FileRecipe)
            and recipe.let_out == before.let_out
        ):
            recipe = recipe.model_copy(update={"let_out": list(self.let_out(recipe.let_out))})
        if record.finished is not None:
            take = record.finished.take or "a cache"
            self.lost.append(f"{record.name} was worn as {take} has it, which is of the former mesh")
        choices = [
            kept.model_copy(update={"choose": self.choice(kept.choose, f"the choice '{kept.name}'")})
            for kept in record.choices
        ]
        return record.model_copy(
            update={
                "recipe": recipe, "finished": None, "choices": choices,
                "maps": [self.chalk_map(chalk) for chalk in record.maps],
                "holds": [self.hold(hold, record.name) for hold in record.holds],
            }
        )  # fmt: skip

    def hold(self, hold: HoldRecord, own: str) -> HoldRecord:
        there = self.choice(hold.choose, f"the hold '{hold.name}'")
        return self.stitched_to(hold.model_copy(update={"choose": there}), own, f"the hold '{hold.name}'")

    def stitched_to(self, hold: HoldRecord, name: str, where: str) -> HoldRecord:
        how = hold.how
        if not isinstance(how, StitchRecord) or how.to != name or how.choose is None:
            return hold
        choose = self.choice(how.choose, where)
        return hold.model_copy(update={"how": how.model_copy(update={"choose": choose})})

    def choice(self, choose: ChoiceRecord, where: str) -> ChoiceRecord:
        if choose.group is not None and choose.group not in self.groups:
            self.lost.append(f"{where} is on '{choose.group}', which the garment has no longer")
        if choose.vertices is None:
            return choose
        grips = None if choose.grips is None else np.array(choose.grips)
        found, kept, lost = self.carrying.vertices(self.known(choose.vertices), grips)
        if lost:
            self.lost.append(
                f"{where}: {lost} of its {len(choose.vertices)} vertices lay where no cloth is now"
            )
        return choose.model_copy(
            update={"vertices": found.tolist(), "grips": None if kept is None else kept.round(6).tolist()}
        )

    def known(self, vertices: list[int]) -> Indices:
        every = np.array(vertices, np.int32)
        return every[(every >= 0) & (every < len(self.carrying.kept))]

    def let_out(self, rings: list[LetOutRecord]) -> Iterator[LetOutRecord]:
        for number, ring in enumerate(rings, 1):
            found, _, _ = self.carrying.vertices(self.known(ring.vertices))
            if len(found) >= 3:
                yield ring.model_copy(update={"vertices": found.tolist()})
            else:
                self.lost.append(f"ring {number} that was let out is no longer there")

    def chalk_map(self, chalk: MapRecord) -> MapRecord:
        steps = [self.step(step, f"the map '{chalk.name}'") for step in chalk.steps]
        return chalk.model_copy(update={"steps": [step for step in steps if step is not None]})

    def step(self, step: StepRecord, where: str) -> StepRecord | None:
        match step:
            case FromChoiceStep():
                return step.model_copy(update={"choose": self.choice(step.choose, where)})
            case ValuesStep():
                if len(step.values) != len(self.carrying.kept):
                    self.lost.append(f"{where}: its values are of another mesh")
                    return None
                values = self.carrying.values(np.array(step.values))
                return step.model_copy(update={"values": values.round(6).tolist()})
            case FromFileStep() if not step.file.lower().endswith(".png"):
                self.lost.append(f"{where}: {step.file} has values of the former mesh")
                return None
            case StrokeStep() if self.carrying.moves:
                return self.stroke(step, where)
        return step

    def stroke(self, step: StrokeStep, where: str) -> StrokeStep | None:
        if step.hits is None and step.file is None:
            return step
        hits = np.array(step.hits) if step.hits is not None else read_hits(self.folder / str(step.file)).copy()
        places, facing, there = self.carrying.places(hits[:, :3], hits[:, 3:6])
        if not there.all():
            self.lost.append(
                f"{where}: {int((~there).sum())} of {len(there)} touches of a stroke lay where no cloth is now"
            )
        if not there.any():
            return None
        now = np.concatenate([places, facing, hits[:, 6:]], axis=1)[there].round(7)
        return step.model_copy(update={"hits": [tuple(row) for row in now.tolist()], "file": None})
