"""Sewing: how long blocks take from pieces to a garment that is worn, and how clean and even they come out.

./needle bench sewing writes docs/sewing-benchmarks.md.
"""

from __future__ import annotations

import os
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
from patient_needle.core.model.tolerances import SEW_MOST, SEW_REST, SEW_SHARE
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot
from tests.sewing import DEMO, figure, sewing, sewing_on, sewn_shot
from tests.unit.craft.sewing.test_laying import BLOCKS, FIGURES, displaced

OUT = Path(__file__).resolve().parent.parent / "docs" / "sewing-benchmarks.md"
DRAFT_STEPS, FINE_STEPS, HALF_SECOND = 36, 96, 24  # of a fitting
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
        f"back. In all: 99 in 100 vertices within {SEW_REST * 1e3:g} mm of rest, or after {SEW_MOST} steps of "
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
        f"The draft at 16 mm falls for {DRAFT_STEPS} steps; at 10 mm sewing goes on from there, for "
        f"{FINE_STEPS} steps (2 s of cloth time). Where cloth is then is its rest; *way* is how far it went in "
        f"the last half second, which tells how far that is true. At rest: within {SEW_REST * 1e3:g} mm of it "
        "for good. All seconds since the first piece was cut; those that the host took for others are told "
        "apart.\n",
        "| block | vertices | draft s | 10 mm ready s | at rest: mean s | 99 in 100 s | 95 in 100 s | "
        "all done s | of that taken by others | crossings | p99 | way, mean mm | of 99 in 100 |",
        "|---|---|---|---|---|---|---|---|---|---|---|---|---|",
    ]
    for block, change in [*MADE.items()][: 1 if quick else None]:
        kind, clock = block.split()[-1], Clock()
        recipe = {"block": {"kind": kind} | change, "spacing": {"draft_mm": 16, "fine_mm": 10}}
        draft = sewing(sewn_shot({"name": kind, "recipe": recipe}), kind)
        while draft.growth is not None:
            draft.step()
        draft.rest(SEW_REST, DRAFT_STEPS, SEW_SHARE)
        while draft.resting is not None:
            draft.step()
        hangs = clock.seconds()
        recipe["spacing"] = {"draft_mm": 10, "fine_mm": 10}
        plan = assemble(parse_shot(sewn_shot({"name": kind, "recipe": recipe}), "the bench"), DEMO)
        (own,), former = plan.garments, draft.sources[0]
        assert isinstance(own.source, FromPieces)
        assert isinstance(former, FromPieces)
        begins = own.source.pose_from(former, draft.state.positions)
        fine = sewing_of(sewing_plan(replace(plan, garments=(replace(own, begins=begins),)), kind), kind)
        ready, places, times = clock.seconds(), [], []
        while fine.growth is not None:
            fine.step()
        anew = " (laid anew)" if fine.step_number else ""
        fine.rest(0.0, FINE_STEPS)
        while fine.resting is not None:
            fine.step()
            places.append(fine.state.positions)
            times.append(clock.seconds())
        left = 1e3 * np.linalg.norm(np.array(places) - places[-1], axis=2)
        rests = [_for_good(of, times) for of in (left.mean(axis=1), *np.percentile(left, (99, 95), axis=1))]
        way = left[-1 - HALF_SECOND]
        lines.append(
            f"| {block}{anew} | {fine.cloth.outfit.count:,} | {hangs:.0f} | {ready - hangs:.0f} | "
            f"{' | '.join(f'{one:.0f}' for one in rests)} | {times[-1]:.0f} | {clock.taken():.0f} s | "
            f"{_came_out(fine)[0]} | {way.mean():.2f} | {np.percentile(way, 99):.2f} |"
        )
        print(lines[-1], flush=True)
    return "\n".join(lines) + "\n"


def _for_good(left: np.ndarray, times: list[float]) -> float:
    """When what is left (f,) mm has come within `SEW_REST` for good."""
    far = np.flatnonzero(left > SEW_REST * 1e3)
    return times[min(int(far[-1]) + 1, len(times) - 1)] if len(far) else times[0]


class Clock:
    """Seconds since it was made, and how many of them the machine's host took for others, a core at a time."""

    def __init__(self) -> None:
        self._start, self._before = time.perf_counter(), _stolen()

    def seconds(self) -> float:
        """Since it was made."""
        return time.perf_counter() - self._start

    def taken(self) -> float:
        """Core seconds that others had while something here wanted to run."""
        return _stolen() - self._before


def _stolen() -> float:
    words = Path("/proc/stat").read_text().split("\n", 1)[0].split()
    return int(words[8]) / os.sysconf("SC_CLK_TCK")


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
    fitting.rest(SEW_REST, SEW_MOST, SEW_SHARE)
    while fitting.resting is not None:
        fitting.step()
    return on, time.perf_counter() - start
