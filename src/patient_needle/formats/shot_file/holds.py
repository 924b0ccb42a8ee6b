"""From a hold's record to the core's hold."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from ...core.model.errors import NeedleError, ShotError
from ...core.model.holds import Choice, Elastic, Follow, Handle, Hold, How, Stick, Stitch, Tether
from ...core.model.units import from_mm
from .document import (
    ChoiceRecord,
    ElasticRecord,
    FollowRecord,
    GarmentRecord,
    HandleRecord,
    HoldRecord,
    StickRecord,
    StitchRecord,
    TetherRecord,
)
from .ranges import curve_of, switch_of

Kept = Mapping[str, ChoiceRecord]


def hold_of(record: HoldRecord, garment: GarmentRecord, keeps: Mapping[str, Kept]) -> Hold:
    """The hold of a garment; one that follows the garment itself follows its own file. keeps: what each garment
    of the shot keeps.

    `ShotError` unless exactly one way of choosing is given.
    """
    try:
        return Hold(
            record.name,
            choice_of(record.choose, kept_of(garment)),
            _how(record, garment, keeps),
            curve_of(record.grip),
            switch_of(record.on),
            record.ease_in,
        )
    except NeedleError as error:
        raise error.at(f"hold '{record.name}'") from None


def kept_of(record: GarmentRecord) -> Kept:
    """The garment's own choices by name."""
    return {one.name: one.choose for one in record.choices}


def _how(record: HoldRecord, garment: GarmentRecord, keeps: Mapping[str, Kept]) -> How:
    match record.how:
        case FollowRecord(to=to):
            return Follow(None if to == garment.name else to)
        case StickRecord() as stick:
            return Stick(stick.to, from_mm(stick.reach_mm), stick.slides)
        case StitchRecord() as stitch:
            choose = None if stitch.choose is None else choice_of(stitch.choose, keeps.get(stitch.to, {}))
            return Stitch(stitch.to, choose, from_mm(stitch.gap_mm), from_mm(stitch.reach_mm))
        case TetherRecord() as tether:
            return Tether(tether.to, from_mm(tether.length_mm))
        case ElasticRecord() as elastic:
            return Elastic(curve_of(elastic.factor), elastic.tension)
        case HandleRecord() as handle:
            return _handle(handle)


def _handle(record: HandleRecord) -> Handle:
    x, y, z = (curve_of(value) for value in record.place)
    a, b, c = (curve_of(value) for value in record.turn)
    carrier = record.carried_by
    return Handle(
        (x, y, z), (a, b, c), curve_of(record.scale),
        None if record.reach_mm is None else from_mm(record.reach_mm),
        None if carrier is None else carrier.member, None if carrier is None else carrier.part,
    )  # fmt: skip


def choice_of(choose: ChoiceRecord, kept: Kept) -> Choice:
    """The choice; kept: the garment's own by name. `ShotError` unless exactly one way is given, and as many
    grips as vertices if any.
    """
    given = [k for k in ("group", "border", "vertices", "named") if getattr(choose, k) is not None]
    given += ["whole"] if choose.whole else []
    if len(given) != 1:
        raise ShotError(
            f"it chooses by {' and '.join(given) or 'nothing'}",
            remedy="Give exactly one of group, border, vertices, named or whole",
        )
    if choose.named is not None:
        return _of_kept(choose, choose.named, kept)
    vertices, grips = choose.vertices or [], choose.grips or []
    if grips and len(grips) != len(vertices):
        raise ShotError(
            f"it gives {len(grips)} grips for {len(vertices)} vertices", remedy="Give one grip per vertex"
        )
    return Choice(
        choose.group,
        choose.border,
        tuple(vertices),
        choose.row,
        choose.rings,
        choose.fade,
        tuple(grips),
        choose.whole,
    )


def _of_kept(choose: ChoiceRecord, name: str, kept: Kept) -> Choice:
    """A kept choice, grown further where the one that names it says so."""
    if name not in kept:
        raise ShotError(f"the garment keeps no choice '{name}'", remedy=f"It keeps {', '.join(kept) or 'none'}")
    if kept[name].named is not None:
        raise ShotError(f"the kept choice '{name}' names another one", remedy="Let it choose by itself")
    own = choice_of(kept[name], kept)
    return replace(
        own, row=own.row + choose.row, rings=own.rings + choose.rings, fade=max(own.fade, choose.fade)
    )
