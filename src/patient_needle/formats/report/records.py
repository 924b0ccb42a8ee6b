"""Frames as records of the report, and totals over them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from statistics import median
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from ...core.craft.inspect.frame import FrameResult
    from ...core.craft.inspect.snags import Snag

Record = dict[str, Any]


def frame_record(result: FrameResult) -> Record:
    """One frame of the report."""
    tally, stretch = result.tally, result.stretch
    return {
        "frame": result.frame,
        "delivered": result.delivered,
        "milliseconds": {stage: round(ms, 2) for stage, ms in tally.milliseconds.items()},
        "substeps": tally.substeps,
        "newton_passes": tally.newton_passes,
        "cg_iterations": tally.cg_iterations,
        "accept_rounds": tally.accept_rounds,
        "line_searches_failed": tally.line_searches_failed,
        "stretch": {
            "p99": round(stretch.p99, 5),
            "worst": round(stretch.worst, 5),
            "worst_edge": list(stretch.worst_edge),
            "held_worst": round(stretch.held, 5),
        },
        "intersections": {
            "in_the_body": result.crossing_colliders,
            "through_itself": result.crossing_itself,
            "through_another": result.crossing_garments,
        },
        "filter": {
            "moved_mm": round(tally.filter_moved * 1e3, 4),
            "cuts": tally.cuts,
            "let_go": tally.let_go,
        },
        "triangles_beyond_strain_limit": result.beyond_limit,
        "energy_j": {kind: round(joules, 6) for kind, joules in asdict(result.energies).items()},
        "rests_within_mm": None if result.unrest is None else round(result.unrest * 1e3, 2),
        "fastest_vertex_m_s": round(result.fastest_vertex, 4),
        "fastest_collider_m_s": round(result.fastest_collider, 4),
        "shows_through": [
            {
                "of": showing.of,
                "left_out": showing.left_out,
                "crossings": showing.crossings,
                "area_cm2": round(showing.area * 1e4, 2),
            }
            for showing in result.showing
        ],
        "snags": [_snag_record(snag) for snag in result.snags],
    }


def _snag_record(snag: Snag) -> Record:
    strain = {"strain": round(snag.strain, 4)} if snag.strain else {}
    return {
        "kind": snag.kind,
        "count": snag.count,
        "place_m": [round(v, 4) for v in snag.place],
        "with": snag.with_what,
        "depth_mm": round(snag.depth * 1e3, 3),
        "area_cm2": round(snag.area * 1e4, 2),
        **strain,
    }


def shows(record: Record, *, left_out: bool) -> float | None:
    """cm2 of cloth that full bodies show through in a frame; None when nothing shows or nothing was counted."""
    found = [one for one in record.get("shows_through", []) if one["left_out"] == left_out]
    if not any(one["crossings"] or one["area_cm2"] for one in found):
        return None
    return float(sum(one["area_cm2"] for one in found))


def totals(records: Sequence[Record]) -> Record:
    """Totals over the frames of one garment; without any, only the counts."""
    delivered = [r for r in records if r["delivered"]]
    if not records:
        return {"simulated_frames": 0, "delivered_frames": 0}
    spent = [sum(r["milliseconds"].values()) for r in records]
    return {
        "simulated_frames": len(records),
        "delivered_frames": len(delivered),
        "seconds": round(sum(spent) / 1e3, 2),
        "median_ms_per_frame": round(float(median(spent)), 1),
        "worst_p99_stretch": max((r["stretch"]["p99"] for r in delivered), default=0.0),
        "worst_edge_stretch": max((r["stretch"]["worst"] for r in delivered), default=0.0),
        "frames_overstretched": sum(any(s["kind"] == "overstretch" for s in r["snags"]) for r in delivered),
        "frames_body_shows": sum(shows(r, left_out=False) is not None for r in delivered),
        "frames_left_out_shows": sum(shows(r, left_out=True) is not None for r in delivered),
        "frames_in_the_body": sum(r["intersections"]["in_the_body"] > 0 for r in delivered),
        "frames_through_itself": sum(r["intersections"]["through_itself"] > 0 for r in delivered),
        "frames_through_another": sum(r["intersections"]["through_another"] > 0 for r in delivered),
        "filter_moved_mm": max(r["filter"]["moved_mm"] for r in records),
        "line_searches_failed": sum(r.get("line_searches_failed", 0) for r in records),
    }
