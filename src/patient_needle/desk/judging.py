"""What looks wrong about the cast and garments of an open shot, judged against each other."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from ..core.craft.inspect.cached import judge_cache
from ..core.craft.inspect.costume import judge_garment
from ..core.craft.inspect.fitting import MOST_SAID, narrow_offers, two_faced_offers
from ..core.craft.inspect.girths import Girthed, Narrow, too_narrow
from ..core.craft.inspect.offers import HUMAN, Judged, Offer, ReadAs, Timed, judge
from ..core.craft.inspect.wearing import Figure
from ..core.geometry.closed import soundness
from ..core.geometry.placing import Placing, moved
from ..core.model.errors import NeedleError
from ..core.model.units import metres_per
from ..formats.shot_file.document import CastRecord, FileRecipe, PlacedRecord

if TYPE_CHECKING:
    from ..formats.shot_file.members import AssembledMember
    from .open_shot import OpenShot

CACHE_LOOKS = 5  # frames of a cache that are held against its mesh


@dataclass(frozen=True, eq=False)
class Wearer:
    """What the garments of a shot are held against, made once for all of them.

    figure, placing  the first character of a human's size, and how its file was read; None without one
    bodies           all colliders as they stand when the run begins
    """

    figure: Figure | None
    placing: Placing | None
    bodies: Girthed


def wearer_of(opened: OpenShot) -> Wearer:
    """See `Wearer`."""
    frame = opened.plan.first_simulated
    colliders = opened.colliders.at_work(frame)
    bodies = Girthed(
        colliders.rest_points(), colliders.triangles, colliders.surroundings(frame).clearance, colliders.part,
        colliders.part_names, colliders.member,
    )  # fmt: skip
    for record in opened.shot.cast:
        source = opened.sources.get(record.name)
        if source is None or record.kind != "character":
            continue
        rest = source.member.motion.rest()
        if HUMAN[0] <= np.ptp(rest[:, 1]) <= HUMAN[1]:
            placing = _placing(record.unit, record.up, record.placed)
            return Wearer(Figure(rest, source.member.cut.triangles), placing, bodies)
    return Wearer(None, None, bodies)


def garment_offers(opened: OpenShot, name: str, wearer: Wearer) -> tuple[Offer, ...]:
    """What looks wrong about a garment: how its file was read, or else its two faces and its girths."""
    record = next(one for one in opened.shot.garments if one.name == name)
    if not isinstance(record.recipe, FileRecipe):
        return ()  # what is made here has the size it was made in
    offers = _placing_offers(opened, name, record.recipe, wearer)
    if offers:
        return offers
    piece = opened.garments[name]
    if record.rest_angles == "flat" and record.finished is None:
        fabrics = [one.model_dump(mode="json") for one in opened.shot.fabrics]
        points = piece.garment.mesh.vertices
        offers = two_faced_offers(points, piece.topology.triangles, fabrics, record.fabric)
    return (*offers, *_narrow_offers(opened, name, record.recipe, wearer))


def _narrow_offers(opened: OpenShot, name: str, recipe: FileRecipe, wearer: Wearer) -> tuple[Offer, ...]:
    let_out = [ring.model_dump(mode="json") for ring in recipe.let_out]
    run_in = (opened.plan.first_simulated, opened.plan.frames[0])
    out: list[Offer] = []
    for narrow in _narrow(opened, name, wearer)[:MOST_SAID]:
        collides = opened.colliders.members[narrow.member]
        member = collides.stands_in_for or collides.name
        record = next((one for one in opened.shot.cast if one.name == member), None)
        if record is None or record.collider is None:
            continue
        shapes = [shape.model_dump(mode="json") for shape in record.shapes]
        collider = record.collider.model_dump(mode="json")
        out += narrow_offers(narrow, let_out, member, collider, shapes, run_in)
    return tuple(out)


def _narrow(opened: OpenShot, name: str, wearer: Wearer) -> tuple[Narrow, ...]:
    """The rings of a garment that are too narrow for what they go around at the start."""
    piece = opened.garments[name]
    if piece.garment.is_finished:
        return ()
    try:
        dressed = opened.dressed(name)
    except NeedleError:
        return ()  # said as the garment's fault
    made, thickness = piece.garment.mesh.vertices, piece.garment.fabric.thickness
    start, held = dressed.start(opened.plan.first_simulated), dressed.cloth.held
    return too_narrow(made, piece.topology, piece.loops, start, wearer.bodies, thickness, held)


def judged_member(opened: OpenShot, name: str, fastest: float) -> Judged:
    """What looks wrong about a cast member; fastest: m/s of its fastest point over the shot."""
    record = next(one for one in opened.shot.cast if one.name == name)
    source = opened.sources[name]
    time = source.timed
    first = time.first or record.starts_at  # a file that counts from 0 does not number its frames
    read = ReadAs(
        _placing(record.unit, record.up, record.placed), opened.shot.frame_rate, opened.shot.frames,
        record.timing, source.stated.metres, source.stated.up,
        Timed(time.rate, None if time.count is None else (first, first + time.count - 1)),
    )  # fmt: skip
    human = record.kind == "character"
    turned = (
        record.collider is not None
        and soundness(source.member.motion.rest(), source.member.cut.triangles).turned
    )
    rest = source.member.motion.rest()
    judged = judge(rest, read, human=human, fastest=fastest, turned=turned)
    if any({"unit", "up"} & offer.member.keys() for offer in judged.offers):
        return judged  # a cache is held against its mesh, which has to be right first
    offers, notes = _of_cache(record, source)
    if offers:
        judged = judge(rest, read, human=human, fastest=0.0, turned=turned)
    return replace(judged, offers=(*offers, *judged.offers), notes=notes)


def _of_cache(record: CastRecord, source: AssembledMember) -> tuple[tuple[Offer, ...], tuple[str, ...]]:
    """What looks wrong about a member's cache beside its mesh."""
    low, high = source.bare.span()
    if record.cache is None or not np.isfinite(low):
        return (), ()
    as_file = _placing(record.unit, record.up).matrix(metres_per(record.unit))
    times = np.unique(np.linspace(low, high, CACHE_LOOKS).round())
    frames = [moved(source.bare.at(time), as_file) for time in times]
    rest, triangles = moved(source.bare.rest(), as_file), source.member.cut.triangles
    as_read = record.cache_as
    unit, up = as_read.unit or record.unit, as_read.up or record.up
    return judge_cache(rest, triangles, frames, unit, up, mirrored=as_read.mirrored)


def _placing(unit: str, up: str, placed: PlacedRecord | None = None) -> Placing:
    placed = placed or PlacedRecord()
    return Placing(unit, up, placed.scale, placed.turn, placed.move, placed.mirrored)


def _placing_offers(opened: OpenShot, name: str, recipe: FileRecipe, wearer: Wearer) -> tuple[Offer, ...]:
    """What looks wrong about how a garment's file was read; nothing while nobody of a human's size is there."""
    if wearer.figure is None:
        return ()
    read, piece = _placing(recipe.unit, recipe.up, recipe.placed), opened.garments[name]
    back = np.linalg.inv(read.matrix(metres_per(recipe.unit))).astype(np.float64)
    as_made = moved(piece.garment.mesh.vertices, back)
    return judge_garment(as_made, piece.topology.triangles, read, wearer.figure, wearer.placing)
