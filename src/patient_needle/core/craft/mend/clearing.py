"""A guide that leads through bodies is led around them, smoothly in time and along the cloth.

Where a guide comes nearer to a body than its gap, each vertex keeps off by as much as it will have to, or had
to, within CLEAR_FRAMES frames: a moving maximum of the depth (a dilation: J. Serra, Image analysis and
mathematical morphology, 1982), smoothed by a window that is no longer, so that it is nowhere less than the
depth. What then follows the guide meets the body softly or not at all.
"""

from __future__ import annotations

import numpy as np
from scipy import ndimage

from ...geometry.topology import neighbour_means
from ...geometry.tree import closest_points
from ...model.tolerances import CLEAR_FRAMES, CLEAR_PASSES, CLEAR_REACH, CLEAR_ROUNDS
from ...model.typed import Indices, Matrices, Points, Vectors
from .easing_out import Around
from .footage import Footage, edge_graph


class Clearing:
    """The bodies of a take's frames, and how its cloth is led around them."""

    def __init__(self, footage: Footage) -> None:
        self._footage = footage
        self._around = [Around(footage, footage.first + row) for row in range(len(footage.points))]
        graph = edge_graph(footage.worn)
        self._means = neighbour_means(((graph + graph.T) > 0).tocsr().astype(float))

    def led_around(self, guide: Points, vertices: Indices, turns: Matrices, margin: float) -> Points:
        """Where vertices (q,) of a guide (f, n, 3) m go instead, (f, q, 3) m, so that they keep their gap and
        `margin` m; turns (f, 3, 3) of the frame in which a way is smooth. As they are where nothing is near.
        """
        out, means = guide[:, vertices].copy(), self._means[vertices][:, vertices]
        for _ in range(CLEAR_ROUNDS):
            short = np.stack([self._short(row, out[row], vertices, margin) for row in range(len(out))])
            if not short.any():
                break
            way = np.einsum("fij,fnj->fni", turns, envelope(np.einsum("fji,fnj->fni", turns, short)))
            for frame in way:
                for _ in range(CLEAR_PASSES):
                    frame[:] = 0.5 * (frame + means @ frame)
            out += way
        return out

    def _short(self, row: int, here: Points, vertices: Indices, margin: float) -> Vectors:
        """The way out (q, 3) m by which vertices (q,) at (q, 3) m lack their gap and margin to a body."""
        out, around, skin = np.zeros(here.shape), self._around[row], self._footage.worn.skin
        if around.tree is None:
            return out
        nearest, corners, distance = closest_points(around.tree, around.points, here, CLEAR_REACH)
        near = np.flatnonzero(np.isfinite(distance))
        nearest, corners, distance, own = nearest[near], corners[near], distance[near], vertices[near]
        foot = np.einsum("qk,qkj->qj", corners, around.points[around.triangles[nearest]])
        within = around.within(here[near])
        way = np.where(within[:, None], foot - here[near], here[near] - foot)
        gap = skin.clearance[own] * around.clearance[nearest] + margin
        gap += 0.5 * (around.thickness[nearest] + skin.thickness[own])
        lacks = np.maximum(gap + np.where(within, distance, -distance), 0.0)
        out[near] = way * (lacks / np.maximum(distance, 1e-12))[:, None]
        return out


def envelope(short: Vectors) -> Vectors:
    """What q vertices lack over f frames, (f, q, 3) m, led up to and away from smoothly; nowhere shorter."""
    width = 2 * CLEAR_FRAMES + 1
    window = np.hanning(width + 2)[1:-1]
    window /= window.sum()
    depth = ndimage.maximum_filter1d(np.linalg.norm(short, axis=2), width, axis=0, mode="nearest")
    depth = ndimage.convolve1d(depth, window, axis=0, mode="nearest")
    way = ndimage.uniform_filter1d(short, width, axis=0, mode="nearest")
    way = ndimage.convolve1d(way, window, axis=0, mode="nearest")
    long = np.linalg.norm(way, axis=2)
    return np.asarray(way * (depth / np.maximum(long, 1e-9))[..., None])
