"""The normal along which the two members of a pair are kept apart during a substep.

The line between the closest points of a vertex and the triangle beside the one below it slants along the
surface: a half-space across it would stop cloth from sliding. The plane of a triangle separates them as well as
long as they are on its two sides, and lets them slide. So a plane's normal is taken where it nearly agrees
with the line, where the pair is further apart than the gap wanted, or where it leaves more room at the end of
the substep. In the last two cases the pair passes by, and is not pushed further from the plane than it is.
"""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from ..geometry.triangles import corners_of
from ..model.tolerances import Tolerances
from ..model.typed import Flags, Points, Scalars, Triangles, Vectors
from .pairs import Pairs


def oriented(
    pairs: Pairs,
    start: Points,
    end: Points,
    carriers: Triangles,
    foreign: int,
    soft: Scalars,
    tolerances: Tolerances,
) -> tuple[Vectors, Scalars, Flags, Scalars]:
    """Normal (m, 3) of each pair, the least gap of its rows along it at the start (m,) m, whether it only
    passes by (m,), and that least gap at the end (m,) m.

    start, end (n, 3) m of the substep; carriers (k, 3), the first `foreign` of them colliders; soft (m,) m.
    """
    normal, height = pairs.normal.copy(), pairs.gap.copy()
    passing, room = np.zeros(len(pairs), np.bool_), np.zeros(len(pairs))
    _orient(
        pairs.vertices, pairs.edge_edge, pairs.gap, pairs.carrier, foreign + pairs.owner, carriers, start, end,
        soft, tolerances.aligned_share, tolerances.hard_share, normal, height, passing, room,
    )  # fmt: skip
    return normal, height, passing, room


@njit(cache=True)
def _least_gap(x, v, edge_edge, n0, n1, n2):
    """The least distance along a normal between the points of a pair's two members."""
    low = np.inf
    firsts = 2 if edge_edge else 1
    for k in range(firsts):
        for m in range(firsts, 4):
            p, q = np.uint32(v[k]), np.uint32(v[m])
            low = min(low, n0 * (x[p, 0] - x[q, 0]) + n1 * (x[p, 1] - x[q, 1]) + n2 * (x[p, 2] - x[q, 2]))
    return low


@njit(cache=True)
def _plane(x, a, b, c, m0, m1, m2):
    """Unit normal of a triangle on the side of m; m itself where the triangle has no area."""
    e0, e1, e2 = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
    f0, f1, f2 = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
    n0, n1, n2 = e1 * f2 - e2 * f1, e2 * f0 - e0 * f2, e0 * f1 - e1 * f0
    length = np.sqrt(n0 * n0 + n1 * n1 + n2 * n2)
    if length == 0.0:
        return m0, m1, m2
    if n0 * m0 + n1 * m1 + n2 * m2 < 0.0:
        length = -length
    return n0 / length, n1 / length, n2 / length


@njit(parallel=True, cache=True)
def _orient(
    vertices, edge_edge, gap, carrier, rider, carriers, x, y, soft, aligned, least, normal, height, passing,
    room_left,
):  # fmt: skip
    """Choose the normal of each pair, and what it leaves of its gap at both ends of the substep.

    p pairs: vertices (p, 4), edge_edge (p,), gap (p,) m, carrier and rider (p,) into carriers (k + m, 3); x, y
    (n, 3) m at the start and the end; soft (p,) m. Written: normal (p, 3), height (p,) m, passing (p,) bool,
    room_left (p,) m.
    """
    for i in prange(gap.shape[0]):
        v, ee = vertices[i], edge_edge[i]
        m0, m1, m2 = normal[i, 0], normal[i, 1], normal[i, 2]
        near = gap[i] < soft[i]
        room = _least_gap(y, v, ee, m0, m1, m2)
        for choice in range(2 if ee else 1):
            t = carrier[i] if choice == 0 else rider[i]
            if ee:
                a, b, c = corners_of(carriers, np.uint32(t))
            else:
                a, b, c = np.uint32(v[1]), np.uint32(v[2]), np.uint32(v[3])
            n0, n1, n2 = _plane(x, a, b, c, m0, m1, m2)
            low = _least_gap(x, v, ee, n0, n1, n2)
            after = _least_gap(y, v, ee, n0, n1, n2)
            agrees = choice == 0 and low >= aligned * gap[i]
            if agrees or (low >= least * soft[i] and ((choice == 0 and not near) or after > room)):
                normal[i, 0], normal[i, 1], normal[i, 2] = n0, n1, n2
                height[i] = low
                passing[i] = not near or not agrees
                room = after
                if agrees:
                    break
        room_left[i] = room
