"""How much effort the artist is willing to wait for."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Patience:
    """Solver effort behind one word.

    substeps         the least number per frame
    travel           m a collider point may move in one substep before the engine takes more
    newton_passes    elastic passes per substep before contact is looked at again
    cg_iterations    at most, per Newton pass
    cg_tolerance     residual drop at which conjugate gradients stop
    step_tolerance   Newton stops when it moves nothing further than this share of the spacing
    """

    name: str
    substeps: int
    travel: float
    newton_passes: int
    cg_iterations: int
    cg_tolerance: float
    step_tolerance: float


FIRST_LOOK = Patience("first-look", 4, 0.045, 3, 8, 0.10, 2e-3)
WORKING = Patience("working", 8, 0.030, 3, 14, 0.05, 1e-3)
FINAL = Patience("final", 16, 0.015, 5, 30, 0.02, 2e-4)
ALL = {patience.name: patience for patience in (FIRST_LOOK, WORKING, FINAL)}

# Substeps per frame come from this ladder only, so that a few factors serve the whole shot.
LADDER = (1, 2, 4, 8, 16, 32)
