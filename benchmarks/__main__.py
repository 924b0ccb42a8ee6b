"""./needle bench: the hang, the swing, the demo skirt and a crowd of pages; writes docs/benchmarks.md."""

from __future__ import annotations

from patient_needle.bootstrap import environment

environment.prepare()

import json  # noqa: E402
import os  # noqa: E402
import sys  # noqa: E402
import tempfile  # noqa: E402
import time  # noqa: E402
from datetime import date  # noqa: E402
from pathlib import Path  # noqa: E402

import numpy as np  # noqa: E402

from patient_needle.bootstrap import headless  # noqa: E402
from patient_needle.core.model.patience import FIRST_LOOK, WORKING, Patience  # noqa: E402

from .sheet import Result, baseline, make, ours  # noqa: E402
from .workroom import pages  # noqa: E402

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "docs" / "benchmarks.md"
REFERENCE = Patience("reference", 64, 1.0, 6, 60, 1e-3, 1e-6)


def main() -> int:
    load, threads = os.getloadavg()[0], environment.use_threads(None)
    parts = [
        "# Benchmarks\n",
        "Written by `./needle bench`. Compare ratios within one run, not milliseconds between runs.\n",
        f"{date.today()}; {environment.processor()}, {threads} threads, load {load:.2f} at the start; "
        + ", ".join(f"{name} {version}" for name, version in environment.versions().items())
        + f".\nEngine source {headless.engine_hash()[:16]}.\n",
        hang(10_000),
        swing(3_000),
        skirt("--quick" in sys.argv),
        pages(),
    ]
    OUT.write_text("\n".join(parts))
    print(OUT.read_text())
    return 0


def hang(vertices: int) -> str:
    """Statics: the top edge held, p99 strain (exact 0.2 % at the top, 0.1 % mean) against time."""
    cloth = make(vertices, level=False)
    runs = [
        (baseline(cloth, 80), baseline(cloth, 20), ours(cloth, FIRST_LOOK, 1), ours(cloth, FIRST_LOOK, 4))
        for _ in range(3)
    ]
    rows = [min(method, key=lambda run: run.milliseconds) for method in zip(*runs, strict=True)]
    base = rows[0]
    lines = [
        f"## Hang, {cloth.count:,} vertices (bar: p99 <= 1 % in <= 1/5 of XPBD-80's time)\n",
        "Median of 24 frames; the best of three rounds, methods taking turns.\n",
        "| method | ms per frame | of XPBD-80 | p99 strain |\n|---|---|---|---|",
    ]
    lines += [
        f"| {r.method} | {r.milliseconds:.0f} | 1/{base.milliseconds / r.milliseconds:.1f} | {r.p99:.2%} |"
        for r in rows
    ]
    return "\n".join(lines) + "\n"


def swing(vertices: int) -> str:
    """A level sheet let go: energy lost after one second against a run refined 64 times."""
    cloth = make(vertices, level=True)
    reference = ours(cloth, REFERENCE, 64)
    rows: list[Result] = [
        ours(cloth, FIRST_LOOK, 4),
        ours(cloth, WORKING, 8),
        ours(cloth, WORKING, 16),
        *(baseline(cloth, n) for n in (20, 80, 160)),
    ]
    scale = 0.2 * 9.81 * 0.5  # J, what the sheet's middle gives away in half a metre
    lines = [
        f"## Swing from level, {cloth.count:,} vertices, 1 s, no air\n",
        "Lost is energy against the reference (64 substeps), as a share of the swing's energy.\n",
        "| method | ms per frame | lost | p99 strain |\n|---|---|---|---|",
    ]
    lines += [
        f"| {r.method} | {r.milliseconds:.0f} | {(reference.energy - r.energy) / scale:+.1%} | {r.p99:.2%} |"
        for r in rows
    ]
    lines.append(f"| {reference.method} | {reference.milliseconds:.0f} | 0 | {reference.p99:.2%} |")
    return "\n".join(lines) + "\n"


def skirt(quick: bool) -> str:
    """The lamplighter's skirt at First look, whole, with its run-in."""
    shot = ROOT / "demo" / "lamplighter" / "shot.json"
    start = time.perf_counter()
    with tempfile.TemporaryDirectory() as folder:
        frames = (1001, 1012) if quick else None
        report = headless.simulate_shot(headless.Request(shot, Path(folder), frames), lambda _: None)
        data = json.loads(report.read_text())
    seconds = time.perf_counter() - start
    (garment,) = data["garments"].values()
    all_frames = garment["frames"]
    shot_frames = [f for f in all_frames if f["delivered"]]
    until_kneel = [f for f in shot_frames if f["frame"] < 1095]
    spent = np.array([sum(f["milliseconds"].values()) for f in all_frames])
    stages = {s: np.median([f["milliseconds"][s] for f in all_frames]) for s in all_frames[0]["milliseconds"]}
    rows = [
        ("frames, run-in and shot", f"{len(all_frames)}, of them {len(shot_frames)} delivered"),
        ("wall time", f"{seconds:.0f} s, {seconds / len(all_frames):.2f} s per frame"),
        ("engine per frame", f"median {np.median(spent):.0f} ms, longest {spent.max():.0f} ms"),
        ("median by stage", ", ".join(f"{s} {ms:.0f} ms" for s, ms in stages.items())),
        ("frames with cloth in a collider", _frames_with(shot_frames, "in_the_body")),
        ("frames with cloth through itself", _frames_with(shot_frames, "through_itself")),
        ("worst p99 stretch before the kneel", f"{max(f['stretch']['p99'] for f in until_kneel):.1%}"),
        ("worst p99 stretch", f"{max(f['stretch']['p99'] for f in shot_frames):.1%}"),
        ("largest correction by the filter", f"{max(f['filter']['moved_mm'] for f in all_frames):.2f} mm"),
    ]  # fmt: skip
    lines = [
        f"## The lamplighter's skirt, {_vertices(shot):,} vertices, {data['patience']}\n",
        "| | |\n|---|---|",
    ]
    return "\n".join(lines + [f"| {name} | {value} |" for name, value in rows]) + "\n"


def _frames_with(frames: list[dict], kind: str) -> str:
    return str(sum(frame["intersections"][kind] > 0 for frame in frames))


def _vertices(shot: Path) -> int:
    return sum(line.startswith("v ") for line in (shot.parent / "apron_skirt.obj").read_text().splitlines())


if __name__ == "__main__":
    sys.exit(main())
