"""Inputs of one frame: everything that acts on the garments from outside, and changes to it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from ...contact.rows import Surroundings
from ...model.garment import Prescription
from ...model.typed import Flags, Indices, Points, Scalars, Vectors
from ...solver.links import Links, to_places
from ...solver.state import Forces, Inflation
from ..cast.colliders import Colliders
from ..holds.acting import Moment


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
    friction       factor on all friction of cloth
    unrest         whether it is to be told how far from rest the garments are at its end
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
    friction: float = 1.0
    unrest: bool = False


def grown(inputs: FrameInputs, thin: Points, share: Callable[[float], float]) -> FrameInputs:
    """The frame with bodies that grow: thin (k, 3) m at a share of 0, as they are at 1; share of a time.

    The points go straight from thin to full, so a share that rises moves the surface and never tears it.
    """
    full = inputs.bodies

    def bodies(time: float) -> Points:
        return thin + share(time) * (full(time) - thin)

    return replace(inputs, bodies=bodies)


def tugged(
    inputs: FrameInputs,
    vertices: Indices,
    to: Callable[[float], Points],
    stiffness: Scalars,
    most: Scalars | None = None,
) -> FrameInputs:
    """The frame with cloth drawn: vertices (q,) of the run to places (q, 3) m of a time, with stiffness (q,)
    N/m and at most (q,) N, so that a pull that is too strong slips.
    """
    others = inputs.links
    still = np.zeros(len(vertices))

    def links(moment: Moment) -> list[Links]:
        tug = to_places(vertices, to(moment.before), to(moment.time), stiffness, still)
        return [*others(moment), tug if most is None else tug.yielding(most)]

    return replace(inputs, links=links)


def parked(inputs: FrameInputs, vertices: Flags) -> FrameInputs:
    """The frame with vertices (n,) of the run set aside: they stay where they are and others meet them."""
    before = inputs.parked
    return replace(inputs, parked=vertices if before is None else before | vertices)
