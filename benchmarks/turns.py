"""This engine and an earlier one on the same shot, a few frames of each in turn: what a machine's moods do not
touch.

The earlier commit is built beside this one; both run with what is installed here.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

ROOT = Path(__file__).resolve().parent.parent
BEFORE = "36b809a"  # the engine that took everything apart and gathered it again
STEP, WARM = 2, 2  # frames in one turn; frames that do not count, because compiling or a factor falls in them
LIMIT = 150.0  # s


@dataclass(frozen=True)
class Case:
    """A shot, its patience, and how many frames to look at at most."""

    title: str
    shot: str
    patience: str
    frames: int


CASES = {
    "before_skirt": Case(
        "The lamplighter's skirt, First look", "lamplighter/from_file.json", "first-look", 400
    ),
    "before_layers": Case("Three layers, First look", "lamplighter/layers.json", "first-look", 60),
    "before_smock": Case("Smock and skirt, Working", "lamplighter/smock.json", "working", 60),
    "before_walk": Case("A dress walking, 3,000 vertices, First look", "walked-3000", "first-look", 48),
    "before_walk_fine": Case("A dress walking, 10,000 vertices, First look", "walked-10000", "first-look", 24),
    "before_walk_finest": Case(
        "A dress walking, 30,000 vertices, First look", "walked-30000", "first-look", 10
    ),
    "before_flung": Case("A dress on flung limbs, 3,000 vertices, First look", "flung-3000", "first-look", 24),
}


@dataclass
class Engine:
    """A process that simulates when it is told to, and what it told so far."""

    name: str
    process: subprocess.Popen[str]
    told: list[dict[str, float]] = field(default_factory=list)

    def go(self, frames: int) -> bool:
        """Simulate `frames` more; False once there are none left."""
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        self.process.stdin.write(f"{frames}\n")
        self.process.stdin.flush()
        for _ in range(frames):
            line = self.process.stdout.readline()
            if not line:
                raise RuntimeError(f"the engine '{self.name}' ended by itself: see what it said above")
            one = json.loads(line)
            if not one:
                return False
            self.told.append(one)
        return True


def turns(case: Case, quick: bool) -> str:
    """The table of one case: the earlier engine on two threads, this one on two and on one, in turns."""
    with tempfile.TemporaryDirectory() as folder:
        earlier = Path(folder) / "earlier"
        _checked_out(earlier)
        sides = (
            ("earlier, two threads", earlier, 2),
            ("this, two threads", ROOT, 2),
            ("this, one thread", ROOT, 1),
        )
        engines = [_started(name, root, case, threads) for name, root, threads in sides]
        try:
            begun, frames = time.monotonic(), 12 if quick else case.frames
            while len(engines[0].told) < frames and time.monotonic() - begun < LIMIT:
                more = [engine.go(STEP) for engine in engines]  # every one takes its turn
                if not all(more):
                    break
        finally:
            for engine in engines:
                engine.process.kill()
    return _table(case, engines)


def _checked_out(folder: Path) -> None:
    subprocess.run(["git", "clone", "-q", str(ROOT), str(folder)], check=True)
    subprocess.run(["git", "-C", str(folder), "checkout", "-q", BEFORE], check=True)


def _started(name: str, root: Path, case: Case, threads: int) -> Engine:
    command = [sys.executable, str(Path(__file__).with_name("turn_worker.py")), str(root), case.shot]
    command += [case.patience, str(threads)]
    without = {key: value for key, value in os.environ.items() if key != "PYTHONPATH"}
    process = subprocess.Popen(
        command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, env=without, cwd=root
    )
    assert process.stdout is not None
    while (line := process.stdout.readline()) != "ready\n":
        if not line:
            raise RuntimeError(f"the engine '{name}' did not begin: see what it said above")
    return Engine(name, process)


def _table(case: Case, engines: list[Engine]) -> str:
    count = min(len(engine.told) for engine in engines)
    first = np.array([one["ms"] for one in engines[0].told[WARM:count]])
    lines = [
        f"## {case.title}, against commit {BEFORE} in turns\n",
        f"{count - WARM} frames, {STEP} of each engine in turn. Times as fast: of all frames together, and the "
        "median frame; a frame in ms: the quickest and the median.\n",
        "| engine | times as fast | median frame | quickest, ms | median, ms | worst p99 | frames crossed |",
        "|---|---|---|---|---|---|---|",
    ]
    for engine in engines:
        told = engine.told[WARM:count]
        ms = np.array([one["ms"] for one in told])
        lines.append(
            f"| {engine.name} | {first.sum() / ms.sum():.2f} | {np.median(first / ms):.2f} | {ms.min():.0f} "
            f"| {np.median(ms):.0f} | {max(one['p99'] for one in told):.1%} "
            f"| {sum(one['crossed'] > 0 for one in told)} |"
        )
    return "\n".join(lines) + "\n"
