"""./needle bench: what the engine costs and holds, part by part; writes docs/benchmarks.md."""

from __future__ import annotations

from patient_needle.bootstrap import environment

environment.prepare(alone=True)

import json  # noqa: E402
import os  # noqa: E402
import sys  # noqa: E402
import tempfile  # noqa: E402
import time  # noqa: E402
from collections.abc import Callable  # noqa: E402
from datetime import date  # noqa: E402
from pathlib import Path  # noqa: E402

import numpy as np  # noqa: E402
from numba import njit, prange  # noqa: E402

from patient_needle.bootstrap import headless  # noqa: E402
from patient_needle.bootstrap.engine_source import engine_hash  # noqa: E402
from patient_needle.core.model.tolerances import FIRST_LOOK, WORKING, Patience  # noqa: E402
from patient_needle.core.solver.bending import Bending  # noqa: E402
from patient_needle.core.solver.membrane import Membrane  # noqa: E402
from patient_needle.core.solver.stiffness import Stiffness, pattern_of  # noqa: E402
from patient_needle.session.cores import QUIET, processor_seconds  # noqa: E402
from tests.layers import dropped, twisted  # noqa: E402

from .calm import calm  # noqa: E402
from .cast import cast  # noqa: E402
from .chalk import chalk  # noqa: E402
from .crowd import crowd  # noqa: E402
from .deliver import deliver  # noqa: E402
from .document import put_in  # noqa: E402
from .elsewhere import elsewhere  # noqa: E402
from .garments import garments  # noqa: E402
from .hands import hands  # noqa: E402
from .limbs import limbs  # noqa: E402
from .mending import mending  # noqa: E402
from .sewing import sewing_bench  # noqa: E402
from .sheet import Result, baseline, make, ours  # noqa: E402
from .starts import starts  # noqa: E402
from .thin import thin  # noqa: E402
from .truths import sweeps  # noqa: E402
from .turns import CASES, turns  # noqa: E402
from .workroom import pages  # noqa: E402

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "docs" / "benchmarks.md"
XPBD_SUBSTEPS = (60, 80, 100, 130, 160, 200, 260, 340, 440)
REFERENCE = Patience("reference", 64, 1.0, 6, 60, 1e-3, 1e-6)


def parts(quick: bool) -> dict[str, Callable[[], str]]:
    """What can be measured, in the order of the document."""
    return {
        "hang": lambda: hang(10_000),
        "swing": lambda: swing(3_000),
        "pass": lambda: elastic_pass(30_000),
        "truths": lambda: sweeps(quick),
        "itself": lambda: among_itself(quick),
        "thin": thin,
        "starts": lambda: starts(4 if quick else 20),
        "limbs": lambda: limbs(quick),
        "elsewhere": lambda: elsewhere(quick),
        "skirt": lambda: shot("from_file.json", "The lamplighter's skirt, 4,159 vertices", quick),
        "layers": lambda: shot("layers.json", "The lamplighter in three layers, 7,644 vertices", quick),
        "smock": lambda: shot("smock.json", "The lamplighter's skirt and smock, 5,623 vertices", quick),
        "calm": lambda: calm(ROOT / "demo" / "lamplighter" / "from_file.json", 1012 if quick else 1040),
        "pages": pages,
        "crowd": crowd,
        "deliver": deliver,
        **{name: lambda case=case: turns(case, quick) for name, case in CASES.items()},
    }


def main() -> int:
    """Measure all parts, or those that are named; each is written when it is done and says what it is of.

    A quick look, with smaller cases, is shown and not written.
    """
    named, quick = [word for word in sys.argv[1:] if not word.startswith("-")], "--quick" in sys.argv
    if "garments" in named:
        return garments(quick)
    if "hands" in named:
        return hands(quick)
    if "sewing" in named:
        return sewing_bench(quick, named[named.index("sewing") + 1 :])
    if "mending" in named:
        return mending(quick, named[named.index("mending") + 1 :])
    if "cast" in named:
        return cast(quick)
    if "chalk" in named:
        return chalk()
    measurable, threads = parts(quick), environment.use_threads(None)
    for word in named:
        if word not in measurable:
            print(f"no part is called {word}: there are {', '.join(measurable)}, and cast and chalk")
            return 2
    for name in named or measurable:
        load, others = os.getloadavg()[0], _others()
        if others > QUIET and not quick and "--anyway" not in sys.argv:
            print(
                f"{others:.2f} of a core is taken by something else: nothing is written. Say --anyway, or wait."
            )
            return 3
        text = measurable[name]()
        machine = f"{environment.processor()}, {threads} threads, load {load:.2f} at the start"
        stamp = f"Measured {date.today()} on {machine}. Engine source {engine_hash()[:16]}.\n"
        print(text, flush=True)
        if not quick:
            before = OUT.read_text() if OUT.exists() else ""
            OUT.write_text(put_in(before, name, f"{text}\n{stamp}", measurable, environment.versions()))
    return 0


def _others() -> float:
    """How many cores others keep busy now."""
    before, start = processor_seconds(), time.monotonic()
    time.sleep(1.0)
    after = processor_seconds()
    return (after[0] - before[0] - (after[1] - before[1])) / (time.monotonic() - start)


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
    """A level sheet let go: energy off and strain, over the whole second, against a run refined 64 times."""
    cloth = make(vertices, level=True)
    reference = ours(cloth, REFERENCE, 64)
    rows: list[Result] = [
        ours(cloth, FIRST_LOOK, 4),
        ours(cloth, WORKING, 8),
        *(baseline(cloth, n) for n in XPBD_SUBSTEPS),
    ]
    scale = 0.2 * 9.81 * 0.5  # J, what the sheet's middle gives away in half a metre
    off = [float(np.abs(reference.energies - r.energies).mean()) / scale for r in rows]
    strain = [float(r.strains.mean()) for r in rows]
    lines = [
        f"## Swing from level, {cloth.count:,} vertices, 1 s, no air "
        "(bar: faster than XPBD at equal strain and energy)\n",
        "Means over the 24 frames. Energy off: from the reference (64 substeps), as a share of the "
        "swing's energy; strain: 99th percentile, of the reference "
        f"{reference.strains.mean():.2%}.\n",
        "| method | ms per frame | energy off | strain | energy off at the end |\n|---|---|---|---|---|",
    ]
    for r, o, e in zip(rows, off, strain, strict=True):
        at_end = (reference.energies[-1] - r.energies[-1]) / scale
        lines.append(f"| {r.method} | {r.milliseconds:.0f} | {o:.1%} | {e:.2%} | {at_end:+.1%} |")
    first, others = rows[0], rows[2:]
    calm_enough, stiff_enough = [o <= off[0] for o in off[2:]], [e <= strain[0] for e in strain[2:]]
    for what, good in (
        ("energy off", calm_enough),
        ("strain", stiff_enough),
        ("energy off and strain together", [a and b for a, b in zip(calm_enough, stiff_enough, strict=True)]),
    ):
        enough = [r for r, fine in zip(others, good, strict=True) if fine]
        needed = enough[0] if enough else others[-1]
        lines.append(
            f"\nTo equal First look in {what} the baseline needs {'' if enough else 'more than '}"
            f"{needed.method.removeprefix('XPBD, ')}: "
            f"{needed.milliseconds / first.milliseconds:.1f} times its time."
        )
    return "\n".join(lines) + "\n"


def elastic_pass(vertices: int) -> str:
    """One product with the linearised stiffness against the time it takes to move its data once."""
    cloth = make(vertices, level=False)
    x = cloth.placed + 1e-3 * np.sin(40 * cloth.placed[:, [1, 0, 0]])
    pattern = pattern_of(cloth.count, cloth.triangles, cloth.hinges)
    membrane, bending, matrix = Membrane(cloth, pattern), Bending(cloth, pattern), Stiffness([pattern])
    out, p = np.zeros_like(x), np.cos(30 * x)
    membrane.gradient(x, out)
    bending.gradient(x, out)
    membrane.stiffen(matrix)
    bending.stiffen(matrix)
    matrix.close()
    spent = _best(lambda: matrix.product(p, cloth.held, out))
    moved = matrix.bytes
    a, b, c = (np.ones(10_000_000) for _ in range(3))
    speed = 24 * len(a) / _best(lambda: _triad(a, b, c))
    floor = moved / speed
    return (
        f"## An elastic pass, {cloth.count:,} vertices (bar: within 5 times the memory floor)\n\n"
        f"One product of the membrane's and the bending's stiffness: {spent * 1e3:.2f} ms. "
        f"It moves {moved / 1e6:.0f} MB once; the triad a = b + 3 c runs at {speed / 1e9:.1f} GB/s "
        f"in the same run, a floor of {floor * 1e3:.2f} ms: {spent / floor:.1f} times.\n"
    )


def _best(run: Callable[[], object]) -> float:
    """Shortest of twenty runs, s, after one to warm up."""
    run()
    times = []
    for _ in range(20):
        start = time.perf_counter()
        run()
        times.append(time.perf_counter() - start)
    return min(times)


@njit(parallel=True)
def _triad(a, b, c):
    for i in prange(a.shape[0]):
        a[i] = b[i] + 3.0 * c[i]


def shot(name: str, title: str, quick: bool) -> str:
    """A shot of the lamplighter, whole, with its run-in; worst values over its garments."""
    path = ROOT / "demo" / "lamplighter" / name
    start = time.perf_counter()
    with tempfile.TemporaryDirectory() as folder:
        frames = (1001, 1012) if quick else None
        report = headless.simulate_shot(headless.Request(path, Path(folder), frames), lambda _: None)
        data = json.loads(report.read_text())
    seconds = time.perf_counter() - start
    garments = [garment["frames"] for garment in data["garments"].values()]
    all_frames = garments[0]  # what concerns the whole run stands with each garment
    seen = [f for frames in garments for f in frames if f["delivered"]]
    spent = np.array([sum(f["milliseconds"].values()) for f in all_frames])
    stages = {s: np.median([f["milliseconds"][s] for f in all_frames]) for s in all_frames[0]["milliseconds"]}
    small = np.mean([f["filter"]["moved_mm"] <= 2.0 for f in all_frames])
    rows = [
        ("frames, run-in and shot", f"{len(all_frames)}, {sum(f['delivered'] for f in all_frames)} delivered"),
        ("wall time", f"{seconds:.0f} s, {seconds / len(all_frames):.2f} s per frame"),
        ("engine per frame", f"median {np.median(spent):.0f} ms, longest {spent.max():.0f} ms"),
        ("median by stage", ", ".join(f"{s} {ms:.0f} ms" for s, ms in stages.items())),
        ("frames with cloth in a collider", _frames_with(seen, "in_the_body")),
        ("frames with cloth through itself", _frames_with(seen, "through_itself")),
        ("frames with cloth through another garment", _frames_with(seen, "through_another")),
        (
            "worst p99 stretch before the kneel",
            f"{max(f['stretch']['p99'] for f in seen if f['frame'] < 1095):.1%}",
        ),
        ("worst p99 stretch", f"{max(f['stretch']['p99'] for f in seen):.1%}"),
        ("largest correction by the filter", f"{max(f['filter']['moved_mm'] for f in all_frames):.2f} mm"),
        ("frames in which it stays within 2 mm", f"{small:.1%}"),
        ("vertices let go", str(sum(f["filter"]["let_go"] for f in all_frames))),
    ]  # fmt: skip
    lines = [f"## {title}, {data['patience']}\n", "| | |\n|---|---|"]
    return "\n".join(lines + [f"| {name} | {value} |" for name, value in rows]) + "\n"


def among_itself(quick: bool) -> str:
    """Cloth against cloth: a tube that is wrung, sheets on a ball."""
    spacing = 0.03 if quick else 0.02
    rows = []
    for what, frames in (
        ("a tube of 0.6 m turned once and back in 4 s", twisted(spacing, 1.0, 48)),
        ("a tube of 0.6 m turned twice and back in 8 s", twisted(spacing, 2.0, 96)),
        ("five sheets dropped on a ball, 3 s", dropped(spacing, 5, 3.0)),
    ):
        start = time.perf_counter()
        seen = list(frames)
        seconds = (time.perf_counter() - start) / len(seen)
        moves = 1e3 * np.concatenate([f.filtered for f in seen])
        crossed = sum(f.through_cloth + f.through_collider > 0 for f in seen)
        rows.append(
            f"| {what} | {crossed} of {len(seen)} | {np.mean(moves <= 2.0):.1%} "
            f"| {seen[-1].length * 1e3:.0f} mm | {seen[-1].speed * 1e3:.1f} mm/s | {seconds:.2f} s |"
        )
    head = (
        "| | frames with a crossing | filter within 2 mm | length at the end | mean speed at the end | frame |"
    )
    title = f"## Cloth against cloth, {spacing * 1e3:.0f} mm (bars: no crossing, filter within 2 mm in 99 %)\n"
    return "\n".join([title, head, "|---|---|---|---|---|---|", *rows]) + "\n"


def _frames_with(frames: list[dict], kind: str) -> str:
    return str(sum(frame["intersections"][kind] > 0 for frame in frames))


if __name__ == "__main__":
    sys.exit(main())
