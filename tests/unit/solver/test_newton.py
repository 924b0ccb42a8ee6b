"""Newton's method on energies whose least place is known in closed form, or by SciPy's minimiser."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import minimize

from patient_needle.core.model.tolerances import FINAL
from patient_needle.core.solver.newton import minimise
from patient_needle.core.solver.stiffness import Pattern, Stiffness


class Springs:
    """1/2 k |x - rest|^2 for each vertex, plus q/4 of the fourth power: convex, least at rest."""

    lagged = False

    def __init__(self, rest, stiffness, quartic=0.0):
        self.rest, self.stiffness, self.quartic = np.asarray(rest, float), np.asarray(stiffness, float), quartic
        self.curvature = self.stiffness[:, None] * np.ones(3)

    def gradient(self, x, out):
        away = x - self.rest
        self.curvature = self.stiffness[:, None] + 3 * self.quartic * away**2
        out += self.stiffness[:, None] * away + self.quartic * away**3
        return self.energy(x)

    def energy(self, x):
        away = x - self.rest
        return float((0.5 * self.stiffness[:, None] * away**2 + 0.25 * self.quartic * away**4).sum())

    def stiffen(self, stiffness):
        stiffness.diagonal[:, :3] += self.curvature

    def product(self, p, out):
        pass


class Plain:
    """A preconditioner that shapes nothing."""

    def refresh(self, hessian):
        pass

    def solve(self, right, out):
        out[:] = right
        return float((right**2).sum())


class Uphill(Springs):
    """A term that says the wrong way down."""

    def gradient(self, x, out):
        right = np.zeros_like(out)
        energy = super().gradient(x, right)
        out -= right
        return energy


START = np.zeros((3, 3))
REST = np.array([[0.1, 0.0, 0.0], [0.0, -0.2, 0.3], [0.4, 0.4, 0.4]])
NONE_HELD = np.zeros(3, bool)
ROOM = Stiffness([Pattern(3, np.zeros((0, 2), np.int32))])
PATIENT = replace(FINAL, cg_iterations=60, cg_tolerance=1e-12)


def run(terms, held=NONE_HELD, passes=8, still=1e-12, **options):
    return minimise(terms, ROOM, START, held, [Plain()], PATIENT, passes, still, rough=1.0, **options)


def test_a_quadratic_takes_one_pass_and_one_more_to_see_it():
    done = run((Springs(REST, [1.0, 20.0, 400.0]),))
    assert done.x == pytest.approx(REST, abs=1e-9)
    assert done.passes <= 2
    assert not done.stuck


def test_held_vertices_stay():
    done = run((Springs(REST, [1.0, 1.0, 1.0]),), held=np.array([False, True, False]))
    assert done.x[1].tolist() == [0.0, 0.0, 0.0]
    assert done.x[[0, 2]] == pytest.approx(REST[[0, 2]], abs=1e-9)


def test_two_terms_meet_where_scipy_says():
    terms = (Springs(REST, [1.0, 2.0, 3.0], quartic=50.0), Springs(-REST, [4.0, 1.0, 0.5], quartic=5.0))
    done = run(terms, passes=40)
    truth = minimize(
        lambda x: sum(term.energy(x.reshape(-1, 3)) for term in terms), START.ravel(), method="BFGS", tol=1e-12
    )
    assert done.x == pytest.approx(truth.x.reshape(-1, 3), abs=1e-6)


def test_a_pass_that_moves_less_than_asked_is_the_last():
    short = run((Springs(REST, [1.0, 1.0, 1.0], quartic=50.0),), passes=40, still=0.05)
    long = run((Springs(REST, [1.0, 1.0, 1.0], quartic=50.0),), passes=40, still=1e-9)
    assert short.passes < long.passes
    assert short.last_move <= 0.05


def test_a_direction_that_leads_up_is_given_up_and_counted():
    done = run((Uphill(REST, [1.0, 1.0, 1.0]),))
    assert done.stuck
    assert done.passes == 1
    assert done.x.tolist() == START.tolist()
