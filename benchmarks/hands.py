"""Live fittings: steps in a second, how soon a command is seen, what parking saves, and pulls that tear.

./needle bench hands writes docs/hand-benchmarks.md.
"""

from __future__ import annotations

import json
import tempfile
import time
from datetime import date
from pathlib import Path

import numpy as np

from patient_needle.bootstrap import environment
from patient_needle.core.craft.drape.live import Fitting
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import parse_shot
from patient_needle.session.serving import run_of
from tests.acceptance.workrooms import workroom
from tests.reference.test_hands import pulled_about
from tests.sockets import Talk

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo" / "lamplighter"
OUT = ROOT / "docs" / "hand-benchmarks.md"
SPACINGS = {3_000: 20.2, 10_000: 11.4}  # mm


def hands(quick: bool) -> int:
    """Measure and write; returns an exit code."""
    parts = [
        "# Benchmarks of live fittings\n",
        "Written by `./needle bench hands`.\n",
        f"{date.today()}; {environment.processor()}.\n",
    ]
    for part in (lambda: rates(quick), lambda: soon(quick), lambda: torn(quick)):
        parts.append(part())
        OUT.write_text("\n".join(parts))
        print(parts[-1], flush=True)
    return 0


def skirt(spacing: float) -> Fitting:
    """The demo's skirt at a spacing, on the figure that stands."""
    document = json.loads((DEMO / "shot.json").read_text())
    document["garments"][0]["recipe"]["spacing"] = {"draft_mm": spacing}
    plan = assemble(parse_shot(document, "the demo"), DEMO)
    run = OutfitRun(plan, run_of(plan))
    return Fitting(run, run.start())


def rates(quick: bool) -> str:
    """Steps in a second: as it falls, while it is pulled, with four fifths parked."""
    lines = [
        "## Steps in a second\n",
        "A step is two substeps of 1/96 s at First look; the demo's skirt on the still figure, "
        "with self-contact. Medians of single steps. Asked: 10 at 3,000 vertices, 3 at 10,000; four fifths "
        "parked at least 2.5 times as fast.\n",
        "| vertices | falling | hanging | pulled | four fifths parked | that is |",
        "|---|---|---|---|---|---|",
    ]
    count = 12 if quick else 48
    for spacing in SPACINGS.values():
        fitting = skirt(spacing)
        _rate(fitting, 4)  # kernels and factors
        falling, _ = _rate(fitting, count), _rate(fitting, count)
        hanging = _rate(fitting, count)
        points = fitting.state.positions
        vertex = int(np.argmin(points[:, 1] + 10.0 * (np.abs(points[:, 0]) > 0.1)))
        triangles = fitting.cloth.surfaces[0].triangles
        corners = triangles[np.flatnonzero((triangles == vertex).any(axis=1))[0]]
        fitting.pull(fitting.cloth.names[0], corners, (corners == vertex).astype(float), 0.06)
        fitting.draw(fitting.hands.pulls[0].grip.at + np.array([0.0, 0.15, 0.15]))
        pulled = _rate(fitting, count)
        fitting.let_go()
        whole = _rate(fitting, count)
        high = np.argsort(-fitting.state.positions[:, 1])[: int(0.8 * len(points))]
        parked = np.zeros(len(points), bool)
        parked[high] = True
        fitting.park(fitting.cloth.names[0], parked)
        _rate(fitting, 4)
        part = _rate(fitting, count)
        lines.append(
            f"| {len(points):,} | {falling:.1f} | {hanging:.1f} | {pulled:.1f} | {part:.1f} | "
            f"{part / whole:.2f} times |"
        )
    return "\n".join(lines) + "\n"


def _rate(fitting: Fitting, count: int) -> float:
    spent = []
    for _ in range(count):
        begun = time.perf_counter()
        fitting.step()
        spent.append(time.perf_counter() - begun)
    return 1.0 / float(np.median(spent))


def soon(quick: bool) -> str:
    """From a command that is sent to the first positions that it changed, by a client without a browser."""
    with tempfile.TemporaryDirectory() as folder, workroom(Path(folder), 8700) as room:
        shots = {one["name"]: one["id"] for one in room.ask("shots")}
        shot = room.ask(f"shots/{shots['Lamplighter 0040']}")
        shot["document"]["garments"][0]["recipe"]["spacing"]["draft_mm"] = SPACINGS[3_000]
        edit = {"seen": shot["revision"], "said": "coarse", "document": shot["document"]}
        shot = room.ask(f"shots/{shot['id']}", edit, "PUT")
        talk = Talk(int(room.address.rstrip("/").rsplit(":", 1)[1]))
        talk.ask(do="open", shot=shot["id"], revision=shot["revision"])
        talk.until(lambda t: t.told and t.positions, 120)
        talk.ask(do="fall")
        talk.until(lambda t: t.step >= 48, 120)
        begun, first = time.perf_counter(), talk.step
        talk.until(lambda t: t.step >= first + 48, 120)
        step = (time.perf_counter() - begun) / (talk.step - first)
        spent = [_answered(talk, step, seed) for seed in range(12 if quick else 60)]
        talk.close()
    median, p95 = (1e3 * float(np.percentile(spent, share)) for share in (50, 95))
    return (
        "## From a command to the cloth that it changed\n\n"
        f"At 3,000 vertices, {len(spent)} commands at random moments, at the WebSocket, to the first positions "
        "of a step that began after the command was heard. Asked: p95 of two step times and 30 ms at most.\n\n"
        "| step | median | p95 | two steps and 30 ms |\n|---|---|---|---|\n"
        f"| {1e3 * step:.0f} ms | {median:.0f} ms | {p95:.0f} ms | {2e3 * step + 30:.0f} ms |\n"
    )


def _answered(talk: Talk, step: float, seed: int) -> float:
    """Seconds from a command to the first positions after the telling that has heard it."""
    share = round(0.5 + 0.4 * float(np.random.default_rng(seed).random()), 6)
    until = time.perf_counter() + 2 * step * float(np.random.default_rng(seed + 1000).random())
    talk.until(lambda _: time.perf_counter() >= until)
    begun = time.perf_counter()
    talk.ask(do="weight", share=share)
    talk.until(lambda t: t.told.get("weight") == share)
    heard = talk.step
    talk.until(lambda t: t.step > heard)
    return time.perf_counter() - begun


def torn(quick: bool) -> str:
    """Crossings while somebody tears at cloth at random."""
    seeds, steps = (3, 60) if quick else (20, 150)
    found = [pulled_about(seed, steps) for seed in range(1, seeds + 1)]
    return (
        "## Pulled as hard as one can\n\n"
        f"A tube of 600 vertices about a post, {seeds} seeds of {steps} steps, pulls in random directions up "
        f"to 3 m away, some of them mirrored, some pinned: exact crossings at the worst step: {max(found)}.\n"
    )
