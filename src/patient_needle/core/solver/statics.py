"""Letting a cloth come to rest, and saying how far from rest it is.

The cloth is stepped as in any run until the forces left over could move it no further than asked
(`Engine.unrest`). Air drag is what stills it: about 2 w sqrt(g / L), w the areal density and L the length that
swings, damps a swing critically (closed form).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .diagnostics import FrameTally
from .state import ClothState
from .step import Engine, Surround

LOOK_EVERY = 24  # steps between two looks at how far from rest it is


@dataclass(frozen=True, eq=False)
class Settled:
    """unrest in m: how far from rest the cloth is as far as one can see, `Engine.unrest`; steps it took."""

    state: ClothState
    unrest: float
    steps: int


def settle(
    engine: Engine, state: ClothState, surround: Surround, *, to: float, step: float = 1 / 96, most: int = 600
) -> Settled:
    """Steps of `step` s until the cloth is within `to` m of rest, or `most` steps are done: see `unrest`
    which.
    """
    unrest = np.inf
    for done in range(1, most + 1):
        state = engine.step(state, surround, step, FrameTally())
        if done % LOOK_EVERY == 0 or done == most:
            unrest = engine.unrest(state, surround)
            if unrest <= to:
                return Settled(state, unrest, done)
    return Settled(state, unrest, most)
