"""Mend all: for each snag the remedies that suit its kind, one after the other, until one is proven."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ...model.errors import NeedleError
from ...model.tolerances import MEND_ALL_TURNS, MEND_BRIDGED, MEND_EASE_MOST
from ..inspect.snags import IN_THE_BODY, OVERSTRETCH, THROUGH_ITSELF
from .faults import CRUMPLE, FULL_BODY
from .footage import Footage, Patch, Region, Span, quiet
from .jumps import JUMPS
from .proof import Proof, Proven, prove
from .remedies import (
    EASE_OUT,
    ROOMIER,
    RUN_AGAIN,
    SMOOTH_SPACE,
    SMOOTH_TIME,
    UNTANGLE,
    Settings,
    apply,
    around_snag,
)
from .snags import Marks, TakeSnag, find_marks, find_snags, same_place


@dataclass(frozen=True, eq=False)
class Way:
    """A remedy that may mend a snag: its verb and settings, how much wider than the snag, how long it joins."""

    verb: str
    settings: Settings
    wider: float = 1.0
    join: int = 4


@dataclass(frozen=True, eq=False)
class Step:
    """A remedy that was done: for which snag, how, and with what proof."""

    snag: TakeSnag
    way: Way
    region: Region
    span: Span
    patch: Patch
    proof: Proof


@dataclass(frozen=True, eq=False)
class Unmended:
    """A snag that stayed, and why."""

    snag: TakeSnag
    why: str


@dataclass(frozen=True, eq=False)
class Mended:
    """A take after all that could be mended was."""

    footage: Footage
    marks: Marks
    steps: tuple[Step, ...]
    left: tuple[Unmended, ...]


FREE = Settings(grip=0.0)


def ways(snag: TakeSnag) -> tuple[Way, ...]:
    """The remedies for a snag, the first to be tried first."""
    frames = snag.frames[1] - snag.frames[0] + 1
    bad = tuple(range(snag.frames[0], snag.frames[1] + 1))
    bridged = bad if frames <= MEND_BRIDGED else ()
    near, loose = Settings(grip=0.9, leave_out=bridged), Settings(grip=0.5, leave_out=bridged)
    again = (Way(RUN_AGAIN, near), Way(RUN_AGAIN, loose, 1.5, 8), Way(RUN_AGAIN, FREE, 2.0, 8))
    match snag.kind:
        case "in the body" | "shows through" | "through another garment" | "through itself":
            small = len(snag.vertices) * frames <= MEND_EASE_MOST
            ease = (Way(EASE_OUT, Settings()),) if small else ()
            untangle = (
                () if snag.kind in (IN_THE_BODY, FULL_BODY) or not small else (Way(UNTANGLE, Settings()),)
            )
            crushed = OVERSTRETCH in snag.also or CRUMPLE in snag.also
            if crushed and snag.kind == THROUGH_ITSELF:  # cloth that is crumpled lies about where it belongs
                return (Way(RUN_AGAIN, Settings(grip=0.6)), *again, *ease, *untangle)
            return (again[0], *ease, *again[1:], *untangle) if crushed else (*ease, *again, *untangle)
        case "pinched":
            return (
                Way(ROOMIER, Settings(grip=0.5)), Way(ROOMIER, Settings(grip=0.0, drawn_in=0.01), 1.5, 8),
                *again[:1],
            )  # fmt: skip
        case "jump" | "jitter at rest":
            few = bad if snag.kind == JUMPS and frames <= 4 else ()
            return (
                Way(SMOOTH_TIME, Settings(leave_out=few), 1.0, 1 if few else 4),
                Way(SMOOTH_TIME, Settings(strength=6.0, leave_out=few), 1.5, 4), Way(RUN_AGAIN, near, 1.5, 6),
            )  # fmt: skip
        case "overstretch" | "crumple" | "off its hold":
            bridge = (Way(SMOOTH_TIME, Settings(leave_out=bad)),) if frames <= 2 else ()
            # Cloth that is crumpled lies about where it belongs: the take itself is the best guide.
            return (
                *bridge, Way(RUN_AGAIN, Settings(grip=0.6)), again[0], Way(RUN_AGAIN, FREE, 1.5, 6),
                Way(SMOOTH_SPACE, Settings()),
            )  # fmt: skip
    return again


def mend_all(
    footage: Footage, marks: Marks | None = None, skip: Callable[[TakeSnag], bool] = lambda _: False,
    told: Callable[[str, float], None] = lambda *_: None,
) -> Mended:  # fmt: skip
    """Mend every snag of a take that `skip` does not leave alone, the worst first.

    Mending one may bring up or uncover another, so that the list is made anew until nothing more can be done.
    """
    marks = find_marks(footage, footage.judged) if marks is None else marks
    steps: list[Step] = []
    given_up: list[Unmended] = []
    for _ in range(MEND_ALL_TURNS):
        open_ = [
            snag for snag in find_snags(footage, marks)
            if not skip(snag) and not any(same_place(snag, one.snag) for one in given_up)
        ]  # fmt: skip
        if not open_:
            break
        snag = open_[0]
        share = (len(steps) + len(given_up)) / (len(steps) + len(given_up) + len(open_))
        told(f"{snag.kind}, frames {snag.frames[0]} to {snag.frames[1]}", share)
        done, why = mend_one(footage, marks, snag, _at(told, share))
        if done is None:
            given_up.append(Unmended(snag, why))
            continue
        step, proven = done
        steps.append(step)
        footage, marks = proven.footage, proven.marks
    left = [snag for snag in find_snags(footage, marks) if not skip(snag)]
    reasons = [
        (snag, next((one.why for one in given_up if same_place(snag, one.snag)), "not tried")) for snag in left
    ]
    return Mended(footage, marks, tuple(steps), tuple(Unmended(snag, why) for snag, why in reasons))


def _at(told: Callable[[str, float], None], share: float) -> Callable[[float], None]:
    """A sign of life while one snag is mended."""
    return lambda _: told("", share)


def mend_one(
    footage: Footage,
    marks: Marks,
    snag: TakeSnag,
    told: Callable[[float], None] = quiet,
) -> tuple[tuple[Step, Proven] | None, str]:
    """The first way of mending a snag that is proven; else why the last one was not."""
    reasons: list[str] = []
    best: tuple[Step, Proven] | None = None
    for way in ways(snag):
        try:
            region = around_snag(footage, snag, wider=way.wider)
            span = Span(*snag.frames, way.join)
            patch = apply(way.verb, footage, region, span, way.settings, told)
        except NeedleError as error:
            reasons.append(f"{way.verb}: {error.what}")
            continue
        proven = prove(footage, marks, patch, snag)
        if not proven.proof.accepted:
            reasons.append(f"{way.verb}: {proven.proof.why}")
            continue
        step = Step(snag, way, region, span, patch, proven.proof)
        if _is_gone(snag, proven):
            return (step, proven), ""
        if best is None or proven.proof.crossings[1] < best[1].proof.crossings[1]:
            best = step, proven
        reasons.append(f"{way.verb}: less, but not gone")
    return best, "; ".join(dict.fromkeys(reasons))


def _is_gone(snag: TakeSnag, proven: Proven) -> bool:
    """Whether nothing of a snag is left in the frames that were looked at."""
    marks = {frame: proven.marks[frame] for frame in proven.proof.frames}
    return not any(same_place(snag, one) for one in find_snags(proven.footage, marks))
