"""What somebody outside may make of a frame's inputs: a body that grows, a tug, parked cloth."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ...model.typed import Flags, Indices, Points, Scalars
from ...solver.links import Links, to_places
from ..holding import Moment
from .inputs import FrameInputs


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
