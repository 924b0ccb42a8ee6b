"""Starts that are wrong come right over the run-in, or are refused by place: bounds of ours; twenty of them at
full size are in the benchmark.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.contact.intersections import inside, self_crossing_pairs
from patient_needle.core.craft.holds import Choice, Follow, Hold
from patient_needle.core.craft.plan import RunIn
from patient_needle.core.craft.simulate import OutfitRun
from patient_needle.core.geometry.triangulate import triangulated
from patient_needle.core.model.errors import StartError
from tests.tangled import SETTLED, wrong_start


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
    frames = [result for (result,) in run.frames(start, made.first_simulated, made.frames[1])]
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
        OutfitRun(made, made.runs[0])


def test_without_a_run_in_cloth_in_a_body_is_refused():
    made = replace(wrong_start(4, vertices=1500), run_in=RunIn(0, 0))
    with pytest.raises(StartError, match=r"\d+ vertices start inside a collider, up to .* mm deep.*run-in"):
        OutfitRun(made, made.runs[0])
