"""Ties against the stiffness that their energy has."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.solver.stiffness import Pattern, Stiffness
from patient_needle.core.solver.ties import Ties

COUNT = 7
TIES = Ties(
    np.array([[0, 4, -1, -1], [5, 1, 2, 3], [6, -1, -1, -1], [4, 0, -1, -1], [2, 5, 6, 1]]),
    np.array([[1, -1, 0, 0], [1, -0.5, -0.3, -0.2], [1, 0, 0, 0], [1, -1, 0, 0], [1, -0.4, 0.0, -0.6]]),
    np.array([[0, 0, 1.0], [0.6, 0, 0.8], [0, 1, 0], [0, 0.8, -0.6], [1, 0, 0]]),
    np.array([50.0, 0.0, 7.0, 3.0, 20.0]),
    np.array([0.0, 30.0, 2.0, 0.001, 20.0]),
)


def energy(x):
    """Half of each stiffness times the square of the offset along and across."""
    out = 0.0
    for vertices, weights, normal, along, across in zip(*TIES, strict=True):
        offset = sum(w * x[v] for v, w in zip(vertices, weights, strict=True) if v >= 0)
        far = offset @ normal
        out += 0.5 * along * far**2 + 0.5 * across * (offset @ offset - far**2)
    return out


@pytest.fixture
def curved():
    """Second derivatives of the energy, exact since it is quadratic."""
    size = 3 * COUNT
    unit = np.eye(size).reshape(size, COUNT, 3)
    own = [energy(one) for one in unit]
    return np.array([[energy(a + b) - own[i] - own[j] for j, b in enumerate(unit)] for i, a in enumerate(unit)])


@pytest.fixture
def room():
    room = Stiffness([Pattern(COUNT, np.zeros((0, 2), np.int32))])
    room.clear()
    room.diagonal[:, :3] = 1.0
    room.tie(TIES)
    room.close()
    return room


def test_a_product_is_with_the_energys_curvature(curved, room):
    p = np.random.default_rng(0).normal(size=(COUNT, 3))
    out = np.zeros_like(p)
    work = room.product(p, np.zeros(COUNT, bool), out)
    assert out.ravel() == pytest.approx(curved @ p.ravel() + p.ravel())
    assert work == pytest.approx((out * p).sum())


def test_the_blocks_that_count_come_strongest_first(curved, room):
    ends, blocks = room.tied()
    strength = np.abs(blocks[:, [0, 4, 8]].sum(axis=1))
    assert (np.diff(strength) <= 0).all()
    found = np.zeros_like(curved)
    for (a, b), block in zip(ends, blocks.reshape(-1, 3, 3), strict=True):
        found[3 * a : 3 * a + 3, 3 * b : 3 * b + 3] += block
        found[3 * b : 3 * b + 3, 3 * a : 3 * a + 3] += block.T
    for v in range(COUNT):
        found[3 * v : 3 * v + 3, 3 * v : 3 * v + 3] = curved[3 * v : 3 * v + 3, 3 * v : 3 * v + 3]
    assert found == pytest.approx(curved, abs=1e-9)
    room.diagonal[0, :3] = 1e12  # beside what holds a vertex this firmly nothing counts
    assert not (room.tied()[0] == 0).any()


def test_nothing_tied_leaves_nothing(room):
    room.clear()
    ends, blocks = room.tied()
    assert (ends.shape, blocks.shape) == ((0, 2), (0, 9))
