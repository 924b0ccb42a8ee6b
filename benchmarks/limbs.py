"""What contact costs and holds: flung and walking limbs under a dress; closest points against libigl."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise

import igl
import numpy as np
from scipy.spatial.transform import Rotation

from patient_needle.core.craft.holds.acting import Moment
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.tree import build_tree, closest_points
from patient_needle.core.model.shot import ShotPlan
from patient_needle.core.solver.diagnostics import FrameTally
from patient_needle.core.solver.state import Forces
from patient_needle.core.solver.step import Engine, Surround
from tests import violent
from tests.sheets import NO_FACES, NOTHING, sheet, surroundings

PRESSED_FROM = (0, 10, 20, 30, 40, 50)  # micrometres aside: what is pinched is chaotic
ROUNDS = 3  # a walk with and without contact in turn, of which the quickest of each frame count


@dataclass(frozen=True)
class Ran:
    """A shot's frames: seconds and substeps of each, frames with a crossing, worst p99 and worst edge stretch,
    share of substeps in which the filter stayed within 2 mm and its largest move in m, fastest point in m/s,
    the last frame by which all pinched cloth was clear again (0 when none was pinched).
    """

    vertices: int
    seconds: np.ndarray
    substeps: list[int]
    crossed: int
    itself: int
    p99: float
    worst: float
    within: float
    moved: float
    fastest: float
    caught: int


def walked(t: float) -> violent.Turns:
    """A calm walk on the spot, arms swinging low."""
    ramp, stride = min(1.0, t / 0.4), 2 * np.pi * 0.9 * t
    turns = {}
    for k, (side, s) in enumerate((("L", 1), ("R", -1))):
        swing = ramp * np.sin(stride + np.pi * k)
        turns[f"arm{side}"] = Rotation.from_euler("z", -s * 0.9 * ramp) * Rotation.from_euler("y", 0.25 * swing)
        turns[f"thigh{side}"] = Rotation.from_euler("x", 0.35 * swing)
        turns[f"shin{side}"] = Rotation.from_euler("x", -0.3 * ramp * (1 + np.sin(stride + np.pi * k)))
    return turns


def ran(
    vertices: int, turns: Callable[[float], violent.Turns], frames: int, aside: float = 0.0
) -> tuple[Ran, ShotPlan]:
    """Simulate it at First look, the dress hung `aside` m to the left of its place."""
    made = violent.plan(vertices, turns, frames, aside=aside)
    seconds, results = [], []
    for result in violent.frames_of(made):
        seconds.append(sum(result.tally.milliseconds.values()) * 1e-3)
        results.append(result)
    moves = np.concatenate([r.tally.filter_moves for r in results])
    caught = [r.frame for r in results if any(s.kind == "pinched" for s in r.snags)]
    return Ran(
        made.garments[0].mesh.vertex_count, np.array(seconds), [r.tally.substeps for r in results],
        sum(r.crossing_colliders + r.crossing_itself > 0 for r in results),
        sum(r.crossing_itself > 0 for r in results), max(r.stretch.p99 for r in results),
        max(r.stretch.worst for r in results), float(np.mean(moves <= 2e-3)), float(moves.max()),
        max(r.fastest_collider for r in results), max(caught, default=0),
    ), made  # fmt: skip


def elastic_alone(made: ShotPlan, substeps: list[int]) -> np.ndarray:
    """Seconds per frame of the same cloth with the same substeps, blind to every contact."""
    run = OutfitRun(made, made.runs[0])
    engine = Engine(
        run.outfit, NOTHING, NO_FACES, made.patience, Forces(made.gravity, made.air_drag), 3e-3
    )  # fmt: skip
    state, seconds, around = run.start(), [], surroundings(0, 0.0)
    for frame, count in enumerate(substeps):
        tally = FrameTally()
        for index in range(1, count + 1):
            time = frame + index / count
            moment = Moment(time, time, frame, 0, made.frame_rate)
            held = np.concatenate([one.grasp(one.taken(0), moment).held_to for one in run.dressed])
            surround = Surround(NOTHING, NOTHING, held, around)
            state = engine.step(state, surround, 1 / (made.frame_rate * count), tally)
        seconds.append(sum(tally.milliseconds.values()) * 1e-3)
    return np.array(seconds)


def compared(
    vertices: int, turns: Callable[[float], violent.Turns], frames: int, rounds: int
) -> tuple[Ran, np.ndarray]:
    """The shot with contact, and its frames' seconds without any: the quickest of `rounds` alternations."""
    full, alone = [], []
    for _ in range(rounds):
        one, made = ran(vertices, turns, frames)
        full.append(one)
        alone.append(elastic_alone(made, one.substeps))
    quickest = np.min([one.seconds for one in full], axis=0)
    return replace(full[0], seconds=quickest), np.min(alone, axis=0)


def limbs(quick: bool) -> str:
    """The tables of the benchmark."""
    sizes = (1500,) if quick else (3000, 10_000)
    lines = [
        "## A dress and two sleeves on limbs, First look\n",
        "Flung: hands at the speed given. Pressed: arms through ribs and skirt and out again, opening from "
        "frame 27. Bars: no crossing at any frame (flung) or of cloth with itself (pressed), p99 stretch 10 % "
        "(5 %), no edge beyond 50 %, filter within 2 mm in 99 % of substeps, clear again by frame 37.\n",
        "| | vertices | fastest | crossed | through itself | p99 | worst edge | filter within 2 mm | its most "
        "| pinched until | frame |\n|---|---|---|---|---|---|---|---|---|---|---|",
    ]
    ratios = []
    for vertices in sizes:
        flung, bare = compared(vertices, violent.flung, 12 if quick else 48, 1)
        ratios.append(("flung", flung, bare))
        lines.append(_row("flung", flung))
    for start in (0,) if quick else PRESSED_FROM:
        lines.append(
            _row(f"pressed, from {start} μm aside", ran(sizes[0], violent.pressed, 42, start * 1e-6)[0])
        )
    walks = []
    for vertices in (*sizes, *(() if quick else (30_000,))):
        walk, bare = compared(vertices, walked, 12 if quick or vertices > 10_000 else 24, ROUNDS)
        ratios.append(("walking", walk, bare))
        walks.append(walk)
        lines.append(_row("walking", walk))
    lines += [
        f"\nWith contact against the same substeps without any, medians of frames; walking the "
        f"quickest of {ROUNDS} alternations. Bars: walking 2 times at 3,000, 3 times at 10,000; flung 4 times "
        "at 3,000.\n",
        "| | vertices | with contact | without | ratio |\n|---|---|---|---|---|",
    ]
    for what, one, bare in ratios:
        full, alone = (float(np.median(seconds[4:])) for seconds in (one.seconds, bare))
        lines.append(
            f"| {what} | {one.vertices:,} | {full * 1e3:.0f} ms | {alone * 1e3:.0f} ms | {full / alone:.1f} |"
        )
    lines.append("\nGrowth of the time per frame, walking (bar: exponent 1.3):\n")
    for small, large in pairwise(walks):
        growth = np.log(np.median(large.seconds[4:12]) / np.median(small.seconds[4:12]))
        exponent = growth / np.log(large.vertices / small.vertices)
        lines.append(f"- {small.vertices:,} to {large.vertices:,} vertices: {exponent:.2f}")
    return "\n".join([*lines, "", closest(10_000)])


def _row(what: str, r: Ran) -> str:
    return (
        f"| {what} | {r.vertices:,} | {r.fastest:.1f} m/s | {r.crossed} of {len(r.seconds)} | {r.itself} "
        f"| {r.p99:.1%} | {r.worst:.0%} | {r.within:.1%} | {r.moved * 1e3:.1f} mm | {r.caught or '-'} "
        f"| {np.median(r.seconds) * 1e3:.0f} ms |"
    )


def closest(count: int) -> str:
    """Bounded closest points against libigl's, on a waved sheet."""
    points, triangles = sheet(1.0, 1.0, 1 / np.sqrt(count))
    points[:, 2] = 0.05 * np.sin(20 * points[:, 0]) * np.cos(15 * points[:, 1])
    queries = points + np.random.default_rng(3).normal(0, 0.01, points.shape)
    tree = build_tree(points, triangles)
    closest_points(tree, points, queries, 0.05)

    def best(call: Callable[[], object]) -> float:
        times = []
        for _ in range(7):
            start = time.perf_counter()
            call()
            times.append(time.perf_counter() - start)
        return min(times)

    ours = best(lambda: closest_points(tree, points, queries, 0.05))
    theirs = best(lambda: igl.point_mesh_squared_distance(queries, points, triangles))
    distance = closest_points(tree, points, queries, 0.05)[2]
    apart = np.abs(distance - np.sqrt(igl.point_mesh_squared_distance(queries, points, triangles)[0])).max()
    return (
        f"### Closest points, {len(points):,} on {len(triangles):,} triangles (bar: 4 times as fast)\n\n"
        f"Within 5 cm: {ours * 1e3:.1f} ms; libigl: {theirs * 1e3:.1f} ms; {theirs / ours:.1f} times. "
        f"They differ by {apart:.1e} m at most.\n"
    )
