"""What comes before cloth: loading, skinning, understudies, the search for self-cuts, damaged files.

./needle bench cast writes docs/cast-benchmarks.md.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path

import numpy as np

from patient_needle.bootstrap import environment
from patient_needle.core.craft.cast.self_cuts import find_self_cuts
from patient_needle.core.craft.cast.understudies import (
    Shape,
    UnderstudySettings,
    read_understudy,
    understudy_of,
)
from patient_needle.core.model.mesh import Mesh
from patient_needle.core.model.shot import CastMember, RunIn
from patient_needle.formats import alembic_cache, usd
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.registry import CacheTiming, read_cache, read_figure, write_cache
from patient_needle.formats.shot_file import assemble  # noqa: F401  (registers the formats)
from patient_needle.formats.shot_file.document import CastRecord
from patient_needle.formats.shot_file.members import assemble_member
from tests.mutants import FORMATS, run

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "docs" / "cast-benchmarks.md"
FRAMES, VERTICES = 200, 20_164
SHOT = (1001, 1120)


def cast(quick: bool) -> int:
    """Measure and write; returns an exit code."""
    parts = [
        "# Benchmarks of the cast\n",
        "Written by `./needle bench cast`. No solving: these do not depend on the engine.\n",
        f"{date.today()}; {environment.processor()}.\n",
    ]
    for part in (loading, figures, lambda: damaged(1000 if quick else 10_000)):
        parts.append(part())
        OUT.write_text("\n".join(parts))
        print(parts[-1], flush=True)
    return 0


def loading() -> str:
    """Each format in a process of its own, so that its memory can be told."""
    size = FRAMES * VERTICES * 12
    lines = [
        f"## A cache of {FRAMES} frames, {VERTICES:,} vertices "
        f"(bars: under 1.5 s, in twice its {size / 1e6:.0f} MB)\n",
        "Read whole, every number touched. Alembic and USD are read by a process of their own, whose start is",
        "in the seconds. Peak is all that was resident, pages of a mapped file with it, in the process that",
        "asks or in the one that reads, whichever was larger; own is what the asking one holds afterwards. All",
        "over what each had before.\n",
        "| format | seconds | peak, of its size | own, of its size |\n|---|---|---|---|",
    ]
    with tempfile.TemporaryDirectory() as folder:
        side = round(np.sqrt(VERTICES))
        grid = np.stack(np.meshgrid(np.arange(side), np.arange(side), indexing="ij"), -1).reshape(-1, 2)
        points = np.column_stack([0.01 * grid, np.zeros(len(grid))])
        corner = (np.arange(side - 1)[:, None] * side + np.arange(side - 1)).ravel()
        faces = np.stack([corner, corner + side, corner + side + 1, corner + 1], 1)
        mesh = Mesh("sheet", points, np.full(len(faces), 4, np.int32), faces.ravel().astype(np.int32))
        for ending in ("pc2", "mdd", "abc", "usd"):
            path = Path(folder) / f"a.{ending}"
            write_cache(path, mesh, (points + 0.001 * k for k in range(FRAMES)), CacheTiming(1, 24))
            asking = _measured(path, "as the product does")
            reading = _measured(path, "in this process") if ending in ("abc", "usd") else asking
            seconds, peak, own = asking[0], max(asking[1], reading[1]) / size, asking[2] / size
            lines.append(f"| {ending} | {seconds:.2f} | {peak:.2f} | {own:.2f} |")
    return "\n".join(lines) + "\n"


def _measured(path: Path, how: str) -> list[float]:
    """Seconds, peak and own memory in bytes of loading a cache in a fresh process."""
    said = subprocess.run(
        [sys.executable, "-m", "benchmarks.cast", str(path), how],
        capture_output=True, text=True, check=True, cwd=ROOT,
    ).stdout.split()  # fmt: skip
    return [float(word) for word in said]


def _load(path: Path, how: str) -> None:
    """What `_measured` starts."""
    environment.prepare()
    Path("/proc/self/clear_refs").write_text("5")  # the peak starts anew
    peak, own, start = _memory("VmHWM"), _memory("RssAnon"), time.perf_counter()
    if path.suffix in (".pc2", ".mdd"):
        frames = read_cache(path).frames
    elif how == "in this process":
        frames = {".abc": alembic_cache, ".usd": usd}[path.suffix].read_figure(path, FigureAsk()).frames
    else:
        frames = read_figure(path, FigureAsk()).frames
    assert np.isfinite(np.asarray(frames).sum())
    print(time.perf_counter() - start, _memory("VmHWM") - peak, _memory("RssAnon") - own)


def _memory(kind: str) -> int:
    """Memory of this process as the system tells it, bytes."""
    lines = Path("/proc/self/status").read_text().splitlines()
    return 1024 * int(next(line for line in lines if line.startswith(kind)).split()[1])


def figures() -> str:
    """The lamplighter: skinning, understudies, self-cuts."""
    record = CastRecord(name="lamplighter", kind="character", starts_at=1001, file="lamplighter.glb")
    body = assemble_member(record, ROOT / "demo" / "lamplighter", 24.0, SHOT).member
    skinning = _best(lambda: [body.motion.at(frame) for frame in range(SHOT[0], SHOT[1] + 1)])
    search = _best(lambda: find_self_cuts(body, RunIn(0, 0), SHOT), 1)
    cuts = find_self_cuts(body, RunIn(0, 0), SHOT).cuts
    lines = [
        "## The lamplighter, 5,165 vertices, 120 frames\n",
        f"Skinning: {skinning:.2f} s (bar 2 s). Search for self-cuts: {search:.1f} s (bar 10 s); "
        f"{len(cuts)} frames have any, the deepest {1e3 * max(cut.depth for cut in cuts):.0f} mm.\n",
        "Understudies, held against the full mesh both ways in every fourth frame (bar for 4,000 triangles: "
        "6 mm at worst, 1.5 mm on average):\n",
        "| understudy | triangles | watertight | worst | mean | seconds to make |\n|---|---|---|---|---|---|",
    ]
    asked: list[tuple[Shape, int]] = [("reduced", n) for n in (6000, 4000, 2000, 1000)]
    asked += [(shape, 0) for shape in ("capsule", "cylinder", "box", "sphere", "hull")]
    for shape, triangles in asked:
        lines.append(_understudy(body, shape, triangles))
    return "\n".join(lines) + "\n"


def _understudy(body: CastMember, shape: Shape, triangles: int) -> str:
    settings = UnderstudySettings(shape, triangles or 4000)
    seconds = _best(lambda: understudy_of(body, settings, SHOT), 2)
    read = read_understudy(body, understudy_of(body, settings, SHOT), SHOT)
    closed = "yes" if read.closed else "no"
    return (
        f"| {shape} | {read.triangles:,} | {closed} | {read.worst * 1e3:.1f} mm | {read.mean * 1e3:.2f} mm "
        f"| {seconds:.2f} |"
    )


def _best(work: Callable[[], object], rounds: int = 3) -> float:
    seconds = []
    for _ in range(rounds):
        start = time.perf_counter()
        work()
        seconds.append(time.perf_counter() - start)
    return min(seconds)


def damaged(count: int) -> str:
    """Mutants of each format."""
    lines = [
        f"## {count:,} damaged files of each format (bar: a valid read or a clear error, never a crash)\n",
        "| format | read | refused | wrong | seconds |\n|---|---|---|---|---|",
    ]
    for kind in FORMATS:
        with tempfile.TemporaryDirectory() as folder:
            start = time.perf_counter()
            outcome = run(kind, count, Path(folder))
            seconds = time.perf_counter() - start
        lines.append(
            f"| {kind} | {outcome.read:,} | {outcome.refused:,} | {outcome.wrong or 'none'} | {seconds:.0f} |"
        )
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    _load(Path(sys.argv[1]), sys.argv[2])
