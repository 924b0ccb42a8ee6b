"""Checks before a run: errors that stop it, and notes for the artist."""

from __future__ import annotations

import numpy as np

from ...geometry.closed import inside, soundness
from ...model.errors import CastError, ShotError, StartError
from ...model.shot import CastMember, Garment, ShotPlan
from ...model.tolerances import DEFAULT, Tolerances
from ...model.typed import Points
from ...model.units import UNIT_NAMES
from ...solver.outfit import Outfit
from ..cast.colliders import Colliders
from ..run.start import _depth, _place, _what, crossing_cloth
from ..sewing.source import FromPieces


def check_plan(plan: ShotPlan, tolerances: Tolerances = DEFAULT) -> None:
    """Range, animation and units of a shot; the first thing that is wrong is raised."""
    first, last = plan.frames
    if last < first:
        raise ShotError(
            f"the frame range {first} to {last} is empty",
            where=f"shot '{plan.name}'",
            remedy="Put the first frame before the last",
        )
    if not plan.garments:
        raise ShotError("there is no garment to simulate", where=f"shot '{plan.name}'", remedy="Add one")
    if all(garment.is_finished for garment in plan.garments):
        raise ShotError(
            "every garment is finished: nothing is left to simulate",
            where=f"shot '{plan.name}'",
            remedy="Simulate one of them again",
        )
    for member in plan.cast:
        check_member(plan, member, tolerances)
    for garment in plan.garments:
        check_sewn(garment)


def check_sewn(garment: Garment) -> None:
    """`StartError` for a garment of pieces that are not sewn as they are cut now."""
    if isinstance(garment.source, FromPieces) and not garment.source.is_sewn:
        raise StartError(
            "it is not sewn yet", where=f"garment '{garment.name}'", remedy="Sew it on the Wardrobe bench"
        )


def check_member(plan: ShotPlan, member: CastMember, tolerances: Tolerances = DEFAULT) -> None:
    """`CastError` when a member's animation does not cover the shot, a collider has no outside, or a character
    has no human height.
    """
    check_range(plan, member)
    if member.collider is not None:
        _check_surface(member)
    if member.kind == "character":
        _check_stature(member, plan.up, tolerances)


def _check_surface(member: CastMember) -> None:
    found = soundness(member.motion.rest(), member.cut.triangles)
    where = f"'{member.name}'"
    if found.crowded is not None:
        a, b = found.crowded
        raise CastError(
            f"more than two faces share {found.crowded_count} of its edges, so that it has no inside",
            where=f"{where}, edge from vertex {a} to {b}",
            remedy="Split or delete the faces there and export again, or let a fitted understudy stand in",
        )
    if found.opposed is not None:
        a, b = found.opposed
        raise CastError(
            f"its faces look both ways along {found.opposed_count} edges",
            where=f"{where}, triangles {a} and {b}",
            remedy="Turn its faces outwards",
        )
    if found.inside_out:
        raise CastError(
            "its faces look inwards: cloth would be kept inside it",
            where=where,
            remedy="Turn its faces outwards",
        )


def check_range(plan: ShotPlan, member: CastMember) -> None:
    """`CastError` when a member's animation does not cover the shot."""
    low, high = member.motion.span()
    first, last = plan.frames
    if first < low or last > high:
        raise CastError(
            f"the shot runs from {first} to {last}, but its animation from {low:g} to {high:g}",
            where=f"'{member.name}'",
            remedy="Shorten the frame range, move the animation's start or bring in a longer one",
        )


def _check_stature(member: CastMember, up: int, tolerances: Tolerances) -> None:
    size = np.ptp(member.motion.rest(), axis=0)
    height = float(size[up])
    if tolerances.stature_low <= height <= tolerances.stature_high:
        return
    length = float(size.max())  # a human is longest along the axis it stands on
    factors = {"cm": 0.01, "mm": 0.001, "m": 100.0, "in": 0.0254}
    guess = next((unit for unit, factor in factors.items() if 1.0 <= length * factor <= 2.3), None)
    remedy = "Set the unit of its file"
    if guess is not None:
        remedy = (
            f"The file is probably in {UNIT_NAMES[guess]}, {length * factors[guess]:.2f} m from head to foot: "
            "set its unit"
        )
    if length > 1.5 * height:
        remedy += ", and the axis that is up: it lies down"
    raise CastError(
        f"this figure is {height:.4g} m tall, which no human is", where=f"'{member.name}'", remedy=remedy
    )


def start_notes(worn: Outfit, start: Points, colliders: Colliders, points: Points) -> tuple[str, ...]:
    """What the run-in will have to put right in the outermost cloth, as `check_start` has it, said by place."""
    notes, last, own = [], worn.cloths[-1], worn.spans[-1]
    within = np.flatnonzero(inside(points, colliders.enclosing, start[own]) & ~last.held)
    if len(within):
        depth = _depth(start[own][within], colliders, points)
        notes.append(
            f"{len(within)} vertices start inside a collider, up to {depth.max() * 1e3:.1f} mm deep, at "
            f"{_place(start[own][within[np.argmax(depth)]])}: the run-in eases them out where there is room"
        )
    pairs = crossing_cloth(worn, start)
    pairs = pairs[(worn.skin.garment[pairs] == len(worn.cloths) - 1).any(axis=1)]
    if len(pairs):
        one, other = (worn.cloths[worn.skin.garment[t]].name for t in pairs[0])
        other = one if one != last.name else other
        notes.append(
            f"it starts through {_what(last.name, other)} in {len(pairs)} places, the first at "
            f"{_place(start[worn.triangles[pairs[0, 0]]].mean(axis=0))}: they are untangled before "
            "the run-in; a take is refused if that fails"
        )
    return tuple(notes)
