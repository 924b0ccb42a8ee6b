"""Inputs of one frame: everything that acts on the garments from outside, and the driver that makes them."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache

import numpy as np

from ...contact.rows import Surroundings
from ...geometry.curves import value_at
from ...model.garment import Prescription
from ...model.shot import Garment, PlannedRun, ShotPlan
from ...model.typed import Flags, Points, Vectors
from ...solver.air import air_velocity
from ...solver.diagnostics import furthest, substeps_for
from ...solver.links import Links
from ...solver.state import Forces, Inflation
from ..cast.colliders import Colliders
from ..cast.parting import Parting, least_room
from ..cast.run_in import run_in_share
from ..holds.acting import Moment
from ..holds.seams import Seam

KEPT = 12  # times: a frame asks for its ends, its middle and the frame before again


@dataclass(frozen=True, eq=False)
class FrameInputs:
    """One frame as the garments meet it. Whoever drives a run makes it, and may `replace` any of it.

    frame          its number; delivered: whether it belongs to the shot and not to the run-in
    moments        its substeps; step s, how long each lasts for the cloth
    colliders      those that are on, and their parts
    bodies         time -> (k, 3) m, where the colliders are
    around         time -> what the colliders ask of contact
    wind           (n, 3) m and time -> (n, 3) m/s; None in still air
    links          substep -> what draws cloth, over all vertices of the run
    fillings       time -> what fills each garment; calm: time -> the share of calm that counts
    prescriptions  of each garment, where it is told to be
    forces         gravity and air, None for the engine's own; shelter and calm stay each garment's
    parked         (n,) vertices that stay where they are; None for none
    aside          time -> (n, 3) m, where parked vertices go instead; None where they stay
    friction       factor on all friction of cloth
    damping        share of the fabrics' own damping that counts
    unrest         whether it is to be told how far from rest the garments are at its end
    begins         whether holds whose keys say so take hold or let go in it; not while a figure stands there
    """

    frame: int
    delivered: bool
    moments: tuple[Moment, ...]
    step: float
    colliders: Colliders
    bodies: Callable[[float], Points]
    around: Callable[[float], Surroundings]
    wind: Callable[[Points, float], Vectors] | None
    links: Callable[[Moment], list[Links]]
    fillings: Callable[[float], tuple[Inflation | None, ...]]
    calm: Callable[[float], float]
    prescriptions: tuple[Prescription, ...]
    forces: Forces | None = None
    parked: Flags | None = None
    aside: Callable[[float], Points] | None = None
    friction: float = 1.0
    damping: float = 1.0
    unrest: bool = False
    begins: bool = True


def grown(inputs: FrameInputs, thin: Points, share: Callable[[float], float]) -> FrameInputs:
    """The frame with bodies that grow: thin (k, 3) m at a share of 0, as they are at 1; share of a time.

    The points go straight from thin to full, so a share that rises moves the surface and never tears it.
    """
    full = inputs.bodies

    def bodies(time: float) -> Points:
        return thin + share(time) * (full(time) - thin)

    return replace(inputs, bodies=bodies)


def parked(inputs: FrameInputs, vertices: Flags) -> FrameInputs:
    """The frame with vertices (n,) of the run set aside: they stay where they are and others meet them."""
    before = inputs.parked
    return replace(inputs, parked=vertices if before is None else before | vertices)


class Driver:
    """Makes the inputs of any frame of a run, run-in included."""

    def __init__(
        self,
        plan: ShotPlan,
        run: PlannedRun,
        colliders: Colliders,
        seams: tuple[Seam, ...],
        basting: Links | None = None,
    ) -> None:
        self._plan, self._run, self.seams = plan, run, seams
        self._basting = [] if basting is None else [basting]
        self.colliders = colliders
        self._met = np.unique(colliders.triangles)
        self._bodies, self._room = lru_cache(KEPT)(self._drawn), lru_cache(KEPT)(self._room_of)

    @cached_property
    def _parting(self) -> Parting:
        cloth = sum(garment.fabric.thickness for garment in self._run.garments)
        return Parting(self.colliders, least_room(self.colliders, cloth))

    def inputs(self, frame: int) -> FrameInputs:
        """Everything that acts in `frame`."""
        plan = self._plan
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
        return replace(
            self.inputs_at(frame),
            moments=moments,
            step=stretch / (plan.frame_rate * substeps),
            unrest=frame in (plan.first_simulated + plan.run_in.settle, plan.frames[1]),
        )

    def inputs_at(self, frame: int) -> FrameInputs:
        """Everything that acts in `frame`, without its substeps."""
        plan, colliders, garments = self._plan, self.colliders, self._run.garments
        return FrameInputs(
            frame=frame,
            delivered=frame >= plan.frames[0],
            moments=(),
            step=0.0,
            colliders=colliders.at_work(frame),
            bodies=self.bodies,
            around=lambda time: colliders.surroundings(frame, time),
            wind=self._wind if plan.winds else None,
            links=self._links,
            fillings=lambda time: tuple(_inflation(garment, time) for garment in garments),
            calm=lambda time: run_in_share(plan.run_in, plan.frames[0], time),
            prescriptions=tuple(garment.prescription for garment in garments),
        )

    def bodies(self, time: float) -> Points:
        """Where the colliders are (k, 3) m, as they make room for cloth; the latest few times are kept."""
        return self._bodies(time)

    def _drawn(self, time: float) -> Points:
        posed, room = self.colliders.points_at(time), self.room(time)
        return posed if room is None else posed + room

    def room(self, time: float) -> Vectors | None:
        """How far the colliders' points are drawn in there, (k, 3) m, straight from frame to frame; None where
        no two parts close on cloth.
        """
        frame = math.floor(time)
        share = time - frame
        ends = [(1 - share, self._room(frame)), (share, None if share == 0 else self._room(frame + 1))]
        parts = [part * room for part, room in ends if room is not None]
        return np.asarray(sum(parts)) if parts else None

    def _room_of(self, frame: int) -> Vectors | None:
        return self._parting.room(self.colliders.points_at(float(frame)))

    def _wind(self, points: Points, time: float) -> Points:
        return air_velocity(self._plan.winds, points, time, self._plan.frame_rate)

    def _links(self, moment: Moment) -> list[Links]:
        return [*(made for seam in self.seams if (made := seam.links(moment)) is not None), *self._basting]

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
