"""Pulling as hard as one can, in any direction: cloth never goes through a body or itself.

That nothing passes through anything is the engine's own promise; the crossings are counted exactly (igl's
predicates), by nothing that the engine has worked out.
"""

from __future__ import annotations

import numpy as np
import pytest

from tests.fitted import crossings, fitted, post, shot, spot, tube

STEPS = 40


def pulled_about(seed: int, steps: int) -> int:
    """The worst count of crossings while somebody tears at a tube of 600 vertices; the seed says how."""
    rng = np.random.default_rng(seed)
    fitting = fitted(shot(post(), garment=tube(spacing=0.0175)))
    assert 550 < fitting.cloth.outfit.count < 700
    worst = 0
    for step in range(steps):
        if step % 10 == 0:
            fitting.let_go()
            low, high = fitting.state.positions.min(axis=0), fitting.state.positions.max(axis=0)
            corners, weights = spot(fitting, rng.uniform(low, high))
            fitting.pull("tube", corners, weights, rng.uniform(0.02, 0.15), mirrored=bool(rng.random() < 0.3))
            way = rng.normal(size=3)
            far = fitting.hands.pulls[0].grip.at + way / np.linalg.norm(way) * rng.uniform(0.2, 3.0)
        if step % 10 == 8 and rng.random() < 0.5:
            fitting.pin(in_body=False)
        fitting.draw(far)
        fitting.step()
        worst = max(worst, crossings(fitting))
    return worst


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_nothing_that_hands_do_draws_cloth_through_anything(seed):
    assert pulled_about(seed, STEPS) == 0
