"""Report on a garment's holds before anything is simulated, in figures and words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...model.holds import SAG, WELD, Elastic, Hold, Stick, Stitch, firmness
from ...model.typed import Indices, Points, Scalars
from ..holds.acting import HeldPoints, spans
from ..holds.dressing import Dressed
from ..holds.seams import Seam
from .pops import Pop, pops

MARKED = 4000  # links at most to look at


@dataclass(frozen=True)
class HoldReading:
    """vertices it was given, and holding, those of them that found what to hold on to; firmness N/m and sag m
    at its largest grip, 0 where it welds, None where it is no hold to a place; notes, what is worth knowing.
    """

    name: str
    vertices: int
    holding: int
    firmness: float | None
    sag: float | None
    notes: tuple[str, ...]
    pops: tuple[Pop, ...]


@dataclass(frozen=True, eq=False)
class HoldMarks:
    """vertices (k,) of a hold, the share (k,) of its grip that reaches each, and whether each holds on to
    anything; links (q, 2, 3) m from cloth to what it holds on to.
    """

    vertices: Indices
    grips: Scalars
    holding: Indices
    links: Points


def read_holds(
    dressed: Dressed, seams: Sequence[Seam], frame_rate: float, first: int
) -> tuple[HoldReading, ...]:
    """Each hold of a garment; seams: all of the run's; first: the run's first frame."""
    taken = dressed.taken(first)
    out = []
    for held, span in spans(dressed.holds):
        seam = _seam(seams, held)
        if dressed.prescription.is_all:
            holding = len(held.vertices)
        elif held.places is not None:
            holding = int((taken.triangle[span] >= 0).sum())
        else:
            ends = [] if seam is None else [seam.vertex]
            if seam is not None and isinstance(held.hold.how, Elastic):
                ends.append(seam.others[:, 0])
            holding = len(np.unique(np.concatenate(ends))) if ends else 0
        grip = float(held.hold.grip.values.max())
        soft = 0.0 < grip < WELD and not isinstance(held.hold.how, Elastic)
        out.append(
            HoldReading(
                held.hold.name, len(held.vertices), holding,
                float(firmness(np.array(grip), dressed.weight)) if soft else None,
                SAG * (1 - grip) / grip if soft else (0.0 if held.welds and grip >= WELD else None),
                tuple(_notes(dressed, held, holding, seam)), tuple(pops(held.hold, frame_rate)),
            )
        )  # fmt: skip
    return tuple(out)


def marks_of(dressed: Dressed, at: int, seams: Sequence[Seam], first: int, scene: Points) -> HoldMarks:
    """Where the hold of index `at` takes hold; scene (n, 3) m: all garments of the run at its start."""
    held, span = spans(dressed.holds)[at]
    if held.places is not None and not dressed.prescription.is_all:
        taken = dressed.taken(first).part(span)
        holding = taken.triangle >= 0
        here = dressed.start(first)[held.vertices]
        links = np.stack([here, held.places.at(taken.triangle, taken.place, float(first))], axis=1)[holding]
        return HoldMarks(held.vertices, held.grips, holding.astype(np.int32), links[:MARKED])
    seam = _seam(seams, held)
    if seam is None:
        nothing = np.zeros(len(held.vertices), np.int32)
        return HoldMarks(held.vertices, held.grips, nothing, np.zeros((0, 2, 3)))
    there = np.einsum("ik,ikj->ij", seam.weights, scene[np.maximum(seam.others, 0)])
    links = np.stack([scene[seam.vertex], there], axis=1)
    found = np.isin(held.vertices, seam.held.vertices).astype(np.int32)
    return HoldMarks(held.vertices, held.grips, found, links[:MARKED])


def _seam(seams: Sequence[Seam], held: HeldPoints) -> Seam | None:
    return next((seam for seam in seams if seam.held.hold is held.hold), None)


def _notes(dressed: Dressed, held: HeldPoints, holding: int, seam: Seam | None) -> list[str]:
    out, hold = [], held.hold
    for other in dressed.holds:
        if other is held:
            break
        both = np.intersect1d(_welded(held), _welded(other))
        if len(both):
            over = f"welded over {_count(len(both))} of '{other.hold.name}' too"
            out.append(f"{over}: '{hold.name}' comes later and wins")
    if isinstance(hold.how, Stick) and holding < len(held.vertices):
        out.append(f"{len(held.vertices) - holding} of {_count(len(held.vertices))} are out of reach")
    if isinstance(hold.how, Stitch):
        if seam is None:
            out.append(f"'{hold.how.garment}' is not simulated together with it, so this holds nothing")
        elif holding < len(held.vertices):
            out.append(f"{len(held.vertices) - holding} of {_count(len(held.vertices))} are out of reach")
    return out


def _welded(held: HeldPoints) -> Indices:
    full = float(held.hold.grip.values.max()) * held.grips >= WELD
    return held.vertices[full] if held.welds else np.zeros(0, np.int32)


def _count(vertices: int) -> str:
    return "1 vertex" if vertices == 1 else f"{vertices} vertices"


def named(holds: Sequence[Hold], name: str) -> int | None:
    """Index of the hold called `name`, None when there is none."""
    return next((index for index, hold in enumerate(holds) if hold.name == name), None)
