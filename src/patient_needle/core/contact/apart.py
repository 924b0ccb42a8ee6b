"""Pairs of triangles that may intersect: all that a box, a plane or a direction does not part for certain.

What remains goes to exact predicates, so these tests may only err by keeping a pair. Planes are judged by the
determinant of four points with the bound on its rounding error after J. R. Shewchuk, Adaptive precision
floating-point arithmetic and fast robust geometric predicates, 1997.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..geometry.triangles import corners_of
from ..model.typed import Indices, Points, Triangles

PLANE_ERROR = 7.8e-16  # (7 + 56 e) e, rounded up, e being half a unit in the last place
ALONG_ERROR = 1e-14  # of the sizes that go into a sum of three products
MOST_CELLS = 48  # along each axis


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
    if (low > high).any():
        return np.zeros((0, 2), np.int32)
    size = max(float((boxes_b[:, 3:] - boxes_b[:, :3]).mean()), float((boxes_a[:, 3:] - boxes_a[:, :3]).mean()))
    cell = np.maximum(np.full(3, max(1.5 * size, 1e-9)), (high - low) / (MOST_CELLS - 1))
    counts = (np.floor((high - low) / cell) + 1).astype(np.int64)
    starts, members = _sorted_into(boxes_b, low, cell, counts)
    room = 4096
    while True:
        out = np.empty((room, 2), np.int32)
        found = _near(
            points_a, triangles_a, boxes_a, points_b, triangles_b, boxes_b, low, cell, counts, starts, members,
            itself, out,
        )  # fmt: skip
        if found <= room:
            return out[:found]
        room = 2 * found


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
def _cells(boxes, t, low, cell, counts):
    """The first and last cell along each axis that a box reaches, kept within the grid."""
    i0 = min(max(int(np.floor((boxes[t, 0] - low[0]) / cell[0])), 0), counts[0] - 1)
    j0 = min(max(int(np.floor((boxes[t, 1] - low[1]) / cell[1])), 0), counts[1] - 1)
    k0 = min(max(int(np.floor((boxes[t, 2] - low[2]) / cell[2])), 0), counts[2] - 1)
    i1 = min(max(int(np.floor((boxes[t, 3] - low[0]) / cell[0])), 0), counts[0] - 1)
    j1 = min(max(int(np.floor((boxes[t, 4] - low[1]) / cell[1])), 0), counts[1] - 1)
    k1 = min(max(int(np.floor((boxes[t, 5] - low[2]) / cell[2])), 0), counts[2] - 1)
    return i0, j0, k0, i1, j1, k1


@njit(cache=True)
def _beyond(boxes, t, low, cell, counts):
    """Whether a box has no part in the grid."""
    apart = False
    for k in range(3):
        apart = apart or boxes[t, 3 + k] < low[k] or boxes[t, k] > low[k] + cell[k] * counts[k]
    return apart


@njit(cache=True)
def _sorted_into(boxes, low, cell, counts):
    """Boxes (m, 6) by the cells of a grid they reach: starts (cells + 1,) into members."""
    starts = np.zeros(counts[0] * counts[1] * counts[2] + 1, np.int64)
    for t in range(boxes.shape[0]):
        if _beyond(boxes, t, low, cell, counts):
            continue
        i0, j0, k0, i1, j1, k1 = _cells(boxes, t, low, cell, counts)
        for i in range(i0, i1 + 1):
            for j in range(j0, j1 + 1):
                for k in range(k0, k1 + 1):
                    starts[(i * counts[1] + j) * counts[2] + k + 1] += 1
    for c in range(1, starts.shape[0]):
        starts[c] += starts[c - 1]
    members = np.empty(starts[-1], np.int32)
    at = starts[:-1].copy()
    for t in range(boxes.shape[0]):
        if _beyond(boxes, t, low, cell, counts):
            continue
        i0, j0, k0, i1, j1, k1 = _cells(boxes, t, low, cell, counts)
        for i in range(i0, i1 + 1):
            for j in range(j0, j1 + 1):
                for k in range(k0, k1 + 1):
                    c = (i * counts[1] + j) * counts[2] + k
                    members[at[c]] = t
                    at[c] += 1
    return starts, members


@njit(cache=True)
def _near(
    xa, tri_a, boxes_a, xb, tri_b, boxes_b, low, cell, counts, starts, members, itself, out
):  # fmt: skip
    """How many pairs of triangles are not parted; as many as there is room for into out (k, 2).

    xa (n, 3) m, tri_a (m, 3), boxes_a (m, 6), the same of b; members (j,) of each cell from starts (cells +
    1,).
    """
    found = 0
    for s in range(tri_a.shape[0]):
        if _beyond(boxes_a, s, low, cell, counts):
            continue
        i0, j0, k0, i1, j1, k1 = _cells(boxes_a, s, low, cell, counts)
        for i in range(i0, i1 + 1):
            for j in range(j0, j1 + 1):
                for k in range(k0, k1 + 1):
                    c = (i * counts[1] + j) * counts[2] + k
                    for index in range(starts[c], starts[c + 1]):
                        t = np.uint32(members[index])
                        if itself and t <= s:
                            continue
                        if not _boxes_touch(boxes_a, s, boxes_b, t):
                            continue
                        # A pair that shares several cells counts in the first of them alone.
                        p0, q0, r0, _, _, _ = _cells(boxes_b, t, low, cell, counts)
                        if max(i0, p0) != i or max(j0, q0) != j or max(k0, r0) != k:
                            continue
                        if _parted(xa, tri_a, s, xb, tri_b, t, itself):
                            continue
                        if found < out.shape[0]:
                            out[found, 0], out[found, 1] = s, t
                        found += 1
    return found


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
        _beside_plane(xa, tri_a, s, xb, tri_b, t, itself)
        or _beside_plane(xb, tri_b, t, xa, tri_a, s, itself)
        or _parted_along(xa, tri_a, s, xb, tri_b, t, itself)
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
