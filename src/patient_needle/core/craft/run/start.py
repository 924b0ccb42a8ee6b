"""Where a run begins: the garments as placed, drawn out of themselves, and what waits to come out of bodies."""

from __future__ import annotations

from collections.abc import Callable

from ...contact.easing import REACH
from ...model.typed import Points
from ...solver.state import ClothState, at_rest
from ...solver.step import Surround
from ..checks import check_start
from ..holding import together
from ..plan import ShotPlan
from ..snags import caught_by, find_crossings, parts_near, rearmed
from ..untangling import untangled
from .advance import Constants


def begun(constants: Constants, plan: ShotPlan, placed: Points, meanwhile: Callable[[], None]) -> ClothState:
    """The garments at rest at placed (n, 3) m when the run begins; what is through itself drawn apart, which
    can take minutes: `meanwhile` is called in every round of it, and what it raises ends it.

    What lies inside a body waits to be eased out. `StartError` where neither will help: a run never steps from
    cloth that is crossed and knows nothing of it.
    """
    frame, worn = plan.first_simulated, constants.outfit
    colliders, points = constants.colliders.at_work(frame), constants.colliders.rest_points()
    around = constants.colliders.surroundings(frame)
    surround = Surround(points, points, placed[worn.held], around)
    start = untangled(worn, constants.engine, placed, surround, colliders, meanwhile)
    check_start(worn, start, colliders, points, easing=plan.run_in.length > 0)
    caught = caught_by(worn, start, colliders, points)
    caught[:, ~parts_near(start[caught.any(axis=1)], colliders, points, REACH)] = False
    taken = together([one.taken(frame) for one in constants.dressed])
    state = at_rest(start, len(constants.colliders.rank), taken)
    if not caught.any():
        return state
    crossings = find_crossings(worn, start, colliders, points)
    released, eased = rearmed(worn, start, colliders, points, crossings, caught)
    return state.replace(released=released, eased=eased)
