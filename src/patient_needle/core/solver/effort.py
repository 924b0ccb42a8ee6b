"""How many substeps a frame takes: by how far things move, never by the clock."""

from __future__ import annotations

import numpy as np

from ..model.patience import LADDER, Patience
from ..model.typed import Points


def substeps_for(patience: Patience, colliders_from: Points, colliders_to: Points) -> int:
    """Substeps for a frame in which the colliders move between two sets of points (k, 3) m.

    The patience's own number, or the rung of the ladder at which no collider point travels further in a
    substep than the patience allows.
    """
    travel = 0.0
    if len(colliders_from):
        travel = float(np.sqrt(((colliders_to - colliders_from) ** 2).sum(axis=1).max()))
    wanted = max(patience.substeps, travel / patience.travel)
    return next((rung for rung in LADDER if rung >= wanted), LADDER[-1])
