"""The fewest vertices that keep two halves of a graph apart.

All edges between the halves meet them: a least vertex cover of a bipartite graph, which a largest matching
shows (D. Konig, Matematikai es Fizikai Lapok 38, 1931), found by augmenting paths (H. W. Kuhn, Naval Research
Logistics Quarterly 2, 1955).
"""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def covering(starts, neighbours, of, side):
    """Which of the vertices `of` (k,) all edges between those of side 1 and those of side 2 meet.

    starts (n + 1,) into neighbours, of each vertex; side (n,) 1 or 2, 0 for what is not of these.
    """
    count = len(side)
    partner, came, seen = (
        np.full(count, -1, np.int64),
        np.full(count, -1, np.int64),
        np.full(count, -1, np.int64),
    )
    waiting = np.empty(len(of), np.int64)
    for root in of:
        if side[root] == 1:
            _augment(starts, neighbours, side, root, partner, came, seen, waiting)
    reached, used = np.zeros(count, np.bool_), 0
    for v in of:
        if side[v] == 1 and partner[v] < 0:
            reached[v] = True
            waiting[used] = v
            used += 1
    at = 0
    while at < used:
        v = waiting[at]
        at += 1
        for w in neighbours[starts[v] : starts[v + 1]]:
            if side[w] == 2 and not reached[w]:
                reached[w] = True
                if not reached[partner[w]]:
                    reached[partner[w]] = True
                    waiting[used] = partner[w]
                    used += 1
    out = np.zeros(len(of), np.bool_)
    for i in range(len(of)):
        out[i] = reached[of[i]] if side[of[i]] == 2 else not reached[of[i]]
    return out


@njit(cache=True)
def _augment(starts, neighbours, side, root, partner, came, seen, waiting):
    """Find the root a partner (n,) on the other side, if others can change theirs so that it gets one."""
    waiting[0], used, at = root, 1, 0
    while at < used:
        v = waiting[at]
        at += 1
        for w in neighbours[starts[v] : starts[v + 1]]:
            if side[w] != 2 or seen[w] == root:
                continue
            seen[w], came[w] = root, v
            if partner[w] >= 0:
                waiting[used] = partner[w]
                used += 1
                continue
            while True:
                v = came[w]
                following = partner[v]
                partner[v], partner[w] = w, v
                if v == root:
                    return
                w = following
