"""The driver makes the inputs of each frame from a shot: bodies, wind, holds and fillings."""

from __future__ import annotations

from collections import OrderedDict

import numpy as np

from ...geometry.curves import value_at
from ...model.shot import Garment, PlannedRun, ShotPlan
from ...model.typed import Points
from ...solver.air import air_velocity
from ...solver.diagnostics import furthest, substeps_for
from ...solver.links import Links
from ...solver.state import Inflation
from ..cast.colliders import Colliders
from ..cast.run_in import run_in_share
from ..holds.acting import Moment
from ..holds.seams import Seam
from .inputs import FrameInputs

KEPT = 6  # times: a frame asks for its ends, its middle and the frame before again


class Driver:
    """Makes the inputs of any frame of a run, run-in included."""

    def __init__(self, plan: ShotPlan, run: PlannedRun, colliders: Colliders, seams: tuple[Seam, ...]) -> None:
        self._plan, self._run, self.seams = plan, run, seams
        self.colliders = colliders
        self._met = np.unique(colliders.triangles)
        self._known: OrderedDict[float, Points] = OrderedDict()

    def inputs(self, frame: int) -> FrameInputs:
        """Everything that acts in `frame`."""
        plan, colliders, garments = self._plan, self.colliders, self._run.garments
        stretch = value_at(plan.time_stretch, frame - 0.5)
        substeps = substeps_for(
            plan.patience, self._travel(frame), stretch, value_at(plan.least_substeps, frame)
        )
        start, second = float(frame - 1), plan.frame_rate / stretch
        moments = tuple(
            Moment(
                start + index / substeps, start + (index + 1) / substeps, frame, plan.first_simulated, second
            )
            for index in range(substeps)
        )
        return FrameInputs(
            frame=frame,
            delivered=frame >= plan.frames[0],
            moments=moments,
            step=stretch / (plan.frame_rate * substeps),
            colliders=colliders.at_work(frame),
            bodies=self.bodies,
            around=lambda time: colliders.surroundings(frame, time),
            wind=self._wind if plan.winds else None,
            links=self._links,
            fillings=lambda time: tuple(_inflation(garment, time) for garment in garments),
            calm=lambda time: run_in_share(plan.run_in, plan.frames[0], time),
            prescriptions=tuple(garment.prescription for garment in garments),
            unrest=frame in (plan.first_simulated + plan.run_in.settle, plan.frames[1]),
        )

    def bodies(self, time: float) -> Points:
        """Where the colliders are (k, 3) m; the latest few times are kept."""
        if time not in self._known:
            self._known[time] = self.colliders.points_at(time)
            while len(self._known) > KEPT:
                self._known.popitem(last=False)
        return self._known[time]

    def _wind(self, points: Points, time: float) -> Points:
        return air_velocity(self._plan.winds, points, time, self._plan.frame_rate)

    def _links(self, moment: Moment) -> list[Links]:
        return [made for seam in self.seams if (made := seam.links(moment)) is not None]

    def _travel(self, frame: int) -> float:
        """How far the fastest collider point that cloth can meet goes in a frame, m.

        By halves, since it may turn round within the frame; and in the frame before, since cloth still moves
        when the body has stopped.
        """
        earlier, first, middle, last = (self.bodies(frame - ago)[self._met] for ago in (2.0, 1.0, 0.5, 0.0))
        return max(furthest(earlier, first), 2 * furthest(first, middle), 2 * furthest(middle, last))


def _inflation(garment: Garment, time: float) -> Inflation | None:
    filling = garment.filling
    if filling is None:
        return None
    return Inflation(filling.by == "volume", value_at(filling.amount, time), filling.stiffness)
