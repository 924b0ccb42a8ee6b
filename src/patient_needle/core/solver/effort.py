"""How many substeps a frame takes: by how far things move, never by the clock."""

from __future__ import annotations

import numpy as np

from ..model.patience import LADDER, Patience
from ..model.typed import Points


def furthest(before: Points, after: Points) -> float:
    """How far the fastest of k points goes from before to after (k, 3) m; 0 without points."""
    return float(np.sqrt(((after - before) ** 2).sum(axis=1).max(initial=0.0)))


def substeps_for(patience: Patience, travel: float, stretch: float = 1.0, least: float = 1.0) -> int:
    """Substeps for a frame in which the fastest collider point goes `travel` m.

    The patience's own number, `least`, or the rung of the ladder at which that point travels no further in a
    substep than the patience allows. A frame that lasts `stretch` times as long for the cloth takes as many
    times more.
    """
    longer = max(1, int(np.ceil(stretch - 1e-9)))
    wanted = max(patience.substeps, least / longer, travel / (longer * patience.travel))
    return longer * next((rung for rung in LADDER if rung >= wanted), LADDER[-1])
