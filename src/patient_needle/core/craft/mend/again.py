"""Run again here: a region is simulated over a span, with everything around it prescribed from the take.

Vertices of the region are drawn to a guide, the take itself or one made from it: firmly where the region or
the span ends, as loosely as asked in its middle. So the new motion joins the old one in position and velocity.
What is simulated starts from a frame before the span, in which cloth is on the right side, and passes through
nothing from there on.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import cast

import numpy as np
from numpy.typing import NDArray

from ...contact.rows import Surroundings
from ...geometry.curves import value_at
from ...geometry.motion import CachedMotion
from ...geometry.triangles import vertex_normals
from ...model.errors import StartError
from ...model.garment import Prescription
from ...model.holds import damping_time, firmness
from ...model.shot import Garment, PlannedRun, ShotPlan
from ...model.tolerances import (
    AGAIN_BLEND,
    AGAIN_COMING,
    AGAIN_FIRMEST,
    AGAIN_LEAST,
    AGAIN_WORTH,
    EASING_REACH,
    ROOM_LIFT,
    Patience,
)
from ...model.typed import Flags, Points, Scalars
from ...solver.links import Links, to_places
from ...solver.state import ClothState, at_rest
from ...solver.step import Surround
from ..cast.colliders import Colliders
from ..drape.parking import moving_part
from ..holds.acting import Moment, together
from ..run.advance import advance
from ..run.inputs import FrameInputs
from ..run.outfit_run import OutfitRun
from ..run.release import caught_by, find_crossings, parts_near, rearmed, released_after, turned
from ..run.start import crossing_cloth, untangled
from .footage import Footage, Patch, Region, Span, quiet, smooth

Told = Callable[[float], None]


@dataclass(frozen=True, eq=False)
class Room:
    """More room about a place on the colliders: the clearance there is `clearance` m at most, None for the
    shot's own, and the body is drawn in by `drawn_in` m, within `radius` m of where place (3,) m is in `frame`.
    """

    place: tuple[float, float, float]
    frame: int
    radius: float
    clearance: float | None = None
    drawn_in: float = 0.0


@dataclass(frozen=True, eq=False)
class Again:
    """What is different when a region is run again.

    grip      how firmly its middle is drawn to the guide, as a hold's grip: 0 not at all
    patience  another one, None for the take's own
    clearance, friction  factors on those of all colliders there
    changed   what becomes of each garment of the shot, None for no change; its mesh must stay
    room      more room
    """

    grip: float = 0.0
    patience: Patience | None = None
    clearance: float = 1.0
    friction: float = 1.0
    changed: Callable[[Garment], Garment] | None = None
    room: Room | None = None

    def run(self, footage: Footage) -> OutfitRun:
        """The run to simulate with: the footage's own where nothing of garments or patience differs."""
        plan = footage.run.plan
        if self.changed is None and self.patience in (None, plan.patience):
            return footage.run
        garments = plan.garments if self.changed is None else tuple(map(self.changed, plan.garments))
        changed = replace(plan, garments=garments, patience=self.patience or plan.patience)
        return OutfitRun(changed, PlannedRun(garments, garments))


def run_again(
    footage: Footage, region: Region, span: Span, again: Again, *, guide: NDArray[np.float32] | None = None,
    told: Told = quiet,
) -> Patch:  # fmt: skip
    """Simulate a region over a span. guide (f, n, 3) m: where it is drawn to, the footage's own if left out.

    `StartError` where cloth crosses cloth in the frame before the span and cannot be untangled.
    """
    simulation = _Simulation(footage, region, span, again, footage.points if guide is None else guide)
    return simulation.patch(told)


class _Simulation:
    """One region on its way through its span."""

    def __init__(
        self, footage: Footage, region: Region, span: Span, again: Again, guide: NDArray[np.float32]
    ) -> None:
        self._footage, self._region, self._span, self._again = footage, region, span, again
        self._run = run = again.run(footage)
        self._frames = span.frames(footage)
        self._start = max(self._frames[0] - 1, footage.first)
        worn = run.outfit
        # A region with held vertices in it puts them where their holds have them, not where the take does.
        self._fixed = np.asarray(region.weights <= 0.0)
        at = footage.at(self._start)
        inputs = run.driver.inputs_at(self._start)
        links = inputs.links(_moment(run.plan, self._start))
        self._moving = moving_part(run, self._fixed, at, links, run.plan, worth=AGAIN_WORTH)
        if self._moving is None:
            self._constants = run.constants
            self._vertices = np.arange(worn.count, dtype=np.int32)
            self._beside = None
        else:
            self._constants = self._moving.constants
            self._vertices = self._moving.vertices
            self._beside = CachedMotion(at, guide[:, self._moving.outer], footage.first)
        self._guide = guide[:, self._vertices]
        self._anew = False
        pieces = zip(self._constants.dressed, self._constants.outfit.spans, strict=True)
        self._told_to = [self._prescribed(one.prescription, where) for one, where in pieces]

    def _prescribed(self, before: Prescription, where: slice) -> Prescription:
        """Everything outside the region is told to be where the guide has it."""
        if before.is_all:
            return before
        fixed = self._fixed[self._vertices][where]
        motion = CachedMotion(self._guide[0, where].astype(float), self._guide[:, where], self._footage.first)
        return Prescription(motion, fixed.astype(float))

    # The start.

    def _state(self) -> ClothState:
        """The state in the frame before: where the take has the cloth, as fast as it goes there."""
        footage, frame, vertices = self._footage, self._start, self._vertices
        worn, colliders = self._constants.outfit, self._colliders(frame)
        around = self._bodies(frame)
        points = footage.at(frame)[vertices]
        crossing = crossing_cloth(worn, points)
        if len(crossing):
            points = self._untangled(points, colliders, around)
        speed = footage.rate / self._stretch(frame)
        velocities = 0.5 * (footage.at(frame + 1) - footage.at(frame - 1))[vertices] * speed
        plan = footage.run.plan
        taken = together([one.taken(plan.first_simulated) for one in self._run.dressed])
        whole = at_rest(footage.at(frame), len(self._run.colliders.rank), taken)
        state = whole if self._moving is None else self._moving.state(whole)
        state = state.replace(positions=points, positions_before=points.copy(), velocities=velocities)
        return self._released(state, self._bodies_at_work(frame), around)

    def _untangled(self, points: Points, colliders: Colliders, around: Points) -> Points:
        constants, frame = self._constants, self._start
        fixed = self._fixed[self._vertices]
        surround = Surround(around, around, points[fixed], self._surroundings(frame), held=fixed)
        held = replace(constants.outfit, held=fixed)
        out = untangled(held, constants.engine, points, surround, colliders)
        crossing = crossing_cloth(held, out)
        if len(crossing):
            x, y, z = out[constants.outfit.triangles[crossing[0, 0]]].mean(axis=0)
            raise StartError(
                f"cloth still passes through cloth in {len(crossing)} places of frame {self._start}",
                where=f"({x:.3f}, {y:.3f}, {z:.3f}) m",
                remedy="Begin a little earlier, where the cloth is clean, or untangle it first",
            )
        return out

    def _released(self, state: ClothState, colliders: Colliders, around: Points) -> ClothState:
        """The state in which cloth that is inside a body waits to be eased out."""
        worn = self._constants.outfit
        caught = caught_by(worn, state.positions, colliders, around)
        if caught.any():
            near = parts_near(state.positions[caught.any(axis=1)], colliders, around, EASING_REACH)
            caught[:, ~near] = False
        if not caught.any():
            return state
        crossings = find_crossings(worn, state.positions, colliders, around)
        released, eased = rearmed(worn, state.positions, colliders, around, crossings, caught)
        return state.replace(released=released, eased=eased)

    def _begins_anew(self) -> bool:
        """Whether a whole outfit, crossed from the first frame on, has to come out of its run-in again."""
        free = ~self._run.outfit.held
        if self._moving is not None or self._frames[0] > self._footage.begins:
            return False
        if not (self._region.weights[free] >= 1.0).all():
            return False
        points = self._footage.at(self._start)
        found = find_crossings(
            self._run.outfit, points, self._colliders(self._start), self._bodies(self._start)
        )
        return len(found.itself) + len(found.garments) + len(found.colliders) > 0

    def _from_run_in(self, told: Told) -> ClothState:
        """The state in the frame before, simulated from where the shot's run begins."""
        run, start = self._run, self._start
        state = run.start(lambda: told(0.0))
        for end in run.frames(state, run.plan.first_simulated, start, between=lambda: told(0.0)):
            state = end.state
        return state

    # Frames.

    def patch(self, told: Told) -> Patch:
        """Simulate, and blend into the take at the region's and the span's ends."""
        footage, region = self._footage, self._region
        moving = np.flatnonzero(~self._fixed[self._vertices]).astype(np.int32)
        weights = region.weights[self._vertices[moving]]
        self._anew = self._begins_anew()
        state, out = self._from_run_in(told) if self._anew else self._state(), []
        for count, frame in enumerate(self._frames):
            if frame == self._start:  # the footage has no frame before: its own start is mended as it stands
                out.append(state.positions[moving])
                continue
            state = self._advanced(state, frame)
            out.append(state.positions[moving])
            told((count + 1) / len(self._frames))
        points = np.empty((len(self._frames), len(moving), 3), np.float32)
        for row, (frame, found) in enumerate(zip(self._frames, out, strict=True)):
            take = footage.points[frame - footage.first, self._vertices[moving]]
            blend = _blend(weights * self._share(frame))[:, None]
            points[row] = np.where(blend == 0.0, take, take + blend * (found - take))
        return Patch(self._vertices[moving], tuple(self._frames), points)

    def _share(self, frame: float) -> float:
        """How much of the remedy a frame has. Beyond an end of the take nothing has to be joined."""
        first, last = self._span.first, self._span.last
        if last >= self._footage.last and frame >= first:
            return 1.0
        if first <= self._footage.begins and self._start >= self._frames[0] and frame <= last:
            return 1.0
        return self._span.share(frame)

    def _advanced(self, state: ClothState, frame: int) -> ClothState:
        constants = self._constants
        inputs = self._inputs(frame)
        before = inputs.bodies(inputs.moments[0].before)
        state = turned(
            state, self._off(frame - 1), self._off(frame), constants.colliders, constants.outfit, before
        )
        done = advance(constants, state, inputs)
        colliders = self._bodies_at_work(frame)
        crossings = find_crossings(constants.outfit, done.state.positions, colliders, done.bodies)
        return released_after(done.state, constants.outfit, colliders, done.bodies, crossings)

    def _inputs(self, frame: int) -> FrameInputs:
        """What acts in a frame, on the region alone."""
        whole = self._run.driver.inputs(frame)
        whole = replace(
            whole, bodies=self._drawn_in(whole.bodies), around=self._roomier(whole.around), unrest=False
        )
        inputs = whole
        if self._moving is not None:
            beside = cast("CachedMotion", self._beside)
            inputs = replace(
                self._moving.inputs(whole, self._run.colliders),
                bodies=lambda time: np.concatenate([whole.bodies(time), beside.at(time)]),
                parked=None,
            )
        plain = inputs.links
        return replace(
            inputs,
            prescriptions=tuple(self._told_to),
            links=lambda moment: [*plain(moment), *self._drawing(moment)],
            friction=inputs.friction * self._again.friction,
        )

    def _drawing(self, moment: Moment) -> list[Links]:
        """What draws the region to its guide in a substep."""
        loose = ~(self._fixed[self._vertices] | self._constants.outfit.held)
        free = np.flatnonzero(loose).astype(np.int32)
        share = self._region.weights[self._vertices[free]] * self._share(moment.time)
        wanted = self._again.grip
        if self._anew:  # what comes out of the run-in is elsewhere than the take: it is taken there gradually
            wanted *= smooth((moment.time - self._start) / AGAIN_COMING)
        grip = np.minimum(1.0 - share * (1.0 - wanted), AGAIN_FIRMEST)
        drawn = grip > AGAIN_LEAST
        free, grip = free[drawn], grip[drawn]
        if len(free) == 0:
            return []
        mass = self._constants.outfit.mass[free]
        before, there = self._at(moment.before)[free], self._at(moment.time)[free]
        return [to_places(free, before, there, firmness(grip, 9.81) * mass, damping_time(grip))]

    def _at(self, time: float) -> Points:
        """The guide (q, 3) m at a time."""
        return CachedMotion(self._guide[0].astype(float), self._guide, self._footage.first).at(time)

    # Colliders.

    def _colliders(self, frame: int) -> Colliders:
        return self._constants.colliders.without(self._off(frame))

    def _bodies_at_work(self, frame: int) -> Colliders:
        """The colliders but for the cloth beside the region, which lets nothing go."""
        every = self._colliders(frame)
        own = every.part < len(self._run.colliders.rank)
        return replace(
            every, triangles=every.triangles[own], member=every.member[own], part=every.part[own]
        )  # fmt: skip

    def _off(self, frame: int) -> Flags:
        """Which parts (p,) do not meet cloth; the cloth beside the region always does."""
        off = self._run.colliders.parts_off(frame)
        return off if self._moving is None else np.append(off, False)

    def _bodies(self, frame: float) -> Points:
        bodies = self._drawn_in(self._run.driver.bodies)(frame)
        return bodies if self._beside is None else np.concatenate([bodies, self._beside.at(frame)])

    def _surroundings(self, frame: int) -> Surroundings:
        plain = self._roomier(lambda time: self._run.colliders.surroundings(frame, time))(float(frame))
        return plain if self._moving is None else self._moving.around(plain)

    def _stretch(self, frame: int) -> float:
        return value_at(self._run.plan.time_stretch, frame - 0.5)

    def _near_room(self) -> Scalars:
        """From 0 to 1 (k,), how much of the room each collider point is given."""
        room = self._again.room
        assert room is not None
        points = self._run.driver.bodies(room.frame)
        away = np.linalg.norm(points - np.array(room.place), axis=1) / max(room.radius, 1e-9)
        share = np.clip(1.5 - away, 0.0, 1.0)
        return np.asarray(share * share * (3.0 - 2.0 * share))

    def _drawn_in(self, bodies: Callable[[float], Points]) -> Callable[[float], Points]:
        room = self._again.room
        if room is None or room.drawn_in <= 0.0:
            return bodies
        by, triangles = room.drawn_in * self._near_room(), self._run.colliders.triangles
        some = np.flatnonzero(by > 0)
        share = self._span.share

        def drawn(time: float) -> Points:
            points = bodies(time).copy()
            normals = vertex_normals(points, triangles)
            points[some] -= share(time) * by[some, None] * normals[some]
            return points

        return drawn

    def _roomier(self, around: Callable[[float], Surroundings]) -> Callable[[float], Surroundings]:
        again, room = self._again, self._again.room
        if again.clearance == 1.0 and (room is None or room.clearance is None):
            return around
        near = None
        if room is not None and room.clearance is not None:
            near = self._near_room()[self._run.colliders.triangles].mean(axis=1)
        share = self._span.share

        def wider(time: float) -> Surroundings:
            plain = around(time)
            clearance = plain.clearance * (1.0 + share(time) * (again.clearance - 1.0))
            if near is not None and room is not None and room.clearance is not None:
                on = near if len(near) == len(clearance) else near[: len(clearance)]
                lowered = np.minimum(clearance, max(room.clearance, ROOM_LIFT))
                clearance = clearance + share(time) * on * (lowered - clearance)
            return replace(plain, clearance=clearance)

        return wider


def _blend(share: Scalars) -> Scalars:
    """How much of what was simulated is taken: all from a third of the remedy on. Where there is less, cloth is
    drawn so firmly that the two hardly differ.
    """
    t = np.clip(share / AGAIN_BLEND, 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


def _moment(plan: ShotPlan, frame: int) -> Moment:
    return Moment(frame, frame, frame, plan.first_simulated, plan.frame_rate)
