"""Snags, proofs and marked frames as records: for reports, for the database, for the page."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    from ...core.craft.mend.faults import Mark
    from ...core.craft.mend.proof import Proof
    from ...core.craft.mend.snags import TakeSnag
    from ...core.solver.diagnostics import Stretch

Record = dict[str, Any]
Marks = dict[int, "list[Mark]"]
NEAR = 0.08  # m, and frames that meet: a snag that was accepted is known again


def snag_key(snag: TakeSnag) -> str:
    """A name for a snag that stays while nothing of it changes."""
    first = int(snag.vertices[0]) if len(snag.vertices) else 0
    return f"{snag.kind}|{snag.garment}|{snag.other}|{snag.frames[0]}|{snag.frames[1]}|{first}"


def snag_record(snag: TakeSnag, why: str = "") -> Record:
    """One snag of a take; why: what kept it from being mended, as far as that was tried."""
    return {
        "key": snag_key(snag),
        "kind": snag.kind,
        "garment": snag.garment,
        "with": snag.other,
        "where": snag.where,
        "first": snag.frames[0],
        "last": snag.frames[1],
        "worst": snag.worst,
        "depth_mm": round(snag.depth * 1e3, 3),
        "area_cm2": round(snag.area * 1e4, 2),
        "weight": float(f"{snag.weight * 1e9:.6g}"),
        "place_m": [round(value, 4) for value in snag.place],
        "pairs": snag.pairs,
        "strain": round(snag.strain, 4),
        "vertices": len(snag.vertices),
        "also": list(snag.also),
        "why": why,
    }


def accepted_by(record: Record, accepted: list[Record]) -> str | None:
    """The word with which a snag was accepted, None where it was not."""
    for one in accepted:
        old = one["snag"]
        same = all(old[name] == record[name] for name in ("kind", "garment", "with"))
        meets = old["first"] <= record["last"] + 3 and record["first"] <= old["last"] + 3
        away = np.linalg.norm(np.subtract(old["place_m"], record["place_m"]))
        if old["key"] == record["key"] or (same and meets and away <= NEAR):
            return str(one["word"])
    return None


def proof_record(proof: Proof) -> Record:
    """What a remedy did."""
    return {
        "frames": list(proof.frames),
        "before": list(proof.before),
        "after": list(proof.after),
        "faults": {kind: list(counts) for kind, counts in proof.faults.items()},
        "furthest_mm": round(proof.furthest * 1e3, 3),
        "join_m_s": round(proof.join, 4),
        "usual_m_s": round(proof.usual, 4),
        "accepted": proof.accepted,
        "why": proof.why,
    }


def counts_record(marks: Marks) -> list[list[int]]:
    """By frame in order, its number and how many triangle pairs cross."""
    return [
        [frame, sum(mark.pairs for mark in marks[frame] if mark.kind != "shows through")]
        for frame in sorted(marks)
    ]


def plain_record(frame: int) -> Record:
    """The record of a frame that was not simulated here."""
    return {
        "frame": frame, "delivered": True, "milliseconds": {}, "substeps": 0, "newton_passes": 0,
        "cg_iterations": 0, "accept_rounds": 0, "line_searches_failed": 0,
        "stretch": {"p99": 0.0, "worst": 0.0, "worst_edge": [0, 0], "held_worst": 0.0},
        "intersections": {"in_the_body": 0, "through_itself": 0, "through_another": 0},
        "filter": {"moved_mm": 0.0, "cuts": 0, "let_go": 0}, "triangles_beyond_strain_limit": 0, "energy_j": {},
        "rests_within_mm": None, "fastest_vertex_m_s": 0.0, "fastest_collider_m_s": 0.0, "shows_through": [],
        "snags": [],
    }  # fmt: skip


def marked_record(record: Record, marks: list[Mark], stretch: Stretch, points: NDArray[Any]) -> Record:
    """A frame's record with what its marks say of one garment; points (n, 3) m of the whole outfit."""

    def pairs(*kinds: str) -> int:
        return sum(mark.pairs for mark in marks if mark.kind in kinds)

    snags = []
    for mark in marks:
        snags.append(
            {
                "kind": mark.kind, "count": mark.pairs or len(mark.vertices),
                "place_m": [round(float(value), 4) for value in points[mark.vertices].mean(axis=0)],
                "with": mark.part or mark.other, "depth_mm": round(float(mark.depth.max(initial=0.0)) * 1e3, 3),
                "area_cm2": 0.0, **({"strain": round(mark.strain, 4)} if mark.strain else {}),
            }
        )  # fmt: skip
    shown = [
        {"of": m.other, "left_out": False, "crossings": m.pairs, "area_cm2": 0.0}
        for m in marks if m.kind == "shows through"
    ]  # fmt: skip
    left_out = [one for one in record.get("shows_through", []) if one["left_out"]]
    return {
        **record,
        "stretch": {
            "p99": round(stretch.p99, 5), "worst": round(stretch.worst, 5),
            "worst_edge": list(stretch.worst_edge), "held_worst": round(stretch.held, 5),
        },
        "intersections": {
            "in_the_body": pairs("in the body", "pinched"), "through_itself": pairs("through itself"),
            "through_another": pairs("through another garment"),
        },
        "snags": snags, "shows_through": [*shown, *left_out],
    }  # fmt: skip
