"""A run of garments that are simulated together: from a state to the end of each frame."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from ...model.shot import PlannedRun, ShotPlan
from ...model.typed import Points
from ...solver.diagnostics import FrameTally, furthest
from ...solver.outfit import Outfit, outfit
from ...solver.state import ClothState, Forces
from ...solver.step import Engine
from ..cast.colliders import Colliders, merged_colliders
from ..holds.dressing import Dressed, dress
from ..holds.places import Whereabouts
from ..holds.seams import basting_of, seams_of
from .advance import Constants, advance
from .inputs import Driver, FrameInputs
from .release import Crossings, find_crossings, released_after, switched
from .start import begun


@dataclass(frozen=True, eq=False)
class FrameEnd:
    """A frame that is over: its state after release, where its cloth was before (n, 3) m, and where the
    colliders are (k, 3) m; collider, m/s of their fastest point.
    """

    frame: int
    delivered: bool
    state: ClothState
    before: Points
    colliders: Colliders
    around: Points
    crossings: Crossings
    tally: FrameTally
    collider: float
    unrest: float | None


def _as_keyed(inputs: FrameInputs) -> FrameInputs:
    return inputs


class OutfitRun:
    """Garments' simulation, innermost first: dressed, factors not yet made. Its start is made when it is asked
    for, so that a run that goes on from a state need not make it.
    """

    def __init__(self, plan: ShotPlan, run: PlannedRun) -> None:
        self.plan = plan
        self.run = run
        whereabouts = Whereabouts(plan)
        self.dressed: tuple[Dressed, ...] = tuple(dress(plan, one, whereabouts) for one in run.garments)
        self.outfit: Outfit = outfit(tuple(one.cloth for one in self.dressed))
        self.colliders: Colliders = merged_colliders(plan)
        starts = [one.start(plan.first_simulated) for one in self.dressed]
        self._placed = np.concatenate(starts)
        spans = self.outfit.spans
        seams = seams_of(self.dressed, spans, starts)
        self.driver = Driver(plan, run, self.colliders, seams, basting_of(self.dressed, spans))
        engine = self._made_engine()
        self.constants = Constants(self.dressed, self.outfit, engine, self.colliders, plan.gravity)
        self._start: ClothState | None = None

    @property
    def forces(self) -> tuple[Forces, ...]:
        """Gravity and air of each garment."""
        plan = self.plan
        return tuple(
            Forces(plan.gravity, plan.air_drag, plan.air_density, one.shelter, one.calm)
            for one in self.run.garments
        )

    def _made_engine(self) -> Engine:
        plan, skin = self.plan, self.outfit.skin
        around = self.colliders.surroundings(plan.first_simulated)
        thickness = skin.thickness.mean()
        cloth, (clearance, thick) = skin.thickness.max(), self.colliders.widest()
        return Engine(
            self.outfit,
            self.colliders.rest_points(),
            self.colliders.triangles,
            plan.patience,
            self.forces,
            float(around.gap.mean() + 0.5 * thickness if around.count else thickness),
            widest=(float(cloth), float(clearance * skin.clearance.max() + 0.5 * (thick + cloth))),
            against_itself=True,
        )

    def start(self, meanwhile: Callable[[], None] = lambda: None) -> ClothState:
        """Where the run begins, as `run.start.begun` makes it, once."""
        if self._start is None:
            self._start = begun(self.constants, self.plan, self._placed, meanwhile)
        return self._start

    def first(self, meanwhile: Callable[[], None] = lambda: None) -> FrameEnd:
        """The start as a frame that cost nothing."""
        start, around = self.start(meanwhile), self.colliders.rest_points()
        frame = self.plan.first_simulated
        delivered = frame >= self.plan.frames[0]
        return self._ended(frame, delivered, start, start.positions, around, FrameTally(), 0.0, None)

    def frames(
        self,
        state: ClothState,
        after: int,
        last: int,
        *,
        change: Callable[[FrameInputs], FrameInputs] = _as_keyed,
        between: Callable[[], None] = lambda: None,
    ) -> Iterator[FrameEnd]:
        """The end of each frame after `after` up to `last`, going on from `state`.

        change: what somebody outside makes of a frame's inputs; between: called before every substep, and what
        it raises ends the frame under way without a trace.
        """
        for frame in range(after + 1, last + 1):
            end = self._frame(state, change(self.driver.inputs(frame)), between)
            yield end
            state = end.state

    def _frame(self, state: ClothState, inputs: FrameInputs, between: Callable[[], None]) -> FrameEnd:
        """Advance, then release."""
        before = inputs.bodies(inputs.moments[0].before)
        state = switched(state, inputs.frame, self.colliders, self.outfit, before)
        done = advance(self.constants, state, inputs, between)
        fastest = furthest(before, done.bodies) * self.plan.frame_rate
        return self._ended(
            inputs.frame, inputs.delivered, done.state, state.positions, done.bodies, done.tally, fastest,
            done.unrest,
        )  # fmt: skip

    def _ended(
        self,
        frame: int,
        delivered: bool,
        state: ClothState,
        before: Points,
        around: Points,
        tally: FrameTally,
        fastest: float,
        unrest: float | None,
    ) -> FrameEnd:
        colliders = self.colliders.at_work(frame)
        crossings = find_crossings(self.outfit, state.positions, colliders, around)
        state = released_after(state, self.outfit, colliders, around, crossings)
        return FrameEnd(frame, delivered, state, before, colliders, around, crossings, tally, fastest, unrest)
