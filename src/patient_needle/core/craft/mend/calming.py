"""Calm: a take is smoothed without delay, led around bodies, then run again drawn to that, with contact.

A finished motion is known before and after every frame, so that it can be filtered without any lag: a low pass
run forwards and backwards. What is filtered is the motion as seen from the frame that carries the garment, so
that the primary motion, a swing that follows the body, stays. Filtered cloth is a little too short for its
fabric where it flew quickly: what is run again buckles there. So strong calm goes over the take a second time,
which finds little left that is quick.
"""

from __future__ import annotations

import numpy as np
from scipy import signal

from ...model.tolerances import (
    CALM_GRIP,
    CALM_LEAST_CUT,
    CALM_LEAVES,
    CALM_PAD,
    CALM_TWICE,
    CLEAR_MARGIN,
)
from ...model.typed import Matrices, Points, Vectors
from .again import Again, Told, run_again
from .clearing import Clearing
from .footage import Footage, Patch, Region, Span
from .smoothing import carried

LEAST_HELD = 3  # vertices that tell a frame


def calm(footage: Footage, region: Region, span: Span, amount: float, told: Told) -> Patch:
    """What calm makes of a region over a span; amount from 0, as it is, to 1. From CALM_TWICE on it is done
    twice.
    """
    more = (amount - CALM_TWICE) / (1.0 - CALM_TWICE)
    share = 0.5 if more > 0.0 else 1.0
    again = Again(grip=CALM_GRIP)
    guide = calmed(footage, amount)
    patch = run_again(footage, region, span, again, guide=guide, told=lambda done: told(share * done))
    if more <= 0.0:
        return patch
    once = footage.with_patch(patch)
    return run_again(
        once, region, span, again, guide=calmed(once, more), told=lambda done: told(0.5 + 0.5 * done)
    )


def calmed(footage: Footage, amount: float) -> np.ndarray:
    """Where a calmed take wants its cloth, (f, n, 3) float32 m: CALM_LEAVES of its faster motion at 1, the root
    of that at 0.5, and out of all bodies. amount from 0, as it is, to 1.
    """
    if amount <= 0.0 or len(footage.points) < 3:
        return footage.points
    out, clearing = footage.points.copy(), Clearing(footage)
    for span in footage.worn.spans:
        points = out[:, span].astype(np.float64)
        turns, middles = _carrier(points[:, footage.worn.held[span]])
        local = np.einsum("fji,fnj->fni", turns, points - middles[:, None])
        low = low_passed(local.reshape(len(local), -1), footage.rate)
        kept = CALM_LEAVES**amount
        quiet = low + kept * (local.reshape(len(local), -1) - low)
        out[:, span] = np.einsum("fij,fnj->fni", turns, quiet.reshape(local.shape)) + middles[:, None]
        free = span.start + np.flatnonzero(~footage.worn.held[span]).astype(np.int32)
        out[:, free] = clearing.led_around(out.astype(np.float64), free, turns, CLEAR_MARGIN * amount)
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
