"""One engine in a process of its own, which simulates a shot a few frames at a time, as it is told on its
input.

It runs in checkouts of other commits too, so it asks for what they call things.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any


def main() -> None:
    """ROOT CASE PATIENCE THREADS; every number read is so many frames, each answered by a line of JSON."""
    root, case, patience, threads = Path(sys.argv[1]), sys.argv[2], sys.argv[3], int(sys.argv[4])
    sys.path[:0] = [str(root / "src"), str(root)]
    from patient_needle.bootstrap import environment

    environment.prepare(alone=True)
    environment.use_threads(threads)
    frames = _frames(root, case, patience)
    print("ready", flush=True)
    for line in sys.stdin:
        for _ in range(int(line)):
            start = time.perf_counter()
            results = next(frames, None)
            spent = time.perf_counter() - start
            print(json.dumps({} if results is None else _told(results, spent)), flush=True)


def _told(results: Any, spent: float) -> dict[str, Any]:
    return {
        "frame": results[0].frame,
        "ms": spent * 1e3,
        "p99": max(one.stretch.p99 for one in results),
        "worst": max(one.stretch.worst for one in results),
        "crossed": sum(one.crossing_colliders + one.crossing_itself + one.crossing_garments for one in results),
    }


def _frames(root: Path, case: str, patience: str) -> Iterator[Any]:
    """Each frame's results; case: a shot file of the demo, or "walked" or "flung" with a number of vertices."""
    before = (root / "src/patient_needle/core/model/patience.py").exists()
    if before:
        from patient_needle.core.model.patience import ALL
    else:
        from patient_needle.core.model.tolerances import ALL
    if case.endswith(".json"):
        from patient_needle.formats.shot_file.assemble import assemble
        from patient_needle.formats.shot_file.document import read_shot_file

        path = root / "demo" / case
        plan = replace(assemble(read_shot_file(path), path.parent), patience=ALL[patience])
    else:
        from benchmarks import limbs
        from tests import violent

        name, vertices = case.split("-")
        turns = limbs.walked if name == "walked" else violent.flung
        plan = violent.plan(int(vertices), turns, 48, patience=ALL[patience])
    if before:
        from patient_needle.core.craft.simulate import OutfitRun

        run = OutfitRun(plan, plan.runs[0])
        yield from run.frames(run.start(), plan.first_simulated, plan.frames[1])
        return
    from patient_needle.session.run import Session

    session = Session.open(plan, plan.runs[0], None)
    while session.at.frame < plan.frames[1]:
        yield session.advance()


if __name__ == "__main__":
    main()
