"""The volume that a closed surface encloses."""

from __future__ import annotations

import numpy as np
from numba import njit

from ..model.typed import Points, Triangles


def volume(points: Points, triangles: Triangles) -> float:
    """Enclosed volume, m3, positive where normals point outwards; of an open mesh, a number without meaning."""
    return float(volume_slope(points, triangles, np.zeros_like(points)))


@njit(cache=True)
def volume_slope(x, triangles, slope):
    """Add the slope of the volume over points x (n, 3) m to slope (n, 3) m2; return the volume, m3."""
    o0, o1, o2 = x[0, 0], x[0, 1], x[0, 2]
    total = 0.0
    for t in range(triangles.shape[0]):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        a0, a1, a2 = x[a, 0] - o0, x[a, 1] - o1, x[a, 2] - o2
        b0, b1, b2 = x[b, 0] - o0, x[b, 1] - o1, x[b, 2] - o2
        c0, c1, c2 = x[c, 0] - o0, x[c, 1] - o1, x[c, 2] - o2
        n0, n1, n2 = b1 * c2 - b2 * c1, b2 * c0 - b0 * c2, b0 * c1 - b1 * c0
        total += (a0 * n0 + a1 * n1 + a2 * n2) / 6.0
        slope[a, 0] += n0 / 6.0
        slope[a, 1] += n1 / 6.0
        slope[a, 2] += n2 / 6.0
        slope[b, 0] += (c1 * a2 - c2 * a1) / 6.0
        slope[b, 1] += (c2 * a0 - c0 * a2) / 6.0
        slope[b, 2] += (c0 * a1 - c1 * a0) / 6.0
        slope[c, 0] += (a1 * b2 - a2 * b1) / 6.0
        slope[c, 1] += (a2 * b0 - a0 * b2) / 6.0
        slope[c, 2] += (a0 * b1 - a1 * b0) / 6.0
    return total
