"""Loops of a garment that a figure needs room in: round the crotch, and round the neck."""

from __future__ import annotations

from dataclasses import dataclass

from .measures import Measures
from .pattern import Pattern, RunKey, Seam

SHORT = 0.002  # m that nobody feels
TOP = 0.25  # of a piece's height: seams between front and back that lie higher are its shoulders


@dataclass(frozen=True)
class Tight:
    """A loop of the garment that is shorter than the figure's: its name, its length and the figure's, m."""

    name: str
    length: float
    needed: float

    @property
    def short(self) -> float:
        """By how much, m."""
        return self.needed - self.length


def tight_loops(pattern: Pattern, measures: Measures) -> tuple[Tight, ...]:
    """Loops that are shorter than the figure needs by more than SHORT.

    The crotch is what is sewn from leg to leg. The neck is where cloth of the neck is sewn to the torso's or,
    without any, the free edges of the torso's pieces between two shoulders. What it lacks is not asked.
    """
    found = []
    for name, length, needed in (
        ("crotch", _crotch(pattern), measures.of("crotch loop")),
        ("neck", _neck(pattern), measures.of("neck")),
    ):
        if length is not None and needed - length > SHORT:
            found.append(Tight(name, length, needed))
    return tuple(found)


def _crotch(pattern: Pattern) -> float | None:
    """Length of the loop that is sewn from the left leg to the right, m; None without one."""
    sewn = [
        pattern.side_length(seam.one)
        for seam in pattern.seams
        if {_part(pattern, seam.one), _part(pattern, seam.other)} == {"left leg", "right leg"}
    ]
    return sum(sewn) if len(sewn) > 1 else None


def _neck(pattern: Pattern) -> float | None:
    """Length of the neckline, m; None for a garment that does not go round the neck."""
    collar = [
        pattern.side_length(side)
        for seam in pattern.seams
        for side, far in ((seam.one, seam.other), (seam.other, seam.one))
        if _part(pattern, side) == "torso" and _part(pattern, far) == "neck"
    ]
    if collar:
        return sum(collar)
    free = _neckline(pattern)
    return sum(pattern.by_name[piece].length(run) for piece, run in sorted(free)) if free else None


def _neckline(pattern: Pattern) -> set[RunKey]:
    """Free runs of the torso's pieces from shoulder to shoulder: the shorter of both ways round a piece."""
    sewn = {run for seam in pattern.seams for run in seam.runs}
    shoulders = {run for seam in pattern.seams if _is_shoulder(pattern, seam) for run in seam.runs}
    out: set[RunKey] = set()
    for piece in pattern.pieces:
        names = [run.name for run in piece.runs]
        own = [k for k, name in enumerate(names) if (piece.name, name) in shoulders]
        if len(own) != 2:
            continue
        ways = [names[own[0] + 1 : own[1]], names[own[1] + 1 :] + names[: own[0]]]
        free = [way for way in ways if way and not any((piece.name, name) in sewn for name in way)]
        if free:
            shorter = min(free, key=lambda way: sum(map(piece.length, way)))
            out |= {(piece.name, name) for name in shorter}
    return out


def _is_shoulder(pattern: Pattern, seam: Seam) -> bool:
    """Whether a seam joins the front of the torso to its back near the top of both pieces."""
    layers = set()
    for side in (seam.one, seam.other):
        for piece, run in side:
            hang = pattern.by_name[piece].hang
            layers.add(hang.layer)
            _, low, _, high = pattern.by_name[piece].outline.bounds
            if hang.part != "torso" or _height(pattern, piece, run) < high - TOP * (high - low):
                return False
    return layers == {"front", "back"}


def _height(pattern: Pattern, piece: str, run: str) -> float:
    return float(pattern.by_name[piece].edges[run][:, 1].mean())


def _part(pattern: Pattern, side: tuple[RunKey, ...]) -> str:
    """The part of the figure that a side of a seam hangs on; "" for several."""
    parts = {pattern.by_name[piece].hang.part for piece, _ in side}
    return parts.pop() if len(parts) == 1 else ""
