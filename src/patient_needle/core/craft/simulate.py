"""One garment through the frames of a shot: states in, frames out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..geometry.breeze import air_velocity
from ..geometry.curves import value_at
from ..geometry.rotations import spin_between
from ..model.typed import Points
from ..solver.diagnostics import Energies, FrameTally, Stretch, stretch
from ..solver.effort import furthest, substeps_for
from ..solver.forces import Forces, Inflation
from ..solver.state import ClothState, at_rest
from ..solver.step import Engine, Surround
from .checks import check_start
from .colliders import Colliders, merged_colliders
from .dressing import Dressed, dress
from .plan import Garment, ShotPlan
from .snags import Snag, find_crossings, list_snags, rearmed


@dataclass(frozen=True, eq=False)
class FrameResult:
    """One finished frame.

    state to go on from; positions (n, 3) m are state.positions; delivered False in the run-in; speeds in m/s:
    the fastest vertex between this frame and the last, and the fastest collider point. energies in J; triangles
    beyond the strain limit; unrest in m, how far from rest, told at the end of settling and of the shot.
    """

    frame: int
    state: ClothState
    delivered: bool
    tally: FrameTally
    stretch: Stretch
    snags: tuple[Snag, ...]
    crossing_colliders: int
    crossing_itself: int
    fastest_vertex: float
    fastest_collider: float
    energies: Energies
    beyond_limit: int
    unrest: float | None


class GarmentRun:
    """A garment's simulation, prepared: checked, dressed, factors not yet made."""

    def __init__(self, plan: ShotPlan, garment: Garment) -> None:
        self.plan = plan
        self.colliders: Colliders = merged_colliders(plan)
        self.dressed: Dressed = dress(plan, garment)
        check_start(self.dressed.cloth, self.colliders, self.colliders.rest_points())
        around = self.colliders.surroundings(garment.fabric, plan.first_simulated)
        self._garment = garment
        self._engine = Engine(
            self.dressed.cloth,
            self.colliders.rest_points(),
            self.colliders.triangles,
            plan.patience,
            Forces(plan.gravity, plan.air_drag, plan.air_density, garment.shelter, garment.calm),
            float(around.gap.mean()) if len(around.gap) else garment.fabric.thickness,
        )

    def start(self) -> ClothState:
        """The garment at rest, as it was made."""
        return at_rest(self.dressed.cloth.rest_points, len(self.colliders.rank))

    def first(self) -> FrameResult:
        """The start as a finished frame that cost nothing."""
        return self._finished(
            self.plan.first_simulated, self.start(), FrameTally(), self.colliders.rest_points(), 0.0, 0.0
        )

    def frames(self, state: ClothState, after: int, last: int) -> Iterator[FrameResult]:
        """Frames after `after` up to `last`, going on from `state`."""
        for frame in range(after + 1, last + 1):
            result = self._frame(state, frame)
            yield result
            state = result.state

    def _travel(self, frame: int, first: Points, last: Points) -> float:
        """How far the fastest collider point goes in a frame, m.

        By halves, since it may turn round within the frame; and in the frame before, since cloth still moves
        when the body has stopped.
        """
        middle, earlier = self.colliders.points_at(frame - 0.5), self.colliders.points_at(frame - 2.0)
        return max(furthest(earlier, first), 2 * furthest(first, middle), 2 * furthest(middle, last))

    def _frame(self, state: ClothState, frame: int) -> FrameResult:
        plan, tally = self.plan, FrameTally()
        first, last = (self.colliders.points_at(frame - 1.0), self.colliders.points_at(frame))
        stretch = value_at(plan.time_stretch, frame - 0.5)
        substeps = substeps_for(
            plan.patience, self._travel(frame, first, last), stretch, value_at(plan.least_substeps, frame)
        )
        step = stretch / (plan.frame_rate * substeps)
        before, here = state.positions, first
        for index in range(1, substeps + 1):
            time = frame - 1 + index / substeps
            there = self.colliders.points_at(time) if index < substeps else last
            surround = self._surround(state, time, step, here, there)
            state = self._engine.step(state, surround, step, tally)
            here = there
        unrest = None
        if frame in (plan.first_simulated + plan.run_in.settle, plan.frames[1]):
            unrest = self._engine.unrest(state, surround)
        return self._finished(
            frame, state, tally, last,
            _fastest(before, state.positions, plan.frame_rate), _fastest(first, last, plan.frame_rate), unrest,
        )  # fmt: skip

    def _surround(self, state: ClothState, time: float, step: float, here: Points, there: Points) -> Surround:
        """Everything prescribed in the substep of `step` s that ends at frame `time`."""
        plan, garment = self.plan, self._garment
        held = self.dressed.held_points(time)
        spin = None
        if garment.calm > 0:
            spin = spin_between(state.positions[self.dressed.cloth.held], held, step)
        wind = air_velocity(plan.winds, state.positions, time, plan.frame_rate) if plan.winds else None
        filling, inflation = garment.filling, None
        if filling is not None:
            amount = value_at(filling.amount, time)
            inflation = Inflation(filling.by == "volume", amount, filling.stiffness)
        around = self.colliders.surroundings(garment.fabric, time)
        return Surround(here, there, held, around, wind, spin, inflation)

    def _finished(
        self,
        frame: int,
        state: ClothState,
        tally: FrameTally,
        around: Points,
        vertex: float,
        collider: float,
        unrest: float | None = None,
    ) -> FrameResult:
        """Look at a frame's end: what crosses, what is let go, how far it is stretched."""
        cloth = self.dressed.cloth
        crossings = find_crossings(cloth, state.positions, self.colliders, around)
        released = rearmed(cloth, state.positions, self.colliders, around, crossings, state.released)
        state = state.replace(released=released)
        return FrameResult(
            frame,
            state,
            frame >= self.plan.frames[0],
            tally,
            stretch(cloth, state.positions),
            list_snags(cloth, state.positions, self.colliders, crossings, released),
            len(crossings.colliders),
            len(crossings.itself),
            vertex,
            collider,
            self._engine.energies(state),
            self._engine.beyond_limit(state),
            unrest,
        )


def _fastest(before: Points, after: Points, rate: float) -> float:
    return furthest(before, after) * rate
