"""The first guess of a substep: what would close is kept, what hangs stays, swings go on."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from patient_needle.core.solver.first_guess import _keep_rows, staying
from patient_needle.core.solver.state import Taken, at_rest

NORMAL = np.array([[0.0, 0.0, 1.0]])


def kept(start, goal, soft, softness):
    """Two points, the first above the second, after the guess."""
    start, out = (np.array([[0, 0, high], [0, 0, low]], float) for high, low in (start, goal))
    ends = np.array([[0, 1]], np.int32)
    _keep_rows(start, out, ends, NORMAL, np.array([soft]), np.array(softness, float), 0.01, 10)
    return out[:, 2]


def test_a_pair_that_would_close_keeps_where_it_was_or_its_gap():
    top, bottom = kept((0.005, 0.0), (-0.02, 0.0), soft=0.003, softness=(1.0, 0.0))
    assert bottom == 0.0
    assert top == pytest.approx(0.99 * 0.003)  # it was further off than the gap: just within that
    top, _ = kept((0.001, 0.0), (-0.02, 0.0), soft=0.003, softness=(1.0, 0.0))
    assert top == pytest.approx(0.001)  # nearer already: no nearer


def test_the_way_is_shared_by_softness():
    top, bottom = kept((0.005, 0.0), (-0.01, 0.0), soft=0.003, softness=(3.0, 1.0))
    moved = 0.99 * 0.003 + 0.01
    assert top - -0.01 == pytest.approx(0.75 * moved)
    assert bottom == pytest.approx(-0.25 * moved)


def test_what_opens_and_what_is_prescribed_on_both_sides_is_left_alone():
    assert kept((0.001, 0.0), (0.02, 0.0), 0.003, (1.0, 1.0)).tolist() == [0.02, 0.0]
    assert kept((0.001, 0.0), (-0.02, 0.0), 0.003, (0.0, 0.0)).tolist() == [-0.02, 0.0]


@pytest.mark.parametrize(("speed", "share"), [(0.0, 1.0), (1.0, 0.5), (10.0, 1 / 101)])
def test_what_hardly_moves_may_stay_and_a_swing_keeps_its_guess(speed, share):
    fall, step = 5e-4, 0.01
    state = at_rest(np.zeros((1, 3)), 0, Taken.none())
    state = state.replace(velocities=np.array([[speed * fall / step, 0.0, 0.0]]))
    nothing = SimpleNamespace(anchors=SimpleNamespace(triangle=np.array([-1])), carried=np.zeros((1, 3)))
    guess = np.array([[0.0, -fall, 0.0]])
    assert staying(state, guess, nothing, fall, step) == pytest.approx(share * np.array([[0.0, fall, 0.0]]))
