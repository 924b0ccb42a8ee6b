"""Starts that are wrong come right over the run-in, or are refused by place: bounds of ours; twenty of them at
full size are in the benchmark.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.contact.intersections import self_crossing_pairs
from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.inspect.frame import inspected
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.craft.run.release import caught_by, find_crossings, rearmed
from patient_needle.core.geometry.closed import inside
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.errors import StartError
from patient_needle.core.model.holds import Choice, Follow, Hold
from patient_needle.core.model.shot import RunIn
from tests.sheets import polygons
from tests.tangled import SETTLED, wrong_start
from tests.violent import plan


@pytest.mark.parametrize("seed", [1, 4])
def test_a_tangled_start_is_clear_by_the_end_of_the_run_in(seed):
    """Sleeves through the skirt, its hem through itself, its waist in the torso: cloth is through no cloth from
    the first frame on, and at the end nothing is pierced or let go.
    """
    made = wrong_start(seed, vertices=1500)
    points, triangles = made.garments[0].mesh.vertices, triangulated(made.garments[0].mesh).triangles
    assert len(self_crossing_pairs(points, triangles)) > 20
    run = OutfitRun(made, made.runs[0])
    assert inside(run.colliders.rest_points(), run.colliders.enclosing, points).any()
    start = run.start()
    held = run.outfit.held
    assert np.array_equal(start.positions[held], points[held])
    frames = [result for (result,) in inspected(run, start, made.first_simulated, made.frames[1])]
    assert len(frames) == SETTLED
    assert {frame.crossing_itself for frame in frames} == {0}
    assert [(frame.crossing_colliders, frame.snags) for frame in frames[-4:]] == [(0, ())] * 4
    assert max(frame.stretch.p99 for frame in frames) < 0.05
    assert max(frame.fastest_vertex for frame in frames) < 3.0


def test_what_cannot_be_drawn_apart_is_refused_by_place_and_nothing_is_moved():
    """Held wherever it crosses, cloth cannot come out."""
    made = wrong_start(1, vertices=1500)
    (garment,) = made.garments
    faces = triangulated(garment.mesh).triangles
    stuck = np.unique(faces[self_crossing_pairs(garment.mesh.vertices, faces)[:, :, None].ravel()])[::2]
    nailed = Hold("nailed", Choice(vertices=tuple(stuck.tolist())), Follow("figure"))
    made = replace(made, garments=(replace(garment, holds=(*garment.holds, nailed)),))
    with pytest.raises(
        StartError, match=r"garment 'dress', at \(.*\) m: it starts through itself in \d+ places"
    ):
        OutfitRun(made, made.runs[0]).start()


def test_without_a_run_in_cloth_in_a_body_is_refused():
    """The dress 8 cm aside at the waist, through no cloth: nothing is untangled, so nothing eases it."""
    made = plan(1500, lambda _: {}, 0)
    (garment,) = made.garments
    points = garment.mesh.vertices.copy()
    points[:, 0] += 0.08 * np.clip(1 - np.abs(points[:, 1] - 1.15) / 0.15, 0, 1)
    aside = FromMesh(polygons("dress", points, triangulated(garment.mesh).triangles.tolist()))
    made = replace(made, garments=(replace(garment, source=aside),), run_in=RunIn(0, 0))
    with pytest.raises(StartError, match=r"\d+ vertices start inside a collider, up to .* mm deep.*run-in"):
        OutfitRun(made, made.runs[0]).start()


def test_a_sleeve_let_go_all_round_an_arm_comes_out_all_round_it():
    """Drawn up to 14 mm into the arm over 20 cm of it: no one way leads out of there."""
    made = plan(1500, lambda _: {}, 6)
    run = OutfitRun(made, made.runs[0])
    state = run.start()
    points, arm = state.positions.copy(), np.array([0.7, 1.4, 0.0])
    radius = np.hypot(*(points - arm)[:, 1:].T)
    share = np.clip(1 - np.abs(points[:, 0] - arm[0]) / 0.10, 0, 1) * (points[:, 1] > 1.3)
    share *= share * (3 - 2 * share)
    points[:, 1:] += (share * (0.030 / radius - 1))[:, None] * (points - arm)[:, 1:]
    points[:, 2] += 0.002 * share
    around = run.colliders.rest_points()
    caught = caught_by(run.outfit, points, run.colliders, around)
    crossings = find_crossings(run.outfit, points, run.colliders, around)
    released, eased = rearmed(run.outfit, points, run.colliders, around, crossings, caught)
    assert eased.sum() > 40
    state = state.replace(positions=points, released=released, eased=eased)
    *_, (last,) = inspected(run, state, 0, 6)
    assert (last.crossing_colliders, last.snags) == (0, ())
    sides = np.sign((last.positions - arm)[share > 0.5][:, 1:])
    assert len(np.unique(sides, axis=0)) == 4
