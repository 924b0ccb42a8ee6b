"""Sewing: how long blocks take from pieces to a garment that is worn, and how clean and even they come out.

./needle bench sewing [PART ...] writes docs/sewing-benchmarks.md.
"""

from __future__ import annotations

import json
import time
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np

from patient_needle.core.craft.drape.live import Fitting
from patient_needle.core.craft.drape.sewing import judged, sewing_of, sewing_plan
from patient_needle.core.craft.inspect.frame import seen
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.craft.sewing.blocks import Plain, drafted
from patient_needle.core.craft.sewing.cutting import sewn
from patient_needle.core.craft.sewing.laying import laid
from patient_needle.core.craft.sewing.measures import measured
from patient_needle.core.craft.sewing.source import FromPieces
from patient_needle.core.model.errors import StartError
from patient_needle.core.model.tolerances import FIRST_LOOK, SEW_MOST, SEW_REST, SEW_SHARE
from patient_needle.core.solver.diagnostics import edge_strains
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot
from patient_needle.session.cores import processor_seconds
from patient_needle.session.serving import run_of
from tests.sewing import DEMO, figure, sewing, sewing_on, sewn_shot
from tests.unit.craft.sewing.test_laying import BLOCKS, FIGURES, displaced

from . import document
from .starts import aside

OUT = Path(__file__).resolve().parent.parent / "docs" / "sewing-benchmarks.md"
DRAFT_STEPS, FINE_STEPS, HALF_SECOND = 36, 96, 24  # of a fitting
STARTS = 5  # of a shot: the bar is of their median
MADE = {"smock": {}, "trousers": {}, "gathered skirt": {"gather": 2.0}, "cape": {}}


def sewing_bench(quick: bool, named: list[str]) -> int:
    """Measure the named parts, or all, and write; returns an exit code."""
    parts = {part.__name__: partial(part, quick) for part in (lays, worn, finer, others, shot)}
    return document.measured("Benchmarks of sewing", OUT, parts, named, quick=quick)


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
    """Seconds since it was made, and how many core seconds others took meanwhile."""

    def __init__(self) -> None:
        self._start, self._before = time.perf_counter(), _others_seconds()

    def seconds(self) -> float:
        """Since it was made."""
        return time.perf_counter() - self._start

    def taken(self) -> float:
        """Core seconds of other processes and of other machines on the same host."""
        return _others_seconds() - self._before


def _others_seconds() -> float:
    every, own = processor_seconds()
    return every - own


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


def shot(quick: bool) -> str:
    """The demo's sewn smock through its shot."""
    starts = 1 if quick else STARTS
    rows = document.on_each_core(_through, starts)
    lines = [
        "## The sewn smock through its shot\n",
        f"The demo's smock alone, First look, {starts} starts, all but the first up to 10 um aside. "
        "Strain: what 99 in 100 edges away from pinched places stay below; asked: 8 % in the worst frame, in "
        "the median of the starts. Crossings: those away from pinched places, in all frames.\n",
        "| start | p99, worst frame | frame | p99, median frame | crossings | vertices pinched, most |",
        "|---|---|---|---|---|---|",
    ]
    worst = []
    for seed, frames in enumerate(rows):
        p99 = np.array([frame.p99 for frame in frames])
        bad = frames[int(p99.argmax())]
        worst.append(bad.p99)
        lines.append(
            f"| {seed} | {100 * bad.p99:.2f} % | {bad.frame} | {100 * np.median(p99):.2f} % | "
            f"{sum(frame.crossings for frame in frames)} | {max(frame.pinched for frame in frames)} |"
        )
    lines.append(f"\nMedian of the worst frames: {100 * np.median(worst):.2f} %.")
    return "\n".join(lines) + "\n"


@dataclass(frozen=True)
class Gone:
    """A frame of the shot: p99 strain and crossings away from what is pinched, and how many vertices are."""

    frame: int
    p99: float
    crossings: int
    pinched: int


def _through(seed: int) -> list[Gone]:
    """The smock's frames; of other seeds than 0 it starts up to 10 um aside."""
    plan = assemble(parse_shot(json.loads((DEMO / "sewn.json").read_text()), "the demo"), DEMO)
    plan = replace(plan, garments=plan.garments[1:], patience=FIRST_LOOK)
    run = OutfitRun(plan, run_of(plan))
    (cloth,), frames = run.outfit.cloths, []
    for end in run.frames(aside(run, seed), plan.first_simulated, plan.frames[1]):
        if end.delivered:
            points, (found, pinched, _) = end.state.positions, seen(run, end)
            caught = pinched.any(axis=1)
            free = ~caught[run.outfit.triangles].any(axis=1)
            strain, held = edge_strains(cloth, points)
            away = ~held & ~caught[cloth.topology.edges].any(axis=1)
            frames.append(
                Gone(
                    end.frame,
                    float(np.percentile(strain[away], 99)),
                    int(free[found.colliders[:, 0]].sum() + free[found.itself].all(axis=1).sum()),
                    int(caught.sum()),
                )
            )
            print(f"start {seed}: {frames[-1]}", flush=True)
    return frames


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
