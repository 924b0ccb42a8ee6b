"""A tree of boxes over triangles: built once on the rest shape, refitted as the points move.

Source of the layout: C. Ericson, Real-Time Collision Detection, 2005, chapter 6 (median split, arrays).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from ..model.typed import Indices, Points, Scalars, Triangles, Vectors
from .triangles import corners_of, point_triangle

Swept = NDArray[np.float32]
LEAF = 1  # triangles per leaf: pair tests cost more than a level of boxes
STACK = 128  # deeper than any median-split tree of 2^60 triangles needs


@dataclass(frozen=True, eq=False)
class Tree:
    """Nodes in depth-first order, children behind their parent; node 0 is the root.

    triangles    (m, 3) int32
    order        (m,) int32, triangles in leaf order
    left, right  (k,) int32 child nodes, -1 in a leaf
    start, end   (k,) int32 range of `order` below each node
    leaves       (l,) int32 nodes without children
    boxes        (k, 6) float64 low xyz, high xyz, m; overwritten by `refit`
    """

    triangles: Triangles
    order: Indices
    left: Indices
    right: Indices
    start: Indices
    end: Indices
    leaves: Indices
    boxes: Points


def build_tree(points: Points, triangles: Triangles) -> Tree:
    """A tree over `triangles`, split at the median of the centres along the longest axis."""
    centres = points[triangles].mean(axis=1)
    order, left, right, start, end = _build(centres, LEAF)
    leaves = np.flatnonzero(left < 0).astype(np.int32)
    tree = Tree(
        np.ascontiguousarray(triangles, np.int32),
        order,
        left,
        right,
        start,
        end,
        leaves,
        np.zeros((len(left), 6)),
    )
    refit(tree, points)
    return tree


def refit(tree: Tree, points: Points) -> None:
    """Make the tree's boxes fit `points`, in place."""
    _refit(points, tree.triangles, tree.order, tree.left, tree.right, tree.start, tree.end, tree.boxes)


def sweep(tree: Tree, points: Points, motion: Vectors, swept: Swept) -> None:
    """Write what each node holds and how it moves into `swept` (k, 12): lowest and highest corner, m, least and
    largest motion, m. In single precision, so that a node is one line of cache: whoever compares leaves room
    for rounding.
    """
    _sweep(points, motion, tree.triangles, tree.order, tree.left, tree.right, tree.start, tree.end, swept)


def closest_points(
    tree: Tree, points: Points, queries: Points, reach: float = np.inf
) -> tuple[Indices, Vectors, Scalars]:
    """Closest point of the surface to each query within `reach` m.

    Returns triangle (q,) int32 (-1 when none is near), barycentric (q, 3), distance (q,) m (inf when none).
    The boxes must fit `points` (see `refit`).
    """
    triangle = np.full(len(queries), -1, np.int32)
    barycentric = np.zeros((len(queries), 3))
    distance = np.full(len(queries), np.inf)
    _closest(
        np.ascontiguousarray(queries),
        points,
        tree.triangles,
        tree.order,
        tree.left,
        tree.right,
        tree.start,
        tree.end,
        tree.boxes,
        reach,
        triangle,
        barycentric,
        distance,
    )
    return triangle, barycentric, distance


@njit(cache=True)
def _build(centres, leaf):
    """Halve the triangles along the longest extent of their centres (m, 3) m until no more than `leaf` are
    left.

    Out: order (m,) int32; left, right (nodes,) children, -1 in a leaf; start, end (nodes,) span of a node in
    order. Children come after their parent.
    """
    count = centres.shape[0]
    order = np.arange(count).astype(np.int32)
    left = np.full(2 * count, -1, np.int32)
    right = np.full(2 * count, -1, np.int32)
    start = np.zeros(2 * count, np.int32)
    end = np.zeros(2 * count, np.int32)
    end[0] = count
    used = 1
    stack = np.zeros(128, np.int32)
    top = 1
    while top > 0:
        top -= 1
        node = stack[top]
        if end[node] - start[node] <= leaf:
            continue
        inside = centres[order[start[node] : end[node]]]
        best, axis = -1.0, 0
        for k in range(3):
            extent = inside[:, k].max() - inside[:, k].min()
            if extent > best:
                best, axis = extent, k
        ranks = np.argsort(inside[:, axis], kind="mergesort")
        order[start[node] : end[node]] = order[start[node] : end[node]][ranks]
        middle = (start[node] + end[node]) // 2
        left[node], right[node] = used, used + 1
        start[used], end[used] = start[node], middle
        start[used + 1], end[used + 1] = middle, end[node]
        stack[top], stack[top + 1] = used, used + 1
        top += 2
        used += 2
    return order, left[:used].copy(), right[:used].copy(), start[:used].copy(), end[:used].copy()


@njit(cache=True)
def _refit(points, triangles, order, left, right, start, end, boxes):
    """The boxes of all nodes, from the last to the root.

    boxes (nodes, 6) m, lowest corner then highest; the rest as in `_build`.
    """
    for node in range(left.shape[0] - 1, -1, -1):
        if left[node] < 0:
            for k in range(3):
                boxes[node, k] = np.inf
                boxes[node, 3 + k] = -np.inf
            for i in range(start[node], end[node]):
                for corner in range(3):
                    vertex = np.uint32(triangles[np.uint32(order[i]), corner])
                    for k in range(3):
                        boxes[node, k] = min(boxes[node, k], points[vertex, k])
                        boxes[node, 3 + k] = max(boxes[node, 3 + k], points[vertex, k])
        else:
            a, b = np.uint32(left[node]), np.uint32(right[node])
            for k in range(3):
                boxes[node, k] = min(boxes[a, k], boxes[b, k])
                boxes[node, 3 + k] = max(boxes[a, 3 + k], boxes[b, 3 + k])


@njit(cache=True)
def _sweep(points, motion, triangles, order, left, right, start, end, swept):
    """What `sweep` writes, from the last node to the root; the rest as in `_build`."""
    for node in range(left.shape[0] - 1, -1, -1):
        if left[node] < 0:
            for k in range(3):
                low, high, least, most = np.inf, -np.inf, np.inf, -np.inf
                for i in range(start[node], end[node]):
                    for v in corners_of(triangles, np.uint32(order[i])):
                        low, high = min(low, points[v, k]), max(high, points[v, k])
                        least, most = min(least, motion[v, k]), max(most, motion[v, k])
                swept[node, k], swept[node, 3 + k] = low, high
                swept[node, 6 + k], swept[node, 9 + k] = least, most
        else:
            a, b = np.uint32(left[node]), np.uint32(right[node])
            for k in range(3):
                swept[node, k] = min(swept[a, k], swept[b, k])
                swept[node, 3 + k] = max(swept[a, 3 + k], swept[b, 3 + k])
                swept[node, 6 + k] = min(swept[a, 6 + k], swept[b, 6 + k])
                swept[node, 9 + k] = max(swept[a, 9 + k], swept[b, 9 + k])


@njit(cache=True)
def _box_distance2(boxes, node, p0, p1, p2):
    """Square of how far a point lies outside a node's box; boxes (nodes, 6) m. 0 inside."""
    a = max(0.0, max(boxes[node, 0] - p0, p0 - boxes[node, 3]))
    b = max(0.0, max(boxes[node, 1] - p1, p1 - boxes[node, 4]))
    c = max(0.0, max(boxes[node, 2] - p2, p2 - boxes[node, 5]))
    return a * a + b * b + c * c


@njit(parallel=True, cache=True)
def _closest(
    queries, x, triangles, order, left, right, start, end, boxes, reach, out_triangle, out_bary, out_distance
):
    """The nearest place on the triangles to each query, no further than `reach` m.

    queries (q, 3) m; x (n, 3) m; triangles (m, 3); the tree as in `_build`. Out: triangle (q,), -1 for none,
    bary (q, 3), distance (q,) m. The queries are cut into a fixed number of chunks: the same bits on any thread
    count.
    """
    chunks = 16
    count = queries.shape[0]
    for chunk in prange(chunks):
        stack = np.zeros(STACK, np.int32)
        for q in range(chunk * count // chunks, (chunk + 1) * count // chunks):
            p0, p1, p2 = queries[q, 0], queries[q, 1], queries[q, 2]
            best = reach * reach
            found = -1
            top = 1
            stack[0] = 0
            while top > 0:
                top -= 1
                node = np.uint32(stack[top])
                if _box_distance2(boxes, node, p0, p1, p2) >= best:
                    continue
                if left[node] < 0:
                    for i in range(start[node], end[node]):
                        t = order[i]
                        a, b, c = corners_of(triangles, np.uint32(t))
                        u, v, w = point_triangle(
                            p0, p1, p2,
                            x[a, 0], x[a, 1], x[a, 2],
                            x[b, 0], x[b, 1], x[b, 2],
                            x[c, 0], x[c, 1], x[c, 2],
                        )  # fmt: skip
                        d0 = u * x[a, 0] + v * x[b, 0] + w * x[c, 0] - p0
                        d1 = u * x[a, 1] + v * x[b, 1] + w * x[c, 1] - p1
                        d2 = u * x[a, 2] + v * x[b, 2] + w * x[c, 2] - p2
                        squared = d0 * d0 + d1 * d1 + d2 * d2
                        if squared < best:
                            best = squared
                            found = t
                            out_bary[q, 0], out_bary[q, 1], out_bary[q, 2] = u, v, w
                else:
                    a, b = np.uint32(left[node]), np.uint32(right[node])
                    da = _box_distance2(boxes, a, p0, p1, p2)
                    db = _box_distance2(boxes, b, p0, p1, p2)
                    stack[top] = b if da < db else a
                    stack[top + 1] = a if da < db else b
                    top += 2
            out_triangle[q] = found
            if found >= 0:
                out_distance[q] = np.sqrt(best)
