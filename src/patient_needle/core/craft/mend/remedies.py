"""Remedies: what can be done to a region over a span, each by its verb and its settings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray
from scipy.sparse.csgraph import connected_components

from ...model.errors import ShotError
from ...model.fabric import Fabric
from ...model.shot import Garment
from ...model.tolerances import ALL, MEND_BRIDGED
from ...model.typed import Flags
from ..inspect.snags import IN_THE_BODY, THROUGH_ANOTHER
from ..run.release import find_crossings
from .again import Again, Room, Told, run_again
from .calming import calm
from .easing_out import ease_out
from .faults import FULL_BODY, OFF_ITS_HOLD
from .footage import Footage, Patch, Region, Span, edge_graph, quiet, region_around
from .jumps import JUMPS
from .smoothing import smooth_space, smooth_time
from .snags import TakeSnag
from .untangling import untangle

EASE_OUT, UNTANGLE, RUN_AGAIN, ROOMIER = "ease out", "untangle", "run again here", "roomier"
SMOOTH_TIME, SMOOTH_SPACE, CALM = "smooth in time", "smooth the cloth", "calm"
VERBS = (EASE_OUT, UNTANGLE, RUN_AGAIN, ROOMIER, SMOOTH_TIME, SMOOTH_SPACE, CALM)
REACH, REACH_SPACINGS = 0.02, 2.5  # m around a snag, and in spacings, that a remedy acts on in full
RIM, RIM_SPACINGS = 0.05, 5.0  # of its soft rim
JUMP_EDGE, JUMP_FEW = 0.25, 4  # share of a jump that its edge does too; frames of one that a curve can bridge


@dataclass(frozen=True, eq=False)
class Settings:
    """What a remedy is told besides where and when; each verb reads its own.

    grip      run again, roomier: how firmly the region is drawn to the take, 0 to below 1
    patience  run again: another one by name; clearance, friction: factors on the colliders' there
    fabric    run again: another fabric of the garment there; without: holds that are left out
    drawn_in  roomier, m; room: clearance there, m at most; strength: of smoothing; amount: of calm, 0 to 1
    leave_out smooth in time: frames that have no say; run again: frames in which the take is no guide, and a
              curve from before them to after them is drawn to instead
    """

    grip: float = 0.5
    patience: str | None = None
    clearance: float = 1.0
    friction: float = 1.0
    fabric: Fabric | None = None
    without: tuple[str, ...] = ()
    drawn_in: float = 0.004
    room: float | None = 0.0005
    strength: float = 1.0
    amount: float = 0.5
    leave_out: tuple[int, ...] = field(default=())

    def check(self) -> None:
        """`ShotError` for a figure that no remedy can have."""
        for name, value, low, high in (
            ("grip", self.grip, 0.0, 0.999), ("clearance", self.clearance, 0.0, 10.0),
            ("friction", self.friction, 0.0, 10.0), ("drawn in", self.drawn_in, 0.0, 0.05),
            ("strength", self.strength, 0.0, 20.0), ("amount", self.amount, 0.0, 1.0),
        ):  # fmt: skip
            if not low <= value <= high:
                raise ShotError(
                    f"{name} is {value:g}", where="the remedy", remedy=f"Choose from {low:g} to {high:g}"
                )
        if self.patience is not None and self.patience not in ALL:
            raise ShotError(
                f"'{self.patience}' is not a patience",
                where="the remedy",
                remedy=f"Use one of {', '.join(ALL)}",
            )


def apply(
    verb: str,
    footage: Footage,
    region: Region,
    span: Span,
    settings: Settings,
    told: Told = quiet,
) -> Patch:
    """What a remedy makes of a region over a span. `ShotError` for a verb, figure or span that cannot be."""
    settings.check()
    check_span(footage, span)
    match verb:
        case "ease out":
            return ease_out(footage, region, span, told)
        case "untangle":
            return untangle(footage, region, span, told)
        case "run again here":
            guide = _guide(footage, region, span, settings)
            return run_again(footage, region, span, _again(footage, region, settings), guide=guide, told=told)
        case "roomier":
            again = replace(_again(footage, region, settings), room=_room(footage, region, span, settings))
            guide = _guide(footage, region, span, settings)
            return run_again(footage, region, span, again, guide=guide, told=told)
        case "smooth in time":
            out, strength = settings.leave_out, settings.strength
            return _kept_off(
                footage,
                region,
                span,
                smooth_time(footage, region, span, strength=strength, leave_out=out),
                told,
            )
        case "smooth the cloth":
            smoothed = smooth_space(footage, region, span, strength=settings.strength)
            return _kept_off(footage, region, span, smoothed, told)
        case "calm":
            return calm(footage, region, span, settings.amount, told)
    raise ShotError(f"'{verb}' is no remedy", remedy=f"Use one of {', '.join(VERBS)}")


def check_span(footage: Footage, span: Span) -> None:
    """`ShotError` for a span outside the take."""
    low, high = footage.begins, footage.last
    if span.last < span.first or span.first < low or span.last > high or not 0 <= span.join <= 48:
        raise ShotError(
            f"frames {span.first} to {span.last} with {span.join} to join cannot be mended", where="the span",
            remedy=f"Choose frames from {low} to {high}, the first before the last, and 0 to 48 to join",
        )  # fmt: skip


def _kept_off(footage: Footage, region: Region, span: Span, smoothed: Patch, told: Told) -> Patch:
    """A patch that smooths, eased out where it would go through something."""
    after, mine = footage.with_patch(smoothed), np.zeros(footage.worn.count, bool)
    mine[smoothed.vertices] = True
    for frame in smoothed.frames:
        found = find_crossings(footage.worn, after.at(frame), after.colliders(frame), after.bodies(frame))
        cloth = np.concatenate(
            [found.colliders[:, :1], found.itself.reshape(-1, 1), found.garments.reshape(-1, 1)]
        )
        if mine[footage.worn.triangles[cloth]].any():
            return ease_out(after, region, span, told)
    return smoothed


def _guide(footage: Footage, region: Region, span: Span, settings: Settings) -> NDArray[np.float32]:
    """Where a region is drawn to: its take, with the frames bridged that are no guide."""
    if not settings.leave_out:
        return footage.points
    bridged = smooth_time(footage, region, span, leave_out=settings.leave_out)
    return footage.with_patch(bridged).points


def _again(footage: Footage, region: Region, settings: Settings) -> Again:
    changed: Callable[[Garment], Garment] | None = None
    if settings.fabric is not None or settings.without:
        there = _garments(footage, region)

        def change(garment: Garment) -> Garment:
            holds = tuple(hold for hold in garment.holds if hold.name not in settings.without)
            fabric = (
                settings.fabric if settings.fabric is not None and garment.name in there else garment.fabric
            )
            return replace(garment, holds=holds, fabric=fabric)

        changed = change
    return Again(
        settings.grip, None if settings.patience is None else ALL[settings.patience], settings.clearance,
        settings.friction, changed,
    )  # fmt: skip


def _garments(footage: Footage, region: Region) -> set[str]:
    spans = zip(footage.worn.cloths, footage.worn.spans, strict=True)
    return {cloth.name for cloth, span in spans if (region.weights[span] > 0).any()}


def _room(footage: Footage, region: Region, span: Span, settings: Settings) -> Room:
    """Room about the middle of a region, as large as that, in the middle of its span."""
    frame = (span.first + span.last) // 2
    points = footage.at(frame)[region.core if region.core.any() else region.weights > 0]
    x, y, z = points.mean(axis=0)
    radius = max(0.03, float(np.quantile(np.linalg.norm(points - [x, y, z], axis=1), 0.8)))
    return Room((float(x), float(y), float(z)), frame, radius, settings.room, settings.drawn_in)


def around_snag(footage: Footage, snag: TakeSnag, *, wider: float = 1.0) -> Region:
    """The region of a snag: all its vertices and some cloth around, softly; twice as wide at 2. A snag that
    takes up half of its garment is mended with all of the outfit.
    """
    names = [cloth.name for cloth in footage.worn.cloths]
    own = footage.worn.spans[names.index(snag.garment)]
    if len(snag.vertices) >= 0.5 * (~footage.worn.held[own]).sum():
        return whole(footage)
    chosen = np.zeros(footage.worn.count, bool)
    chosen[snag.vertices] = True
    if snag.kind == JUMPS and snag.frames[1] - snag.frames[0] < JUMP_FEW:
        chosen |= _jumped_with(footage, snag)
    return around(footage, chosen, wider=wider, held=snag.kind == OFF_ITS_HOLD)


def _jumped_with(footage: Footage, snag: TakeSnag) -> Flags:
    """Vertices (n,) around a jump that jump with it, as far out as they do a quarter of it: those that jump
    least are not listed.
    """
    first, last = snag.frames
    before, after = footage.at(first - 1), footage.at(last + 1)
    away = np.zeros(footage.worn.count)
    for frame in range(first, last + 1):
        share = (frame - first + 1) / (last - first + 2)
        off = footage.at(frame) - (1 - share) * before - share * after
        away = np.maximum(away, np.linalg.norm(off, axis=1))
    jumps = away > JUMP_EDGE * away[snag.vertices].max(initial=0.0)
    jumps[snag.vertices] = True
    jumps &= ~footage.worn.held
    graph = edge_graph(footage.worn)
    _, label = connected_components(graph[jumps][:, jumps], directed=False)
    own = np.full(footage.worn.count, -1)
    own[jumps] = label
    return np.asarray(np.isin(own, np.unique(own[snag.vertices][own[snag.vertices] >= 0])))


def fitting(verb: str, snag: TakeSnag | None, settings: Settings) -> Settings:
    """The settings with the frames that a verb does without for a snag: those in which cloth is not where it
    belongs, if a curve can bridge them.
    """
    if snag is None or settings.leave_out:
        return settings
    frames = tuple(range(snag.frames[0], snag.frames[1] + 1))
    jumped = verb == SMOOTH_TIME and snag.kind == JUMPS and len(frames) <= JUMP_FEW
    strayed = verb in (RUN_AGAIN, ROOMIER) and snag.kind in (IN_THE_BODY, THROUGH_ANOTHER, FULL_BODY)
    if jumped or (strayed and len(frames) <= MEND_BRIDGED):
        return replace(settings, leave_out=frames)
    return settings


def around(footage: Footage, chosen: Flags, *, wider: float = 1.0, held: bool = False) -> Region:
    """The region of chosen vertices (n,); held: with those that are held, to be put where their holds are."""
    spacing = footage.worn.spacing
    reach = wider * max(REACH, REACH_SPACINGS * spacing)
    rim = wider * max(RIM, RIM_SPACINGS * spacing)
    return region_around(footage.worn, chosen, reach, rim, held=held)


def whole(footage: Footage, garment: str | None = None) -> Region:
    """All of a garment, or of all."""
    weights = np.zeros(footage.worn.count)
    for cloth, where in zip(footage.worn.cloths, footage.worn.spans, strict=True):
        if garment in (None, cloth.name):
            weights[where] = 1.0
    weights[footage.worn.held] = 0.0
    return Region(weights)
