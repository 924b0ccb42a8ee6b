"""Links: their energy against closed forms, its slope and product against differences."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.solver.linear import Hessian
from patient_needle.core.solver.links import NOBODY, LinkTerm, between, joined, to_places
from patient_needle.core.solver.stiffness import Pattern, Stiffness

START = np.array([[0.0, 0, 0], [1.0, 0, 0], [0, 1.0, 0], [0.3, 0.2, 0.5]])
STEP = 0.01


def to(vertex, place, stiffness=100.0, damping=0.0):
    place = np.atleast_2d(np.asarray(place, float))
    return to_places(np.array([vertex]), START[[vertex]], place, np.array([stiffness]), np.array([damping]))


def carried(length=0.1, pulls=False):
    """Vertex 3 to the middle of the triangle of the others."""
    weights = np.full((1, 3), 1 / 3)
    return between(
        np.array([3]), np.array([[0, 1, 2]]), weights, np.array([length]), np.array([50.0]), pulls=pulls
    )


KINDS = {
    "a place": to(3, [0.5, 0.5, 0.5]),
    "a slack place": to(3, [0.5, 0.5, 0.5]).slack(0.2),
    "a damped place": to(3, [0.5, 0.5, 0.5], damping=0.02),
    "one that yields": to(3, [0.5, 0.5, 0.5]).yielding(np.array([3.0])),
    "cloth": carried(),
    "cloth at nothing": carried(0.0),
    "cloth that only pulls": carried(0.2, pulls=True),
}


@pytest.mark.parametrize("kind", KINDS)
def test_the_gradient_is_the_energys_slope(kind):
    term = LinkTerm(KINDS[kind], START, STEP)
    x = START + np.random.default_rng(3).normal(0, 0.02, START.shape)
    slope = np.zeros_like(x)
    assert term.gradient(x, slope) == pytest.approx(term.energy(x))
    numeric, tiny = np.zeros_like(x), 1e-6
    for index in np.ndindex(x.shape):
        aside = np.zeros_like(x)
        aside[index] = tiny
        numeric[index] = (term.energy(x + aside) - term.energy(x - aside)) / (2 * tiny)
    assert_allclose(slope, numeric, atol=1e-6)
    # What pulls at cloth is taken from what carries it.
    if kind.startswith("cloth"):
        assert_allclose(slope.sum(axis=0), 0.0, atol=1e-12)


@pytest.mark.parametrize("kind", ["a place", "a damped place", "cloth", "cloth at nothing"])
def test_the_product_is_the_gradients_slope_where_it_is_convex(kind):
    term = LinkTerm(KINDS[kind], START, STEP)
    x, p = START.copy(), np.random.default_rng(5).normal(0, 1, START.shape)
    slopes = []
    for side in (1e-6, -1e-6):
        slope = np.zeros_like(x)
        term.gradient(x + side * p, slope)
        slopes.append(slope)
    term.gradient(x, np.zeros_like(x))
    room = Stiffness([Pattern(len(x), np.zeros((0, 2), np.int32))])
    hessian, out = Hessian((term,), room), np.zeros_like(x)
    hessian.refresh()
    hessian.product(p, np.zeros(len(x), bool), out)
    assert_allclose(out, (slopes[0] - slopes[1]) / 2e-6, rtol=1e-4, atol=1e-4)


def test_a_spring_has_half_k_square_and_a_yielding_one_the_rest_straight():
    plain, yielding = (
        LinkTerm(link, START, STEP)
        for link in (to(0, [0.0, 0.0, 0.1]), to(0, [0.0, 0.0, 0.1]).yielding(np.array([4.0])))
    )
    assert plain.energy(START) == pytest.approx(0.5 * 100 * 0.1**2)
    # 4 N are reached at 40 mm; the other 60 mm cost 4 N each metre.
    assert yielding.energy(START) == pytest.approx(0.5 * 100 * 0.04**2 + 4.0 * 0.06)


def test_what_only_pulls_is_free_within_its_length():
    x = START.copy()
    x[3] = [1 / 3, 1 / 3, 0.15]
    assert LinkTerm(carried(0.2, pulls=True), START, STEP).energy(x) == 0.0
    assert LinkTerm(carried(0.2), START, STEP).energy(x) == pytest.approx(0.5 * 50 * 0.05**2)


def test_halves_go_straight_and_pieces_join():
    link = to(1, [1.0, 0.0, 0.4])
    first, second = link.first_half(), link.second_half()
    assert first.place_to.tolist() == second.place_from.tolist() == [[1.0, 0.0, 0.2]]
    assert second.place_to.tolist() == link.place_to.tolist()
    both = joined([link, carried()])
    assert both is not None
    assert both.vertex.tolist() == [1, 3]
    assert both.others[0].tolist() == [NOBODY] * 3
    assert joined([]) is None


def test_only_what_stands_at_its_place_and_does_not_give_way_fixes():
    away = to(0, [0.0, 0.0, 0.1])
    assert away.fixing(START, STEP)[0] == pytest.approx(100.0)
    assert to(0, [0.0, 0.0, 0.1], damping=0.02).fixing(START, STEP)[0] == pytest.approx(300.0)
    assert away.yielding(np.array([4.0])).fixing(START, STEP)[0] == 0.0  # 10 N are asked, 4 are there
    assert away.slack(0.05).fixing(START, STEP)[0] == 0.0
    assert carried(0.0).fixing(START, STEP).tolist() == [0.0] * 4
