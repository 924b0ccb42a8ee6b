"""A garment made ready: its cloth, and where its held vertices go."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..geometry.motion import Motion
from ..geometry.normals import vertex_areas
from ..geometry.topology import is_closed
from ..model.errors import NeedleError, ShotError
from ..model.garment_shape import GarmentShape
from ..model.typed import Flags, Points, Vectors
from ..solver.cloth import Cloth, build_cloth
from ..solver.state import Taken
from .drawing import factors, grips
from .holding import Grasp, HeldPoints, Moment, grasp, held_points, retake, slid, take_all
from .holds import GRAVITY
from .neighbours import Neighbours
from .places import Whereabouts
from .plan import Garment, ShotPlan


@dataclass(frozen=True, eq=False)
class Dressed:
    """A garment's cloth, what it was made from, and its holds; finished: the motion that has all of it."""

    cloth: Cloth
    shape: GarmentShape
    holds: tuple[HeldPoints, ...]
    finished: Motion | None = None

    @property
    def weight(self) -> float:
        """N on Earth."""
        return float(self.cloth.mass.sum()) * GRAVITY

    @property
    def places(self) -> int:
        """How many points of a state's `taken` are this garment's."""
        return 0 if self.finished is not None else sum(held.count for held in self.holds)

    @property
    def changes(self) -> bool:
        """Whether what its holds prescribe changes during a run."""
        return self.finished is None and any(
            held.hold.on is not None or len(held.hold.grip.values) > 1 for held in self.holds
        )

    def start(self, frame: int) -> Points:
        """Where it is (n, 3) m when the run starts at `frame`: as it was made, or as it was finished."""
        return self.cloth.placed if self.finished is None else self.finished.at(frame)

    def taken(self, frame: int) -> Taken:
        """Where its holds take hold when the run starts at `frame`."""
        return Taken.none() if self.finished is not None else take_all(self.holds, self.start(frame), frame)

    def retaken(self, taken: Taken, points: Points, velocities: Vectors, moment: Moment) -> Taken:
        """The same with what begins in a frame, as `holding.retake` explains."""
        return taken if self.finished is not None else retake(self.holds, taken, points, velocities, moment)

    def slid(self, taken: Taken, points: Points, moment: Moment) -> Taken:
        """Where its holds have it after a substep that ended at `points` (n, 3) m."""
        return taken if self.finished is not None else slid(self.holds, taken, points, self.weight, moment)

    def grasp(self, taken: Taken, moment: Moment) -> Grasp:
        """Where its holds have it in one substep; all of it where it is finished."""
        if self.finished is not None:
            return Grasp(np.ones(self.cloth.count, bool), self.finished.at(moment.time), [])
        return grasp(self.holds, taken, self.cloth.count, self.weight, moment)


def dress(
    plan: ShotPlan, garment: Garment, whereabouts: Whereabouts | None = None, near: Neighbours | None = None
) -> Dressed:
    """Make `garment` ready for the shot; errors name the garment. whereabouts: the cast's in this run; near:
    what its maps may ask.
    """
    try:
        return _dress(plan, garment, whereabouts or Whereabouts(plan), near or Neighbours.of(plan))
    except NeedleError as error:
        raise error.at(f"garment '{garment.name}'") from error


def _dress(plan: ShotPlan, garment: Garment, whereabouts: Whereabouts, near: Neighbours) -> Dressed:
    ground = near.remembered.ground(garment.mesh)
    cut, points = ground.cut, garment.mesh.vertices
    areas = vertex_areas(points, cut.triangles)
    painted = grips(garment.maps, ground, near, garment=garment.name)
    holds = held_points(garment, ground, areas, whereabouts, painted)
    if garment.finished is not None:
        _check_finished(plan, garment.finished)
    held = _always_held(garment, holds)
    shape = garment.source.shape(garment.name, ground)
    cloth = build_cloth(
        shape,
        garment.fabric,
        held,
        flat_rest_angles=garment.rest_angles == "flat",
        multipliers=factors(garment.maps, ground, near, garment=garment.name),
    )
    if garment.filling is not None and not is_closed(cut.triangles):
        raise ShotError(
            "it is to be filled, but its mesh has open borders",
            remedy="Close the mesh, or take the filling away",
        )
    return Dressed(cloth, shape, holds, garment.finished)


def _always_held(garment: Garment, holds: tuple[HeldPoints, ...]) -> Flags:
    """Vertices (n,) whose position is prescribed throughout."""
    held = np.full(garment.mesh.vertex_count, garment.finished is not None)
    for one in holds:
        held[one.vertices[one.always]] = True
    return held


def _check_finished(plan: ShotPlan, finished: Motion) -> None:
    low, high = finished.span()
    if plan.first_simulated < low or plan.frames[1] > high:
        raise ShotError(
            f"it is finished from frame {low:g} to {high:g}, but the run goes from {plan.first_simulated} to "
            f"{plan.frames[1]}, run-in included",
            remedy="Finish it over the whole range, run-in included, or simulate it again",
        )
