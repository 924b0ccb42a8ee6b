"""A fitting: garments that move while somebody has their hands on them, a step at a time."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise
from math import ceil

import numpy as np

from ...contact.intersections import crossing_pairs
from ...geometry.closed import inside
from ...model.errors import ShotError, StartError
from ...model.shot import ShotPlan
from ...model.tolerances import (
    FITTING_STEP,
    FITTING_SUBSTEPS,
    REST_AIR,
    REST_DAMPING,
    REST_SLOW,
    REST_STICTION,
    REST_SUBSTEPS,
    STRAINED_SUBSTEPS,
)
from ...model.typed import Flags, Indices, Points, Vectors
from ...solver.diagnostics import FrameTally, furthest, substeps_for
from ...solver.links import Links
from ...solver.state import ClothState, Forces
from ..cast.colliders import Colliders
from ..garments.surface import GarmentSurface
from ..holds.acting import Moment
from ..run.advance import advance
from ..run.inputs import FrameInputs, parked
from ..run.outfit_run import OutfitRun
from ..run.release import Crossings, find_crossings, released_after, turned
from .growing import Growth
from .hands import Handled, Hands, Pin, Pull, on_body
from .parking import Moving, moving_part
from .rest import Rest
from .stance import Stance

KEPT = 24  # states to go back to
NUDGE = 1e-7  # frames: substeps at which only a set piece moves are told apart by so much
SOFT_EVERY = 12  # steps: so often a hard one is tried without the matrix's own factor
MOST_SUBSTEPS = 16  # of a step, while the figure walks


@dataclass(frozen=True, eq=False)
class Kept:
    """A state to go back to, and what was done then, in words."""

    said: str
    state: ClothState
    hands: Hands
    stance: Stance


@dataclass(frozen=True, eq=False)
class Resting:
    """To rest: until that share of the vertices is within `until` m of it, for `steps` more steps at most."""

    until: float
    steps: int
    share: float = 1.0


class Fitting:
    """Garments at a step, and all that hands do to them. SI units; the vertices of all garments in one array
    (n, 3), as the outfit has them. The same start and the same calls at the same steps give the same bits.
    """

    def __init__(self, run: OutfitRun, state: ClothState, time: float | None = None) -> None:
        self.plan: ShotPlan = run.plan
        self._run = run
        self.sources = tuple(garment.source for garment in run.run.garments)
        surfaces = tuple(GarmentSurface.of(garment.mesh) for garment in run.run.garments)
        names = tuple(garment.name for garment in run.run.garments)
        self.cloth = Handled(run.outfit, names, surfaces)
        self.colliders = run.colliders
        self.state = state
        self.hands = Hands.none(run.outfit.count)
        self.stance = Stance.at(float(self.plan.first_simulated) if time is None else time, run.colliders)
        self.step_number = 0
        self.strained = False  # whether it begins from a pose that is strained, as interpolating leaves it
        self.hard = False  # whether the last step needed the matrix's own factor: the next begins with it
        self._rest = Rest()
        self._part: tuple[Flags, Moving | None] | None = None
        self.resting: Resting | None = None
        self.growth: Growth | None = None
        self.kept: list[Kept] = []

    @property
    def unrest(self) -> float | None:
        """How far the cloth still has to go, m; None until it was watched for long enough."""
        return self._rest.left()

    def still_to_go(self, share: float) -> float | None:
        """What that share of the vertices has at most still to go, m; None until that can be told."""
        return self._rest.left(share)

    @property
    def frame(self) -> int:
        """The frame that the figure stands in."""
        return ceil(self.stance.time - 1e-9)

    def bodies(self) -> Points:
        """Where the colliders are, (k, 3) m."""
        if self.growth is not None:
            return self.growth.bodies(self.growth.done)
        return self.stance.placed(self.colliders, self._run.driver.bodies(self.stance.time))

    def crossings(self) -> Crossings:
        """Exact crossings as everything stands."""
        return find_crossings(self._run.outfit, self.state.positions, self.at_work(), self.bodies())

    def at_work(self) -> Colliders:
        """The colliders that are there."""
        return self.colliders.without(self.stance.off(self.colliders, self.frame))

    # What is done by hand. Each tells what is wrong before anything has changed.

    def pull(
        self, garment: str, corners: Indices, weights: Vectors, reach: float, *, mirrored: bool = False,
        hem: bool = False,
    ) -> None:  # fmt: skip
        """Take hold of cloth: see `Handled.grip`, and `hem` for the whole border there."""
        take = self.cloth.hem if hem else self.cloth.grip
        free = ~(self._run.outfit.held | self.hands.parked)
        grips = [take(garment, corners, weights, reach, self.state.positions, free)]
        if mirrored and not hem:
            opposite, at = self.cloth.mirrored(garment, corners, weights)
            grips.append(take(garment, opposite, at, reach, self.state.positions, free))
        self.keep(f"pull of {garment}")
        self.hands = replace(self.hands, pulls=tuple(Pull(grip, np.zeros(3), np.zeros(3)) for grip in grips))

    def draw(self, to: Vectors) -> None:
        """Draw the place that is held to (3,) m; a mirrored pull goes the mirrored way. Nothing without one."""
        if not self.hands.pulls:
            return
        by = to - self.hands.pulls[0].grip.at
        turns = (by, by * np.array([-1.0, 1.0, 1.0]))
        pulls = tuple(replace(pull, goal=turn) for pull, turn in zip(self.hands.pulls, turns, strict=False))
        self.hands = replace(self.hands, pulls=pulls)

    def reach(self, reach: float) -> None:
        """Pull with another reach, m, from here on."""
        pulls = []
        free = ~(self._run.outfit.held | self.hands.parked)
        for pull in self.hands.pulls:
            grip = self.cloth.grip(
                pull.grip.garment, pull.grip.corners, pull.grip.weights, reach, self.state.positions, free
            )
            # What is taken in anew goes the way that is still to go.
            still = pull.grip.at + pull.goal - grip.at
            pulls.append(Pull(grip, np.zeros(3), still))
        self.hands = replace(self.hands, pulls=tuple(pulls))

    def let_go(self) -> None:
        """Let go of what is pulled."""
        self.hands = replace(self.hands, pulls=())

    def pin(self, *, in_body: bool) -> list[int]:
        """Turn what is pulled into pins where the cloth is; their numbers."""
        if not self.hands.pulls:
            raise ShotError(
                "nothing is pulled that could be pinned", remedy="Pull cloth, and press the key then"
            )
        number, nowhere = self.hands.next_pin, np.zeros(3)
        pins = tuple(
            self.cloth.pinned(number + i, pull.grip, self.state.positions, nowhere)
            for i, pull in enumerate(self.hands.pulls)
        )
        if in_body:
            pins = tuple(on_body(pin, self.at_work(), self.bodies()) for pin in pins)
        self.hands = replace(self.hands, pulls=(), pins=(*self.hands.pins, *pins), next_pin=number + len(pins))
        return [pin.number for pin in pins]

    def move_pin(self, number: int, to: Vectors) -> None:
        """Put a pin at (3,) m in space. `StartError` inside a body, `ShotError` when there is no such pin."""
        pin = self._pin(number)
        bodies = self.bodies()
        if inside(bodies, self.at_work().enclosing, to[None])[0]:
            raise StartError(
                f"pin {number} would be inside a body", where=_place(to), remedy="Put it in front of the body"
            )
        moved = pin.moved(to - self.pin_place(number), bodies)
        self.keep(f"pin {number} moved")
        pins = tuple(moved if one.number == number else one for one in self.hands.pins)
        self.hands = replace(self.hands, pins=pins)

    def pin_place(self, number: int) -> Vectors:
        """The middle of where a pin holds its cloth, (3,) m."""
        pin = self._pin(number)
        share = pin.grip.share / pin.grip.share.sum()
        return share @ pin.at(self.bodies())

    def free_pin(self, number: int | None = None) -> None:
        """Take a pin out, or all of them."""
        if number is not None:
            self._pin(number)
        self.keep("all pins taken out" if number is None else f"pin {number} taken out")
        pins = tuple(one for one in self.hands.pins if number is not None and one.number != number)
        self.hands = replace(self.hands, pins=pins)

    def _pin(self, number: int) -> Pin:
        for pin in self.hands.pins:
            if pin.number == number:
                return pin
        raise ShotError(f"there is no pin {number}", remedy="Choose one of the list")

    def park(self, garment: str, chosen: Flags | None, *, parked: bool = True) -> None:
        """Set vertices (n,) of a garment aside, all without; or take them up again."""
        index = self.cloth.index(garment)
        span = self._run.outfit.spans[index]
        count = span.stop - span.start
        if chosen is not None and chosen.shape != (count,):
            raise ShotError(
                f"{len(chosen)} vertices were named of '{garment}', which has {count}",
                remedy="Draw around the cloth again",
            )
        self.keep(f"{garment} {'parked' if parked else 'taken up'}")
        flags = self.hands.parked.copy()
        flags[span] = np.where(np.ones(count, bool) if chosen is None else chosen, parked, flags[span])
        pulls = tuple(one for one in self.hands.pulls if not flags[one.grip.vertices].all())
        self.hands = replace(self.hands, parked=flags, pulls=pulls)
        still = self.state.velocities.copy()
        still[flags] = 0.0
        self.state = self.state.replace(velocities=still)

    def smooth(self, garment: str, corners: Indices, weights: Vectors, radius: float) -> None:
        """Relax cloth under a brush of `radius` m at places (k, 3), (k, 3) until `smoothed` is called."""
        share = self.cloth.brushed(garment, corners, weights, radius)
        share[self._run.outfit.held | self.hands.parked] = 0.0
        if self.hands.smoothing is None:
            self.keep(f"{garment} smoothed")
        else:
            share = np.maximum(share, self.hands.smoothing)
        self.hands = replace(self.hands, smoothing=share)

    def smoothed(self) -> None:
        """The brush is lifted."""
        self.hands = replace(self.hands, smoothing=None)

    def weight(self, share: float) -> None:
        """Let the cloth weigh a share of what it does: 0 without gravity."""
        self.hands = replace(self.hands, weight=share)

    def walk(self, to: float) -> None:
        """Let the figure walk to a frame of the shot, run-in included."""
        low, high = self.plan.first_simulated, self.plan.frames[1]
        if not low <= to <= high:
            raise ShotError(
                f"the figure cannot be taken to frame {to:g}", where="the shot",
                remedy=f"Choose one from {low} to {high}",
            )  # fmt: skip
        self.keep(f"figure taken from {self.stance.time:g} to {to:g}")
        self.stance = replace(self.stance, goal=float(to))

    def stand(self) -> None:
        """Let the figure stand where it is."""
        self.stance = replace(self.stance, goal=self.stance.time)

    def piece(self, name: str, *, comes: bool) -> None:
        """Bring a prop or set piece in, or take it away."""
        points = self._run.driver.bodies(self.stance.time)
        if comes:
            stance = self.stance.entering(self.colliders, name, points, self._run.outfit, self.state.positions)
        else:
            stance = self.stance.without(self.colliders, name)
        self.keep(f"{name} {'comes in' if comes else 'goes out'}")
        self._set_stance(stance)

    def clearance(
        self, member: str, value: float | None, places: Points | None = None, radius: float = 0.0
    ) -> None:
        """Keep cloth another distance off a member, m, everywhere or around places (q, 3) m of it."""
        stance = self.stance.with_clearance(self.colliders, member, value, self.bodies(), places, radius)
        self.keep(f"clearance of {member}")
        self.stance = stance

    def friction(self, member: str, value: float) -> None:
        """Another friction coefficient of a member."""
        stance = self.stance.with_friction(self.colliders, member, value)
        self.keep(f"friction of {member}")
        self.stance = stance

    def rest(self, until: float, steps: int, share: float = 1.0) -> None:
        """Go on until that share of the vertices is within `until` m of rest, or for so many steps, in air that
        takes swing out. The forces that balance at rest do not know the air.
        """
        self.resting, self._rest = Resting(until, steps, share), Rest()

    def keep(self, said: str) -> None:
        """Remember everything as it is, so that `back` leads here."""
        self.kept.append(Kept(said, self.state, self.hands, self.stance))
        del self.kept[:-KEPT]

    def back(self) -> str:
        """Back to before the last thing that was done; what that was. `ShotError` when nothing was."""
        if not self.kept:
            raise ShotError("there is nothing to go back to", remedy="Go on")
        last = self.kept.pop()
        self.state, self.stance = last.state, last.stance
        self.hands = replace(last.hands, pulls=(), smoothing=None, next_pin=self.hands.next_pin)
        self.resting, self._rest = None, Rest()
        return last.said

    # Steps.

    def _set_stance(self, stance: Stance) -> None:
        """Another stance; the state lets go of colliders that are off now, and meets those that are on."""
        was, off = (one.off(self.colliders, self.frame) for one in (self.stance, stance))
        self.stance = stance
        self.state = turned(self.state, was, off, self.colliders, self._run.outfit, self.bodies())

    def step(self, between: Callable[[], None] = lambda: None) -> FrameTally:
        """One step. `between` is called before every substep; what it raises leaves everything as it was."""
        if self.growth is not None:
            return self._grow(self.growth, between)
        pulls = tuple(pull.further() for pull in self.hands.pulls)
        self.hands = replace(self.hands, pulls=pulls) if pulls else self.hands
        plain = self.colliders.surroundings(self.frame, self.stance.time)
        stance = self.stance.eased(plain)
        inputs, ends = self._inputs(stance)
        state = turned(
            self.state, self.stance.off(self.colliders, self.frame), stance.off(self.colliders, inputs.frame),
            self.colliders, self._run.outfit, inputs.bodies(inputs.moments[0].before),
        )  # fmt: skip
        state, tally = self._advanced(state, inputs, between)
        if state.released.any() or state.eased.any():
            bodies = inputs.bodies(inputs.moments[-1].time)
            crossings = find_crossings(self._run.outfit, state.positions, inputs.colliders, bodies)
            state = released_after(state, self._run.outfit, inputs.colliders, bodies, crossings)
        arrived = [name for name, _ in self.stance.coming if name not in dict(ends.coming)]
        self.state, self.stance = state, ends
        self.step_number += 1
        self._rest = self._rest.after(self.step_number, state.positions)
        if self.resting is not None:
            self.resting = replace(self.resting, steps=self.resting.steps - 1)
            if self.resting.steps <= 0 or self.at_rest(self.resting.until, self.resting.share):
                self.resting = None
        for name in arrived:
            self._check_arrived(name)
        return tally

    def _grow(self, growth: Growth, between: Callable[[], None]) -> FrameTally:
        """One step in which the figure grows."""
        inputs = growth.inputs(
            self._run.driver.inputs_at(self.frame), self.colliders, self.stance.time, self.plan.frame_rate
        )
        part, state = self._growing_part(growth), None
        if part is not None:
            alone = growth.alone(inputs, part, self.colliders, self.stance.time)
            done = advance(part.constants, part.state(self.state), alone, between)
            state = part.back_in(self.state, done.state)
        if state is None:
            done = advance(self._run.constants, self.state, inputs, between)
            state = done.state
        growth = growth.further()
        points = np.where(growth.on[:, None], growth.worn(growth.done), state.positions)
        before = np.where(growth.on[:, None], points, state.positions_before)
        self.state, self.growth = state.replace(positions=points, positions_before=before), growth
        self.step_number += 1
        if growth.finished:
            self.growth, self._part, self._rest = None, None, Rest()
        return done.tally

    def _growing_part(self, growth: Growth) -> Moving | None:
        """What is free while the figure grows, if anything is on."""
        if not growth.on.any():
            return None
        if self._part is None or self._part[0] is not growth.on:
            points = growth.worn(growth.done)
            self._part = (growth.on, moving_part(self._run, growth.on, points, [], self.plan, worth=0.0))
        return self._part[1]

    def _advanced(
        self, state: ClothState, inputs: FrameInputs, between: Callable[[], None]
    ) -> tuple[ClothState, FrameTally]:
        """The state after a step, and what it cost; where cloth is parked, of what moves alone."""
        part = self._moving_part(inputs)
        hard = self.hard and self.step_number % SOFT_EVERY > 0
        if part is not None:
            own = part.inputs(inputs, self.colliders)
            done = advance(part.constants, part.state(state), own, between, hard=hard)
            back = part.back_in(state, done.state)
            if back is not None:
                self.hard = done.tally.hard_solves > 0
                return back, done.tally
        done = advance(self._run.constants, state, inputs, between, hard=hard)
        self.hard = done.tally.hard_solves > 0
        return done.state, done.tally

    def _moving_part(self, inputs: FrameInputs) -> Moving | None:
        """What moves while some of the cloth is parked and the figure and all set pieces stand."""
        aside = self.hands.parked
        if not aside.any() or self.stance.walks or self.stance.coming:
            return None
        if self._part is None or self._part[0] is not aside:
            links = self._run.driver.inputs_at(inputs.frame).links(inputs.moments[0])
            made = moving_part(self._run, aside, self.state.positions, links, self.plan)
            self._part = (aside, made)
        return self._part[1]

    def at_rest(self, until: float, share: float = 1.0) -> bool:
        """Whether that share of the vertices is within `until` m of rest and nothing else is under way."""
        under_way = self.stance.walks or self.stance.coming or self.hands.pulls or self.growth is not None
        left = self.still_to_go(share)
        return not under_way and left is not None and left <= until

    def _check_arrived(self, name: str) -> None:
        """A set piece that is in and crosses cloth goes out again, with everything as it was before it came."""
        index = [member.name for member in self.colliders.members].index(name)
        own = self.colliders.triangles[self.colliders.member == index]
        pairs = crossing_pairs(self.state.positions, self._run.outfit.triangles, self.bodies(), own)
        if len(pairs) == 0:
            return
        at = self.state.positions[self._run.outfit.triangles[pairs[0, 0]]].mean(axis=0)
        while self.kept and self.back() != f"{name} comes in":
            pass
        raise StartError(
            f"cloth is caught between '{name}' and something else, so it went out again", where=_place(at),
            remedy="Pull the cloth aside there, then bring it in",
        )  # fmt: skip

    def _inputs(self, stance: Stance) -> tuple[FrameInputs, Stance]:
        """What acts in one step, and the stance at its end."""
        plan, driver, colliders = self.plan, self._run.driver, self.colliders
        forward = float(np.clip(stance.goal - stance.time, -1.0, 1.0))
        forward = float(np.clip(forward, -plan.frame_rate * FITTING_STEP, plan.frame_rate * FITTING_STEP))
        end = stance.time + forward
        if abs(stance.goal - end) < 1e-9:
            end = stance.goal
        substeps = self._substeps(stance.time, end)
        shares = np.arange(substeps + 1) / substeps
        nudges = (
            NUDGE * np.arange(substeps + 1) if stance.coming and end == stance.time else np.zeros(substeps + 1)
        )
        times = [float(t) for t in stance.time + shares * (end - stance.time)]
        keys = [float(t) for t in np.array(times) + nudges]
        places, stances = {}, [stance]
        for key, time in zip(keys, times, strict=True):
            places[key] = stances[-1].placed(colliders, driver.bodies(time))
            stances.append(stances[-1].further(substeps))
        frame = ceil(max(stance.time, end) - 1e-9)
        off = stance.off(colliders, frame)
        moments = tuple(Moment(a, b, frame, plan.first_simulated, plan.frame_rate) for a, b in pairwise(keys))
        plain = driver.inputs_at(frame)
        forces = Forces(self.plan.gravity * self.hands.weight, self._air_drag(), plan.air_density)

        def links(moment: Moment) -> list[Links]:
            asked = self.hands.links(
                self.cloth, self.state.positions, places[moment.before], places[moment.time]
            )
            return [*plain.links(moment), *asked]

        inputs = replace(
            plain,
            moments=moments,
            step=FITTING_STEP / substeps,
            colliders=colliders.without(off),
            bodies=places.__getitem__,
            around=lambda time: stance.surroundings(colliders, colliders.surroundings(frame, time), frame),
            links=links,
            forces=forces,
            friction=plain.friction * self._stiction(),
            damping=REST_DAMPING if self._comes_to_rest() else 1.0,
            begins=frame != self.frame,
        )
        if self.hands.parked.any():
            inputs = parked(inputs, self.hands.parked)
        return inputs, replace(stances[substeps], time=end)

    def _comes_to_rest(self) -> bool:
        return self.resting is not None and not self.hands.pulls and not self.stance.walks

    def _stiction(self) -> float:
        """Factor on friction: on the way to rest, the slower cloth is the firmer it sticks."""
        if not self._comes_to_rest():
            return 1.0
        return REST_STICTION - (REST_STICTION - 1.0) * min(1.0, self._speed() / REST_SLOW)

    def _speed(self) -> float:
        """Of all vertices that are not parked, on the mean, m/s; 0 without any."""
        moving = np.linalg.norm(self.state.velocities, axis=1)[~self.hands.parked]
        return float(moving.mean()) if len(moving) else 0.0

    def _air_drag(self) -> float:
        """The shot's own, kg/(m2 s); on the way to rest that of thicker air, which damps swing."""
        if not self._comes_to_rest():
            return self.plan.air_drag
        cloths = self._run.outfit.cloths
        area = sum(float(cloth.vertex_areas.sum()) for cloth in cloths)
        return max(self.plan.air_drag, REST_AIR * float(self._run.outfit.mass.sum()) / area)

    def _substeps(self, start: float, end: float) -> int:
        """As many as the figure's way asks for, at least those of one that stands. Cloth that begins strained
        takes its first steps in short ones, since longer ones would be halved.
        """
        if start == end and self.strained and self.step_number < len(STRAINED_SUBSTEPS):
            return STRAINED_SUBSTEPS[self.step_number]
        if start == end:
            return REST_SUBSTEPS if self._comes_to_rest() else FITTING_SUBSTEPS
        travel = furthest(self._run.driver.bodies(start), self._run.driver.bodies(end))
        return min(MOST_SUBSTEPS, max(FITTING_SUBSTEPS, substeps_for(self.plan.patience, travel) // 2))


def _place(point: Vectors) -> str:
    return "at (" + ", ".join(f"{value:.3f}" for value in point) + ") m"
