"""What acts on the garments of a run from outside during one frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from ...contact.rows import Surroundings
from ...model.typed import Flags, Points, Vectors
from ...solver.forces import Forces, Inflation
from ...solver.links import Links
from ..colliders import Colliders
from ..holding import Moment
from ..prescription import Prescription


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
