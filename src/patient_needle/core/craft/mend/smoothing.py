"""Smooth: a place is smoothed over its span in time, or over its cloth in space.

In time the motion is seen from a frame that is carried along with the place, and fitted with the smoothest
curve near it: a penalised spline (E. Whittaker, On a new method of graduation, 1923). Its penalty is on the
second difference, so that straight motion stays as it is but for rounding. Frames that jump have no say in the
fit. In space each vertex goes part of the way to where the smoothed shape of its patch has it.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy import linalg
from scipy.spatial.transform import Rotation, Slerp

from ...geometry.topology import neighbour_means
from ...model.tolerances import SMOOTH_PASSES, SMOOTH_SHRINK, SMOOTH_STEP, SMOOTH_STRENGTH
from ...model.typed import Flags, Indices, Matrices, Points, Vectors
from .footage import Footage, Patch, Region, Span, edge_graph

BESIDE = 8  # frames before and after a span that the fit joins
FIRM = 1e6  # weight of a frame that the fit keeps


def smooth_time(
    footage: Footage, region: Region, span: Span, *, strength: float = 1.0, leave_out: tuple[int, ...] = ()
) -> Patch:
    """Smooth a region's motion over a span. strength scales how smooth; leave_out: frames that have no say
    are bridged, and the others stay.
    """
    frames, vertices = list(span.frames(footage)), region.vertices
    first, last = max(footage.first, frames[0] - BESIDE), min(footage.last, frames[-1] + BESIDE)
    every = range(first, last + 1)
    points = np.stack([footage.at(frame)[vertices] for frame in every])
    says = np.array([frame not in leave_out for frame in every])
    turns, middles = carried(points, says)
    local = np.einsum("fji,fqj->fqi", turns, points - middles[:, None])
    # Outside the frames that may change the curve has to be the take's own; so have frames beside a bridge.
    bridges = not says.all()
    firm = np.array([1.0 if frame in frames and not bridges else FIRM for frame in every]) * says
    fitted = smoothest(local.reshape(len(local), -1), firm, SMOOTH_STRENGTH * strength).reshape(local.shape)
    wanted = np.einsum("fij,fqj->fqi", turns, fitted) + middles[:, None]
    return _blended(footage, region, span, frames, vertices, wanted[[frame - first for frame in frames]])


def smoothest(values: NDArray[np.float64], firm: NDArray[np.float64], strength: float) -> NDArray[np.float64]:
    """The curve near values (f, k), weighed by firm (f,), with the least second differences.

    Straight values come back as they are. A frame of weight 0 is bridged.
    """
    count = len(values)
    if count < 3:
        return values
    second = np.diff(np.eye(count), 2, axis=0)
    matrix = np.diag(firm) + strength * second.T @ second
    bands = np.zeros((3, count))
    for band in range(3):
        bands[band, : count - band] = np.diagonal(matrix, -band)
    # What is solved for is the change, so that rounding cannot move what is smooth already.
    return values + linalg.solveh_banded(bands, -strength * (second.T @ (second @ values)), lower=True)


def carried(points: Points, says: Flags) -> tuple[Matrices, Vectors]:
    """How a place of points (f, q, 3) m is carried along: turns (f, 3, 3) and middles (f, 3) m.

    By the rigid motion that fits best from frame to frame (W. Kabsch, A solution for the best rotation to
    relate two sets of vectors, 1976); frames that have no say are bridged. Points that only move straight give
    no turn and the mean.
    """
    frames = len(points)
    middles = points.mean(axis=1)
    sure = np.flatnonzero(says)
    if len(sure) == 0:
        return np.tile(np.eye(3), (frames, 1, 1)), middles
    if len(sure) < frames:
        middles = smoothest(middles, np.where(says, FIRM, 0.0), SMOOTH_STRENGTH)
    turns = np.tile(np.eye(3), (frames, 1, 1))
    base = points[sure[0]] - middles[sure[0]]
    for frame in sure:
        turns[frame] = _turn(base, points[frame] - middles[frame])
    if len(sure) < 2:
        return np.tile(turns[sure[0]], (frames, 1, 1)), middles
    between = Slerp(sure, Rotation.from_matrix(turns[sure]))
    return between(np.clip(np.arange(frames), sure[0], sure[-1])).as_matrix(), middles


def _turn(before: Points, after: Points) -> Matrices:
    """The rotation (3, 3) that takes `before` (q, 3) nearest to `after`."""
    if np.array_equal(before, after):
        return np.eye(3)
    u, _, vt = np.linalg.svd(before.T @ after)
    sign = np.sign(np.linalg.det(vt.T @ u.T)) or 1.0
    return np.asarray(vt.T @ np.diag([1.0, 1.0, sign]) @ u.T)


def smooth_space(footage: Footage, region: Region, span: Span, *, strength: float = 1.0) -> Patch:
    """Smooth the cloth of a region in every frame of a span.

    By passes that shrink and grow in turn, so that the place keeps its size (G. Taubin, A signal processing
    approach to fair surface design, SIGGRAPH 1995).
    """
    frames, vertices = list(span.frames(footage)), region.vertices
    graph = edge_graph(footage.worn)
    means = neighbour_means(((graph + graph.T) > 0).tocsr().astype(float))[vertices]
    wanted = []
    for frame in frames:
        points = footage.at(frame)
        for _ in range(max(1, round(SMOOTH_PASSES * strength))):
            for by in (SMOOTH_STEP, SMOOTH_SHRINK):
                points[vertices] += by * (means @ points - points[vertices])
        wanted.append(points[vertices])
    return _blended(footage, region, span, frames, vertices, np.stack(wanted))


def _blended(
    footage: Footage, region: Region, span: Span, frames: list[int], vertices: Indices, wanted: Points
) -> Patch:
    """A patch that goes to `wanted` (g, q, 3) m as far as region and span say."""
    take = footage.points[np.ix_(np.array(frames) - footage.first, vertices)]
    share = np.array([span.share(frame) for frame in frames])[:, None] * region.weights[vertices]
    moved = share[..., None] * (wanted - take)
    points = np.where(moved == 0.0, take, (take + moved).astype(np.float32))
    return Patch(vertices, tuple(frames), points)
