"""Advancing a run by one frame, substep by substep. The result is judged elsewhere."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from ...geometry.rotations import spin_between
from ...model.garment import Prescription
from ...model.typed import Flags, Points, Vectors
from ...solver.diagnostics import FrameTally
from ...solver.links import Links, joined
from ...solver.outfit import Outfit, Wearing
from ...solver.state import ClothState, Taken, let_go
from ...solver.step import Engine, Surround
from ..cast.colliders import Colliders
from ..holds.acting import Grasp, Moment, together
from ..holds.dressing import Dressed
from .inputs import FrameInputs
from .pinching import Clasp, clasped


@dataclass(frozen=True, eq=False)
class Constants:
    """What a run never changes: its garments made ready, all in one, the engine, the colliders' topology."""

    dressed: tuple[Dressed, ...]
    outfit: Outfit
    engine: Engine
    colliders: Colliders
    gravity: Vectors


@dataclass(frozen=True, eq=False)
class Advanced:
    """The end of a frame: the state, what it cost, where the bodies are (k, 3) m; unrest in m if asked for."""

    state: ClothState
    tally: FrameTally
    bodies: Points
    unrest: float | None


def advance(
    constants: Constants, state: ClothState, inputs: FrameInputs, between: Callable[[], None] = lambda: None,
    *, hard: bool = False,
) -> Advanced:  # fmt: skip
    """Take the garments through one frame. `between` is called before every substep, and what it raises ends
    the frame without a trace: the same state and inputs give the same bits later. hard: every solve begins
    with the matrix's own factor, as the later ones of a frame do where the first one needed it.
    """
    tally, moments = FrameTally(hard_solves=int(hard)), inputs.moments
    first = moments[0]
    here = inputs.bodies(first.before)
    if inputs.begins:
        state = _retaken(constants, state, inputs, replace(first, time=first.before))
        was = replace(first, before=first.before, time=first.before, frame=inputs.frame - 1)
        state = _let_go(constants, state, inputs, was, first)
    clasp = Clasp.none()
    for moment in moments:
        between()
        there = inputs.bodies(moment.time)
        clasp = clasped(clasp, state.positions, state.released, state.eased, inputs.colliders, here)
        stuck = clasp.links(inputs.colliders, here, there, constants.outfit)
        surround = _surround(constants, state, inputs, moment, here, there, stuck)
        state = _slid(constants, constants.engine.step(state, surround, inputs.step, tally), inputs, moment)
        here = there
    unrest = constants.engine.unrest(state, surround) if inputs.unrest else None
    return Advanced(state, tally, here, unrest)


def _retaken(constants: Constants, state: ClothState, inputs: FrameInputs, moment: Moment) -> ClothState:
    """The state with taken hold of what begins to be held in a frame."""
    pieces = [
        one.retaken(taken, state.positions[span], state.velocities[span], moment, told)
        for one, span, taken, told in _each(constants, state, inputs)
    ]
    return state.replace(taken=together(pieces))


def _slid(constants: Constants, state: ClothState, inputs: FrameInputs, moment: Moment) -> ClothState:
    """The state with what slides where it has slid to."""
    if not any(held.slides for one in constants.dressed for held in one.holds):
        return state
    pieces = [
        one.slid(taken, state.positions[span], moment, told)
        for one, span, taken, told in _each(constants, state, inputs)
    ]
    return state.replace(taken=together(pieces))


def _let_go(
    constants: Constants, state: ClothState, inputs: FrameInputs, before: Moment, after: Moment
) -> ClothState:
    """The state in which what is prescribed no more in a frame's first substep flies on."""
    if not any(one.changes(told) for one, _, _, told in _each(constants, state, inputs)):
        return state
    was, now = (
        np.concatenate([grasp.held for grasp in _grasps(constants, state, inputs, moment)])
        for moment in (before, after)
    )
    return let_go(state, was & ~now, constants.gravity if inputs.forces is None else inputs.forces.gravity)


def _each(
    constants: Constants, state: ClothState, inputs: FrameInputs
) -> list[tuple[Dressed, slice, Taken, Prescription]]:
    """Each garment, its vertices, its part of what the state holds on to, and where it is told to be."""
    ends = np.cumsum([one.places for one in constants.dressed])
    taken = [
        state.taken.part(slice(end - one.places, end)) for one, end in zip(constants.dressed, ends, strict=True)
    ]
    return list(zip(constants.dressed, constants.outfit.spans, taken, inputs.prescriptions, strict=True))


def _grasps(constants: Constants, state: ClothState, inputs: FrameInputs, moment: Moment) -> list[Grasp]:
    """Where holds and prescriptions have each garment in one substep."""
    return [one.grasp(taken, moment, told) for one, _, taken, told in _each(constants, state, inputs)]


def _surround(
    constants: Constants,
    state: ClothState,
    inputs: FrameInputs,
    moment: Moment,
    here: Points,
    there: Points,
    stuck: Links,
) -> Surround:
    """Everything prescribed in one substep, `stuck` among it."""
    time, spans = moment.time, constants.outfit.spans
    grasps = _grasps(constants, state, inputs, moment)
    wind = None if inputs.wind is None else inputs.wind(state.positions, time)
    calm = inputs.calm(time)
    worn = tuple(
        Wearing(_spin(constants, state, index, grasps[index], inputs.step), filling, calm, inputs.damping)
        for index, filling in enumerate(inputs.fillings(time))
    )
    links = [link.shifted(span.start) for one, span in zip(grasps, spans, strict=True) for link in one.links]
    links += [*inputs.links(moment), stuck]
    held, held_to = _parked(
        inputs.parked,
        state.positions if inputs.aside is None else inputs.aside(time),
        np.concatenate([one.held for one in grasps]),
        np.concatenate([one.held_to for one in grasps]),
    )
    return Surround(
        here, there, held_to, inputs.around(time), wind, worn, held, joined(links), inputs.forces,
        inputs.friction,
    )  # fmt: skip


def _parked(parked: Flags | None, points: Points, held: Flags, held_to: Points) -> tuple[Flags, Points]:
    """Held vertices (n,) and where they go (h, 3) m; parked cloth goes to points (n, 3) m."""
    if parked is None or not parked.any():
        return held, held_to
    goal = points.copy()
    goal[held & ~parked] = held_to[~parked[held]]
    every = held | parked
    return every, goal[every]


def _spin(constants: Constants, state: ClothState, index: int, grasp: Grasp, step: float) -> Vectors | None:
    """How a calmed garment's fastenings turn, (3,) rad/s."""
    if constants.dressed[index].calm == 0:
        return None
    own = state.positions[constants.outfit.spans[index]]
    return spin_between(own[grasp.held], grasp.held_to, step)
