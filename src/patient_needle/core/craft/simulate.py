"""Garments through the frames of a shot, together: states in, frames out."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from ..contact.easing import REACH
from ..geometry.breeze import air_velocity
from ..geometry.curves import value_at
from ..geometry.rotations import spin_between
from ..model.typed import Flags, Points
from ..solver.diagnostics import Energies, FrameTally, Stretch, stretch
from ..solver.effort import furthest, substeps_for
from ..solver.forces import Forces, Inflation
from ..solver.links import Links, joined
from ..solver.outfit import Wearing, outfit
from ..solver.state import ClothState, Taken, at_rest, let_go
from ..solver.step import Engine, Surround
from .checks import check_start
from .colliders import Colliders, merged_colliders
from .dressing import Dressed, dress
from .holding import Grasp, Moment, together
from .pinching import Clasp, clasped
from .places import Whereabouts
from .plan import Garment, PlannedRun, ShotPlan
from .run_in import run_in_share
from .seams import seams_of
from .showing import Showing, bodies_of, shown_through
from .snags import Snag, caught_by, find_crossings, list_snags, parts_near, rearmed
from .untangling import untangled


@dataclass(frozen=True, eq=False)
class FrameResult:
    """One garment's finished frame.

    state, of all garments of the run, to go on from; positions (n, 3) m of this one; delivered False in the
    run-in; speeds in m/s: the fastest vertex between this frame and the last, and the fastest collider point;
    crossing_garments, triangle pairs with other garments. energies in J; triangles beyond the strain limit;
    unrest in m, how far from rest the run is, told at the end of settling and of the shot; showing, what of the
    full bodies shows through a delivered frame. The tally is the whole run's.
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
    showing: tuple[Showing, ...] = ()


class OutfitRun:
    """Garments' simulation, innermost first: dressed, factors not yet made. Its start is made when it is asked
    for, so that a run that goes on from a state need not make it.
    """

    def __init__(self, plan: ShotPlan, run: PlannedRun) -> None:
        self.plan = plan
        self.run = run
        self.garments = garments = run.garments
        self.colliders: Colliders = merged_colliders(plan)
        whereabouts = Whereabouts(plan)
        self._bodies = bodies_of(plan)
        self._met = np.unique(self.colliders.triangles)
        self.dressed: tuple[Dressed, ...] = tuple(dress(plan, garment, whereabouts) for garment in garments)
        self.outfit = outfit(tuple(one.cloth for one in self.dressed))
        starts = [one.start(plan.first_simulated) for one in self.dressed]
        self._made = np.concatenate(starts)
        self._seams = seams_of(self.dressed, self.outfit.spans, starts)
        around = self.colliders.surroundings(plan.first_simulated)
        skin = self.outfit.skin
        thickness = skin.thickness.mean()
        cloth, (clearance, thick) = skin.thickness.max(), self.colliders.widest()
        self._engine = Engine(
            self.outfit,
            self.colliders.rest_points(),
            self.colliders.triangles,
            plan.patience,
            tuple(Forces(plan.gravity, plan.air_drag, plan.air_density, g.shelter, g.calm) for g in garments),
            float(around.gap.mean() + 0.5 * thickness if around.count else thickness),
            widest=(float(cloth), float(clearance * skin.clearance.max() + 0.5 * (thick + cloth))),
            against_itself=True,
        )
        self._start: ClothState | None = None

    def start(self, meanwhile: Callable[[], None] = lambda: None) -> ClothState:
        """The garments at rest, as they were made or as they were finished; what is through itself drawn apart,
        which can take minutes: `meanwhile` is called in every round of it, and what it raises ends it.

        What lies inside a body waits to be eased out. `StartError` where neither will help.
        """
        if self._start is None:
            self._start = self._begin(meanwhile)
        return self._start

    def _begin(self, meanwhile: Callable[[], None]) -> ClothState:
        plan, frame = self.plan, self.plan.first_simulated
        colliders, points = self.colliders.at_work(frame), self.colliders.rest_points()
        surround = Surround(points, points, self._made[self.outfit.held], self.colliders.surroundings(frame))
        start = untangled(self.outfit, self._engine, self._made, surround, colliders, meanwhile)
        check_start(self.outfit, start, colliders, points, easing=plan.run_in.length > 0)
        caught = caught_by(self.outfit, start, colliders, points)
        caught[:, ~parts_near(start[caught.any(axis=1)], colliders, points, REACH)] = False
        state = at_rest(start, len(self.colliders.rank), together([one.taken(frame) for one in self.dressed]))
        if not caught.any():
            return state
        crossings = find_crossings(self.outfit, start, colliders, points)
        released, eased = rearmed(self.outfit, start, colliders, points, crossings, caught)
        return state.replace(released=released, eased=eased)

    def first(self, meanwhile: Callable[[], None] = lambda: None) -> tuple[FrameResult, ...]:
        """The start as a finished frame that cost nothing."""
        start = self.start(meanwhile)
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
        """How far the fastest collider point that cloth can meet goes in a frame, m.

        By halves, since it may turn round within the frame; and in the frame before, since cloth still moves
        when the body has stopped.
        """
        met = self._met
        middle, earlier = (self.colliders.points_at(frame - ago)[met] for ago in (0.5, 2.0))
        first, last = first[met], last[met]
        return max(furthest(earlier, first), 2 * furthest(first, middle), 2 * furthest(middle, last))

    def _frame(self, state: ClothState, frame: int) -> tuple[FrameResult, ...]:
        plan, tally = self.plan, FrameTally()
        first, last = (self.colliders.points_at(frame - 1.0), self.colliders.points_at(frame))
        stretch = value_at(plan.time_stretch, frame - 0.5)
        substeps = substeps_for(
            plan.patience, self._travel(frame, first, last), stretch, value_at(plan.least_substeps, frame)
        )
        step = stretch / (plan.frame_rate * substeps)
        start, second = float(frame - 1), plan.frame_rate / stretch
        moments = [
            Moment(
                start + index / substeps, start + (index + 1) / substeps, frame, plan.first_simulated, second
            )
            for index in range(substeps)
        ]
        state = self._retaken(self._switched(state, frame, first), replace(moments[0], time=start))
        was = replace(moments[0], before=start, time=start, frame=frame - 1)
        state = self._let_go(state, was, moments[0])
        before, here, clasp = state.positions, first, Clasp.none()
        colliders = self.colliders.at_work(frame)
        for moment in moments:
            there = last if moment is moments[-1] else self.colliders.points_at(moment.time)
            clasp = clasped(clasp, state.positions, state.released, state.eased, colliders, here)
            stuck = clasp.links(colliders, here, there, self.outfit)
            surround = self._surround(state, moment, step, here, there, stuck)
            state = self._slid(self._engine.step(state, surround, step, tally), moment)
            here = there
        unrest = None
        if frame in (plan.first_simulated + plan.run_in.settle, plan.frames[1]):
            unrest = self._engine.unrest(state, surround)
        fastest = furthest(first, last) * plan.frame_rate
        return self._finished(frame, state, before, tally, last, fastest, unrest)

    def _switched(self, state: ClothState, frame: int, around: Points) -> ClothState:
        """The state in which colliders that are off at `frame` have nothing to let go.

        One that is switched on takes what lies outside it; what it would catch waits, as in a pinched place.
        """
        off, was = self.colliders.parts_off(frame), self.colliders.parts_off(frame - 1)
        if not (off.any() or was.any()):
            return state
        released = state.released.copy()
        released[:, off] = False
        on_again = was & ~off
        if on_again.any():
            caught = caught_by(self.outfit, state.positions, self.colliders.at_work(frame), around)
            released[:, on_again] = caught[:, on_again]
        return state.replace(released=released)

    def _retaken(self, state: ClothState, moment: Moment) -> ClothState:
        """The state with taken hold of what begins to be held in a frame."""
        pieces = [
            dressed.retaken(taken, state.positions[span], state.velocities[span], moment)
            for dressed, span, taken in zip(self.dressed, self.outfit.spans, self._taken(state), strict=True)
        ]
        return state.replace(taken=together(pieces))

    def _slid(self, state: ClothState, moment: Moment) -> ClothState:
        """The state with what slides where it has slid to."""
        if not any(held.slides for one in self.dressed for held in one.holds):
            return state
        pieces = [
            dressed.slid(taken, state.positions[span], moment)
            for dressed, span, taken in zip(self.dressed, self.outfit.spans, self._taken(state), strict=True)
        ]
        return state.replace(taken=together(pieces))

    def _let_go(self, state: ClothState, before: Moment, after: Moment) -> ClothState:
        """The state in which what is prescribed no more in a frame's first substep flies on."""
        if not any(one.changes for one in self.dressed):
            return state
        was, now = (self._held(state, moment) for moment in (before, after))
        return let_go(state, was & ~now, self.plan.gravity)

    def _held(self, state: ClothState, moment: Moment) -> Flags:
        each = zip(self.dressed, self._taken(state), strict=True)
        return np.concatenate([one.grasp(taken, moment).held for one, taken in each])

    def _taken(self, state: ClothState) -> list[Taken]:
        """Each garment's part of what the state holds on to."""
        ends = np.cumsum([one.places for one in self.dressed])
        return [
            state.taken.part(slice(end - one.places, end)) for one, end in zip(self.dressed, ends, strict=True)
        ]

    def _surround(
        self, state: ClothState, moment: Moment, step: float, here: Points, there: Points, stuck: Links
    ) -> Surround:
        """Everything prescribed in the substep of `step` s, `stuck` among it."""
        plan, time = self.plan, moment.time
        grasps = [one.grasp(taken, moment) for one, taken in zip(self.dressed, self._taken(state), strict=True)]
        wind = air_velocity(plan.winds, state.positions, time, plan.frame_rate) if plan.winds else None
        worn = tuple(
            Wearing(
                self._spin(state, index, grasps[index], step),
                _inflation(garment, time),
                run_in_share(plan.run_in, plan.frames[0], time),
            )
            for index, garment in enumerate(self.garments)
        )
        links = [
            link.shifted(span.start)
            for one, span in zip(grasps, self.outfit.spans, strict=True)
            for link in one.links
        ]
        links += [made for seam in self._seams if (made := seam.links(moment)) is not None]
        links.append(stuck)
        around = self.colliders.surroundings(moment.frame, time)
        return Surround(
            here, there, np.concatenate([one.held_to for one in grasps]), around, wind, worn,
            np.concatenate([one.held for one in grasps]), joined(links),
        )  # fmt: skip

    def _spin(self, state: ClothState, index: int, grasp: Grasp, step: float) -> np.ndarray | None:
        """How a calmed garment's fastenings turn, (3,) rad/s."""
        if self.garments[index].calm == 0:
            return None
        own = state.positions[self.outfit.spans[index]]
        return spin_between(own[grasp.held], grasp.held_to, step)

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
        colliders = self.colliders.at_work(frame)
        crossings = find_crossings(self.outfit, state.positions, colliders, around)
        released, eased = rearmed(self.outfit, state.positions, colliders, around, crossings, state.released)
        state = state.replace(released=released, eased=eased)
        delivered, results = frame >= self.plan.frames[0], []
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
                    delivered,
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
                    shown_through(self._bodies, dressed.cloth.triangles, points, frame) if delivered else (),
                )
            )
        return tuple(results)


def _inflation(garment: Garment, time: float) -> Inflation | None:
    filling = garment.filling
    if filling is None:
        return None
    return Inflation(filling.by == "volume", value_at(filling.amount, time), filling.stiffness)
