"""Every tolerance of the core in one place, each with its reason.

Lengths that belong to the engine are given as shares of the cloth's spacing or of the contact gap, so
that a scene ten times as large behaves the same.
"""

from __future__ import annotations

from dataclasses import dataclass

# Substeps per frame come from this ladder only, so that a few factors serve the whole shot.
LADDER = (1, 2, 4, 8, 16, 32)


@dataclass(frozen=True)
class Tolerances:
    """Shares and limits used by checks and by the engine."""

    # A triangle whose area is under this share of its longest edge squared has no usable normal.
    zero_area_share: float = 1e-7
    # UV triangles whose edge lengths all lie within this share of the 3D ones make a pattern.
    pattern_share: float = 0.10
    # The filter leaves this share of the gap that a pair had, never more than the soft gap.
    hard_share: float = 0.3
    # ... but not less than this share of the soft gap, so that rounding cannot close it.
    hard_floor_share: float = 0.02
    # A pair's normal may be taken from the surface when its gap along that is this share of the whole gap.
    aligned_share: float = 0.9
    # A projected row may end at half its hard gap: Gauss-Seidel then stops a few sweeps sooner.
    row_slip: float = 0.5
    # One more Newton pass while a row misses its hard gap by more than this share of the soft gap.
    accept_share: float = 0.5
    # ... or by more than this share of the spacing, where the gap is far smaller: the filter bridges that.
    accept_spacing: float = 0.05
    # In a pinched place the hard gap shrinks to this share before anything is let go.
    pinch_share: float = 0.02
    # Human stature in metres outside which a character's unit is probably wrong.
    stature_low: float = 0.4
    stature_high: float = 3.0
    # Sum of skin weights must be this near to 1.
    weight_sum: float = 1e-3
    # A garment vertex further than this from the surface it is held to cannot follow it.
    hold_reach: float = 0.25
    # Strain beyond which an edge is a fault where its fabric has no limit (common practice, no source).
    overstretch: float = 0.15


DEFAULT = Tolerances()


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
