"""Pairs of triangles that may intersect: all that a box, a plane or a direction does not part for certain.

What remains goes to exact predicates, so these tests may only err by keeping a pair. Planes are judged by the
determinant of four points with the bound on its rounding error after J. R. Shewchuk, Adaptive precision
floating-point arithmetic and fast robust geometric predicates, 1997.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..geometry.triangles import corners_of
from ..model.errors import SolverError
from ..model.typed import Indices, Points, Triangles

PLANE_ERROR = 7.8e-16  # (7 + 56 e) e, rounded up, e being half a unit in the last place
ALONG_ERROR = 1e-14  # of the sizes that go into a sum of three products
CHUNKS = 8  # of the first surface's triangles, side by side
MOST_CELLS = 48  # along each axis
MOST_SHARED = 30  # cells that a triangle reaches, on average


def doubtful_pairs(
    points_a: Points, triangles_a: Triangles, points_b: Points, triangles_b: Triangles, *, itself: bool = False
) -> Indices:
    """Pairs (k, 2) of triangles of two surfaces that were not found apart, in no order that means anything.

    itself: b is a; each pair comes once, and corners that two triangles share do not count as meeting.
    """
    boxes_a = _boxes(points_a, triangles_a)
    boxes_b = boxes_a if itself else _boxes(points_b, triangles_b)
    low = np.maximum(boxes_a.min(axis=0)[:3], boxes_b.min(axis=0)[:3])
    high = np.minimum(boxes_a.max(axis=0)[3:], boxes_b.max(axis=0)[3:])
    if not (np.isfinite(low).all() and np.isfinite(high).all()):
        raise SolverError("crossings cannot be counted: a point is no number", remedy="Report this as a fault")
    if (low > high).any():
        return np.zeros((0, 2), np.int32)
    size = max(float((boxes_b[:, 3:] - boxes_b[:, :3]).mean()), float((boxes_a[:, 3:] - boxes_a[:, :3]).mean()))
    cell = np.maximum(np.full(3, max(1.5 * size, 1e-9)), (high - low) / (MOST_CELLS - 1))
    while True:
        counts = (np.floor((high - low) / cell) + 1).astype(np.int64)
        cells_b = _cells_of(boxes_b, low, cell, counts)
        # A few large triangles among many small ones would fill a fine grid many times over.
        if np.prod(cells_b[:, 3:] - cells_b[:, :3] + 1, axis=1).sum() <= MOST_SHARED * len(cells_b):
            break
        cell = 2.0 * cell
    cells_a = cells_b if itself else _cells_of(boxes_a, low, cell, counts)
    starts, members = _sorted_into(cells_b, counts)
    room = 1024
    while True:
        out, found = np.empty((CHUNKS, room, 2), np.int32), np.zeros(CHUNKS, np.int64)
        _near(
            points_a, triangles_a, boxes_a, cells_a, points_b, triangles_b, boxes_b, cells_b, counts, starts,
            members, itself, out, found,
        )  # fmt: skip
        if found.max() <= room:
            return np.concatenate([out[chunk, : found[chunk]] for chunk in range(CHUNKS)])
        room = 2 * int(found.max())


def _boxes(points: Points, triangles: Triangles) -> Points:
    """Lowest corner and highest (m, 6) m of each triangle."""
    out = np.empty((len(triangles), 6))
    _box_each(points, triangles, out)
    return out


@njit(cache=True)
def _box_each(points, triangles, out):
    """Lowest corner and highest of each triangle (m, 3), into out (m, 6) m."""
    for t in range(triangles.shape[0]):
        for k in range(3):
            a, b, c = points[triangles[t, 0], k], points[triangles[t, 1], k], points[triangles[t, 2], k]
            out[t, k], out[t, 3 + k] = min(a, b, c), max(a, b, c)


@njit(cache=True)
def _cells_of(boxes, low, cell, counts):
    """The first and last cell of a grid that boxes (m, 6) m reach along each axis, (m, 6); 1 and 0 for a box
    beyond.

    low (3,) m where the grid begins; cell (3,) m; counts (3,) cells.
    """
    out = np.empty((boxes.shape[0], 6), np.int32)
    for t in range(boxes.shape[0]):
        for k in range(3):
            if boxes[t, 3 + k] < low[k] or boxes[t, k] > low[k] + cell[k] * counts[k]:
                out[t, :3], out[t, 3:] = 1, 0
                break
            out[t, k] = min(max(int(np.floor((boxes[t, k] - low[k]) / cell[k])), 0), counts[k] - 1)
            out[t, 3 + k] = min(max(int(np.floor((boxes[t, 3 + k] - low[k]) / cell[k])), 0), counts[k] - 1)
    return out


@njit(cache=True)
def _sorted_into(cells, counts):
    """Boxes by the cells (m, 6) of a grid they reach: starts (cells + 1,) into members."""
    starts = np.zeros(counts[0] * counts[1] * counts[2] + 1, np.int64)
    for t in range(cells.shape[0]):
        for i in range(cells[t, 0], cells[t, 3] + 1):
            for j in range(cells[t, 1], cells[t, 4] + 1):
                for k in range(cells[t, 2], cells[t, 5] + 1):
                    starts[(i * counts[1] + j) * counts[2] + k + 1] += 1
    for c in range(1, starts.shape[0]):
        starts[c] += starts[c - 1]
    members = np.empty(starts[-1], np.uint32)
    at = starts[:-1].copy()
    for t in range(cells.shape[0]):
        for i in range(cells[t, 0], cells[t, 3] + 1):
            for j in range(cells[t, 1], cells[t, 4] + 1):
                for k in range(cells[t, 2], cells[t, 5] + 1):
                    c = (i * counts[1] + j) * counts[2] + k
                    members[at[c]] = t
                    at[c] += 1
    return starts, members


@njit(parallel=True, cache=True)
def _near(
    xa, tri_a, boxes_a, cells_a, xb, tri_b, boxes_b, cells_b, counts, starts, members, itself, out, found
):  # fmt: skip
    """How many pairs of triangles are not parted, by chunk of a's, into found (CHUNKS,); as many as there is
    room for into out (CHUNKS, k, 2).

    xa (n, 3) m, tri_a (m, 3), boxes_a (m, 6) m, cells_a (m, 6), the same of b; members (j,) of each cell from
    starts (cells + 1,).
    """
    for chunk in prange(CHUNKS):
        used, room = 0, out.shape[1]
        for s in range(chunk * tri_a.shape[0] // CHUNKS, (chunk + 1) * tri_a.shape[0] // CHUNKS):
            i0, j0, k0 = cells_a[s, 0], cells_a[s, 1], cells_a[s, 2]
            for i in range(i0, cells_a[s, 3] + 1):
                for j in range(j0, cells_a[s, 4] + 1):
                    for k in range(k0, cells_a[s, 5] + 1):
                        c = (i * counts[1] + j) * counts[2] + k
                        for index in range(np.uint64(starts[c]), np.uint64(starts[c + 1])):
                            t = members[index]
                            if (itself and t <= s) or not _boxes_touch(boxes_a, s, boxes_b, t):
                                continue
                            # A pair that shares several cells counts in the first of them alone.
                            if max(i0, cells_b[t, 0]) != i or max(j0, cells_b[t, 1]) != j:
                                continue
                            if max(k0, cells_b[t, 2]) != k or _parted(xa, tri_a, s, xb, tri_b, t, itself):
                                continue
                            if used < room:
                                out[chunk, used, 0], out[chunk, used, 1] = s, t
                            used += 1
        found[chunk] = used


@njit(cache=True, inline="always")
def _boxes_touch(a, s, b, t):
    """Whether boxes s of a and t of b (m, 6) have a point in common."""
    return (
        a[s, 0] <= b[t, 3] and b[t, 0] <= a[s, 3]
        and a[s, 1] <= b[t, 4] and b[t, 1] <= a[s, 4]
        and a[s, 2] <= b[t, 5] and b[t, 2] <= a[s, 5]
    )  # fmt: skip


@njit(cache=True)
def _parted(xa, tri_a, s, xb, tri_b, t, itself):
    """Whether triangles s and t have nothing in common but corners they share, for certain."""
    return (
        _parted_along(xa, tri_a, s, xb, tri_b, t, itself)
        or _beside_plane(xa, tri_a, s, xb, tri_b, t, itself)
        or _beside_plane(xb, tri_b, t, xa, tri_a, s, itself)
    )


@njit(cache=True, inline="always")
def _shares(tri_a, s, corner, tri_b, t, itself):
    """Whether a corner of s is one of t's."""
    v = tri_a[s, corner]
    return itself and (v == tri_b[t, 0] or v == tri_b[t, 1] or v == tri_b[t, 2])


@njit(cache=True)
def _beside_plane(xa, tri_a, s, xb, tri_b, t, itself):
    """Whether all corners of s that t does not share lie strictly on one side of its plane."""
    side = 0
    a, b, c = corners_of(tri_b, t)
    for corner in range(3):
        if _shares(tri_a, s, corner, tri_b, t, itself):
            continue
        v = np.uint32(tri_a[s, corner])
        a0, a1, a2 = xb[a, 0] - xa[v, 0], xb[a, 1] - xa[v, 1], xb[a, 2] - xa[v, 2]
        b0, b1, b2 = xb[b, 0] - xa[v, 0], xb[b, 1] - xa[v, 1], xb[b, 2] - xa[v, 2]
        c0, c1, c2 = xb[c, 0] - xa[v, 0], xb[c, 1] - xa[v, 1], xb[c, 2] - xa[v, 2]
        d, e, f, g, h, i = b0 * c1, c0 * b1, c0 * a1, a0 * c1, a0 * b1, b0 * a1
        which = a2 * (d - e) + b2 * (f - g) + c2 * (h - i)
        size = (abs(d) + abs(e)) * abs(a2) + (abs(f) + abs(g)) * abs(b2) + (abs(h) + abs(i)) * abs(c2)
        bound = PLANE_ERROR * size
        if which > bound and side >= 0:
            side = 1
        elif which < -bound and side <= 0:
            side = -1
        else:
            return False
    return side != 0


@njit(cache=True)
def _parted_along(xa, tri_a, s, xb, tri_b, t, itself):
    """Whether the two lie apart along the way between their middles; what they share may stand between them."""
    o0, o1, o2, shared = 0.0, 0.0, 0.0, 0
    for corner in range(3):
        if _shares(tri_a, s, corner, tri_b, t, itself):
            v = tri_a[s, corner]
            o0, o1, o2 = xa[v, 0], xa[v, 1], xa[v, 2]
            shared += 1
    if shared > 1:
        return False
    m0, m1, m2 = 0.0, 0.0, 0.0
    for corner in range(3):
        v, w = np.uint32(tri_a[s, corner]), np.uint32(tri_b[t, corner])
        m0 += xa[v, 0] - xb[w, 0]
        m1 += xa[v, 1] - xb[w, 1]
        m2 += xa[v, 2] - xb[w, 2]
    least, most, size = np.inf, -np.inf, 0.0
    for corner in range(3):
        if not _shares(tri_a, s, corner, tri_b, t, itself):
            v = np.uint32(tri_a[s, corner])
            a, b, c = m0 * (xa[v, 0] - o0), m1 * (xa[v, 1] - o1), m2 * (xa[v, 2] - o2)
            least, size = min(least, a + b + c), max(size, abs(a) + abs(b) + abs(c))
        if not _shares(tri_b, t, corner, tri_a, s, itself):
            v = np.uint32(tri_b[t, corner])
            a, b, c = m0 * (xb[v, 0] - o0), m1 * (xb[v, 1] - o1), m2 * (xb[v, 2] - o2)
            most, size = max(most, a + b + c), max(size, abs(a) + abs(b) + abs(c))
    bound = ALONG_ERROR * size
    if shared == 1:
        return least > bound and most < -bound
    return least > most + 2 * bound
