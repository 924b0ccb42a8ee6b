"""Newton's method with a line search over a tuple of energy terms."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.patience import Patience
from ..model.typed import Flags, Points
from .gather import inner, largest
from .linear import Preconditioner, Term, conjugate_gradients

HALVINGS = 6
# The preconditioned gradient is about the step to come; it must be well under what counts as moving.
ALREADY_THERE = 0.2
SUFFICIENT = 1e-4  # share of the predicted fall that a step must bring (L. Armijo, 1966)


@dataclass(frozen=True, eq=False)
class Minimised:
    """x (n, 3) m, passes of Newton's method, conjugate gradient iterations, and the last move in m."""

    x: Points
    passes: int
    iterations: int
    last_move: float


def minimise(
    terms: tuple[Term, ...],
    start: Points,
    held: Flags,
    preconditioner: Preconditioner,
    patience: Patience,
    passes: int,
    still: float,
) -> Minimised:
    """Lower the sum of `terms` from start (n, 3) m by at most `passes` Newton passes.

    Held vertices (n,) stay where start has them. Stops when a pass moves nothing further than `still` m.
    """
    x, iterations, move = start.copy(), 0, np.inf
    for done in range(1, passes + 1):
        gradient = np.zeros_like(x)
        energy = sum(term.gradient(x, gradient) for term in terms)
        gradient[held] = 0.0
        preconditioner.refresh(terms)
        step, used = conjugate_gradients(
            terms, gradient, preconditioner, held, patience.cg_iterations, patience.cg_tolerance,
            ALREADY_THERE * still,
        )  # fmt: skip
        iterations += used
        if used == 0:
            return Minimised(x, done, iterations, 0.0)
        x, share = _line_search(terms, x, step, energy, inner(gradient, step))
        move = share * largest(step)
        if move <= still:
            return Minimised(x, done, iterations, move)
    return Minimised(x, passes, iterations, move)


def _line_search(
    terms: tuple[Term, ...], x: Points, step: Points, energy: float, slope: float
) -> tuple[Points, float]:
    share = 1.0
    for _ in range(HALVINGS):
        trial = x + share * step
        if sum(term.energy(trial) for term in terms) <= energy + SUFFICIENT * share * slope + 1e-12 * abs(
            energy
        ):
            return trial, share
        share *= 0.5
    return x, 0.0
