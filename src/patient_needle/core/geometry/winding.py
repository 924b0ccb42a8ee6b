"""Inside or outside of a closed surface, asked many times of one pose."""

from __future__ import annotations

from collections.abc import Callable

import igl
import numpy as np

from ..model.typed import Flags, Points, Triangles

ORDER, ACCURACY = 2, 2.0  # of the expansion; far triangles are taken together


def insider(points: Points, triangles: Triangles) -> Callable[[Points], Flags]:
    """A question that can be asked of places (k, 3) m: whether each lies inside, (k,) bool.

    Source: G. Barill, N. Dickson, R. Schmidt, D. Levin, A. Jacobson, Fast winding numbers for soups and clouds,
    SIGGRAPH 2018. It errs only within a hair of the surface.
    """
    tree = igl.FastWindingNumberBVH()
    tree.init(np.ascontiguousarray(points, np.float64), np.ascontiguousarray(triangles, np.int64), order=ORDER)

    def asked(places: Points) -> Flags:
        if len(places) == 0:
            return np.zeros(0, bool)
        return np.asarray(tree.winding_number(np.ascontiguousarray(places), ACCURACY)) > 0.5

    return asked
