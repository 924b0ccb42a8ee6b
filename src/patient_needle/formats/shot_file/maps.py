"""From a map's record to the core's map."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from ...core.model.errors import NeedleError, ShotError
from ...core.model.maps import (
    Along,
    ChalkMap,
    Change,
    Fill,
    FromChoice,
    FromDistance,
    FromGarment,
    FromPicture,
    FromWeights,
    Mirror,
    Step,
    Stroke,
    Values,
    With,
)
from ...core.model.units import from_mm
from ..png import read_picture
from ..registry import read_values
from .document import (
    AlongStep,
    BrushRecord,
    ChangeStep,
    FillStep,
    FinerRecord,
    FromChoiceStep,
    FromDistanceStep,
    FromFileStep,
    FromGarmentStep,
    FromWeightsStep,
    GarmentRecord,
    MapRecord,
    MirrorStep,
    StepRecord,
    StrokeRecord,
    StrokeStep,
    ValuesStep,
    WithStep,
)
from .holds import Kept, choice_of, kept_of
from .strokes import read_hits


def maps_of(record: GarmentRecord, folder: Path) -> tuple[ChalkMap, ...]:
    """The garment's maps, with what they name in `folder`; errors name the map and the step."""
    names = [one.name for one in record.maps]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise ShotError(f"two maps are called '{twice}'", remedy="Give each a name of its own")
    return tuple(_map_of(one, kept_of(record), folder) for one in record.maps)


def finer_of(record: FinerRecord, folder: Path) -> ChalkMap:
    """The map that a garment is meshed by."""
    kept: Kept = {}
    steps = tuple(_step_of(step, kept, folder) for step in record.steps)
    return ChalkMap(record.map, "spacing", steps, record.span)


def _map_of(record: MapRecord, kept: Kept, folder: Path) -> ChalkMap:
    span = record.span
    if span is not None and not (np.isfinite(span).all() and min(span) >= 0):
        raise ShotError(
            f"its 0 and 1 mean {span[0]:g} and {span[1]:g}", where=f"map '{record.name}'",
            remedy="Give two numbers that are not below 0",
        )  # fmt: skip
    steps = []
    for index, step in enumerate(record.steps):
        try:
            steps.append(_step_of(step, kept, folder))
        except NeedleError as error:
            raise error.at(f"map '{record.name}', step {index + 1}") from None
    return ChalkMap(record.name, record.role, tuple(steps), span, record.in_use)


def _step_of(record: StepRecord, kept: Kept, folder: Path) -> Step:
    match record:
        case StrokeStep():
            hits = record.hits if record.file is None else read_hits(folder / record.file)
            return _stroke(record, hits)
        case FillStep():
            return Fill(record.value)
        case AlongStep():
            return Along(record.start, record.end, record.values)
        case FromChoiceStep():
            return FromChoice(choice_of(record.choose, kept), from_mm(record.reach_mm), record.values)
        case FromWeightsStep():
            return FromWeights(record.member, tuple(record.joints))
        case FromDistanceStep():
            return FromDistance(record.member, from_mm(record.reach_mm), record.values)
        case FromGarmentStep():
            return FromGarment(record.garment, record.map, from_mm(record.reach_mm))
        case FromFileStep():
            return _from_file(folder / record.file, record.named)
        case ChangeStep():
            amount = from_mm(record.amount) if record.how == "smooth" else record.amount
            return Change(record.how, amount, record.other)
        case WithStep():
            return With(record.map, record.how)
        case MirrorStep():
            return Mirror(record.side)
        case ValuesStep():
            return Values(np.array(record.values, float))


def stroke_of(record: StrokeRecord) -> Stroke:
    """A stroke in SI units."""
    return _stroke(record, record.hits)


def _stroke(record: BrushRecord, hits: Any) -> Stroke:
    return Stroke(
        np.array(hits, float), from_mm(record.radius_mm), record.strength, record.softness, record.mode,
        record.amount, record.through, record.mirrored,
    )  # fmt: skip


def _from_file(path: Path, named: str | None) -> Step:
    if path.suffix.lower() == ".png":
        return FromPicture(*read_picture(path))
    return Values(read_values(path, named).values)
