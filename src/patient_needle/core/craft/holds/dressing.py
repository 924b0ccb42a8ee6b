"""Preparing a garment for a run: its cloth, its holds, and where held vertices go."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ...geometry.topology import is_closed
from ...geometry.triangles import vertex_areas
from ...model.errors import NeedleError, ShotError
from ...model.garment import GarmentShape, Prescription
from ...model.holds import GRAVITY
from ...model.shot import Garment, ShotPlan
from ...model.typed import Flags, Points, Vectors
from ...solver.cloth import Cloth, build_cloth
from ...solver.state import Taken
from ..garments.surface import triangles_in
from ..maps.drawing import factors, grips
from ..maps.inputs import MapInputs
from .acting import (
    Grasp,
    HeldPoints,
    Moment,
    grasp,
    held_points,
    prescribed,
    prescribed_start,
    retake,
    slid,
    take_all,
)
from .places import Whereabouts


@dataclass(frozen=True, eq=False)
class Dressed:
    """A garment's cloth, what it was made from, its holds, and where it is told to be; calm from 0 to 1."""

    cloth: Cloth
    shape: GarmentShape
    holds: tuple[HeldPoints, ...]
    prescription: Prescription
    calm: float = 0.0

    @property
    def weight(self) -> float:
        """N on Earth."""
        return float(self.cloth.mass.sum()) * GRAVITY

    @property
    def places(self) -> int:
        """How many points of a state's `taken` are this garment's."""
        return sum(held.count for held in self.holds)

    def changes(self, told: Prescription) -> bool:
        """Whether what is prescribed of it changes during a run in which it is told so."""
        return told.changes or any(
            held.hold.on is not None or len(held.hold.grip.values) > 1 for held in self._acting(told)
        )

    def start(self, frame: int) -> Points:
        """Where it is (n, 3) m when the run starts at `frame`."""
        return prescribed_start(self.prescription, self.cloth.placed, frame)

    def taken(self, frame: int) -> Taken:
        """Where its holds take hold when the run starts at `frame`; on nothing while they have no say."""
        if self.prescription.is_all:
            return Taken.none(self.places)
        return take_all(self.holds, self.start(frame), frame)

    def retaken(
        self, taken: Taken, points: Points, velocities: Vectors, moment: Moment, told: Prescription
    ) -> Taken:
        """The same with what begins in a frame, as `acting.retake` explains."""
        return retake(self._acting(told), taken, points, velocities, moment)

    def slid(self, taken: Taken, points: Points, moment: Moment, told: Prescription) -> Taken:
        """Where its holds have it after a substep that ended at `points` (n, 3) m."""
        return slid(self._acting(told), taken, points, self.weight, moment)

    def grasp(self, taken: Taken, moment: Moment, told: Prescription | None = None) -> Grasp:
        """Where holds have it in one substep, and what it is told: its own prescription if left out."""
        told = told or self.prescription
        held = grasp(self._acting(told), taken, self.cloth.count, self.weight, moment)
        share = self.cloth.vertex_areas / self.cloth.vertex_areas.sum()
        return prescribed(held, told, self.weight, share, moment)

    def _acting(self, told: Prescription) -> tuple[HeldPoints, ...]:
        """The holds that have a say: none when all of it is told where to be."""
        return () if told.is_all else self.holds


def dress(
    plan: ShotPlan, garment: Garment, whereabouts: Whereabouts | None = None, near: MapInputs | None = None
) -> Dressed:
    """Make `garment` ready for the shot; errors name the garment. whereabouts: the cast's in this run; near:
    what its maps may ask.
    """
    try:
        return _dress(plan, garment, whereabouts or Whereabouts(plan), near or MapInputs.of(plan))
    except NeedleError as error:
        raise error.at(f"garment '{garment.name}'") from error


def _dress(plan: ShotPlan, garment: Garment, whereabouts: Whereabouts, near: MapInputs) -> Dressed:
    surface = near.cache.surface(garment.mesh)
    cut, points = surface.cut, garment.mesh.vertices
    areas = vertex_areas(points, cut.triangles)
    painted = grips(garment.maps, surface, near, garment=garment.name)
    holds = held_points(garment, surface, areas, whereabouts, painted)
    garment.prescription.check(garment.mesh.vertex_count, plan.first_simulated, plan.frames[1])
    held = _always_held(garment, holds)
    shape = garment.source.shape(garment.name, surface.cut, surface.topology)
    if garment.begins is not None:
        shape = replace(shape, placed=garment.begins)
    cloth = build_cloth(
        shape,
        garment.fabric,
        held,
        flat_rest_angles=garment.rest_angles == "flat",
        multipliers=factors(garment.maps, surface, near, garment=garment.name),
        patches=[(triangles_in(garment.mesh, cut, patch.group), patch.fabric) for patch in garment.patches],
    )
    if garment.filling is not None and not is_closed(cut.triangles):
        raise ShotError(
            "it is to be filled, but its mesh has open borders",
            remedy="Close the mesh, or take the filling away",
        )
    return Dressed(cloth, shape, holds, garment.prescription, garment.calm)


def _always_held(garment: Garment, holds: tuple[HeldPoints, ...]) -> Flags:
    """Vertices (n,) whose position is prescribed throughout."""
    held = garment.prescription.always(garment.mesh.vertex_count)
    for one in holds:
        held[one.vertices[one.always]] = True
    return held
