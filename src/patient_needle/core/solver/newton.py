"""Newton's method with a line search over a tuple of energy terms."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ..model.tolerances import (
    ALREADY_THERE,
    ARMIJO_SHARE,
    ENERGY_ROUNDING,
    EXTRA_PASSES,
    LINE_SEARCH_HALVINGS,
    Patience,
)
from ..model.typed import Flags, Points, Vectors
from .linear import Hessian, Preconditioner, Term, conjugate_gradients
from .stiffness import Stiffness
from .sums import inner, largest


@dataclass(frozen=True, eq=False)
class Minimised:
    """x (n, 3) m, passes of Newton's method, conjugate gradient iterations, and the last move in m.

    stuck: no step along the last direction lowered the energy enough, so the pass was given up where it began;
    hard: the first of the preconditioners did not serve in the first pass.
    """

    x: Points
    passes: int
    iterations: int
    last_move: float
    stuck: bool = False
    hard: bool = False


def minimise(
    terms: tuple[Term, ...],
    stiffness: Stiffness,
    start: Points,
    held: Flags,
    preconditioners: Sequence[Preconditioner],
    patience: Patience,
    passes: int,
    still: float,
    rough: float,
    hint: Vectors | None = None,
) -> Minimised:
    """Lower the sum of `terms` from start (n, 3) m by at most `passes` Newton passes, over the room of a
    matrix.

    Held vertices (n,) stay where start has them. The first pass begins as far along `hint` (n, 3) m, which
    leaves held vertices alone, as lowers the energy most. Stops when a pass moves nothing further than `still`
    m; while one still moves something further than `rough` m, up to EXTRA_PASSES times as many passes are made.
    There are one or two preconditioners. A pass that does not converge with the first goes on with the second,
    and all later passes begin with that.
    """
    x, iterations, move = start.copy(), 0, np.inf
    plain = tuple(term for term in terms if not term.lagged)
    lagged = tuple(term for term in terms if term.lagged)
    hessian = Hessian(terms, stiffness)
    energy, slope = 0.0, None
    done, better, hard = 0, list(preconditioners), False
    preconditioner = better.pop(0)
    while done < passes or (done < EXTRA_PASSES * passes and move > rough):
        done += 1
        if slope is None:
            energy, slope = _slope_of(plain, x)
        further, gradient = _slope_of(lagged, x)
        gradient += slope
        gradient[held] = 0.0
        hessian.refresh()
        preconditioner.refresh(hessian)
        step, used, converged = conjugate_gradients(
            hessian, gradient, preconditioner, held, patience.cg_iterations, patience.cg_tolerance,
            ALREADY_THERE * still, hint if done == 1 else None,
        )  # fmt: skip
        if used == 0:
            return Minimised(x, done, iterations, 0.0)
        if not converged and better:
            preconditioner, hard = better.pop(0), done == 1
            preconditioner.refresh(hessian)
            iterations += used
            # One pass more: what touches is told from what does not only where solves are true.
            patience, passes = patience.with_exact(), passes + (passes > 1)
            step, used, _ = conjugate_gradients(
                hessian, gradient, preconditioner, held, patience.cg_iterations, patience.cg_tolerance,
                hint=step,
            )  # fmt: skip
        iterations += used
        fall, share, reached = ARMIJO_SHARE * inner(gradient, step), 1.0, energy + further
        for _ in range(LINE_SEARCH_HALVINGS):
            trial = x + share * step
            # The gradient at the trial serves the next pass, if one is certain to come.
            energy, slope = _slope_of(plain, trial) if done < passes else (_energy_of(plain, trial), None)
            if energy + _energy_of(lagged, trial) <= reached + share * fall + ENERGY_ROUNDING * abs(reached):
                break
            share *= 0.5
        else:
            return Minimised(x, done, iterations, 0.0, stuck=True, hard=hard)
        x, move = trial, share * largest(step)
        if move <= still:
            return Minimised(x, done, iterations, move, hard=hard)
    return Minimised(x, done, iterations, move, hard=hard)


def _slope_of(terms: tuple[Term, ...], x: Points) -> tuple[float, Vectors]:
    """The terms' energy in J and gradient (n, 3) N at x, with their linearisation kept."""
    gradient = np.zeros_like(x)
    return sum(term.gradient(x, gradient) for term in terms), gradient


def _energy_of(terms: tuple[Term, ...], x: Points) -> float:
    return sum(term.energy(x) for term in terms)
