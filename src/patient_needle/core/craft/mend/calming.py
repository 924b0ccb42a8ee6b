"""Calm: the whole take is smoothed without delay, then run again drawn to that, with contact.

A finished motion is known before and after every frame, so that it can be filtered without any lag: a low pass
run forwards and backwards. What is filtered is the motion as seen from the frame that carries the garment, so
that the primary motion, a swing that follows the body, stays.
"""

from __future__ import annotations

import numpy as np
from scipy import signal

from ...model.tolerances import CALM_LEAST_CUT, CALM_LEAVES, CALM_PAD
from ...model.typed import Matrices, Points, Vectors
from .footage import Footage
from .smoothing import carried

LEAST_HELD = 3  # vertices that tell a frame


def calmed(footage: Footage, amount: float) -> np.ndarray:
    """Where a calmed take wants its cloth, (f, n, 3) float32 m. amount from 0, as it is, to 1.

    It keeps CALM_LEAVES of its faster motion at 1, the root of that at 0.5. Run again with contact, the demo's
    skirt then keeps half of its amplitude above 4 Hz at 0.5, and a little over a third at 1.
    """
    if amount <= 0.0 or len(footage.points) < 3:
        return footage.points
    out = footage.points.copy()
    for span in footage.worn.spans:
        points = out[:, span].astype(np.float64)
        turns, middles = _carrier(points[:, footage.worn.held[span]])
        local = np.einsum("fji,fnj->fni", turns, points - middles[:, None])
        low = low_passed(local.reshape(len(local), -1), footage.rate)
        kept = CALM_LEAVES**amount
        quiet = low + kept * (local.reshape(len(local), -1) - low)
        out[:, span] = np.einsum("fij,fnj->fni", turns, quiet.reshape(local.shape)) + middles[:, None]
    return out


def _carrier(held: Points) -> tuple[Matrices, Vectors]:
    """The frame that carries a garment: that of its held vertices (f, h, 3) m, the world where it has none."""
    if held.shape[1] < LEAST_HELD:
        return np.tile(np.eye(3), (len(held), 1, 1)), np.zeros((len(held), 3))
    return carried(held, np.ones(len(held), bool))


def low_passed(values: Points, rate: float, cut: float = CALM_LEAST_CUT) -> Points:
    """Values (f, k) over frames without what is faster than `cut` Hz, without delay.

    A Butterworth filter run forwards and backwards (F. Gustafsson, Determining the initial states in
    forward-backward filtering, 1996; SciPy). Straight motion stays as it is.
    """
    if cut >= 0.5 * rate:
        return values
    sections = signal.butter(2, cut, fs=rate, output="sos")
    pad = min(CALM_PAD, len(values) - 1)
    return np.asarray(signal.sosfiltfilt(sections, values, axis=0, padlen=pad))
