"""Keyed values between the shot file's records and the core."""

from __future__ import annotations

import numpy as np

from ...core.model.curve import Curve
from .ranges import KeysRecord


def curve_of(keyed: float | KeysRecord, scale: float = 1.0) -> Curve:
    """A constant or keys, times `scale`."""
    if isinstance(keyed, KeysRecord):
        return Curve(np.array(keyed.frames, float), np.array(keyed.values, float) * scale)
    return Curve.constant(keyed * scale)


def switch_of(keyed: float | KeysRecord) -> Curve | None:
    """1 or 0 over frames; None when it is always on."""
    return None if keyed == 1.0 else curve_of(keyed)
