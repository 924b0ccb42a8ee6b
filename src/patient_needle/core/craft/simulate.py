"""Garments through the frames of a shot, together: states in, frames out."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from ..geometry.breeze import air_velocity
from ..geometry.curves import value_at
from ..geometry.rotations import spin_between
from ..model.typed import Points
from ..solver.diagnostics import Energies, FrameTally, Stretch, stretch
from ..solver.effort import furthest, substeps_for
from ..solver.forces import Forces, Inflation
from ..solver.outfit import Wearing, outfit
from ..solver.state import ClothState, at_rest
from ..solver.step import Engine, Surround
from .checks import check_start
from .colliders import Colliders, merged_colliders
from .dressing import Dressed, dress
from .plan import Garment, PlannedRun, ShotPlan
from .run_in import run_in_share
from .snags import Snag, caught_by, find_crossings, list_snags, rearmed


@dataclass(frozen=True, eq=False)
class FrameResult:
    """One garment's finished frame.

    state, of all garments of the run, to go on from; positions (n, 3) m of this one; delivered False in the
    run-in; speeds in m/s: the fastest vertex between this frame and the last, and the fastest collider point;
    crossing_garments, triangle pairs with other garments. energies in J; triangles beyond the strain limit;
    unrest in m, how far from rest the run is, told at the end of settling and of the shot. The tally is the
    whole run's.
    """

    garment: str
    frame: int
    state: ClothState
    positions: Points
    delivered: bool
    tally: FrameTally
    stretch: Stretch
    snags: tuple[Snag, ...]
    crossing_colliders: int
    crossing_itself: int
    crossing_garments: int
    fastest_vertex: float
    fastest_collider: float
    energies: Energies
    beyond_limit: int
    unrest: float | None


class OutfitRun:
    """Garments' simulation, innermost first: checked, dressed, factors not yet made."""

    def __init__(self, plan: ShotPlan, run: PlannedRun) -> None:
        self.plan = plan
        self.run = run
        self.garments = garments = run.garments
        self.colliders: Colliders = merged_colliders(plan)
        self.dressed: tuple[Dressed, ...] = tuple(dress(plan, garment) for garment in garments)
        self.outfit = outfit(tuple(one.cloth for one in self.dressed))
        self._start = np.concatenate([one.start(plan.first_simulated) for one in self.dressed])
        at_start = self.colliders.at_work(plan.first_simulated)
        check_start(self.outfit, self._start, at_start, self.colliders.rest_points())
        around = self.colliders.surroundings(plan.first_simulated)
        thickness = self.outfit.skin.thickness.mean()
        self._engine = Engine(
            self.outfit,
            self.colliders.rest_points(),
            self.colliders.triangles,
            plan.patience,
            tuple(Forces(plan.gravity, plan.air_drag, plan.air_density, g.shelter, g.calm) for g in garments),
            float(around.gap.mean() + 0.5 * thickness if len(around.gap) else thickness),
            against_itself=True,
        )

    def start(self) -> ClothState:
        """The garments at rest, as they were made or as they were finished."""
        return at_rest(self._start, len(self.colliders.rank))

    def first(self) -> tuple[FrameResult, ...]:
        """The start as a finished frame that cost nothing."""
        start = self.start()
        return self._finished(
            self.plan.first_simulated, start, start.positions, FrameTally(), self.colliders.rest_points(), 0.0
        )

    def frames(self, state: ClothState, after: int, last: int) -> Iterator[tuple[FrameResult, ...]]:
        """Frames after `after` up to `last`, going on from `state`; each garment's result for each."""
        for frame in range(after + 1, last + 1):
            results = self._frame(state, frame)
            yield results
            state = results[0].state

    def _travel(self, frame: int, first: Points, last: Points) -> float:
        """How far the fastest collider point goes in a frame, m.

        By halves, since it may turn round within the frame; and in the frame before, since cloth still moves
        when the body has stopped.
        """
        middle, earlier = self.colliders.points_at(frame - 0.5), self.colliders.points_at(frame - 2.0)
        return max(furthest(earlier, first), 2 * furthest(first, middle), 2 * furthest(middle, last))

    def _frame(self, state: ClothState, frame: int) -> tuple[FrameResult, ...]:
        plan, tally = self.plan, FrameTally()
        first, last = (self.colliders.points_at(frame - 1.0), self.colliders.points_at(frame))
        stretch = value_at(plan.time_stretch, frame - 0.5)
        substeps = substeps_for(
            plan.patience, self._travel(frame, first, last), stretch, value_at(plan.least_substeps, frame)
        )
        step = stretch / (plan.frame_rate * substeps)
        state = self._switched(state, frame, first)
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
        fastest = furthest(first, last) * plan.frame_rate
        return self._finished(frame, state, before, tally, last, fastest, unrest)

    def _switched(self, state: ClothState, frame: int, around: Points) -> ClothState:
        """The state with cloth let go by colliders that are off at `frame`.

        One that is switched on takes what lies outside it; what it would catch waits, as in a pinched place.
        """
        off, was = self.colliders.parts_off(frame), self.colliders.parts_off(frame - 1)
        if not (off.any() or was.any()):
            return state
        released = state.released.copy()
        released[:, off] = True
        on_again = was & ~off
        if on_again.any():
            caught = caught_by(self.outfit, state.positions, self.colliders.at_work(frame), around)
            released[:, on_again] = caught[:, on_again]
        return state.replace(released=released)

    def _surround(self, state: ClothState, time: float, step: float, here: Points, there: Points) -> Surround:
        """Everything prescribed in the substep of `step` s that ends at frame `time`."""
        plan = self.plan
        held = tuple(one.held_points(time) for one in self.dressed)
        wind = air_velocity(plan.winds, state.positions, time, plan.frame_rate) if plan.winds else None
        worn = tuple(
            Wearing(
                self._spin(state, index, held[index], step),
                _inflation(garment, time),
                run_in_share(plan.run_in, plan.frames[0], time),
            )
            for index, garment in enumerate(self.garments)
        )
        return Surround(here, there, np.concatenate(held), self.colliders.surroundings(time), wind, worn)

    def _spin(self, state: ClothState, index: int, held: Points, step: float) -> np.ndarray | None:
        """How a calmed garment's fastenings turn, (3,) rad/s."""
        if self.garments[index].calm == 0:
            return None
        own = state.positions[self.outfit.spans[index]]
        return spin_between(own[self.dressed[index].cloth.held], held, step)

    def _finished(
        self,
        frame: int,
        state: ClothState,
        before: Points,
        tally: FrameTally,
        around: Points,
        collider: float,
        unrest: float | None = None,
    ) -> tuple[FrameResult, ...]:
        """Look at a frame's end: what crosses, what is let go, how far it is stretched."""
        colliders, off = self.colliders.at_work(frame), self.colliders.parts_off(frame)
        crossings = find_crossings(self.outfit, state.positions, colliders, around)
        pinched = state.released & ~off
        released, eased = rearmed(self.outfit, state.positions, colliders, around, crossings, pinched)
        state = state.replace(released=released | off, eased=eased)
        results = []
        for index, (dressed, span) in enumerate(zip(self.dressed, self.outfit.spans, strict=True)):
            if self.garments[index] not in self.run.reported:
                continue
            own, points = crossings.of(index, self.outfit), state.positions[span]
            wear = self._engine.wear[index]
            results.append(
                FrameResult(
                    dressed.cloth.name,
                    frame,
                    state,
                    points,
                    frame >= self.plan.frames[0],
                    tally,
                    stretch(dressed.cloth, points),
                    list_snags(self.outfit, index, state.positions, colliders, around, own, released),
                    len(own.colliders),
                    len(own.itself),
                    len(own.garments),
                    furthest(before[span], points) * self.plan.frame_rate,
                    collider,
                    wear.energies(state),
                    wear.beyond_limit(state),
                    unrest,
                )
            )
        return tuple(results)


def _inflation(garment: Garment, time: float) -> Inflation | None:
    filling = garment.filling
    if filling is None:
        return None
    return Inflation(filling.by == "volume", value_at(filling.amount, time), filling.stiffness)
