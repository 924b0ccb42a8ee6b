"""Choosing what is held, what is said of holds before a run, and the shake test."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.craft.garments.choosing import Outline, chosen, grown_by, within_outline
from patient_needle.core.craft.holds.dressing import dress
from patient_needle.core.craft.holds.seams import seams_of
from patient_needle.core.craft.inspect.hold_report import marks_of, read_holds
from patient_needle.core.craft.inspect.pops import gap_pops, pops, wind_pops
from patient_needle.core.craft.inspect.shake import Shaken, ShakenMotion, shaking, swing_under
from patient_needle.core.geometry.motion import SkinnedMotion
from patient_needle.core.geometry.placing import PlacedMotion
from patient_needle.core.geometry.skinning import Pose, Skeleton, Skin
from patient_needle.core.geometry.topology import build_topology
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.errors import ShotError
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.holds import GRAVITY, SAG, Choice, Elastic, Follow, Hold, Stick, Stitch
from patient_needle.core.model.shot import ColliderSettings, Garment, RunIn, ShotPlan, Wind
from patient_needle.core.solver.outfit import spans_of
from tests.reference.engine.test_holds import EVERY, RATE, ROW, cloth, keys, post, still_handle
from tests.sheets import box, halved_squares, polygons

GRID, FACES = halved_squares(0.5, 0.5, 0.1)
TOPOLOGY = build_topology(FACES, len(GRID), name="grid")
MESH = polygons("grid", GRID, FACES.tolist())


def shake(shot: ShotPlan, garment: Garment, name: str) -> Shaken:
    *_, last = shaking(shot, garment, name)
    return last


def plan(*garments, cast=()) -> ShotPlan:
    return ShotPlan("holds", RATE, (0, 10), RunIn(0, 0), tuple(cast), garments, np.array([0, -9.81, 0]), 0.0)


class TestChoosing:
    def seeded(self, **further):
        at = tuple(np.flatnonzero(GRID[:, 1] < 1e-9).tolist())
        vertices, grips = chosen(MESH, TOPOLOGY, np.arange(len(FACES)), Choice(vertices=at, **further))
        return GRID[vertices, 1], grips

    def test_a_row_lies_so_many_edges_from_where_it_starts(self):
        y, _ = self.seeded(row=2)
        assert y == pytest.approx(0.2)
        assert len(y) == 6

    def test_rings_and_fading_add_rows(self):
        y, grips = self.seeded(rings=1, fade=2)
        assert y.max() == pytest.approx(0.3)
        assert grips == pytest.approx(np.interp(y, [0.1, 0.4], [1.0, 0.0]))

    def test_grips_are_given_vertex_by_vertex(self):
        vertices, grips = chosen(
            MESH, TOPOLOGY, np.arange(len(FACES)), Choice(vertices=(9, 3), grips=(0.25, 0.75))
        )
        assert vertices.tolist() == [3, 9]
        assert grips.tolist() == [0.75, 0.25]

    def test_grown_and_shrunk_again(self):
        middle = np.flatnonzero(np.abs(GRID[:, :2] - 0.2).max(axis=1) < 1e-9)
        assert set(middle) <= set(grown_by(TOPOLOGY, grown_by(TOPOLOGY, middle, 2), -2))
        assert len(grown_by(TOPOLOGY, middle, -1)) == 0


class TestOutline:
    """An eye on the z axis that sees x and y as they are."""

    points, triangles = box((-0.4, -0.4, -0.4), (0.4, 0.4, 0.4))

    def drawn(self, corners, *, facing):
        return Outline(np.array(corners, float), np.eye(4), np.array([0.0, 0.0, 5.0]), facing)

    def test_through_takes_both_sides_and_facing_only_the_near_one(self):
        right = [(0.1, -0.9), (0.9, -0.9), (0.9, 0.9), (0.1, 0.9)]
        through = within_outline(self.points, self.triangles, self.drawn(right, facing=False))
        assert sorted(self.points[through, 0]) == [0.4] * 4
        seen = within_outline(self.points, self.triangles, self.drawn(right, facing=True))
        assert (self.points[seen, 2] == 0.4).all()
        assert len(seen) == 2

    def test_a_hollow_outline_leaves_its_notch_out(self):
        notched = [(-0.9, -0.9), (0.9, -0.9), (0.9, 0.9), (0.0, 0.0), (-0.9, 0.9)]
        found = within_outline(GRID - [0.25, 0.25, 0], FACES, self.drawn(notched, facing=False))
        x, y = (GRID[found] - [0.25, 0.25, 0])[:, :2].T
        assert (y <= np.abs(x) + 1e-9).all()

    def test_what_stands_before_hides(self):
        near, far = GRID - [0.25, 0.25, -1.0], GRID - [0.25, 0.25, 0.0]
        both = np.concatenate([near, far])
        faces = np.concatenate([FACES, FACES + len(GRID)]).astype(np.int32)
        square = self.drawn([(-0.2, -0.2), (0.2, -0.2), (0.2, 0.2), (-0.2, 0.2)], facing=True)
        assert within_outline(both, faces, square).max() < len(GRID)


class TestSaidBefore:
    def read(self, *garments, cast=()):
        made = plan(*garments, cast=cast)
        worn = [dress(made, garment) for garment in made.garments]
        starts = [one.start(0) for one in worn]
        seams = seams_of(worn, spans_of([one.cloth for one in worn]), starts)
        return worn, seams, [read_holds(one, seams, RATE, 0) for one in worn]

    def test_firmness_and_sag(self):
        soft = Hold("soft", ROW, Follow("post"), Curve.constant(0.5))
        worn, _, ((read,),) = self.read(cloth(soft), cast=[post()])
        assert read.sag == pytest.approx(SAG)
        assert read.firmness == pytest.approx(worn[0].weight / SAG)

    def test_two_welds_over_the_same_name_who_wins(self):
        *_, ((_, second),) = self.read(
            cloth(Hold("first", ROW, Follow("post")), Hold("second", ROW, still_handle())), cast=[post()]
        )
        (note,) = second.notes
        assert note == f"welded over {len(ROW.vertices)} vertices of 'first' too: 'second' comes later and wins"

    def test_what_is_out_of_reach_is_counted(self):
        *_, ((read,),) = self.read(cloth(Hold("all", EVERY, Stick("post", 0.0105)), up=0.2), cast=[post()])
        assert 0 < read.holding < read.vertices
        assert "out of reach" in read.notes[0]

    def test_a_stitch_to_what_is_not_there_holds_nothing_and_says_so(self):
        *_, ((read,),) = self.read(cloth(Hold("seam", ROW, Stitch("cape", None, 0.0, 0.05))))
        assert read.holding == 0
        assert "'cape' is not simulated together" in read.notes[0]

    def test_links_lead_from_cloth_to_what_holds_it(self):
        worn, seams, _ = self.read(cloth(Hold("row", ROW, Stick("post", 0.05))), cast=[post()])
        marks = marks_of(worn[0], 0, seams, 0, worn[0].start(0))
        assert marks.links[:, 0] == pytest.approx(worn[0].start(0)[marks.vertices])
        assert marks.links.shape == (len(ROW.vertices), 2, 3)
        other = cloth(Hold("seam", ROW, Stitch("other", None, 0.0, 0.05)))
        worn, seams, _ = self.read(other, cloth(name="other", up=0.42))
        scene = np.concatenate([one.start(0) for one in worn])
        links = marks_of(worn[0], 0, seams, 0, scene).links
        assert links[:, 1, 1] == pytest.approx(0.42)

    @pytest.mark.parametrize(
        ("hold", "says"),
        [
            (Hold("h", ROW, Stick("post", 0.0)), "reaches 0 mm"),
            (Hold("h", ROW, Follow("post"), Curve.constant(1.5)), "grip goes from 1.5 to 1.5"),
            (Hold("h", ROW, still_handle(scale=Curve.constant(0.0))), "scaled to 0"),
            (Hold("h", ROW, still_handle(member="post", part="knee")), "has no part 'knee'"),
            (Hold("h", ROW, Stitch("cloth", None, 0.0, 0.05)), "stitches the garment to itself"),
            (Hold("h", ROW, Stitch("cloth", ROW, 0.0, 0.05)), "to itself"),
            (Hold("h", Choice(vertices=(0,)), Elastic(Curve.constant(0.8), 10.0)), "no edge"),
            (Hold("h", ROW, Elastic(Curve.constant(0.0), 10.0)), "above 0"),
            (Hold("h", Choice(), Follow("post")), "chooses no vertices"),
        ],
    )
    def test_what_cannot_be_is_refused_by_name(self, hold, says):
        with pytest.raises(ShotError, match=says) as raised:
            self.read(cloth(hold), cast=[post()])
        assert "garment 'cloth'" in raised.value.where
        assert "hold 'h'" in raised.value.where

    def test_pops_are_flagged_with_room_to_widen(self):
        quick = Hold("h", ROW, Follow("post"), keys((10, 0.2), (20, 0.2), (22, 1.0), (40, 1.0)))
        (pop,) = pops(quick, RATE)
        assert (pop.keyed, pop.first, pop.last) == ("grip", 20, 22)
        assert pop.wider[1] - pop.wider[0] >= pop.needs
        wider = keys((10, 0.2), (pop.wider[0], 0.2), (pop.wider[1], 1.0), (40, 1.0))
        assert pops(replace(quick, grip=wider), RATE) == []

    def test_a_dragged_handle_is_flagged(self):
        zero = Curve.constant(0.0)
        calm = still_handle(place=(keys((0, 0.0), (24, 0.3)), zero, zero))
        thrown = still_handle(place=(keys((0, 0.0), (3, 0.3)), zero, zero))
        assert pops(Hold("h", ROW, calm), RATE) == []
        assert [pop.keyed for pop in pops(Hold("h", ROW, thrown), RATE)] == ["place.0"]

    def test_a_clearance_that_throws_cloth_off_is_flagged(self):
        def found(*pairs):
            settings = ColliderSettings(keys(*pairs), Curve.constant(0.3))
            return gap_pops("post", settings, RATE)

        assert found((0, 0.002), (24, 0.05)) == []
        (pop,) = found((10, 0.002), (11, 0.08))
        assert (pop.hold, pop.keyed) == ("post", "clearance_mm")
        assert found((pop.wider[0], 0.002), (pop.wider[1], 0.08)) == []

    def test_a_wind_that_throws_the_lightest_cloth_is_flagged(self):
        heavy, light = (cloth(name=f"{d}", fabric=Fabric("f", areal_density=d)) for d in (0.9, 0.06))

        def found(strength, *garments, density=1.2, **more):
            return wind_pops(Wind("gust", strength, **more), replace(plan(*garments), air_density=density))

        (pop,) = found(keys((10, 0.0), (12, 6.0), (40, 6.0)), heavy, light)
        assert (pop.hold, pop.keyed, pop.first, pop.last) == ("gust", "strength", 10, 12)
        assert "the lightest cloth" in pop.said
        assert found(keys((10, 0.0), (12, 6.0), (40, 6.0)), heavy) == []
        assert found(keys((pop.wider[0], 0.0), (pop.wider[1], 6.0), (40, 6.0)), light) == []
        (storm,) = found(keys((0, 0.0), (300, 9000.0)), light)  # no spread that is offered would do
        assert storm.needs == 240
        (turned,) = found(Curve.constant(6.0), light, heading=keys((10, 0.0), (12, 90.0)))
        assert turned.keyed == "heading"
        # Truth: a point as light as dust goes with the air, which here gains 6 m/s within two frames.
        (dust,) = found(keys((10, 0.0), (12, 6.0)), light, density=1200.0)
        times = float(dust.said.split("with ")[1].split(" ")[0])
        assert 0.75 * 3 * RATE / GRAVITY < times < 1.5 * 3 * RATE / GRAVITY


class TestShake:
    def test_a_weld_slips_nowhere_and_a_soft_hold_by_what_it_gives(self):
        def slip(grip):
            garment = cloth(Hold("row", ROW, Follow("post"), Curve.constant(grip)))
            return shake(plan(garment, cast=[post(collides=True)]), garment, "row")

        assert slip(1.0).worst < 1e-9
        soft = slip(0.5)
        assert SAG * 0.5 < soft.worst < 10 * SAG
        assert len(soft.slip) == round(2 * RATE)
        assert soft.held == len(ROW.vertices)
        assert soft.part == "everything"

    def test_the_part_under_the_hold_turns_about_its_joint(self):
        """Truth: an arm of two bones along x, its elbow at 0.5 m; the hand's side turns rigidly about there."""
        x = np.linspace(0, 1, 21)
        points = np.column_stack([x, np.zeros(21), np.zeros(21)])
        near = np.clip((x - 0.4) / 0.2, 0, 1)
        skin = Skin(np.tile(np.array([0, 1], np.int32), (21, 1)), np.column_stack([1 - near, near]))
        still = Pose(np.zeros((2, 3)), np.tile([0.0, 0, 0, 1], (2, 1)), np.ones((2, 3)))
        skeleton = Skeleton(
            ("upper", "lower"), np.array([-1, 0], np.int32), np.tile(np.eye(4), (2, 1, 1)), still, np.eye(4)
        )
        motion = PlacedMotion(SkinnedMotion(points, skin, skeleton, (still,), 0), np.eye(4))
        arm = replace(post(), motion=motion)
        swing = swing_under([post(), arm], points[-3:] + [0, 0.02, 0])
        assert swing.name == "lower"
        assert swing.pivot == pytest.approx([0.5, 0, 0])
        shaken = ShakenMotion(points, swing.share, swing.pivot, 48, RATE)
        for frame in (13.0, 24.0, 31.0):
            at = shaken.at(frame)
            assert np.ptp(at[:8] - points[:8], axis=0) == pytest.approx(0, abs=1e-12)
            assert np.linalg.norm(np.diff(at[13:], axis=0), axis=1) == pytest.approx(0.05)
            there = at[-1] - (at[0] - points[0])
            assert np.linalg.norm(there - swing.pivot) == pytest.approx(0.5)
        assert shaken.at(48.0) == pytest.approx(points, abs=1e-12)
        assert swing_under([arm], points[:3]).name == "upper"
        assert swing_under([post()], points[:3]).name == "everything"

    def test_a_hold_that_finds_nobody_within_reach_says_so_at_once(self):
        garment = cloth(Hold("far", ROW, Stick("post", 1e-6)))
        with pytest.raises(ShotError, match="takes hold of nothing") as raised:
            shake(plan(garment, cast=[post(collides=True)]), garment, "far")
        assert "hold 'far'" in str(raised.value)

    def test_it_asks_for_a_hold_with_a_place(self):
        garment = cloth(Hold("band", ROW, Elastic(Curve.constant(0.8), 10.0)))
        with pytest.raises(ShotError, match="no place to slip from"):
            shake(plan(garment), garment, "band")
        with pytest.raises(ShotError, match="no hold 'ghost'"):
            shake(plan(garment), garment, "ghost")
