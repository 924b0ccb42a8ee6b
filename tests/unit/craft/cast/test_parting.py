"""Parts of a body that close on cloth are drawn in, by the pose alone, and cloth between them is not caught."""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from itertools import pairwise

import numpy as np
import pytest
import trimesh

from patient_needle.core.contact.intersections import crossing_pairs
from patient_needle.core.craft.cast.colliders import merged_colliders
from patient_needle.core.craft.cast.parting import Parting
from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.inspect.frame import Inspection
from patient_needle.core.craft.inspect.snags import PINCHED
from patient_needle.core.craft.mend.faults import Inspector
from patient_needle.core.craft.mend.footage import Footage
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.motion import CachedMotion, Still
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.geometry.tree import build_tree, closest_points
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.shot import CastMember, ColliderSettings, Garment, RunIn
from patient_needle.core.model.tolerances import PARTING_SLIM
from tests.sheets import polygons, sheet
from tests.unit.craft.test_craft import plan

RADIUS, APART, NEED = 0.08, 0.40, 0.012  # m; apart: the balls' centres where the run begins
BALL = trimesh.creation.icosphere(subdivisions=4, radius=RADIUS)
COUNT = len(BALL.vertices)


def at_gap(gap: float) -> np.ndarray:
    """Two balls along x with so many m between them, the first where it always is."""
    way = [2 * RADIUS + gap, 0, 0]
    return np.concatenate([BALL.vertices, BALL.vertices + way])


def fists(motion=None) -> CastMember:
    """A character of two balls, each a part of its own."""
    points = at_gap(APART - 2 * RADIUS)
    triangles = np.concatenate([BALL.faces, BALL.faces + COUNT])
    mesh = polygons("fists", points, triangles.tolist())
    part = np.repeat([0, 1], len(BALL.faces)).astype(np.int32)
    return CastMember(
        "fists", "character", mesh, triangulated(mesh), motion or Still(points), part, ("left", "right"),
        np.array([50, 60], np.int32), np.ones(len(triangles), bool),
        ColliderSettings(Curve.constant(0.002), Curve.constant(0.3)),
    )  # fmt: skip


COLLIDERS = merged_colliders(plan(cast=(fists(),)))
PARTING = Parting(COLLIDERS, NEED)


def between(points: np.ndarray) -> float:
    """How far the first ball's surface is from the second's, m; -1 where they go through each other."""
    second = COLLIDERS.triangles[COLLIDERS.part == 1]
    if len(crossing_pairs(points[:COUNT], BALL.faces.astype(np.int32), points, second)):
        return -1.0
    return float(closest_points(build_tree(points, second), points, points[:COUNT])[2].min())


@pytest.mark.parametrize("gap", [0.008, 0.0, -0.02])
def test_two_parts_are_drawn_in_alike_until_there_is_room(gap):
    room = PARTING.room(at_gap(gap))
    assert between(at_gap(gap) + room) == pytest.approx(NEED, abs=0.1 * NEED)
    left, right = np.linalg.norm(room[:COUNT], axis=1), np.linalg.norm(room[COUNT:], axis=1)
    assert left.max() == pytest.approx(right.max(), rel=0.05)
    far = at_gap(gap)[:COUNT, 0] < 0  # the half that looks away
    assert left[far].max() < 0.1 * left.max()


def test_parts_that_leave_room_and_a_pose_as_at_the_start_are_left_alone():
    assert PARTING.room(at_gap(1.1 * NEED)) is None
    assert PARTING.room(COLLIDERS.rest_points()) is None


def test_what_touches_where_the_run_begins_is_how_it_is_made():
    points = at_gap(0.004)
    made = replace(fists(Still(points)), mesh=fists().mesh.with_vertices(points))
    colliders = merged_colliders(plan(cast=(made,)))
    room = Parting(colliders, NEED).room(at_gap(0.0))
    nearest = np.argmax(points[:COUNT, 0])
    assert room is None or np.linalg.norm(room[nearest]) < 1e-3


def test_room_comes_with_the_pose_and_by_no_jump():
    gaps = np.arange(0.014, -0.0101, -0.001)
    rooms = [PARTING.room(at_gap(gap)) for gap in gaps]
    rooms = [np.zeros((2 * COUNT, 3)) if room is None else room for room in rooms]
    steps = [np.linalg.norm(b - a, axis=1).max() for a, b in pairwise(rooms)]
    assert max(steps) < 0.002  # the balls went 1 mm
    np.testing.assert_array_equal(PARTING.room(at_gap(gaps[-1])), rooms[-1])


def test_a_part_is_never_drawn_in_through_itself():
    room = PARTING.room(at_gap(-0.055))
    assert 0.02 < np.linalg.norm(room, axis=1).max() <= PARTING_SLIM * RADIUS + 1e-9


@cache
def closing() -> tuple[OutfitRun, list]:
    """A cloth without weight between the balls, which sink 10 mm into each other, stay and open again."""
    points, triangles = sheet(0.12, 0.12, 0.012)
    cloth = polygons("patch", points[:, [2, 1, 0]] + [RADIUS + 0.02, -0.06, -0.06], triangles.tolist())
    garment = Garment("patch", FromMesh(cloth), Fabric("cotton", friction=0.3), ())
    gaps = np.interp(np.arange(1001, 1023), (1001, 1007, 1015, 1020), (0.04, -0.010, -0.010, 0.06))
    frames = np.stack([at_gap(gap) for gap in gaps])
    made = plan(
        cast=(fists(CachedMotion(at_gap(0.24), frames, 1001)),), garments=(garment,), run_in=RunIn(0, 0),
        frames=(1001, 1022), air_drag=0.0, gravity=np.zeros(3),
    )  # fmt: skip
    run = OutfitRun(made, made.runs[0])
    return run, list(run.frames(run.start(), 1001, 1022))


def test_cloth_between_closing_parts_is_not_caught_and_the_place_is_listed():
    run, ends = closing()
    assert not any(end.state.released.any() for end in ends)
    assert [len(end.crossings.colliders) for end in ends] == [0] * len(ends)
    inspection = Inspection(run)
    seen = {end.frame: {snag.kind for snag in inspection.of(end)[0].snags} for end in ends}
    assert {"in the body", "pinched"} <= seen[1012], "one sees the body as it is posed"
    assert seen[1021] == set()


def test_mend_lists_such_a_place_as_pinched_and_nothing_else():
    run, ends = closing()
    footage = Footage(run, np.stack([end.state.positions for end in ends]).astype(np.float32), 1002, 1002)
    marks = Inspector(footage).marks(footage, 1012)
    assert {mark.kind for mark in marks} == {PINCHED}
    assert sum(mark.pairs for mark in marks) > 0
    assert not Inspector(footage).marks(footage, 1021)
