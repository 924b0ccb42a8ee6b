"""The demo's files are what their descriptions say."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest

from patient_needle.core.contact.intersections import crossing_pairs, self_crossing_pairs
from patient_needle.core.craft.cast.colliders import merged_colliders
from patient_needle.core.craft.holds.seams import seams_of
from patient_needle.core.craft.inspect.hold_report import read_holds
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.closed import inside, soundness
from patient_needle.core.geometry.motion import SkinnedMotion
from patient_needle.core.geometry.topology import border_loops, build_topology, is_closed, triangulated
from patient_needle.core.geometry.tree import build_tree, closest_points
from patient_needle.core.geometry.triangles import triangle_areas
from patient_needle.core.model.holds import Elastic, Follow, Handle, Stick, Stitch
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.glb import read_figure
from patient_needle.formats.obj import read_obj
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file

DEMO = Path(__file__).parents[3] / "demo"


@pytest.fixture(scope="module")
def figure():
    read = read_figure(DEMO / "lamplighter" / "lamplighter.glb", FigureAsk(rate=24))
    motion = SkinnedMotion(read.mesh.vertices, read.joints.skin, read.joints.skeleton, read.joints.poses, 1001)
    return motion, read.mesh.face_corners.reshape(-1, 3)


@pytest.fixture(scope="module")
def skirt():
    (mesh,) = read_obj(DEMO / "lamplighter" / "apron_skirt.obj")
    return mesh, triangulated(mesh)


def test_the_figure_is_one_closed_symmetric_surface(figure):
    motion, triangles = figure
    points = motion.rest()
    topology = build_topology(triangles, len(points))
    assert is_closed(triangles)
    assert len(points) - len(topology.edges) + len(triangles) == 2
    assert 9_000 < len(triangles) < 12_000
    assert np.ptp(points[:, 1]) == pytest.approx(1.72, abs=0.01)
    assert points[:, 0].min() == pytest.approx(-points[:, 0].max(), abs=1e-4)
    assert len(self_crossing_pairs(points, triangles)) == 0
    volume = (
        np.einsum("ij,ij->", points[triangles[:, 0]], np.cross(*points[triangles[:, 1:]].swapaxes(0, 1))) / 6
    )
    assert 0.05 < volume < 0.08  # m3, outwards


def test_the_figure_moves_like_a_person(figure):
    """No step of it is faster than a sprinter's limb, and no pose loses more than a twentieth of its volume."""
    motion, triangles = figure
    frames = [motion.at(f) for f in range(1001, 1121)]
    speed = max(np.linalg.norm(b - a, axis=1).max() for a, b in pairwise(frames)) * 24
    assert 3.0 < speed < 8.0

    def volume(points):
        return np.einsum("ij,ij->", points[triangles[:, 0]], np.cross(*points[triangles[:, 1:]].swapaxes(0, 1)))

    shares = [volume(p) / volume(motion.rest()) for p in frames[::6]]
    assert 0.95 < min(shares) <= max(shares) < 1.05


def test_the_kneel_is_a_hard_case(figure):
    """The body cuts into itself when it kneels: the demo must show that."""
    motion, triangles = figure
    assert len(self_crossing_pairs(motion.at(1118), triangles)) > 20


def test_the_skirt_is_unstructured_with_a_few_quads_and_two_borders(skirt):
    mesh, cut = skirt
    assert mesh.vertex_count > 3000
    assert 5 < (mesh.face_sizes == 4).sum() < 500
    topology = build_topology(cut.triangles, mesh.vertex_count)
    assert len(border_loops(topology)) == 2
    valence = np.bincount(topology.edges.ravel())
    assert (valence == 6).mean() < 0.8  # a tube of rings has six everywhere
    assert set(mesh.groups) >= {"waistband", "upper_tier", "lower_tier"}
    areas = triangle_areas(mesh.vertices, cut.triangles)
    assert areas.min() > 0.1 * areas.mean()


def test_the_skirt_stands_four_millimetres_off_the_waist_and_touches_nothing(figure, skirt):
    motion, triangles = figure
    mesh, cut = skirt
    body = motion.rest()
    _, _, distance = closest_points(build_tree(body, triangles), body, mesh.vertices)
    waist = mesh.vertices[:, 1] > mesh.vertices[:, 1].max() - 1e-6
    assert distance.min() > 0.0035
    assert np.median(distance[waist]) == pytest.approx(0.004, abs=0.0015)
    assert len(crossing_pairs(mesh.vertices, cut.triangles, body, triangles)) == 0
    assert not inside(body, triangles, mesh.vertices).any()


@pytest.mark.parametrize("name", ["quay_floor", "mooring_block", "bollard"])
def test_set_pieces_are_closed(name):
    (mesh,) = read_obj(DEMO / "lamplighter" / f"{name}.obj")
    assert is_closed(triangulated(mesh).triangles)


def test_the_flag_has_a_pattern():
    (mesh,) = read_obj(DEMO / "flag" / "signal_flag.obj")
    flat = mesh.uvs[mesh.uv_corners].reshape(-1, 3, 2)
    solid = mesh.vertices[mesh.face_corners].reshape(-1, 3, 3)
    lengths = lambda c: np.linalg.norm(c - np.roll(c, -1, axis=1), axis=2)  # noqa: E731
    assert lengths(flat) == pytest.approx(lengths(solid), rel=1e-3)


@pytest.mark.parametrize("shot", ["flag/shot.json", "lamplighter/layers.json", "lamplighter/gust.json"])
def test_everything_that_keeps_cloth_off_has_an_outside(shot):
    plan = assemble(read_shot_file(DEMO / shot), (DEMO / shot).parent)
    for member in plan.cast:
        found = soundness(member.motion.rest(), member.cut.triangles)
        assert (found.crowded, found.opposed, found.inside_out) == (None, None, False), member.name


def test_the_shot_with_lanterns_has_every_kind_of_hold_but_a_tether():
    path = DEMO / "lamplighter" / "fastened.json"
    plan = assemble(read_shot_file(path), path.parent)
    run = OutfitRun(plan, plan.runs[0])
    kinds = {type(hold.how) for garment in plan.garments for hold in garment.holds}
    assert kinds == {Follow, Stick, Stitch, Handle, Elastic}
    seams = seams_of(run.dressed, run.outfit.spans, [one.start(plan.first_simulated) for one in run.dressed])
    for dressed in run.dressed:
        for read in read_holds(dressed, seams, plan.frame_rate, plan.first_simulated):
            assert read.holding == read.vertices, read
            assert read.pops == (), read


def test_no_hand_goes_through_the_trunk():
    """Cloth between them would have no place to be; while she turns in the gust and ducks, every frame."""
    path = DEMO / "lamplighter" / "shot.json"
    colliders = merged_colliders(assemble(read_shot_file(path), path.parent))
    names = [name.removeprefix("lamplighter: ") for name in colliders.part_names]
    of = {name: names.index(name) for name in names}
    hands = [of[f"{part}{side}"] for part in ("hand", "fingers", "forearm") for side in "LR"]
    trunk = [of[part] for part in ("pelvis", "spine1", "spine2", "chest", "clavL", "clavR")]
    arms, body = (colliders.triangles[np.isin(colliders.part, some)] for some in (hands, trunk))
    for frame in (*range(1001, 1060, 6), *range(1060, 1082), *range(1082, 1121, 6)):
        points = colliders.points_at(float(frame))
        assert len(crossing_pairs(points, arms, points, body)) == 0, frame
