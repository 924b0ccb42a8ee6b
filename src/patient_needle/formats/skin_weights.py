"""Skin weights that add up, whatever file they come from."""

from __future__ import annotations

import numpy as np

from ..core.model.errors import CastError
from ..core.model.tolerances import DEFAULT


def balanced(weights: np.ndarray, where: str) -> tuple[np.ndarray, tuple[str, ...]]:
    """Weights (n, k) that add up to 1, and what was done to make them; `CastError` where there are none."""
    total = weights.sum(axis=1)
    bad = ~np.isfinite(weights).all(axis=1) | (weights < 0).any(axis=1) | ~(total > 0)
    if bad.any():
        raise CastError(
            f"{int(bad.sum())} vertices have no skin weight that counts",
            where=f"{where}, vertex {int(np.argmax(bad))}",
            remedy="Bind these vertices to a joint and export again",
        )
    off = np.abs(total - 1) > DEFAULT.weight_sum * 20
    said = f"the skin weights of {int(off.sum())} vertices did not add up to 1 and were scaled"
    return weights / total[:, None], (said,) if off.any() else ()
