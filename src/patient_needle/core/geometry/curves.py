"""Evaluation of keyed curves and of easing: the one smooth monotone kind."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from scipy.interpolate import PchipInterpolator

from ..model.curve import Curve
from ..model.typed import Scalars


def value_at(curve: Curve, frame: float) -> float:
    """The curve's value at `frame` (may lie between frames), in the unit of its property.

    Monotone between keys, so that it never overshoots; held before the first and after the last key.
    Source: F. N. Fritsch and R. E. Carlson, SIAM J. Numer. Anal. 17, 1980 (SciPy's PCHIP).
    """
    if len(curve.frames) == 1:
        return float(curve.values[0])
    return float(_through(curve)(min(max(frame, curve.frames[0]), curve.frames[-1])))


def values_at(curve: Curve, frames: Scalars) -> Scalars:
    """`value_at` of many frames (k,) at once, (k,)."""
    if len(curve.frames) == 1:
        return np.full(len(frames), curve.values[0])
    return np.asarray(_through(curve)(np.clip(frames, curve.frames[0], curve.frames[-1])), np.float64)


@lru_cache(maxsize=1024)
def _through(curve: Curve) -> PchipInterpolator:
    return PchipInterpolator(curve.frames, curve.values)


def ease(share: float) -> float:
    """From 0 to 1 with no speed and no acceleration at either end (quintic); held outside [0, 1]."""
    t = min(1.0, max(0.0, share))
    return t * t * t * (t * (6.0 * t - 15.0) + 10.0)
