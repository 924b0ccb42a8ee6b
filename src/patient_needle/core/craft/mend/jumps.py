"""Faults that only several frames show: jumps, and jitter of cloth at rest.

A place that jumps away and back, or stays where it jumped to, is accelerated one way and at once the other. A
blow from a body accelerates it one way only. So the measure of a jump between two frames is the geometric mean
of two neighbouring accelerations, where they are opposed: d for a step of d, 1.4 d for a single frame that is d
off, 0 for motion of constant acceleration and for a blow.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...geometry.tree import build_tree, closest_points
from ...model.tolerances import (
    JITTER,
    JITTER_DRIFT,
    JITTER_FRAMES,
    JITTER_STEPS,
    JUMP,
    JUMP_BESIDE,
    JUMP_BODY_REACH,
    JUMP_BODY_SHARE,
    JUMP_SHARE,
    JUMP_SPACING,
    JUMP_STEPS,
    JUMP_WINDOW,
)
from ...model.typed import Flags, Indices, Scalars
from ...solver.diagnostics import furthest
from .faults import Mark
from .footage import Footage

JUMPS = "jump"
JITTERS = "jitter at rest"


def jolts(points: NDArray[np.float32]) -> NDArray[np.float64]:
    """How far (f, n) m each of n points jumps on its way to each of f frames; 0 in the first and last two."""
    frames = points.astype(np.float64)
    out = np.zeros(points.shape[:2])
    if len(frames) < 4:
        return out
    push = frames[2:] - 2.0 * frames[1:-1] + frames[:-2]
    opposed = -np.einsum("fnk,fnk->fn", push[:-1], push[1:])
    out[2:-1] = np.sqrt(np.maximum(opposed, 0.0))
    return out


class Jolts:
    """The jolts of a footage, and the marks that they make."""

    def __init__(self, footage: Footage) -> None:
        self._footage = footage
        self._own = jolts(footage.points)
        # A jump is told by two frames before it: the run-in, which nobody is given, does not tell one.
        self._own[: footage.begins - footage.first + 2] = 0.0
        self._steps = np.zeros(self._own.shape)
        self._steps[1:] = np.linalg.norm(np.diff(footage.points, axis=0), axis=2)
        self._met = np.unique(footage.run.colliders.triangles)
        spacing = np.concatenate([np.full(c.count, c.spacing) for c in footage.worn.cloths])
        self._least = np.maximum(JUMP, JUMP_SPACING * spacing)

    def marks(self, frame: int) -> list[Mark]:
        """Jumps on the way to a frame, and jitter about it."""
        index = frame - self._footage.first
        leaps = self._jumping(index)
        jitters = self._jittering(index) & ~leaps
        return self._marked(JUMPS, leaps, self._own[index]) + self._marked(JITTERS, jitters, self._own[index])

    def _jumping(self, index: int) -> Flags:
        """Which vertices (n,) jump on the way to a frame, further than they and the bodies do around it."""
        own = self._own[index]
        out = np.asarray((own > self._least) & ~self._footage.worn.held)
        some = np.flatnonzero(out)
        if len(some):
            low, high = max(0, index - JUMP_WINDOW), index + JUMP_WINDOW + 1
            around = np.arange(low, min(high, len(self._own)))
            apart = around[np.abs(around - index) > JUMP_BESIDE]
            for kept, frames, share in ((self._own, apart, JUMP_SHARE), (self._steps, around, JUMP_STEPS)):
                out[some] &= own[some] > share * kept[np.ix_(frames, some)].max(axis=0, initial=0.0)
            some = np.flatnonzero(out)
            out[some] &= own[some] * JUMP_BODY_SHARE > self._of_bodies(index, some.astype(np.int32))
        return out

    def _of_bodies(self, index: int, vertices: Indices) -> Scalars:
        """How far (q,) m the bodies near some vertices jump themselves on the way to a frame."""
        footage, frame = self._footage, self._footage.first + index
        colliders = footage.colliders(frame)
        out = np.zeros(len(vertices))
        if len(vertices) == 0 or len(colliders.triangles) == 0:
            return out
        low, high = footage.run.plan.first_simulated, footage.run.plan.frames[1]
        span = [min(max(frame + step, low), high) for step in (-2, -1, 0, 1)]
        moving = jolts(np.stack([footage.bodies(each) for each in span]).astype(np.float32))[2]
        around = footage.bodies(frame)
        nearest, _, _ = closest_points(
            build_tree(around, colliders.triangles), around, footage.at(frame)[vertices], JUMP_BODY_REACH
        )
        met = nearest >= 0
        out[met] = moving[colliders.triangles[nearest[met]]].max(axis=1)
        return out

    def _jittering(self, index: int) -> Flags:
        """Which vertices (n,) shake about a frame while neither they nor the bodies go anywhere."""
        footage, half = self._footage, JITTER_FRAMES // 2
        nothing = np.zeros(footage.worn.count, bool)
        if not half <= index < len(self._own) - half - 1:
            return nothing
        window = self._own[index - half : index + half + 1]
        steady = np.median(window, axis=0)
        shaking = (steady > JITTER) & ~footage.worn.held
        if not shaking.any():
            return nothing
        # Neither the cloth nor a body goes further in a frame than the shaking itself does.
        steps = self._steps[index - half : index + half + 1]
        shaking &= (steps < JITTER_STEPS * steady + JITTER_DRIFT).all(axis=0)
        if shaking.any():
            frame = footage.first + index
            low, high = footage.run.plan.first_simulated, footage.run.plan.frames[1]
            span = range(max(low, frame - half), min(high, frame + half) + 1)
            bodies = [footage.bodies(each)[self._met] for each in span]
            moved = max((furthest(a, b) for a, b in pairwise(bodies)), default=0.0)
            shaking &= moved < JITTER_DRIFT
        return np.asarray(shaking)

    def _marked(self, kind: str, which: Flags, depth: Scalars) -> list[Mark]:
        marks = []
        for index, span in enumerate(self._footage.worn.spans):
            vertices = np.flatnonzero(which[span]).astype(np.int32) + span.start
            if len(vertices):
                marks.append(Mark(kind, index, "", vertices.astype(np.int32), depth[vertices]))
        return marks
