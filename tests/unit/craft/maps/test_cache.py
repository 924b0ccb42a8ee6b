"""Maps drawn with what is cache of earlier ones are the same, and cost only what is new."""

from __future__ import annotations

import numpy as np
import pytest

from patient_needle.core.craft.garments.surface import GarmentSurface
from patient_needle.core.craft.maps import drawing
from patient_needle.core.craft.maps.drawing import drawn
from patient_needle.core.craft.maps.inputs import MapInputs
from patient_needle.core.model.maps import Along, ChalkMap, Change, Fill, Stroke, With
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
    return drawn(ChalkMap("m", "bend", steps), GarmentSurface.of(MESH), others)


def test_only_the_new_steps_are_done(done):
    near = MapInputs.none()
    steps = [Along((0, 0, 0), (0.4, 0, 0)), stroke(0.1), stroke(0.2)]
    for count in (2, 3, 1):
        found = drawn(ChalkMap("m", "bend", tuple(steps[:count])), near.cache.surface(MESH), None, near)
        assert len(done) == {2: 2, 3: 1, 1: 1}[count]
        done.clear()
        assert np.array_equal(found, fresh(*steps[:count]))
        done.clear()
    # Steps of the same content, as another revision has them, and taken back again.
    again = drawn(ChalkMap("b", "weight", (steps[0], stroke(0.1))), GarmentSurface.of(MESH), None, near)
    assert len(done) == 0
    assert np.array_equal(again, fresh(steps[0], stroke(0.1)))


def test_another_mesh_and_other_steps_are_others():
    near = MapInputs.none()
    moved = GarmentSurface.of(MESH.with_vertices(POINTS + [0.01, 0, 0]))
    for surface in (GarmentSurface.of(MESH), moved):
        found = drawn(ChalkMap("m", "bend", (stroke(0.1),)), surface, None, near)
        assert np.array_equal(found, drawn(ChalkMap("m", "bend", (stroke(0.1),)), surface))
    other = drawn(ChalkMap("m", "bend", (stroke(0.11),)), GarmentSurface.of(MESH), None, near)
    assert np.array_equal(other, fresh(stroke(0.11)))


def test_what_asks_another_map_is_asked_again():
    near, surface = MapInputs.none(), GarmentSurface.of(MESH)
    for value in (0.3, 0.6):
        others = {"other": ChalkMap("other", "bend", (Fill(value),))}
        chalk = ChalkMap("m", "bend", (Fill(1.0), With("other", "multiply"), Change("scale", 0.5)))
        assert drawn(chalk, surface, others, near) == pytest.approx(value / 2)
