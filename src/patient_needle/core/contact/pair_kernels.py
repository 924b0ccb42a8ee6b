"""The loops of the pair search: a tree against another or itself, and the tests of two triangles."""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..geometry.tree import STACK
from ..geometry.triangles import corners_of, point_triangle, segment_segment

SINGLE = 5e-7  # of the coordinates, what a comparison of boxes may be off by
GROUP = 16  # triangles that are looked for together
CHUNKS = 4  # fixed, so that pairs come in the same order on any number of threads


@njit(cache=True)
def _relative2(motion, i, j):
    """Square of how far vertices i and j move against each other; motion (n, 3) m."""
    a = motion[i, 0] - motion[j, 0]
    b = motion[i, 1] - motion[j, 1]
    c = motion[i, 2] - motion[j, 2]
    return a * a + b * b + c * c


@njit(cache=True)
def _pair_motion(motion, edge_edge, a, b, c, d):
    """Largest relative motion between the two members of a pair, m."""
    if edge_edge:
        squared = max(
            max(_relative2(motion, a, c), _relative2(motion, a, d)),
            max(_relative2(motion, b, c), _relative2(motion, b, d)),
        )
    else:
        squared = max(_relative2(motion, a, b), max(_relative2(motion, a, c), _relative2(motion, a, d)))
    return np.sqrt(squared)


@njit(parallel=True, cache=True)
def keep_within_reach(vertices, edge_edge, gap, motion, slack, keep):
    """Whether each pair's gap is at most its relative motion plus its slack, into keep.

    p pairs: vertices (p, 4), edge_edge (p,), gap (p,) m; motion (n, 3) m; keep (p,) bool.
    """
    for i in prange(gap.shape[0]):
        moved = _pair_motion(
            motion,
            edge_edge[i],
            np.uint32(vertices[i, 0]),
            np.uint32(vertices[i, 1]),
            np.uint32(vertices[i, 2]),
            np.uint32(vertices[i, 3]),
        )
        keep[i] = gap[i] <= moved + slack[i]


@njit(parallel=True, cache=True)
def choose(
    chosen, vertices, edge_edge, normal, gap, carrier, owner,
    out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
):  # fmt: skip
    """The fields of the pairs that `chosen` (k,) numbers, in its order; fields as in `Pairs`, of p pairs and of
    k.
    """
    for i in prange(chosen.shape[0]):
        j = np.uint64(chosen[i])
        for k in range(4):
            out_vertices[i, k] = vertices[j, k]
        for k in range(3):
            out_normal[i, k] = normal[j, k]
        out_edge_edge[i], out_gap[i] = edge_edge[j], gap[j]
        out_carrier[i], out_owner[i] = carrier[j], owner[j]


@njit(cache=True, inline="always")
def _node(swept, i, k):
    """Of node i along axis k: lowest and highest place, least and largest motion, as `tree.sweep` has them."""
    return swept[i, k], swept[i, 3 + k], swept[i, 6 + k], swept[i, 9 + k]


@njit(cache=True, inline="always")
def _apart(of, swept, j, k, slack):
    """Whether node j lies further than `slack` along axis k from what a `_node` tells of another, swept by
    their relative motion.
    """
    ahead = min(np.float32(0.0), of[2] - swept[j, 9 + k])
    behind = max(np.float32(0.0), of[3] - swept[j, 6 + k])
    return of[0] - swept[j, 3 + k] + ahead > slack or of[1] - swept[j, k] + behind < -slack


@njit(cache=True)
def _with_rounding(slack, swept_a, swept_b):
    """The slack with room for what single precision loses in the boxes of two trees."""
    size = 0.0
    for k in range(6):
        size = max(
            size, abs(swept_a[0, k]) + abs(swept_a[0, 6 + k]), abs(swept_b[0, k]) + abs(swept_b[0, 6 + k])
        )
    return np.float32(slack + SINGLE * size)


@njit(cache=True)
def _vertex_triangle(x, motion, v, a, b, c, slack):
    """(near, gap, normal) of a vertex and a triangle at the start."""
    for k in range(3):
        low = min(x[a, k], min(x[b, k], x[c, k]))
        high = max(x[a, k], max(x[b, k], x[c, k]))
        motion_low = min(motion[a, k], min(motion[b, k], motion[c, k]))
        motion_high = max(motion[a, k], max(motion[b, k], motion[c, k]))
        if x[v, k] - high + min(0.0, motion[v, k] - motion_high) > slack:
            return False, 0.0, 0.0, 0.0, 0.0
        if x[v, k] - low + max(0.0, motion[v, k] - motion_low) < -slack:
            return False, 0.0, 0.0, 0.0, 0.0
    l0, l1, l2 = point_triangle(
        x[v, 0], x[v, 1], x[v, 2],
        x[a, 0], x[a, 1], x[a, 2],
        x[b, 0], x[b, 1], x[b, 2],
        x[c, 0], x[c, 1], x[c, 2],
    )  # fmt: skip
    n0 = x[v, 0] - l0 * x[a, 0] - l1 * x[b, 0] - l2 * x[c, 0]
    n1 = x[v, 1] - l0 * x[a, 1] - l1 * x[b, 1] - l2 * x[c, 1]
    n2 = x[v, 2] - l0 * x[a, 2] - l1 * x[b, 2] - l2 * x[c, 2]
    gap = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
    if gap > _pair_motion(motion, False, v, a, b, c) + slack:
        return False, 0.0, 0.0, 0.0, 0.0
    scale = 1.0 / max(gap, 1e-14)
    return True, gap, n0 * scale, n1 * scale, n2 * scale


@njit(cache=True)
def _edge_edge(x, motion, a, b, c, d, slack):
    """(near, gap, normal) of edges ab and cd at the start."""
    for k in range(3):
        ahead = min(0.0, min(motion[a, k], motion[b, k]) - max(motion[c, k], motion[d, k]))
        if min(x[a, k], x[b, k]) - max(x[c, k], x[d, k]) + ahead > slack:
            return False, 0.0, 0.0, 0.0, 0.0
        behind = max(0.0, max(motion[a, k], motion[b, k]) - min(motion[c, k], motion[d, k]))
        if max(x[a, k], x[b, k]) - min(x[c, k], x[d, k]) + behind < -slack:
            return False, 0.0, 0.0, 0.0, 0.0
    s, t = segment_segment(x, a, b, c, d)
    n0 = x[a, 0] * (1 - s) + x[b, 0] * s - x[c, 0] * (1 - t) - x[d, 0] * t
    n1 = x[a, 1] * (1 - s) + x[b, 1] * s - x[c, 1] * (1 - t) - x[d, 1] * t
    n2 = x[a, 2] * (1 - s) + x[b, 2] * s - x[c, 2] * (1 - t) - x[d, 2] * t
    gap = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
    if gap > _pair_motion(motion, True, a, b, c, d) + slack:
        return False, 0.0, 0.0, 0.0, 0.0
    scale = 1.0 / max(gap, 1e-14)
    return True, gap, n0 * scale, n1 * scale, n2 * scale


@njit(cache=True)
def _keep(
    found, carrier, owner, edge_edge, a, b, c, d, counts, q,
    out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
):  # fmt: skip
    """Write down a pair that is near, as the next of chunk q, if there is room for it; it is counted in any
    case.

    found: (near, gap, normal). Out, by chunk: vertices (c, p, 4), edge_edge (c, p), normal (c, p, 3), gap (c,
    p) m, carrier (c, p), owner (c, p); counts (c,).
    """
    if not found[0]:
        return
    i = counts[q]
    counts[q] = i + 1
    if i >= out_gap.shape[1]:
        return
    out_vertices[q, i, 0], out_vertices[q, i, 1] = a, b
    out_vertices[q, i, 2], out_vertices[q, i, 3] = c, d
    out_edge_edge[q, i] = edge_edge
    out_gap[q, i] = found[1]
    out_normal[q, i, 0], out_normal[q, i, 1], out_normal[q, i, 2] = found[2], found[3], found[4]
    out_carrier[q, i] = carrier
    out_owner[q, i] = owner


@njit(cache=True, inline="always")
def has_corner(tri, t, v):
    """Whether vertex v is a corner of triangle t."""
    return v == tri[t, 0] or v == tri[t, 1] or v == tri[t, 2]


@njit(cache=True, inline="always")
def _edge_apart(x, motion, a, b, of, k, slack):
    """Whether edge ab lies beyond `slack` along axis k of what a `_node` tells; a vertex is an edge aa."""
    ahead = min(0.0, min(motion[a, k], motion[b, k]) - of[3])
    behind = max(0.0, max(motion[a, k], motion[b, k]) - of[2])
    return min(x[a, k], x[b, k]) - of[1] + ahead > slack or max(x[a, k], x[b, k]) - of[0] + behind < -slack


@njit(cache=True, inline="always")
def _beyond(x, motion, a, b, leaf, slack):
    """Whether edge ab is further than `slack` from a leaf's box, along any axis; a vertex is an edge aa."""
    return (
        _edge_apart(x, motion, a, b, leaf[0], 0, slack)
        or _edge_apart(x, motion, a, b, leaf[1], 1, slack)
        or _edge_apart(x, motion, a, b, leaf[2], 2, slack)
    )


@njit(cache=True)
def _pair_up(
    p, r, tri_a, owns_a, leaf_a, tri_b, owns_b, leaf_b, first_carrier, x, motion, slack, room, counts, q,
    out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
):  # fmt: skip
    """Keep the near ones of the pairs that triangles p and r stand for; members that share a point are none.

    leaf_a, leaf_b: what `_node` tells of both along each axis; room, the slack with room for rounding.
    """
    for k in range(3):
        v = np.uint32(tri_a[p, k])
        if (owns_a[p] >> k) & 1 and not (_beyond(x, motion, v, v, leaf_b, room) or has_corner(tri_b, r, v)):
            a, b, c = corners_of(tri_b, r)
            _keep(
                _vertex_triangle(x, motion, v, a, b, c, slack),
                first_carrier + r, p, False, v, a, b, c, counts, q,
                out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
            )  # fmt: skip
        v = np.uint32(tri_b[r, k])
        if (owns_b[r] >> k) & 1 and not (_beyond(x, motion, v, v, leaf_a, room) or has_corner(tri_a, p, v)):
            a, b, c = corners_of(tri_a, p)
            _keep(
                _vertex_triangle(x, motion, v, a, b, c, slack),
                first_carrier + r, p, False, v, a, b, c, counts, q,
                out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
            )  # fmt: skip
        if (owns_a[p] >> (3 + k)) & 1:
            a, b = np.uint32(tri_a[p, k]), np.uint32(tri_a[p, (k + 1) % 3])
            if _beyond(x, motion, a, b, leaf_b, room):
                continue
            for m in range(3):
                if (owns_b[r] >> (3 + m)) & 1:
                    c, d = np.uint32(tri_b[r, m]), np.uint32(tri_b[r, (m + 1) % 3])
                    if a == c or a == d or b == c or b == d:  # noqa: SIM109
                        continue
                    _keep(
                        _edge_edge(x, motion, a, b, c, d, slack),
                        first_carrier + r, p, True, a, b, c, d, counts, q,
                        out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
                    )  # fmt: skip


@njit(cache=True, inline="always")
def _in_one_flat_fan(p, r, tri, flat):
    """Whether triangles p and r lie in one flat fan, so that they cannot meet."""
    a, b, c = corners_of(tri, p)
    return (
        (flat[a] and has_corner(tri, r, a))
        or (flat[b] and has_corner(tri, r, b))
        or (flat[c] and has_corner(tri, r, c))
    )


@njit(parallel=True, cache=True)
def search_tree(
    itself, groups, leaf_at, among, flat, patch, first_carrier,
    order_a, start_a, end_a, swept_a, tri_a, owns_a,
    order_b, left_b, right_b, start_b, end_b, swept_b, tri_b, owns_b,
    x, motion, slack, counts,
    out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
):  # fmt: skip
    """Pairs of tree a's leaves `among` (nodes,) with the whole of tree b, its carriers from first_carrier on.

    groups (g,) are nodes above these: what is far from a group is far from all its leaves, those at its places,
    leaf_at (m,), of one triangle each. itself: b is a; two leaves `among` then meet once, and what is in one
    flat fan (n,) or in one flat patch, a span of places (m, 2), not at all.

    Each tree: order (m,) triangles; left, right (nodes,) children, -1 in a leaf; start, end (nodes,) into
    order; swept as `tree.sweep` makes it; tri (m, 3); owns (m,) bits. x (n, 3) m; motion (n, 3) m. Out
    as in `_keep`.
    """
    room = _with_rounding(slack, swept_a, swept_b)
    once = itself and among[leaf_at].all()  # then what lies before a place has met it already
    for q in prange(CHUNKS):
        stack = np.zeros(STACK, np.int32)
        near = np.zeros(start_b.shape[0], np.int32)
        for index in range(q, groups.shape[0], CHUNKS):
            group = np.uint32(groups[index])
            low, high = _patch_of(itself, patch, start_a[group], end_a[group])
            first = start_a[group] if once else 0
            nearby = _nodes_near(
                group, swept_a, left_b, right_b, start_b, end_b, swept_b, room, first, low, high, stack, near,
            )  # fmt: skip
            for place in range(start_a[group], end_a[group]):
                leaf, before = np.uint32(leaf_at[place]), place + 1 if once else 0
                if not among[leaf]:
                    continue
                low, high = _patch_of(itself, patch, place, place + 1)
                a0, a1, a2 = _node(swept_a, leaf, 0), _node(swept_a, leaf, 1), _node(swept_a, leaf, 2)
                for n in range(nearby):
                    top = 1
                    stack[0] = near[n]
                    while top > 0:
                        top -= 1
                        node = np.uint32(stack[top])
                        if end_b[node] <= before or (low <= start_b[node] and end_b[node] <= high):
                            continue
                        if _apart(a0, swept_b, node, 0, room) or _apart(a1, swept_b, node, 1, room):
                            continue
                        if _apart(a2, swept_b, node, 2, room):
                            continue
                        if left_b[node] >= 0:
                            stack[top] = left_b[node]
                            stack[top + 1] = right_b[node]
                            top += 2
                            continue
                        if itself and (node == leaf or (among[node] and start_b[node] < place)):
                            continue
                        p, r = np.uint32(order_a[place]), np.uint32(order_b[np.uint32(start_b[node])])
                        if itself and _in_one_flat_fan(p, r, tri_a, flat):
                            continue
                        b0, b1, b2 = _node(swept_b, node, 0), _node(swept_b, node, 1), _node(swept_b, node, 2)
                        _pair_up(
                            p, r, tri_a, owns_a, (a0, a1, a2), tri_b, owns_b, (b0, b1, b2), first_carrier, x,
                            motion, slack, room, counts, q,
                            out_vertices, out_edge_edge, out_normal, out_gap, out_carrier, out_owner,
                        )  # fmt: skip


@njit(cache=True, inline="always")
def _patch_of(itself, patch, low, high):
    """The span of the flat patch that all places from low to high lie in, or an empty one."""
    if itself and patch[low, 0] <= low and high <= patch[low, 1]:
        return patch[low, 0], patch[low, 1]
    return 0, 0


@njit(cache=True)
def _nodes_near(
    group, swept_a, left, right, start, end, swept, room, before, low, high, stack, out
):  # fmt: skip
    """How many nodes of GROUP triangles or fewer come near a group, but for its flat patch and
    what lies before a place; those into out.
    """
    a0, a1, a2 = _node(swept_a, group, 0), _node(swept_a, group, 1), _node(swept_a, group, 2)
    count, top = 0, 1
    stack[0] = 0
    while top > 0:
        top -= 1
        node = np.uint32(stack[top])
        if end[node] <= before or (low <= start[node] and end[node] <= high):
            continue
        if _apart(a0, swept, node, 0, room) or _apart(a1, swept, node, 1, room):
            continue
        if _apart(a2, swept, node, 2, room):
            continue
        if left[node] < 0 or end[node] - start[node] <= GROUP:
            out[count] = node
            count += 1
            continue
        stack[top] = left[node]
        stack[top + 1] = right[node]
        top += 2
    return count
