"""From a map's record to the core's map."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ...core.craft.chalk import (
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
from ...core.model.errors import NeedleError, ShotError
from ...core.model.units import from_mm
from ..png import read_picture
from ..registry import read_values
from .document import GarmentRecord, MapRecord, StepRecord, StrokeRecord
from .holds import Kept, choice_of, kept_of

KINDS = (
    "stroke", "fill", "along", "from_choice", "from_weights", "from_distance", "from_garment", "from_file",
    "change", "with_map", "mirror", "values",
)  # fmt: skip


def maps_of(record: GarmentRecord, folder: Path) -> tuple[ChalkMap, ...]:
    """The garment's maps, with what they name in `folder`; errors name the map and the step."""
    names = [one.name for one in record.maps]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise ShotError(f"two maps are called '{twice}'", remedy="Give each a name of its own")
    return tuple(_map_of(one, kept_of(record), folder) for one in record.maps)


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
    given = [kind for kind in KINDS if getattr(record, kind) is not None]
    if len(given) != 1:
        raise ShotError(
            f"it says {' and '.join(given) or 'nothing'}", remedy=f"Give exactly one of {', '.join(KINDS)}"
        )
    if record.stroke is not None:
        return stroke_of(record.stroke)
    if record.fill is not None:
        return Fill(record.fill)
    if record.along is not None:
        return Along(record.along.start, record.along.end, record.along.values)
    if record.from_choice is not None:
        one = record.from_choice
        return FromChoice(choice_of(one.choose, kept), from_mm(one.reach_mm), one.values)
    if record.from_weights is not None:
        return FromWeights(record.from_weights.member, tuple(record.from_weights.joints))
    if record.from_distance is not None:
        far = record.from_distance
        return FromDistance(far.member, from_mm(far.reach_mm), far.values)
    if record.from_garment is not None:
        other = record.from_garment
        return FromGarment(other.garment, other.map, from_mm(other.reach_mm))
    if record.from_file is not None:
        return _from_file(folder / record.from_file.file, record.from_file.named)
    if record.change is not None:
        amount = record.change.amount
        smooth = record.change.how == "smooth"
        return Change(record.change.how, from_mm(amount) if smooth else amount, record.change.other)
    if record.with_map is not None:
        return With(record.with_map.map, record.with_map.how)
    if record.mirror is not None:
        return Mirror(record.mirror)
    assert record.values is not None
    return Values(np.array(record.values, float))


def stroke_of(record: StrokeRecord) -> Stroke:
    """A stroke in SI units."""
    return Stroke(
        np.array(record.hits, float), from_mm(record.radius_mm), record.strength, record.softness, record.mode,
        record.amount, record.through, record.mirrored,
    )  # fmt: skip


def _from_file(path: Path, named: str | None) -> Step:
    if path.suffix.lower() == ".png":
        return FromPicture(*read_picture(path))
    return Values(read_values(path, named).values)
