"""Sewing: how long blocks take from pieces to a garment that is worn, and how clean and even they come out.

./needle bench sewing writes docs/sewing-benchmarks.md.
"""

from __future__ import annotations

import time
from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np

from patient_needle.bootstrap import environment
from patient_needle.core.craft.drape.live import Fitting
from patient_needle.core.craft.drape.sewing import judged, sewing_of, sewing_plan
from patient_needle.core.craft.sewing.blocks import Plain, drafted
from patient_needle.core.craft.sewing.cutting import sewn
from patient_needle.core.craft.sewing.laying import laid
from patient_needle.core.craft.sewing.measures import measured
from patient_needle.core.craft.sewing.source import FromPieces
from patient_needle.core.model.errors import StartError
from patient_needle.core.model.tolerances import SEW_MOST, SEW_REST
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot
from tests.sewing import DEMO, figure, sewing, sewing_on, sewn_shot
from tests.unit.craft.sewing.test_laying import BLOCKS, FIGURES, displaced

OUT = Path(__file__).resolve().parent.parent / "docs" / "sewing-benchmarks.md"
DRAFT_STEPS, FINE_STEPS, HALF_SECOND = 66, 66, 24  # of a fitting
MADE = {"smock": {}, "trousers": {}, "gathered skirt": {"gather": 2.0}, "cape": {}}


def sewing_bench(quick: bool) -> int:
    """Measure and write; returns an exit code."""
    parts = [
        "# Benchmarks of sewing\n",
        "Written by `./needle bench sewing`.\n",
        f"{date.today()}; {environment.processor()}; {environment.use_threads(None)} threads.\n",
    ]
    for part in (lays, worn, finer, others):
        parts.append(part(quick))
        OUT.write_text("\n".join(parts))
        print(parts[-1], flush=True)
    return 0


def lays(quick: bool) -> str:
    """Whether every block can be laid clear on every figure, and from pieces that hang askew."""
    starts = 4 if quick else 20
    lines = [
        "## Lays\n",
        "At 20 mm, counted exactly against itself and the thin figure. Askew: each piece up "
        "to 40 mm beside and "
        f"up to 10 degrees turned, {starts} starts on the demo's figure; the others were "
        f"refused before anything "
        "was simulated.\n",
        f"| block | {' | '.join(FIGURES)} | askew, clear of {starts} |",
        f"|---|{'---|' * len(FIGURES)}---|",
    ]
    for block, plain in BLOCKS.items():
        row = []
        for name in FIGURES:
            body = figure(*FIGURES[name])
            pattern = drafted(block.split()[-1], body, measured(body), plain)
            try:
                start = time.perf_counter()
                laid(pattern, sewn(pattern, 0.02), body)
                row.append(f"clear, {time.perf_counter() - start:.1f} s")
            except StartError:
                row.append("**refused**")
        body = figure()
        pattern = drafted(block.split()[-1], body, measured(body), plain)
        mesh, clear = sewn(pattern, 0.02), 0
        for seed in range(starts):
            try:
                laid(displaced(pattern, seed), mesh, body)
                clear += 1
            except StartError:
                continue
        lines.append(f"| {block} | {' | '.join(row)} | {clear} |")
    return "\n".join(lines) + "\n"


def worn(quick: bool) -> str:
    """From pieces to a garment that hangs."""
    lines = [
        "## Sewn\n",
        "On the demo's figure in close twill, First look. Ready: cut and laid. On: the "
        "figure grown and its limbs "
        f"back. In all: within {SEW_REST * 1e3:g} mm of rest, or after {SEW_MOST} steps of "
        f"falling (2 s of cloth "
        "time). Crossings: with the figure, with itself. Strain: what 99 in 100 edges away from gathers stay "
        "below, and the mean of the worst seam. Speed: the mean at the end.\n",
        "| block | mm | vertices | ready s | on s | in all s | crossings | p99 | worst seam | mm/s |",
        "|---|---|---|---|---|---|---|---|---|---|",
    ]
    for mm in (16.0,) if quick else (16.0, 10.0):
        for block, change in MADE.items():
            kind = block.split()[-1]
            start = time.perf_counter()
            recipe = {"block": {"kind": kind} | change, "spacing": {"draft_mm": mm, "fine_mm": 10}}
            fitting = sewing(sewn_shot({"name": kind, "recipe": recipe}), kind)
            ready = time.perf_counter() - start
            on, whole = _sewn(fitting)
            speed = float(np.linalg.norm(fitting.state.velocities, axis=1).mean())
            lines.append(
                f"| {block} | {mm:g} | {fitting.cloth.outfit.count:,} | {ready:.1f} | {on:.1f} | "
                f"{ready + whole:.1f} | {' | '.join(_came_out(fitting))} | {1e3 * speed:.1f} |"
            )
            print(lines[-1], flush=True)
    return "\n".join(lines) + "\n"


def finer(quick: bool) -> str:
    """A draft that hangs, at a finer spacing: how long until it hangs there."""
    lines = [
        "## Re-spaced\n",
        f"The draft at 16 mm falls for {DRAFT_STEPS} steps; at 10 mm sewing goes on from there, "
        f"for {FINE_STEPS} steps. Ways: how far vertices went in the last half second of cloth time, which "
        "tells how far from rest it is.\n",
        "| block | draft hangs s | 10 mm ready s | in all s | crossings | p99 | ways, mean mm | of 99 in 100 "
        "| greatest |",
        "|---|---|---|---|---|---|---|---|---|",
    ]
    for block, change in [*MADE.items()][: 1 if quick else None]:
        kind, start = block.split()[-1], time.perf_counter()
        recipe = {"block": {"kind": kind} | change, "spacing": {"draft_mm": 16, "fine_mm": 10}}
        draft = sewing(sewn_shot({"name": kind, "recipe": recipe}), kind)
        while draft.growth is not None:
            draft.step()
        for _ in range(DRAFT_STEPS):
            draft.step()
        hangs = time.perf_counter() - start
        recipe["spacing"] = {"draft_mm": 10, "fine_mm": 10}
        plan = assemble(parse_shot(sewn_shot({"name": kind, "recipe": recipe}), "the bench"), DEMO)
        (own,), former = plan.garments, draft.sources[0]
        assert isinstance(own.source, FromPieces)
        assert isinstance(former, FromPieces)
        begins = own.source.pose_from(former, draft.state.positions)
        fine = sewing_of(sewing_plan(replace(plan, garments=(replace(own, begins=begins),)), kind), kind)
        ready = time.perf_counter() - start - hangs
        before = fine.state.positions
        for step in range(FINE_STEPS):
            if step == FINE_STEPS - HALF_SECOND:
                before = fine.state.positions
            fine.step()
        whole = time.perf_counter() - start
        way = 1e3 * np.linalg.norm(fine.state.positions - before, axis=1)
        again = "" if fine.step_number == FINE_STEPS else " (laid anew)"
        lines.append(
            f"| {block}{again} | {hangs:.1f} | {ready:.1f} | {whole:.1f} | {_came_out(fine)[0]} | "
            f"{way.mean():.2f} | {np.percentile(way, 99):.2f} | {way.max():.2f} |"
        )
        print(lines[-1], flush=True)
    return "\n".join(lines) + "\n"


def others(quick: bool) -> str:
    """The same blocks on other figures, without a hand."""
    lines = [
        "## On other figures\n",
        f"At 16 mm, alone, the figure at rest; crossings and p99 {HALF_SECOND} steps after it is grown.\n",
        "| figure | block | vertices | on s | crossings | p99 | worst seam |",
        "|---|---|---|---|---|---|---|",
    ]
    for name in [one for one in FIGURES if one != "plain"][: 1 if quick else None]:
        body = figure(*FIGURES[name])
        tall = float(np.ptp(body.points[:, 1]))
        for block, change in MADE.items():
            kind, start = block.split()[-1], time.perf_counter()
            fitting = sewing_on(body, kind, Plain(**change), 0.016)
            while fitting.growth is not None:
                fitting.step()
            on = time.perf_counter() - start
            for _ in range(HALF_SECOND):
                fitting.step()
            lines.append(
                f"| {name}, {tall:.2f} m | {block} | {fitting.cloth.outfit.count:,} | {on:.1f} | "
                f"{' | '.join(_came_out(fitting))} |"
            )
            print(lines[-1], flush=True)
    return "\n".join(lines) + "\n"


def _came_out(fitting: Fitting) -> tuple[str, str]:
    """Crossings with the figure and with itself and p99, as two cells; and the worst seam."""
    source = fitting.sources[0]
    assert isinstance(source, FromPieces)
    found, fit = fitting.crossings(), judged(fitting, source, fitting.cloth.names[0])
    clean = f"{len(found.colliders)}, {len(found.itself)} | {100 * fit.p99:.1f} %"
    return clean, f"{100 * fit.seams[0].strain:.1f} %"


def _sewn(fitting: Fitting) -> tuple[float, float]:
    """Seconds until the figure is grown, and until the garment hangs."""
    start = time.perf_counter()
    while fitting.growth is not None:
        fitting.step()
    on = time.perf_counter() - start
    fitting.rest(SEW_REST, SEW_MOST)
    while fitting.resting is not None:
        fitting.step()
    return on, time.perf_counter() - start
