"""Evaluation of keyed curves and of easing: the one smooth monotone kind."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import PchipInterpolator

from ..model.curve import Curve


def value_at(curve: Curve, frame: float) -> float:
    """The curve's value at `frame` (may lie between frames), in the unit of its property.

    Monotone between keys, so that it never overshoots; held before the first and after the last key.
    Source: F. N. Fritsch and R. E. Carlson, SIAM J. Numer. Anal. 17, 1980 (SciPy's PCHIP).
    """
    if len(curve.frames) == 1:
        return float(curve.values[0])
    inside = float(np.clip(frame, curve.frames[0], curve.frames[-1]))
    return float(PchipInterpolator(curve.frames, curve.values)(inside))


def ease(share: float) -> float:
    """From 0 to 1 with no speed and no acceleration at either end (quintic); held outside [0, 1]."""
    t = min(1.0, max(0.0, share))
    return t * t * t * (t * (6.0 * t - 15.0) + 10.0)
