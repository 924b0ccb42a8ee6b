"""How many substeps a frame takes: by how far things move, never by the clock."""

from __future__ import annotations

import numpy as np

from ..model.patience import LADDER, Patience
from ..model.typed import Points


def substeps_for(patience: Patience, *moves: tuple[Points, Points]) -> int:
    """Substeps for a frame, from how the colliders move in it and in those just before, (k, 3) m each.

    The patience's own number, or the rung of the ladder at which no collider point travels further in a
    substep than the patience allows. Cloth still moves when the body has stopped, so the frame before counts.
    """
    travel = max((float(np.sqrt(((b - a) ** 2).sum(axis=1).max(initial=0.0))) for a, b in moves), default=0.0)
    wanted = max(patience.substeps, travel / patience.travel)
    return next((rung for rung in LADDER if rung >= wanted), LADDER[-1])
