"""Mending: twenty takes with known faults, five clean ones, how fast snags are found and one place is mended.

./needle bench mending [PART ...] writes docs/mend-benchmarks.md.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from statistics import median
from unittest.mock import patch

import numpy as np
from scipy.signal import butter, sosfiltfilt

from benchmarks.calm import QUICK, Watched, from_waist
from patient_needle.core.craft.holds.acting import together
from patient_needle.core.craft.inspect.snags import PINCHED
from patient_needle.core.craft.mend.faults import FULL_BODY
from patient_needle.core.craft.mend.footage import Footage, Span
from patient_needle.core.craft.mend.mending import mend_all
from patient_needle.core.craft.mend.remedies import CALM, RUN_AGAIN, Settings, apply, around, whole
from patient_needle.core.craft.mend.snags import find_marks, find_snags
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.craft.run.release import Crossings
from patient_needle.core.solver.state import at_rest
from patient_needle.core.solver.step import Engine
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot
from patient_needle.session.serving import run_of
from tests.faulty import CLEAN, filmed, made, tells

from . import document
from .starts import aside

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo" / "lamplighter"
OUT = ROOT / "docs" / "mend-benchmarks.md"
GAP = 0.0045  # m, that cloth keeps from the made bodies


def mending(quick: bool, named: list[str]) -> int:
    """Measure the named parts, or all, and write; returns an exit code."""
    parts = {
        "faulty": lambda: faulty(quick),
        "clean": clean,
        "without_contact": lambda: without_contact(quick),
        "calms": lambda: calms(quick),
        "speeds": lambda: speeds(quick),
    }
    return document.measured("Benchmarks of mending", OUT, parts, named, quick=quick)


def faulty(quick: bool) -> str:
    """Takes with a known fault each: found, mended, how far cloth went, how the joins are."""
    lines = [
        "## Takes with a known fault\n",
        "Small scenes simulated here, one place of each spoiled by a seed. Found: an entry of the kind, its "
        "first and last frame within one of the fault's. False: entries that tell no fault. Moved: by all "
        "remedies together, against what the fault moved; asked for is 1.5 times that and the gap of 4.5 mm. "
        "Joins: by how much the sharpest change of velocity grew, against the take's own p99 there.\n",
        "| seed | fault | found | false | crossings | left | moved, fault mm | joins, own m/s | s |",
        "|---|---|---|---|---|---|---|---|---|",
    ]
    zero = found_all = 0
    seeds = range(4 if quick else 20)
    for seed in seeds:
        name, planted = made(seed)
        footage = planted.footage
        marks = find_marks(footage, footage.judged)
        snags = find_snags(footage, marks)
        told = [snag for snag in snags if tells(snag, planted)]
        start = time.perf_counter()
        done = mend_all(footage, marks)
        spent = time.perf_counter() - start
        before, after = (sum(m.pairs for ms in each.values() for m in ms) for each in (marks, done.marks))
        moved = float(np.linalg.norm(done.footage.points - footage.points, axis=2).max())
        join, usual = _worst_join(done.steps)
        zero += after == 0
        found_all += bool(told)
        lines.append(
            f"| {seed} | {name} | {'yes' if told else '**no**'} | {len(snags) - len(told)} | {before} to "
            f"{after} | {len(done.left)} | {moved * 1e3:.0f}, {planted.moved * 1e3:.0f}"
            f"{'' if moved <= 1.5 * planted.moved + GAP else ' **more**'} "
            f"| {join:.2f}, {usual:.2f}{'' if join <= usual else ' **more**'} | {spent:.1f} |"
        )
        print(lines[-1], flush=True)
    lines.append(f"\nFound: {found_all} of {len(seeds)}. Without a crossing after: {zero} of {len(seeds)}.\n")
    return "\n".join(lines)


def _worst_join(steps) -> tuple[float, float]:  # type: ignore[no-untyped-def]
    worst = max(steps, key=lambda step: step.proof.join - step.proof.usual, default=None)
    return (0.0, 0.0) if worst is None else (worst.proof.join, worst.proof.usual)


def clean() -> str:
    """Clean takes, violent motion among them: how many entries they give."""
    counts = []
    for scene in CLEAN:
        footage = filmed(scene)
        counts.append((scene, len(find_snags(footage, find_marks(footage, footage.judged)))))
    told = ", ".join(f"{scene}: {count}" for scene, count in counts)
    return f"## Clean takes\n\nEntries listed for {told}.\n"


def without_contact(quick: bool) -> str:
    """The demo's skirt simulated as if cloth met nothing, then mended by *Mend all*."""
    footage = _unkept(30 if quick else 120)
    marks = find_marks(footage, footage.judged)
    start = time.perf_counter()
    done = mend_all(footage, marks)
    spent = time.perf_counter() - start
    before, after = ([sum(m.pairs for m in ms) for ms in each.values()] for each in (marks, done.marks))
    crossed = [frame for frame, count in zip(done.marks, after, strict=True) if count]
    left = "; ".join(
        f"{one.snag.kind}, frames {one.snag.frames[0]} to {one.snag.frames[1]} ({one.why})" for one in done.left
    )
    steps = ", ".join(f"{step.way.verb} ({step.snag.kind})" for step in done.steps)
    return (
        "## The demo's skirt, simulated without contact\n\n"
        f"{len(before)} frames, {footage.worn.count:,} vertices, {median(before):,.0f} crossings in a median "
        f"frame. After *Mend all*, {spent:.0f} s: {len(after) - len(crossed)} of {len(after)} frames without a "
        f"crossing (asked: 90 %){', the others ' + ', '.join(map(str, crossed)) if crossed else ''}. "
        f"Remedies: {steps or 'none'}. Left: {left or 'nothing'}.\n"
    )


def _unkept(frames: int) -> Footage:
    """The skirt, with its run-in, as it moves where it meets neither body nor cloth."""
    plan = assemble(parse_shot(json.loads((DEMO / "shot.json").read_text()), "the demo"), DEMO)
    plan = replace(plan, frames=(plan.frames[0], plan.frames[0] + frames - 1))
    bare = replace(plan, cast=tuple(replace(member, collider=None) for member in plan.cast))
    run = OutfitRun(bare, run_of(bare))
    engine = Engine(
        run.outfit, run.colliders.rest_points(), run.colliders.triangles, bare.patience, run.forces,
        run.constants.engine.gap,
    )  # fmt: skip
    run.constants = replace(run.constants, engine=engine)
    taken = together([one.taken(bare.first_simulated) for one in run.dressed])
    state = at_rest(run.outfit.placed, 0, taken)
    none = np.zeros((0, 2), np.int32)
    with patch(
        "patient_needle.core.craft.run.outfit_run.find_crossings", lambda *_: Crossings(none, none, none)
    ):
        ends = [end.state.positions for end in run.frames(state, bare.first_simulated, bare.frames[1])]
    points = np.stack(ends).astype(np.float32)
    return Footage(OutfitRun(plan, run_of(plan)), points, bare.first_simulated + 1, plan.frames[0])


def calms(quick: bool) -> str:
    """What calm leaves of quick motion and of the swing, run again with contact; medians of starts."""
    starts = 1 if quick else 5
    each = document.on_each_core(partial(_calmed, frames=48 if quick else 120), starts)
    found = {amount: [rows[amount] for rows in each] for amount in each[0]}
    lines = [
        "## Calm\n",
        f"The demo's skirt at its own spacing, First look, {starts} starts 10 um apart; medians. Energy of "
        "motion above 4 Hz as seen from the waist, in decibels against the take; asked: -6 at 0.5, -12 at 1. "
        "Swing of the hem below 4 Hz against the take's; asked: within a tenth.\n",
        "| calm | energy above 4 Hz, dB | swing | crossings in all frames, but where parts pinch |",
        "|---|---|---|---|",
    ]
    for amount, rows in found.items():
        decibels, swung, crossed = (median(column) for column in zip(*rows, strict=True))
        lines.append(f"| {amount:g} | {decibels:.1f} | {swung:.2f} | {crossed:g} |")
    return "\n".join(lines) + "\n"


def _calmed(seed: int, frames: int) -> dict[float, tuple[float, float, int]]:
    """By amount of calm: energy above QUICK in dB and swing against one start's take, and crossings."""
    footage = _skirt(0.0, frames, seed=seed)
    energy, swing = _moved(footage)
    span, rows = Span(footage.begins, footage.last, 0), {}
    for amount in (0.5, 1.0):
        calmed = footage.with_patch(apply(CALM, footage, whole(footage), span, Settings(amount=amount)))
        left, swung = _moved(calmed)
        marks = find_marks(calmed, calmed.judged)
        every = (mark for frame in marks.values() for mark in frame)
        crossed = sum(mark.pairs for mark in every if mark.kind not in (PINCHED, FULL_BODY))
        rows[amount] = 10 * float(np.log10(left / energy)), swung / swing, crossed
        print(f"start {seed}, calm {amount:g}: {rows[amount]}", flush=True)
    return rows


def _moved(footage: Footage) -> tuple[float, float]:
    """Energy of motion above QUICK, (m/s)2, and the hem's furthest swing below it, m."""
    held, rest = footage.worn.held, footage.worn.placed
    points = footage.points.astype(float)
    seen = np.array([from_waist(rest[held], one, held) for one in points])
    hem = rest[:, 1] < rest[:, 1].min() + 0.03
    one = Watched(0.0, points, seen, seen[0], ~held, hem)
    frequency, power = one.spectrum(footage.rate)
    low = butter(2, QUICK, fs=footage.rate, output="sos")
    swing = sosfiltfilt(low, one.swing(), axis=0)
    return float(power[frequency > QUICK].sum()), float(np.linalg.norm(swing, axis=1).max())


def speeds(quick: bool) -> str:
    """Seconds to find the snags of 200 frames of 10,000 vertices, and for one remedy."""
    rows = []
    for wanted, spacing in ((4_000, 17.6), (10_000, 11.4)):
        footage = _skirt(spacing, 24 if quick else 60)
        seconds = _median(lambda f=footage: find_marks(f, f.judged), 1 if quick else 3)
        each = seconds / len(footage.judged)
        rows.append(f"| {footage.worn.count:,} | {each * 1e3:.0f} | {200 * each:.1f} |")
        if wanted == 10_000:
            region, took = _one_remedy(footage)
    return "\n".join(
        [
            "## Speed\n",
            "Snags of the demo's skirt (First look, a clean take), milliseconds a frame and seconds for 200 "
            "frames; asked: 200 frames of 10,000 vertices within 30 s.\n",
            "| vertices | ms a frame | s for 200 frames |",
            "|---|---|---|",
            *rows,
            f"\nRun again here, {region} vertices of the larger one over 20 frames: {took:.1f} s (asked: 15 s "
            "for 300 vertices).\n",
        ]
    )


def _skirt(spacing: float, frames: int, seed: int = 0) -> Footage:
    """The demo's skirt at a spacing in mm, 0 for its own; of other seeds than 0 it starts 10 um aside."""
    document = json.loads((DEMO / "shot.json").read_text())
    if spacing:
        document["garments"][0]["recipe"]["spacing"] = {"draft_mm": spacing}
    plan = assemble(parse_shot(document, "the demo"), DEMO)
    plan = replace(plan, frames=(plan.frames[0], plan.frames[0] + frames - 1))
    run = OutfitRun(plan, run_of(plan))
    ends = run.frames(aside(run, seed), plan.first_simulated, plan.frames[1])
    points = np.stack([end.state.positions.astype(np.float32) for end in ends if end.delivered])
    return Footage(run, points, plan.frames[0], plan.frames[0])


def _one_remedy(footage: Footage) -> tuple[int, float]:
    middle = footage.worn.count // 2
    chosen = np.zeros(footage.worn.count, bool)
    chosen[middle] = True
    region = around(footage, chosen, wider=1.4)
    first = footage.begins + 4
    span = Span(first, min(first + 11, footage.last - 4))
    start = time.perf_counter()
    apply(RUN_AGAIN, footage, region, span, Settings())
    return len(region.vertices), time.perf_counter() - start


def _median(work: Callable[[], object], times: int) -> float:
    spent = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        spent.append(time.perf_counter() - start)
    return median(spent)
