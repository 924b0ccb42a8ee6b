"""The cast: judgements, understudies, cuts, shapes, things that are carried."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.contact.intersections import self_crossing_pairs
from patient_needle.core.craft.cast.run_in import StagedMotion
from patient_needle.core.craft.cast.self_cuts import find_self_cuts
from patient_needle.core.craft.cast.understudies import UnderstudySettings, read_understudy, understudy_of
from patient_needle.core.craft.inspect.checks import check_member
from patient_needle.core.craft.inspect.offers import ReadAs, judge
from patient_needle.core.craft.inspect.reading import suggested_move, volume_lost
from patient_needle.core.geometry.closed import insider, soundness, turned_outwards
from patient_needle.core.geometry.motion import CachedMotion, Still
from patient_needle.core.geometry.placing import (
    Blend,
    Placing,
    RetimedMotion,
    ShapedMotion,
    drawn_in,
    placement,
)
from patient_needle.core.geometry.solids import fit
from patient_needle.core.geometry.topology import is_closed, triangulated
from patient_needle.core.geometry.triangles import triangle_areas
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.errors import CastError, ShotError
from patient_needle.core.model.mesh import Mesh
from patient_needle.core.model.shot import CastMember, RunIn
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import CastRecord, parse_shot
from patient_needle.formats.shot_file.members import assemble_cast, assemble_member

FOLDER = Path(__file__).parents[4] / "demo" / "lamplighter"
SHOT = (1001, 1120)


def cast(name="lamplighter.glb", kind="character", **fields):
    record = CastRecord(name="it", kind=kind, starts_at=1001, file=name, **fields)
    return assemble_member(record, FOLDER, 24.0, SHOT)


@pytest.fixture(scope="module")
def body() -> CastMember:
    return cast().member


def ball(radius: float, rounds: int = 3):
    import trimesh

    made = trimesh.creation.icosphere(rounds, radius)
    return np.asarray(made.vertices), np.asarray(made.faces, np.int32)


def plain_member(points, triangles, motion) -> CastMember:
    mesh = Mesh("it", points, np.full(len(triangles), 3, np.int32), triangles.ravel().astype(np.int32))
    count = len(triangles)
    return CastMember(
        "it", "character", mesh, triangulated(mesh), motion, np.zeros(count, np.int32), ("whole",),
        np.array([0], np.int32), np.ones(count, bool), None,
    )  # fmt: skip


class TestUnderstudies:
    def test_a_reduced_mesh_keeps_its_bars(self, body):
        """4,000 triangles within 6 mm at worst and 1.5 mm on average over the demo (our bar)."""
        made = understudy_of(body, UnderstudySettings("reduced"), SHOT)
        read = read_understudy(body, made, SHOT, every=8)
        assert read.triangles == 4000
        assert read.closed
        assert read.worst < 0.006
        assert read.mean < 0.0015
        assert len(self_crossing_pairs(made.motion.rest(), made.cut.triangles)) == 0

    def test_parts_kept_in_full_are_not_counted(self, body):
        made = understudy_of(body, UnderstudySettings("reduced", 2000, ("handL", "fingersL")), SHOT)
        hand = np.isin(body.part, [body.part_names.index(n) for n in ("handL", "fingersL")]).sum()
        assert len(made.cut.triangles) == pytest.approx(2000 + hand, abs=2)
        with pytest.raises(CastError, match="keeps 'tail' in full"):
            understudy_of(body, UnderstudySettings("reduced", 2000, ("tail",)), SHOT)

    def test_it_takes_over_parts_and_what_is_left_out(self):
        whole = cast(collider={"leave_out": ["head", "neck"], "understudy": {"shape": "reduced"}})
        made = whole.understudy
        assert made.part_names == whole.member.part_names
        head = made.part == made.part_names.index("head")
        assert head.any()
        assert not made.chosen[head].any()
        told, collides = whole.cast
        assert told.collider is None
        assert collides.collider is not None

    @pytest.mark.parametrize("shape", ["capsule", "box", "cylinder", "sphere", "hull"])
    def test_solids_are_closed_and_ride_on_their_parts(self, body, shape):
        made = understudy_of(body, UnderstudySettings(shape), SHOT)
        assert is_closed(made.cut.triangles)
        assert triangle_areas(made.motion.rest(), made.cut.triangles).min() > 0
        forearm = made.part == made.part_names.index("forearmL")
        full = body.part == body.part_names.index("forearmL")
        for frame in (1001, 1070):
            middle = made.motion.at(frame)[made.cut.triangles[forearm]].mean(axis=(0, 1))
            told = body.motion.at(frame)[body.cut.triangles[full]].mean(axis=(0, 1))
            # A ball on a forearm is the poorest of them, and says so in its deviation.
            assert np.linalg.norm(middle - told) < (0.1 if shape == "sphere" else 0.05)

    def test_a_refined_mesh_lies_on_the_coarse_one(self):
        block = cast("mooring_block.obj", "set piece").member
        made = understudy_of(block, UnderstudySettings("refined", spacing=0.03), SHOT)
        read = read_understudy(block, made, SHOT)
        assert read.closed
        assert read.worst < 1e-9
        edges = made.motion.rest()[made.cut.triangles]
        assert np.linalg.norm(edges - np.roll(edges, 1, axis=1), axis=2).max() <= 0.05

    @pytest.mark.parametrize("shape", ["sphere", "capsule", "box", "cylinder"])
    def test_a_fit_finds_the_solid_that_the_points_are_from(self, shape):
        """Analytic: points of a solid give that solid back, wherever it stands."""
        import trimesh

        solids = {
            "sphere": trimesh.creation.icosphere(4, 0.2),
            "box": trimesh.creation.box((0.3, 0.2, 0.1)).subdivide().subdivide().subdivide(),
            "capsule": trimesh.creation.capsule(0.3, 0.05, [24, 24]),
            "cylinder": trimesh.creation.cylinder(0.06, 0.4, 48).subdivide().subdivide(),
        }  # fmt: skip
        solid = solids[shape].copy()
        solid.apply_transform(trimesh.transformations.euler_matrix(0.3, 0.5, 0.2))
        points, triangles = fit(shape, np.asarray(solid.vertices) + [1, 2, 3], 0.01)
        made = trimesh.Trimesh(points, triangles, process=False)
        assert made.volume == pytest.approx(solid.volume, rel=0.06)
        assert_allclose(made.center_mass, solid.center_mass + [1, 2, 3], atol=5e-3)

    def test_points_on_a_plane_have_no_solid(self):
        flat = np.random.default_rng(1).normal(size=(40, 3)) * [1, 1, 0]
        with pytest.raises(ValueError, match="no volume"):
            fit("box", flat, 0.1)


class TestSelfCuts:
    def test_two_balls_that_meet_are_told_with_their_depth(self):
        """Analytic: balls of 0.2 m, 0.3 m apart, overlap by 0.1 m."""
        points, triangles = ball(0.2, 4)
        both = np.concatenate([points, points + [0.6, 0, 0]])
        faces = np.concatenate([triangles, triangles + len(points)])
        frames = np.stack([both, both - np.concatenate([0 * points, 0 * points + [0.3, 0, 0]])])
        member = plain_member(both, faces, CachedMotion(both, frames.astype(np.float32), 1001))
        found = find_self_cuts(member, RunIn(0, 0), (1001, 1002))
        (cut,) = found.cuts
        assert (cut.frame, found.searched) == (1002, 2)
        assert cut.depth == pytest.approx(0.1, abs=0.005)
        assert abs(cut.place[0] - 0.15) < 0.06
        assert set(found.marked[:, 0]) == {1002}

    def test_what_crosses_as_made_is_how_it_is_made(self):
        points, triangles = ball(0.2)
        both = np.concatenate([points, points + [0.3, 0, 0]])
        faces = np.concatenate([triangles, triangles + len(points)])
        assert find_self_cuts(plain_member(both, faces, Still(both)), RunIn(0, 0), (1, 3)).cuts == ()

    def test_inside_and_outside_agree_with_distance_to_the_middle(self):
        points, triangles = ball(1.0, 4)
        places = np.random.default_rng(2).uniform(-1.5, 1.5, (500, 3))
        out = np.linalg.norm(places, axis=1)
        clear = np.abs(out - 1) > 0.02
        assert (insider(points, triangles)(places)[clear] == (out < 1)[clear]).all()


class TestShapes:
    def test_a_ball_drawn_in_is_a_smaller_ball(self):
        points, triangles = ball(0.5)
        offsets = drawn_in(points, triangles, np.ones(len(points)), 0.1)
        assert_allclose(np.linalg.norm(points + offsets, axis=1), 0.4, atol=2e-3)

    def test_it_grows_into_the_run_in_and_is_itself_in_the_shot(self, body):
        keys = {"frames": [961, 991], "values": [1, 0]}
        made = cast(shapes=[{"name": "slim", "drawn_in_mm": 15, "amount": keys}]).member
        staged = StagedMotion(made.motion, RunIn(10, 30), 1001)
        plain = StagedMotion(body.motion, RunIn(10, 30), 1001)
        assert_allclose(staged.at(1001), plain.at(1001), atol=0)
        inwards = np.linalg.norm(staged.start() - body.motion.rest(), axis=1)
        assert_allclose(inwards, 0.015, rtol=1e-6)
        halfway = np.linalg.norm(staged.at(976) - plain.at(976), axis=1)
        assert 0.002 < halfway.mean() < 0.012

    def test_a_cache_takes_on_a_shape_where_its_surface_goes(self):
        points, triangles = ball(0.5)
        frames = np.stack([points, points @ placement(1, "y", 1, 90, (2, 0, 0))[:3, :3].T + [2, 0, 0]])
        blend = Blend(drawn_in(points, triangles, np.ones(len(points)), 0.1), Curve.constant(1.0))
        motion = ShapedMotion(CachedMotion(points, frames, 1001), triangles, (blend,))
        assert_allclose(np.linalg.norm(motion.at(1002) - [2, 0, 0], axis=1), 0.4, atol=5e-3)

    @pytest.mark.parametrize(
        ("shape", "says"),
        [
            ({"name": "a"}, "exactly one of"),
            ({"name": "a", "shape": "smile"}, "no shape 'smile'.*It holds: none"),
            ({"name": "a", "drawn_in_mm": 5, "amount": 2}, "leaves 0 to 1"),
            ({"name": "a", "drawn_in_mm": 5, "parts": ["tail"]}, "names part 'tail'"),
            ({"name": "a", "file": "apron_skirt.obj"}, "4159 vertices, the member 5165"),
        ],
    )
    def test_shapes_that_cannot_be_are_named(self, shape, says):
        with pytest.raises((ShotError, CastError), match=rf"(?s)'it', shape 'a'.*{says}|{says}"):
            cast(shapes=[shape])


class TestPlacing:
    def test_unit_axis_scale_turn_and_move_in_that_order(self):
        whole = placement(0.01, "z", 2.0, 90.0, (1.0, 0.0, 0.0))
        assert_allclose(whole @ [0, 0, 100, 1], [1, 2, 0, 1], atol=1e-12)  # up in the file is up
        assert_allclose(whole @ [0, -100, 0, 1], [3, 0, 0, 1], atol=1e-12)  # front turns to the left

    def test_retimed_frames_that_both_have_are_taken_as_they_are(self):
        frames = np.arange(11.0)[:, None, None] ** 2 * np.ones((1, 1, 3))
        motion = RetimedMotion(CachedMotion(frames[0], frames, 0), 1001, 30 / 24)
        assert motion.span() == (1001, 1009)
        assert motion.at(1005)[0, 0] == 25.0
        assert motion.at(1002)[0, 0] == pytest.approx(1.25**2)  # a cubic keeps a parabola

    def test_a_prop_rides_on_its_joint(self):
        data = {
            "format": "patient-needle-shot", "version": 1, "name": "t", "frames": [1001, 1120],
            "fabrics": [], "garments": [],
            "cast": [
                {
                    "name": "lamp", "kind": "prop", "file": "bollard.obj",
                    "parent": {"member": "man", "joint": "handL"},
                },
                {"name": "man", "kind": "character", "file": "lamplighter.glb", "starts_at": 1001},
            ],
        }  # fmt: skip
        lamp, man = assemble(parse_shot(data, "t"), FOLDER).cast
        hand = man.part == man.part_names.index("handL")
        before = man.motion.rest()[man.cut.triangles[hand]].mean(axis=(0, 1))
        rest = lamp.motion.rest()
        for frame in (1001, 1060, 1100):
            now = lamp.motion.at(frame)
            assert_allclose(
                np.linalg.norm(now - now[0], axis=1), np.linalg.norm(rest - rest[0], axis=1), atol=1e-9
            )
            hand_now = man.motion.at(frame)[man.cut.triangles[hand]].mean(axis=(0, 1))
            away = np.linalg.norm(now.mean(axis=0) - hand_now)
            assert away == pytest.approx(np.linalg.norm(rest.mean(axis=0) - before), abs=0.02)
        data["cast"][0]["parent"]["joint"] = "tail"
        with pytest.raises(ShotError, match="'man' has no joint 'tail'"):
            assemble(parse_shot(data, "t"), FOLDER)

    def test_groups_of_a_mesh_are_parts_that_can_be_left_out(self):
        whole = cast("bollard.obj", "set piece").member
        first = whole.part_names[1]
        part = cast("bollard.obj", "set piece", collider={"leave_out": [first]}).member
        assert whole.chosen.all()
        assert (part.chosen == (part.part != 1)).all()
        assert not part.chosen.all()

    def test_single_faces_can_be_left_out_too(self):
        member = cast("bollard.obj", "set piece", collider={"leave_out_faces": [0, 7]}).member
        assert (member.chosen == ~np.isin(member.cut.source_face, [0, 7])).all()
        assert (~member.chosen).sum() > 2  # a quad is two triangles
        with pytest.raises(ShotError, match="names face 999 of 160"):
            cast("bollard.obj", "set piece", collider={"leave_out_faces": [999]})


class TestRunIn:
    def test_a_body_with_far_to_go_gets_more_frames(self, body):
        man = {"name": "man", "kind": "character", "file": "lamplighter.glb", "starts_at": 1001}
        data = {"format": "patient-needle-shot", "version": 1, "name": "t", "frames": [1001, 1120]}
        plan = assemble(parse_shot({**data, "fabrics": [], "garments": [], "cast": [man]}, "t"), FOLDER)
        way = np.linalg.norm(body.motion.at(1001) - body.motion.rest(), axis=1).max()
        wanted = suggested_move(plan)
        assert wanted == int(np.clip(np.ceil(1.875 * way / 1.5 * 24), 20, 120))

    def test_points_that_go_straight_lose_volume_and_joints_do_not(self, body):
        points, triangles = ball(0.5)
        turned = points @ placement(1, "y", 1, 120, (0, 0, 0))[:3, :3].T
        member = plain_member(points, triangles, CachedMotion(points, turned[None].astype(np.float32), 1001))
        # Half way through a turn of 120 degrees two of three sides have shrunk to cos 60.
        assert volume_lost(member, 1001) == pytest.approx(1 - np.cos(np.radians(60)) ** 2, abs=1e-3)
        assert abs(volume_lost(body, 1001)) < 0.02


def test_members_that_are_still_the_same_are_not_made_again():
    man = CastRecord(name="man", kind="character", starts_at=1001, file="lamplighter.glb")
    lamp = CastRecord(name="lamp", kind="prop", file="bollard.obj", parent={"member": "man", "joint": "handL"})
    kept: dict = {}

    def made(*records):
        return [member for _, member in assemble_cast(records, FOLDER, 24.0, SHOT, kept)]

    first = made(man, lamp)
    assert made(man, lamp) == first  # the same objects: members have no equality of their own
    thicker = man.model_copy(update={"collider": man.collider.model_copy(update={"thickness_mm": 3.0})})
    changed = made(thicker, lamp)
    assert changed[0] is not first[0]
    assert changed[1] is not first[1], "what carries it is another"
    assert first[0].self_cuts(RunIn(0, 0)) is first[0].self_cuts(RunIn(0, 0))


class TestSurfaces:
    def test_a_ball_turned_inside_out_in_part_or_whole_is_named_and_mended(self):
        points, triangles = ball(1.0)
        mesh = Mesh("ball", points, np.full(len(triangles), 3, np.int32), triangles.ravel())
        assert not soundness(points, triangles).turned
        assert soundness(points, triangles[:, ::-1]).inside_out
        mixed = triangles.copy()
        mixed[::3] = mixed[::3, ::-1]
        assert soundness(points, mixed).opposed is not None
        for wrong in (triangles[:, ::-1], mixed):
            cut = triangulated(replace(mesh, face_corners=np.ascontiguousarray(wrong).ravel()))
            made = turned_outwards(points, cut)
            assert not soundness(points, made.triangles).turned
            assert (np.sort(made.triangles, axis=1) == np.sort(wrong, axis=1)).all()
            assert (made.triangles == cut.triangles.ravel()[made.corners]).all()

    def test_an_edge_of_three_faces_is_named(self):
        points = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0), (0, 0, 1), (0, -1, 0)], float)
        found = soundness(points, np.array([(0, 1, 2), (1, 0, 3), (0, 1, 4)], np.int32))
        assert (found.crowded, found.crowded_count) == ((0, 1), 1)

    def test_a_collider_without_an_outside_is_refused_and_the_offer_mends_it(self, tmp_path):
        text = (FOLDER / "bollard.obj").read_text().splitlines()
        turned = [" ".join(["f", *line.split()[:0:-1]]) if line.startswith("f ") else line for line in text]
        (tmp_path / "post.obj").write_text("\n".join(turned) + "\n")
        record = CastRecord(name="post", kind="set piece", file="post.obj")
        made = assemble_member(record, tmp_path, 24.0, SHOT).member
        plan = assemble(parse_shot({
            "format": "patient-needle-shot", "version": 1, "name": "t", "frames": [1, 2], "fabrics": [],
            "garments": [], "cast": [],
        }, "t"), tmp_path)  # fmt: skip
        with pytest.raises(CastError, match=r"'post'.*look inwards.*Turn its faces outwards"):
            check_member(plan, made)
        read = ReadAs(Placing("m", "y"), 24.0, SHOT, "real time")
        (offer,) = judge(made.motion.rest(), read, human=False, fastest=0.0, turned=True).offers
        mended = record.model_copy(update=offer.member)
        check_member(plan, assemble_member(mended, tmp_path, 24.0, SHOT).member)
