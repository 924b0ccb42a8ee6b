"""Starts that are wrong: how many come right over the run-in."""

from __future__ import annotations

import time

import numpy as np

from patient_needle.core.contact.intersections import crossing_pairs, self_crossing_pairs
from patient_needle.core.craft.inspect.frame import inspected
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.closed import inside
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.errors import StartError
from patient_needle.core.model.shot import ShotPlan
from patient_needle.core.solver.state import ClothState
from tests.tangled import SETTLED, wrong_start


def aside(run: OutfitRun, seed: int) -> ClothState:
    """A run's start; of other seeds than 0 what is not held is up to 10 um aside."""
    start = run.start()
    if not seed:
        return start
    by = np.random.default_rng(seed).uniform(-1e-5, 1e-5, start.positions.shape)
    moved = start.positions + np.where(run.outfit.held[:, None], 0.0, by)
    return start.replace(positions=moved, positions_before=moved)


def starts(count: int) -> str:
    """The table of the benchmark, of `count` seeded starts."""
    lines = [
        f"## {count} wrong starts, 3,124 vertices, a run-in of {SETTLED} frames\n",
        "Sleeves through the skirt, a flap of its hem through itself, its waist in the torso. Bars: all clear "
        "at the end of the run-in, or refused by place; cloth through no cloth at any frame.\n",
        "| seed | through itself at first | in the body | drawn apart by | frames through itself | clear from "
        "| p99 at most | fastest | untangling the start |\n|---|---|---|---|---|---|---|---|---|",
    ]
    lines += [_row(seed, wrong_start(seed)) for seed in range(count)]
    return "\n".join(lines) + "\n"


def _row(seed: int, made: ShotPlan) -> str:
    points, faces = made.garments[0].mesh.vertices, triangulated(made.garments[0].mesh).triangles
    (body,) = made.cast
    around = body.motion.rest()
    first = (
        f"| {seed} | {len(self_crossing_pairs(points, faces))} pairs | "
        f"{int(inside(around, body.cut.triangles, points).sum())} vertices, "
        f"{len(crossing_pairs(points, faces, around, body.cut.triangles))} pairs"
    )
    began = time.perf_counter()
    try:
        run = OutfitRun(made, made.runs[0])
        start = run.start()
    except StartError as error:
        return (
            f"{first} | refused: {error.what} {error.where} |  |  |  |  | {time.perf_counter() - began:.1f} s |"
        )
    took = time.perf_counter() - began
    frames = [result for (result,) in inspected(run, start, made.first_simulated, made.frames[1])]
    wrong = [frame.frame for frame in frames if frame.crossing_colliders or frame.snags]
    clear = f"frame {max(wrong, default=made.first_simulated) - made.first_simulated + 1}"
    if wrong and wrong[-1] == made.frames[1]:
        clear = "**not**"
    return (
        f"{first} | {np.linalg.norm(start.positions - points, axis=1).max() * 1e3:.0f} mm | "
        f"{sum(frame.crossing_itself > 0 for frame in frames)} of {len(frames)} | {clear} | "
        f"{max(frame.stretch.p99 for frame in frames):.1%} | "
        f"{max(frame.fastest_vertex for frame in frames):.1f} m/s | {took:.1f} s |"
    )
