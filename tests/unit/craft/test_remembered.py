"""Maps drawn with what is remembered of earlier ones are the same, and cost only what is new."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.craft import drawing
from patient_needle.core.craft.chalk import Along, ChalkMap, Change, Fill, Stroke, With
from patient_needle.core.craft.drawing import drawn
from patient_needle.core.craft.ground import Ground
from patient_needle.core.craft.neighbours import Neighbours
from tests.sheets import halved_squares, polygons

POINTS, FACES = halved_squares(0.4, 0.4, 0.02)
MESH = polygons("sheet", POINTS, FACES.tolist())


def stroke(x: float) -> Stroke:
    return Stroke(np.array([[x, 0.2, 0, 0, 0, 1, 1.0]]), 0.08, strength=0.5)


@pytest.fixture
def done(monkeypatch):
    """How many steps were done."""
    seen = []
    stepped = drawing.stepped
    monkeypatch.setattr(drawing, "stepped", lambda *given: seen.append(1) or stepped(*given))
    return seen


def fresh(*steps, others=None):
    return drawn(ChalkMap("m", "bend", steps), Ground.of(MESH), others)


def test_only_the_new_steps_are_done(done):
    near = Neighbours.nobody()
    steps = [Along((0, 0, 0), (0.4, 0, 0)), stroke(0.1), stroke(0.2)]
    for count in (2, 3, 1):
        found = drawn(ChalkMap("m", "bend", tuple(steps[:count])), near.remembered.ground(MESH), None, near)
        assert len(done) == {2: 2, 3: 1, 1: 1}[count]
        done.clear()
        assert np.array_equal(found, fresh(*steps[:count]))
        done.clear()
    # Steps of the same content, as another revision has them, and taken back again.
    again = drawn(ChalkMap("b", "weight", (steps[0], stroke(0.1))), Ground.of(MESH), None, near)
    assert len(done) == 0
    assert np.array_equal(again, fresh(steps[0], stroke(0.1)))


def test_another_mesh_and_other_steps_are_others():
    near = Neighbours.nobody()
    moved = Ground.of(MESH.with_vertices(POINTS + [0.01, 0, 0]))
    for ground in (Ground.of(MESH), moved):
        found = drawn(ChalkMap("m", "bend", (stroke(0.1),)), ground, None, near)
        assert np.array_equal(found, drawn(ChalkMap("m", "bend", (stroke(0.1),)), ground))
    other = drawn(ChalkMap("m", "bend", (stroke(0.11),)), Ground.of(MESH), None, near)
    assert np.array_equal(other, fresh(stroke(0.11)))


def test_what_asks_another_map_is_asked_again():
    near, ground = Neighbours.nobody(), Ground.of(MESH)
    for value in (0.3, 0.6):
        others = {"other": ChalkMap("other", "bend", (Fill(value),))}
        chalk = ChalkMap("m", "bend", (Fill(1.0), With("other", "multiply"), Change("scale", 0.5)))
        assert drawn(chalk, ground, others, near) == pytest.approx(value / 2)
