"""Untangle: the engine's history-free untangling run through time, each frame from the last one's solution."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ...model.typed import Indices, Points
from ...solver.step import Surround
from ..run.start import crossing_cloth, untangled
from .footage import Footage, Patch, Region, Span, quiet

DECAY = 0.5  # of the last frame's displacement that is still there in a frame that needs none


def untangle(
    footage: Footage,
    region: Region,
    span: Span,
    told: Callable[[float], None] = quiet,
) -> Patch:
    """Draw a region out of other cloth and out of itself in every frame of a span.

    Which way is out, the contours of each frame tell; where they do not, the place stays crossed.
    """
    run, worn = footage.run, footage.worn
    frames, vertices = list(span.frames(footage)), region.vertices
    fixed = np.asarray(region.weights <= 0.0) | worn.held
    held = replace(worn, held=fixed)
    moved = np.zeros((len(vertices), 3))
    out: list[Points] = []
    for count, frame in enumerate(frames):
        take, around = footage.at(frame), footage.bodies(frame)
        points = take.copy()
        points[vertices] += moved
        if len(moved) and len(crossing_cloth(held, points)):
            surroundings = run.colliders.surroundings(frame, float(frame))
            surround = Surround(around, around, points[fixed], surroundings, held=fixed)
            points = untangled(held, run.constants.engine, points, surround, footage.colliders(frame))
            moved = points[vertices] - take[vertices]
        else:
            moved = DECAY * moved
            moved[np.linalg.norm(moved, axis=1) < 1e-6] = 0.0
            if _crosses(held, take, vertices, moved):
                moved = points[vertices] - take[vertices]
            points[vertices] = take[vertices] + moved
        out.append(points[vertices].copy())
        told((count + 1) / len(frames))
    share = np.array([1.0 if span.first <= frame <= span.last else span.share(frame) for frame in frames])
    kept = footage.points[np.ix_(np.array(frames) - footage.first, vertices)]
    wanted = np.stack(out)
    still = (np.abs(wanted - kept).max(axis=2) < 1e-7) | (share[:, None] == 0)
    blended = kept + share[:, None, None] * (wanted - kept)
    return Patch(vertices, tuple(frames), np.where(still[..., None], kept, blended.astype(np.float32)))


def _crosses(held, take: Points, vertices: Indices, moved: Points) -> bool:  # type: ignore[no-untyped-def]
    points = take.copy()
    points[vertices] += moved
    return len(crossing_cloth(held, points)) > 0
