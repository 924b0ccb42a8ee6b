"""What moves is solved alone: as the whole would be, to the bit after it was put away, and through nothing."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.craft.drape import live, parking
from tests.fitted import crossings, curtain, fitted, pillar, post, shot, spot, tube


def upper(fitting, share: float) -> np.ndarray:
    """The upper share of its vertices."""
    high = np.argsort(-fitting.state.positions[:, 1], kind="stable")
    out = np.zeros(len(high), bool)
    out[high[: int(share * len(high))]] = True
    return out


def pulled_beside(fitting, steps: int = 30) -> None:
    fitting.pull("tube", *spot(fitting, (0.02, 0.6, 0.1)), 0.05)
    at = fitting.hands.pulls[0].grip.at
    for step in range(steps):  # gently: what the solver leaves over of a wild pull differs by its order
        fitting.draw(at + np.array([0.0005, 0.0003, 0.001]) * step)
        fitting.step()


def parked_tube(share: float = 0.6):
    fitting = fitted(shot(post(), garment=tube(spacing=0.02, length=0.4)))
    for _ in range(8):
        fitting.step()
    fitting.park("tube", upper(fitting, share))
    return fitting


def test_what_moves_goes_as_it_would_with_the_whole(monkeypatch):
    alone = parked_tube()
    pulled_beside(alone)
    assert alone._part[1] is not None
    assert len(alone._part[1].vertices) < 0.7 * alone.cloth.outfit.count
    monkeypatch.setattr(live, "moving_part", lambda *_: None)
    whole = parked_tube()
    pulled_beside(whole)
    apart = np.linalg.norm(alone.state.positions - whole.state.positions, axis=1)
    moved = np.linalg.norm(whole.state.positions - whole.cloth.outfit.placed, axis=1).max()
    assert moved > 0.02
    assert apart.max() < 1e-6
    assert np.array_equal(alone.state.positions[alone.hands.parked], whole.state.positions[alone.hands.parked])
    assert crossings(alone) == 0


def test_cloth_meets_what_is_parked_and_does_not_go_through_it():
    fitting = fitted(shot(pillar(), garment=curtain(spacing=0.03, before=0.05)))
    fitting.park("curtain", upper(fitting, 0.7))
    fitting.pull("curtain", *spot(fitting, (0, 0.35, 0.15)), 0.06)
    for step in range(50):  # its lower edge is folded up and back against what is parked
        fitting.draw(np.array([0.0, 0.35 + 0.012 * step, 0.15 + 0.25 * np.sin(np.pi * min(1, step / 40))]))
        fitting.step()
        assert crossings(fitting) == 0
    assert fitting._part[1] is not None
    assert fitting.state.positions[:, 1].argmin() >= 0


def test_states_go_in_and_out_without_a_change():
    fitting = parked_tube()
    pulled_beside(fitting, 6)
    part, state = fitting._part[1], fitting.state
    again = part.back_in(state, part.state(state))
    assert again.positions.tobytes() == state.positions.tobytes()
    assert np.array_equal(again.pushed, state.pushed)
    assert np.array_equal(again.taken.place, state.taken.place)
    inside = np.isin(np.arange(len(state.positions)), part.vertices)
    there = np.tile(inside, 3)
    assert np.array_equal(again.anchors.triangle[there], state.anchors.triangle[there])


@pytest.mark.parametrize("share", [0.1, 1.0])
def test_with_little_or_all_of_it_parked_the_whole_is_asked(share):
    fitting = parked_tube(share)
    fitting.step()
    assert fitting._part[1] is None


def test_every_hinge_of_a_part_is_the_whole_ones():
    fitting = parked_tube()
    fitting.step()
    (dressed,) = fitting._part[1].constants.dressed
    own, whole = dressed.cloth, fitting.cloth.outfit.cloths[0]
    known = {tuple(row): bend for row, bend in zip(whole.hinges.tolist(), whole.bend, strict=True)}
    vertices = fitting._part[1].vertices
    for row, bend in zip(vertices[own.hinges].tolist(), own.bend, strict=True):
        assert known[tuple(row)] == bend
    assert own.areas.sum() < whole.areas.sum()
    assert parking.RINGS == 2
