"""Proof of a remedy: exact counts before and after, and whether the take is better for it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...model.tolerances import PROOF_BESIDE, PROOF_FEW, PROOF_GROWTH, PROOF_JOIN, PROOF_SHARE, PROOF_TRIFLE
from ...model.typed import Scalars
from ..inspect.snags import OVERSTRETCH
from .faults import CROSSING, FULL_BODY, Inspector, Mark, crossing_count
from .footage import Footage, Patch
from .jumps import JITTERS, JUMPS, Jolts
from .snags import Marks, TakeSnag, find_snags, same_place


@dataclass(frozen=True, eq=False)
class Proof:
    """What a remedy did, all of it measured.

    frames      those that were looked at: all that changed, and some beside
    before, after  triangle pairs that cross, by frame
    faults      by kind, vertices with that fault over all frames, before and after
    furthest    m, the greatest displacement
    join        m/s, by how much the sharpest change of velocity grew at the joins; usual: 99 % of the
                take's own changes of velocity there are smaller
    accepted    whether its counts fell and nothing new came up; why, in words, where not
    """

    frames: tuple[int, ...]
    before: tuple[int, ...]
    after: tuple[int, ...]
    faults: dict[str, tuple[int, int]]
    furthest: float
    join: float
    usual: float
    accepted: bool
    why: str = ""

    @property
    def crossings(self) -> tuple[int, int]:
        """Before and after, in all."""
        return sum(self.before), sum(self.after)


@dataclass(frozen=True, eq=False)
class Proven:
    """A remedied footage, its marks in the frames that may have changed, and its proof."""

    footage: Footage
    marks: Marks
    proof: Proof


def prove(footage: Footage, marks: Marks, patch: Patch, target: TakeSnag | None = None) -> Proven:
    """Lay a patch over a footage and hold it against what was there.

    marks: of the footage as it is, of all judged frames; target: the snag that was to be mended, None for
    whatever is in the patch.
    """
    after = footage.with_patch(patch)
    low, high = patch.frames[0] - PROOF_BESIDE, patch.frames[-1] + PROOF_BESIDE
    frames = [frame for frame in footage.judged if low <= frame <= high]
    inspector, jolts = Inspector(after), Jolts(after)
    changed = set(patch.frames)
    found: Marks = {}
    for frame in frames:
        single = inspector.marks(after, frame) if frame in changed else _single(marks[frame])
        found[frame] = single + jolts.marks(frame)
    was = {frame: marks[frame] for frame in frames}
    join, usual = _joins(footage, after, patch)
    why = _worse(footage, after, was, found, target)
    proof = Proof(
        tuple(frames), tuple(crossing_count(was[frame]) for frame in frames),
        tuple(crossing_count(found[frame]) for frame in frames), _faults(was, found), patch.furthest(footage),
        join, usual, not why, why,
    )  # fmt: skip
    return Proven(after, {**marks, **found}, proof)


def _single(marks: list[Mark]) -> list[Mark]:
    """Those that one frame shows by itself."""
    return [mark for mark in marks if mark.kind not in (JUMPS, JITTERS)]


def _faults(before: Marks, after: Marks) -> dict[str, tuple[int, int]]:
    out: dict[str, list[int]] = {}
    for side, marks in enumerate((before, after)):
        for frame in marks.values():
            for mark in frame:
                out.setdefault(mark.kind, [0, 0])[side] += len(mark.vertices)
    return {kind: (one, other) for kind, (one, other) in sorted(out.items())}


def _worse(footage: Footage, changed: Footage, before: Marks, after: Marks, target: TakeSnag | None) -> str:
    """Why the remedy is no good, in words; "" where its counts fell and nothing new came up."""
    fault = _measure(before, target), _measure(after, target)
    what = "cloth that crosses" if target is None or target.kind in CROSSING else target.kind
    if fault[1] >= fault[0] and fault[0] > 0:
        return f"{what}: {fault[0]:,} before, {fault[1]:,} after"
    for frame in sorted(before):
        was, now = crossing_count(before[frame]), crossing_count(after[frame])
        if now > was:
            return f"frame {frame} has {now} crossings, {was} before"
    old, counts = find_snags(footage, before), _faults(before, after)
    # Hundreds of crossings a frame are worth a small jump, which is listed, and can be mended by itself.
    gone = target is not None and target.kind in CROSSING and fault[1] == 0
    trifle = PROOF_TRIFLE * target.weight if target is not None and gone else 0.0
    few = max(PROOF_FEW, PROOF_TRIFLE * fault[0] if gone else 0.0)
    for kind, (one, other) in counts.items():
        if other > one + max(few, PROOF_SHARE * one):
            return f"{kind}: {one} vertices before, {other} after"
    for snag in find_snags(changed, after):
        less = 2 * counts[snag.kind][1] <= counts[snag.kind][0]
        alike = [one for one in old if _explains(one, snag, less=less)]
        if not alike and snag.weight > trifle:
            where = f" at the {snag.where}" if snag.where else ""
            return f"new: {snag.kind}{where}, frames {snag.frames[0]} to {snag.frames[1]}"
        weights = [one.weight for one in alike if one.kind == snag.kind == OVERSTRETCH]
        if weights and max(weights) * (1 + PROOF_GROWTH) < snag.weight:
            return f"{snag.kind} grew, frames {snag.frames[0]} to {snag.frames[1]}"
    return ""


def _explains(old: TakeSnag, new: TakeSnag, *, less: bool) -> bool:
    """Whether a snag was there before, by itself or as a symptom of another of which there is less now."""
    if same_place(old, new):
        return True
    meets = old.frames[0] <= new.frames[1] and new.frames[0] <= old.frames[1]
    return new.kind in old.also and meets and (less or len(np.intersect1d(old.vertices, new.vertices)) > 0)


def _measure(marks: Marks, target: TakeSnag | None) -> int:
    """How much of a target is there: pairs that cross, or vertices that have its fault."""
    total = 0
    for frame in marks.values():
        for mark in frame:
            if target is None or target.kind in CROSSING:
                full = target is not None and target.kind == FULL_BODY
                if mark.kind in CROSSING and (mark.kind == FULL_BODY) == full:
                    total += mark.pairs + len(mark.vertices)
            elif mark.kind == target.kind:
                total += len(np.intersect1d(mark.vertices, target.vertices))
    return total


def _joins(footage: Footage, after: Footage, patch: Patch) -> tuple[float, float]:
    """By how much the sharpest change of velocity grew where the remedy begins and ends, and what 99 % of the
    take's own changes of velocity there stay below, both m/s.
    """
    low, high = patch.frames[0], patch.frames[-1]
    ends = [low - 1, low] if low > footage.begins else []
    ends += [high, high + 1] if high < footage.last else []
    some = patch.vertices

    def turn(of: Footage, frame: int) -> Scalars:
        return np.linalg.norm((of.at(frame + 1) - 2 * of.at(frame) + of.at(frame - 1))[some], axis=1)

    grown = [float((turn(after, frame) - turn(footage, frame)).max(initial=0.0)) for frame in ends]
    beside = [*range(low - PROOF_JOIN, low + 1), *range(high, high + PROOF_JOIN + 1)]
    own = [turn(footage, frame) for frame in beside if footage.first < frame < footage.last]
    usual = float(np.quantile(np.concatenate(own), 0.99)) if own else 0.0
    return max(grown, default=0.0) * footage.rate, usual * footage.rate
