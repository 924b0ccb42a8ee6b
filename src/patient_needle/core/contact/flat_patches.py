"""Cloth that cannot touch itself: flat fans about one vertex, and flat patches among the nodes of its tree.

All triangles of one face nearly one way, and its outline, seen along that way, does not cross itself: P. Volino
and N. Magnenat-Thalmann, Efficient self-collision detection on smoothly discretized surface animations using
geometrical shape regularity, Computer Graphics Forum 13, 1994. About one vertex the condition on the outline
holds by itself. Parts of a patch's outline that are far from each other along it must also be seen apart, so
that nothing of the patch comes near anything but its surroundings.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ..geometry.tree import STACK, Tree
from ..geometry.triangles import corners_of, vertex_normals
from ..model.tolerances import FAN_COSINE, LEAST_PATCH, PATCH_TURN_COSINE, SEEN_APART
from ..model.typed import Flags, Indices, Points, Triangles


class Fans:
    """The fans of a cloth of `count` vertices and triangles (m, 3)."""

    def __init__(self, triangles: Triangles, count: int) -> None:
        self._triangles = triangles
        self._count = count

    def flat(self, start: Points, end: Points) -> Flags:
        """(n,) vertices whose fans are flat at both ends of a substep."""
        out = np.ones(self._count, np.bool_)
        for points in (start, end):
            mean = vertex_normals(points[: self._count], self._triangles)
            _strike_out(points, self._triangles, mean, FAN_COSINE, out)
        return out


@njit(cache=True)
def _strike_out(points, triangles, mean, within, out):
    """Strike out the vertices with a triangle that leans too far from their mean normal.

    points (n, 3) m; triangles (m, 3); mean (v, 3) unit normals; within, the least cosine; out (v,) bool.
    """
    for t in range(triangles.shape[0]):
        a, b, c = corners_of(triangles, t)
        e0, e1, e2 = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        f0, f1, f2 = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        n0, n1, n2 = e1 * f2 - e2 * f1, e2 * f0 - e0 * f2, e0 * f1 - e1 * f0
        least = within * np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
        for v in (a, b, c):
            if n0 * mean[v, 0] + n1 * mean[v, 1] + n2 * mean[v, 2] < least:
                out[v] = False


class FlatPatches:
    """The nodes of a tree over cloth that are discs, with their outlines."""

    def __init__(self, tree: Tree) -> None:
        self._tree = tree
        place = np.empty(len(tree.order), np.int32)
        place[tree.order] = np.arange(len(tree.order), dtype=np.int32)
        self._first, self._outline = _outlines(
            tree.order, place, tree.start, tree.end, tree.triangles, _neighbours(tree.triangles)
        )

    def spans(self, start: Points, end: Points, apart: float) -> Indices:
        """(m, 2) int32: of each place in the tree's order, which span of places is in one flat patch with it at
        both ends of a substep, start and end (n, 3) m; an empty one where there is none. Outlines are `apart` m
        from themselves.
        """
        tree = self._tree
        out = np.zeros((len(tree.order), 2), np.int32)
        facing = np.zeros((2, len(tree.order), 3))
        _turn_in_order(start, tree.triangles, tree.order, facing[0])
        _turn_in_order(end, tree.triangles, tree.order, facing[1])
        _find_flat(
            tree.left, tree.right, tree.start, tree.end, self._first, self._outline,
            start, end, facing[0], facing[1], apart, out,
        )  # fmt: skip
        return out


def _neighbours(triangles: Triangles) -> Indices:
    """(m, 3) the triangle across the edge from each corner to the next, -1 without exactly one."""
    count = np.int64(triangles.max(initial=0)) + 1
    one, other = triangles.astype(np.int64), np.roll(triangles, -1, axis=1).astype(np.int64)
    forth, back = (one * count + other).ravel(), (other * count + one).ravel()
    order = np.argsort(forth, kind="stable")
    sorted_forth = forth[order]
    low, high = (np.searchsorted(sorted_forth, back, side) for side in ("left", "right"))
    mine = np.searchsorted(sorted_forth, forth, "right") - np.searchsorted(sorted_forth, forth, "left")
    found = order[np.minimum(low, len(order) - 1)] // 3
    return np.where((high - low == 1) & (mine == 1), found, -1).reshape(-1, 3).astype(np.int32)


@njit(cache=True)
def _outlines(order, place, start, end, triangles, neighbours):
    """Of every node: where its outline begins and ends in the second array, which holds their vertices in turn;
    none for what is no disc.

    order (m,) triangles as the tree has them, place (m,) the inverse; start, end (nodes,) span of places of a
    node; triangles (m, 3); neighbours (m, 3), the triangle over edge k, -1 over none.
    """
    nodes = start.shape[0]
    first = np.zeros(nodes + 1, np.int64)
    room = np.empty(3 * order.shape[0], np.int32)
    outline = np.empty(8 * order.shape[0] + 64, np.int32)
    seen = np.full(triangles.max() + 1 if triangles.size else 1, -1, np.int32)
    passed = seen.copy()
    used = 0
    for node in range(nodes):
        length = 0
        if end[node] - start[node] >= LEAST_PATCH:
            length = _outline_of(
                node, start[node], end[node], order, place, triangles, neighbours, seen, passed, room
            )
        if used + length > outline.shape[0]:
            grown = np.empty(2 * (used + length), np.int32)
            grown[:used] = outline[:used]
            outline = grown
        outline[used : used + length] = room[:length]
        used += length
        first[node + 1] = used
    return first, outline[:used].copy()


@njit(cache=True)
def _outline_of(node, low, high, order, place, triangles, neighbours, seen, passed, out):
    """How many vertices go round a node, into out; 0 if they are not one loop round a disc.

    low, high: the node's span of places; seen, passed (n,) marks by node number; out (n,) vertices.
    """
    vertices, border, begin = 0, 0, -1
    for i in range(low, high):
        t = order[i]
        for k in range(3):
            if seen[triangles[t, k]] != node:
                seen[triangles[t, k]] = node
                vertices += 1
            if not _within(neighbours[t, k], place, low, high):
                border += 1
                begin = 3 * t + k
    if 2 * vertices - border - (high - low) != 2:  # Euler: V - E + F = 1 with 2 E = 3 F + border
        return 0
    t, k = begin // 3, begin % 3
    for n in range(border):
        if passed[triangles[t, k]] == node:
            return 0
        passed[triangles[t, k]] = node
        out[n] = triangles[t, k]
        k = (k + 1) % 3
        while _within(neighbours[t, k], place, low, high):
            corner, t = triangles[t, k], neighbours[t, k]
            k = 0 if triangles[t, 0] == corner else 1 if triangles[t, 1] == corner else 2
    return border if 3 * t + k == begin else 0


@njit(cache=True, inline="always")
def _within(t, place, low, high):
    """Whether triangle t lies in the span low to high of places (m,)."""
    return t >= 0 and low <= place[t] < high


@njit(cache=True)
def _turn_in_order(points, triangles, order, out):
    """Unit normals of the triangles in order, zero for one without area.

    points (n, 3) m; triangles (m, 3); order (m,); out (m, 3).
    """
    for i in range(order.shape[0]):
        a, b, c = corners_of(triangles, np.uint32(order[i]))
        e0, e1, e2 = points[b, 0] - points[a, 0], points[b, 1] - points[a, 1], points[b, 2] - points[a, 2]
        f0, f1, f2 = points[c, 0] - points[a, 0], points[c, 1] - points[a, 1], points[c, 2] - points[a, 2]
        n0, n1, n2 = e1 * f2 - e2 * f1, e2 * f0 - e0 * f2, e0 * f1 - e1 * f0
        scale = 1.0 / max(np.sqrt(n0 * n0 + n1 * n1 + n2 * n2), 1e-300)
        out[i, 0], out[i, 1], out[i, 2] = n0 * scale, n1 * scale, n2 * scale


@njit(cache=True)
def _find_flat(left, right, start, end, first, outline, x, y, facing_x, facing_y, apart, out):
    """The largest flat patches, from the root down.

    left, right, start, end (nodes,) as in `Tree`; first (nodes + 1,) into outline (k,) of vertices; x, y (n, 3)
    m at both ends of the substep; facing_x, facing_y (m, 3) unit normals in the tree's order; out (m, 2) spans.
    """
    stack = np.zeros(STACK, np.int32)
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        low, high = start[node], end[node]
        if high - low < LEAST_PATCH:
            continue
        ring = outline[first[node] : first[node + 1]]
        if ring.shape[0] > 0:
            mean_x, mean_y = _mean(facing_x[low:high]), _mean(facing_y[low:high])
            if (
                mean_x[0] * mean_y[0] + mean_x[1] * mean_y[1] + mean_x[2] * mean_y[2] > PATCH_TURN_COSINE
                and _faces(facing_x[low:high], mean_x)
                and _faces(facing_y[low:high], mean_y)
                and _simple(x, ring, mean_x, apart)
                and _simple(y, ring, mean_y, apart)
            ):
                out[low:high, 0] = low
                out[low:high, 1] = high
                continue
        if left[node] >= 0:
            stack[top], stack[top + 1] = left[node], right[node]
            top += 2


@njit(cache=True)
def _mean(facing):
    """The unit mean (3,) of normals (k, 3), 0 where they cancel."""
    n0, n1, n2 = 0.0, 0.0, 0.0
    for i in range(facing.shape[0]):
        n0, n1, n2 = n0 + facing[i, 0], n1 + facing[i, 1], n2 + facing[i, 2]
    return np.array([n0, n1, n2]) / max(np.sqrt(n0 * n0 + n1 * n1 + n2 * n2), 1e-300)


@njit(cache=True)
def _faces(facing, mean):
    """Whether normals (k, 3) all point nearly one way."""
    for i in range(facing.shape[0]):
        if facing[i, 0] * mean[0] + facing[i, 1] * mean[1] + facing[i, 2] * mean[2] < FAN_COSINE:
            return False
    return True


@njit(cache=True)
def _simple(points, ring, towards, apart):
    """Whether an outline, seen along `towards`, neither crosses itself nor has far parts within `apart`."""
    count = ring.shape[0]
    flat, along = _seen(points, ring, towards)
    total = along[count]
    for i in range(count):
        i_next = (i + 1) % count
        half_i = 0.5 * (along[i + 1] - along[i])
        middle_0, middle_1 = 0.5 * (flat[i, 0] + flat[i_next, 0]), 0.5 * (flat[i, 1] + flat[i_next, 1])
        for j in range(i + 2, count):
            j_next = (j + 1) % count
            if j_next == i:
                continue
            reach = half_i + 0.5 * (along[j + 1] - along[j]) + apart
            away_0 = 0.5 * (flat[j, 0] + flat[j_next, 0]) - middle_0
            away_1 = 0.5 * (flat[j, 1] + flat[j_next, 1]) - middle_1
            if away_0 * away_0 + away_1 * away_1 > reach * reach:
                continue
            if _cross(flat, i, i_next, j, j_next):
                return False
            between = min(along[j] - along[i + 1], total - along[j + 1] + along[i])
            if between > SEEN_APART * apart and _nearer(flat, i, i_next, j, j_next, apart * apart):
                return False
    return True


@njit(cache=True)
def _seen(points, ring, towards):
    """An outline as it is seen (k, 2), and how far along it each vertex is (k + 1,), last the first one."""
    axis = 0 if abs(towards[0]) < 0.6 else 1
    right = np.zeros(3)
    right[axis] = 1.0
    right -= towards[axis] * towards
    right /= np.sqrt((right**2).sum())
    up = np.cross(towards, right)
    count = ring.shape[0]
    flat = np.empty((count, 2))
    for i in range(count):
        v = ring[i]
        flat[i, 0] = points[v, 0] * right[0] + points[v, 1] * right[1] + points[v, 2] * right[2]
        flat[i, 1] = points[v, 0] * up[0] + points[v, 1] * up[1] + points[v, 2] * up[2]
    along = np.zeros(count + 1)
    for i in range(count):
        j = (i + 1) % count
        along[i + 1] = along[i] + np.hypot(flat[j, 0] - flat[i, 0], flat[j, 1] - flat[i, 1])
    return flat, along


@njit(cache=True, inline="always")
def _side(flat, a, b, c):
    """Twice the signed area of a, b and c."""
    return (flat[b, 0] - flat[a, 0]) * (flat[c, 1] - flat[a, 1]) - (flat[b, 1] - flat[a, 1]) * (
        flat[c, 0] - flat[a, 0]
    )


@njit(cache=True)
def _cross(flat, a, b, c, d):
    """Whether ab and cd cross or touch."""
    return (
        _side(flat, a, b, c) * _side(flat, a, b, d) <= 0.0
        and _side(flat, c, d, a) * _side(flat, c, d, b) <= 0.0
    )


@njit(cache=True)
def _nearer(flat, a, b, c, d, squared):
    """Whether ab and cd, which do not cross, come nearer than a distance, given squared."""
    return (
        _squared(flat, a, c, d) < squared
        or _squared(flat, b, c, d) < squared
        or _squared(flat, c, a, b) < squared
        or _squared(flat, d, a, b) < squared
    )


@njit(cache=True)
def _squared(flat, p, a, b):
    """The squared distance of p from ab."""
    e0, e1 = flat[b, 0] - flat[a, 0], flat[b, 1] - flat[a, 1]
    f0, f1 = flat[p, 0] - flat[a, 0], flat[p, 1] - flat[a, 1]
    share = min(1.0, max(0.0, (e0 * f0 + e1 * f1) / max(e0 * e0 + e1 * e1, 1e-300)))
    return (f0 - share * e0) ** 2 + (f1 - share * e1) ** 2
