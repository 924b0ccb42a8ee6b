"""What a run goes on from after a frame: which vertices a pinched place has let go, and which come out."""

from __future__ import annotations

from ...model.typed import Points
from ...solver.outfit import Outfit
from ...solver.state import ClothState
from ..colliders import Colliders
from ..snags import Crossings, caught_by, rearmed


def switched(state: ClothState, frame: int, colliders: Colliders, worn: Outfit, around: Points) -> ClothState:
    """The state in which colliders that are off at `frame` let nothing go; around (k, 3) m at its start.

    One that is switched on takes what lies outside it; what it would catch waits, as in a pinched place.
    """
    off, was = colliders.parts_off(frame), colliders.parts_off(frame - 1)
    if not (off.any() or was.any()):
        return state
    released = state.released.copy()
    released[:, off] = False
    on_again = was & ~off
    if on_again.any():
        caught = caught_by(worn, state.positions, colliders.at_work(frame), around)
        released[:, on_again] = caught[:, on_again]
    return state.replace(released=released)


def released_after(
    state: ClothState, worn: Outfit, colliders: Colliders, around: Points, crossings: Crossings
) -> ClothState:
    """The state after a frame that ended with `crossings` among colliders at around (k, 3) m."""
    released, eased = rearmed(worn, state.positions, colliders, around, crossings, state.released)
    return state.replace(released=released, eased=eased)
