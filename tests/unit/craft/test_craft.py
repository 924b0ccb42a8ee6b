"""Run-in, dressing, checks and snags."""

from __future__ import annotations

import re
from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.contact.intersections import crossing_pairs
from patient_needle.core.craft.cast.colliders import merged_colliders
from patient_needle.core.craft.cast.run_in import FURTHEST_ASIDE, StagedMotion, run_in_share
from patient_needle.core.craft.garments.choosing import chosen_vertices
from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.holds.acting import Moment
from patient_needle.core.craft.holds.dressing import dress
from patient_needle.core.craft.inspect.checks import check_plan, start_notes
from patient_needle.core.craft.inspect.frame import inspected
from patient_needle.core.craft.inspect.snags import list_snags
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.craft.run.release import find_crossings, rearmed
from patient_needle.core.craft.run.start import check_start, put_off
from patient_needle.core.geometry.motion import CachedMotion, Still
from patient_needle.core.geometry.topology import build_topology, triangulated
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.errors import CastError, ShotError, StartError
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.garment import Prescription
from patient_needle.core.model.holds import Choice, Follow, Hold
from patient_needle.core.model.shot import CastMember, ColliderSettings, Garment, RunIn, ShotPlan
from patient_needle.core.model.tolerances import EASING_REACH
from patient_needle.core.solver.outfit import outfit
from tests.sheets import box, polygons, sheet

NOTHING = np.zeros((0, 3), np.int32)


def member(name="pillar", kind="set piece", size=1.0, motion=None, friction=0.3) -> CastMember:
    points, triangles = box((0, 0, 0), (0.3 * size, size, 0.3 * size))
    mesh = polygons(name, points, triangles.tolist())
    cut = triangulated(mesh)
    count = len(cut.triangles)
    return CastMember(
        name, kind, mesh, cut, motion or Still(points), np.zeros(count, np.int32), ("whole",),
        np.array([50], np.int32), np.ones(count, bool),
        ColliderSettings(Curve.constant(0.002), Curve.constant(friction)),
    )  # fmt: skip


def curtain(offset=0.004) -> Garment:
    """A sheet in front of the pillar's +z face, held along its top."""
    points, triangles = sheet(0.3, 0.9, 0.1)
    mesh = polygons("curtain", points + [0, 0, 0.3 + offset], triangles.tolist())
    top = np.flatnonzero(points[:, 1] > 0.9 - 1e-9)
    hold = Hold("rail", Choice(vertices=tuple(top.tolist())), Follow("pillar"))
    return Garment("curtain", FromMesh(mesh), Fabric("cotton", friction=0.3), (hold,))


def plan(**changes) -> ShotPlan:
    made = ShotPlan(
        "test", 24.0, (1001, 1004), RunIn(2, 4), (member(),), (curtain(),), np.array([0, -9.81, 0]), 0.1
    )
    return replace(made, **changes)


def test_run_in_stands_moves_and_arrives():
    run_in = RunIn(settle=10, move=30)
    shares = [run_in_share(run_in, 1001, f) for f in (961, 971, 986, 1001, 1010)]
    assert shares == [0, 0, pytest.approx(0.5), 1, 1]
    assert run_in_share(RunIn(5, 0), 1, -3) == 0.0


def test_staged_motion_goes_from_rest_to_the_animation():
    frames = np.stack([np.full((1, 3), 4.0 + k) for k in range(3)])
    staged = StagedMotion(CachedMotion(np.zeros((1, 3)), frames, 1001), RunIn(2, 4), 1001)
    places = [staged.at(f)[0, 0] for f in (995, 997, 999, 1001, 1003)]
    # Half way it is a little behind: it takes up the speed of its shot.
    assert places == [0, 0, pytest.approx(2, abs=FURTHEST_ASIDE), 4, 6]


@pytest.mark.parametrize(
    ("changes", "error", "says"),
    [
        ({"frames": (1004, 1001)}, ShotError, "1004 to 1001 is empty"),
        ({"garments": ()}, ShotError, "no garment"),
        (
            {"garments": (replace(curtain(), prescription=Prescription(Still(curtain().mesh.vertices))),)},
            ShotError,
            "is finished",
        ),
        (
            {"cast": (member(size=172.0, kind="character"),)},
            CastError,
            r"172 m tall.*probably in centimetres.*1.72 m",
        ),
        ({"cast": (member(size=0.0172, kind="character"),)}, CastError, r"0.0172 m tall"),
        (
            {"cast": (member(motion=CachedMotion(np.zeros((8, 3)), np.zeros((3, 8, 3)), 1001)),)},
            CastError,
            "1001 to 1004, but its animation from 1001 to 1003",
        ),
    ],
)
def test_what_cannot_be_run_is_said(changes, error, says):
    with pytest.raises(error, match=says):
        check_plan(plan(**changes))


def test_a_sound_plan_passes_and_dresses():
    made = plan()
    check_plan(made)
    dressed = dress(made, made.garments[0])
    assert dressed.shape.directions == "drawn direction"
    there = dressed.grasp(dressed.taken(1001), Moment(1001, 1001, 1001, 1001, 24.0))
    assert there.held_to == pytest.approx(dressed.cloth.placed[dressed.cloth.held])
    assert (there.held == dressed.cloth.held).all()
    assert dressed.cloth.held.sum() == len(made.garments[0].holds[0].choice.vertices)


def test_friction_is_the_geometric_mean_and_zero_if_either_is():
    """mu = sqrt(mu1 mu2): common practice, no source."""
    around = merged_colliders(plan()).surroundings(1001)
    assert around.friction**2 == pytest.approx(0.3)  # and as much of the cloth, times each other
    worn = OutfitRun(plan(), plan().runs[0]).outfit
    assert worn.skin.friction**2 == pytest.approx(worn.cloths[0].fabric.friction)
    bare = merged_colliders(plan(cast=(member(friction=0.0),))).surroundings(1001)
    assert bare.friction == pytest.approx(0)


def test_gap_is_clearance_and_half_of_each_thickness():
    settings = ColliderSettings(
        Curve(np.array([1.0, 11]), np.array([0.002, 0.004])), Curve.constant(0.3), Curve.constant(0.006)
    )
    colliders = merged_colliders(plan(cast=(replace(member(), collider=settings),)))
    assert colliders.surroundings(1).gap == pytest.approx(0.002 + 0.003)  # half of the cloth's comes on top
    assert colliders.surroundings(11).gap == pytest.approx(0.004 + 0.003)


def test_a_garment_inside_or_across_a_collider_is_refused_by_place():
    made = plan()
    colliders = merged_colliders(made)
    worn = outfit((dress(made, made.garments[0]).cloth,))
    check_start(worn, worn.placed, colliders, colliders.rest_points())
    with pytest.raises(StartError, match=r"start inside a collider.*|vertex \d+ at \("):
        check_start(worn, worn.placed, colliders, colliders.rest_points() + [0, 0, 0.1])
    shifted = colliders.rest_points() * [0.01, 0.5, 1.2]
    with pytest.raises(StartError, match=r"pillar: whole|inside a collider"):
        check_start(worn, worn.placed, colliders, shifted)


def test_what_cuts_into_a_body_is_put_straight_off_its_nearest_face_by_the_clearance():
    colliders = merged_colliders(plan())
    points, gap = colliders.rest_points(), float(colliders.surroundings(1001).gap[0])
    low, high = points.min(axis=0), points.max(axis=0)
    middle = 0.5 * (low + high)
    to = lambda x: np.array([x, middle[1], middle[2]])  # noqa: E731
    within, near, far, deep = to(high[0] - 0.003), to(high[0] + 0.4 * gap), to(high[0] + 2 * gap), middle
    found = put_off(np.stack([within, near, far, deep]), NOTHING, colliders, points, 1001)
    assert (high - low).min() > 2 * EASING_REACH
    np.testing.assert_allclose(found, [to(high[0] + gap), to(high[0] + gap), far, deep], atol=1e-9)


def test_what_a_body_comes_through_between_vertices_goes_further_off():
    """A triangle round an upright edge of the pillar: its vertices keep the clearance, its middle does not."""
    colliders = merged_colliders(plan())
    points, gap = colliders.rest_points(), float(colliders.surroundings(1001).gap[0])
    low, high = points.min(axis=0), points.max(axis=0)
    middle, reach = 0.5 * (low[1] + high[1]), 2 * gap
    round_it = np.array([
        [high[0] + gap, middle, high[2] - reach],
        [high[0] - reach, middle - 0.01, high[2] + gap],
        [high[0] - reach, middle + 0.01, high[2] + gap],
    ])  # fmt: skip
    triangle = np.array([[0, 1, 2]], np.int32)
    assert len(crossing_pairs(round_it, triangle, points, colliders.triangles))
    assert put_off(round_it, NOTHING, colliders, points, 1001) == pytest.approx(round_it)
    clear = put_off(round_it, triangle, colliders, points, 1001)
    assert len(crossing_pairs(clear, triangle, points, colliders.triangles)) == 0
    assert np.linalg.norm(clear - round_it, axis=1).max() < 4 * gap


def test_open_sheets_enclose_nothing_even_near_a_body():
    """The winding number of a large open sheet is nearly one half next to it: it must not count as inside."""
    points, triangles = sheet(4.0, 4.0, 1.0)
    floor = polygons("floor", points[:, [0, 2, 1]] * [1, 1, -1] - [2, 0.001, -2], triangles[:, ::-1].tolist())
    cut = triangulated(floor)
    whole = np.zeros(len(cut.triangles), np.int32)
    flat = replace(
        member("floor"), mesh=floor, cut=cut, motion=Still(floor.vertices), part=whole, chosen=whole == 0
    )
    made = plan(cast=(member(), flat))
    colliders = merged_colliders(made)
    assert len(colliders.enclosing) == 12
    worn = outfit((dress(made, made.garments[0]).cloth,))
    check_start(worn, worn.placed, colliders, colliders.rest_points())


def choose(choice: Choice):
    garment = curtain()
    cut = triangulated(garment.mesh)
    topology = build_topology(cut.triangles, garment.mesh.vertex_count)
    return garment, chosen_vertices(garment.mesh, topology, cut.source_face, choice)


def test_choices_grow_and_name_what_is_missing():
    garment, border = choose(Choice(border="longest"))
    _, grown = choose(Choice(border="longest", rings=1))
    assert set(border) < set(grown)
    assert len(choose(Choice(vertices=(3, 3, 1)))[1]) == 2
    with pytest.raises(ShotError, match="no group 'hem'"):
        choose(Choice(group="hem"))
    with pytest.raises(ShotError, match=f"vertex 9999 of {garment.mesh.vertex_count}"):
        choose(Choice(vertices=(9999,)))
    with pytest.raises(ShotError, match="chooses no vertices"):
        choose(Choice())


def test_hold_on_somebody_who_is_not_cast():
    garment = replace(curtain(), holds=(Hold("rail", Choice(border="highest"), Follow("ghost")),))
    with pytest.raises(ShotError, match=r"garment 'curtain', hold 'rail': it holds on to 'ghost'"):
        dress(plan(), garment)


def test_snags_name_kind_and_part_and_let_go_vertices_arm_again_outside():
    made = plan()
    colliders = merged_colliders(made)
    worn = outfit((dress(made, made.garments[0]).cloth,))
    around = colliders.rest_points()
    sunk = worn.placed.copy()
    low = sunk[:, 1] < 0.5
    sunk[low, 2] -= 0.05
    crossings = find_crossings(worn, sunk, colliders, around)
    released = np.zeros((worn.count, 1), bool)
    held_back, eased = rearmed(worn, sunk, colliders, around, crossings, released)
    assert held_back.any()
    assert np.array_equal(eased, held_back.any(axis=1))  # nothing of the pillar has sunk into anything
    kinds = {s.kind: s for s in list_snags(worn, 0, sunk, colliders, around, crossings, held_back)}
    assert set(kinds) == {"in the body", "pinched"}
    assert kinds["in the body"].with_what == "pillar: whole"
    assert kinds["pinched"].depth == pytest.approx(0.05 - 0.004)  # it was 4 mm off before it was sunk
    assert 0 < kinds["in the body"].area < kinds["pinched"].area
    out = worn.placed
    clear = find_crossings(worn, out, colliders, around)
    assert not rearmed(worn, out, colliders, around, clear, held_back)[0].any()


def test_what_was_let_go_together_is_armed_together():
    made = plan()
    colliders = merged_colliders(made)
    worn = outfit((dress(made, made.garments[0]).cloth,))
    around, points = colliders.rest_points(), worn.placed.copy()
    corner = np.argmin(points[:, 0] + points[:, 1])
    points[corner, 2] -= 0.05
    left, right = points[:, 0] < 0.1, points[:, 0] > 0.2
    released = ((left | right) & (points[:, 1] < 0.85))[:, None]
    crossings = find_crossings(worn, points, colliders, around)
    still, _ = rearmed(worn, points, colliders, around, crossings, released)
    assert still[left & released[:, 0]].all()  # clear or not: it hangs on the corner that is inside
    assert not still[right].any()


def test_nothing_is_eased_out_beside_a_part_that_has_sunk_into_another():
    made = plan(cast=(member(), member("post", size=0.5)))
    colliders = merged_colliders(made)
    worn = outfit((dress(made, made.garments[0]).cloth,))
    around, points = colliders.rest_points(), worn.placed.copy()
    post = slice(8, 16)
    around[post] += [0, 0.3, 0.26]  # its back is in the pillar
    points[:, 2] -= 0.002
    crossings = find_crossings(worn, points, colliders, around)
    still, eased = rearmed(worn, points, colliders, around, crossings, np.zeros((worn.count, 2), bool))
    low, high = around[post].min(axis=0)[:2], around[post].max(axis=0)[:2]
    beside = ((points[:, :2] > low - 0.02) & (points[:, :2] < high + 0.02)).all(axis=1) & still[:, 1]
    assert beside.any()
    assert not eased[beside & ~still[:, 0]].any()


def test_a_garment_through_another_is_refused_and_counted_by_name():
    made = plan()
    colliders = merged_colliders(made)
    one = dress(made, made.garments[0]).cloth
    turned = replace(made.garments[0], name="veil", holds=())
    across = replace(turned.mesh, vertices=turned.mesh.vertices[:, [2, 1, 0]] * [1, 1, 1] + [-0.2, 0, 0.302])
    worn = outfit((one, dress(made, replace(turned, source=FromMesh(across))).cloth))
    with pytest.raises(StartError, match=r"garment 'curtain'.*through 'veil'"):
        check_start(worn, worn.placed, colliders, colliders.rest_points())
    (note,) = start_notes(worn, worn.placed, colliders, colliders.rest_points())
    assert re.search(r"it starts through 'curtain' in \d+ places, the first at \(", note)
    crossings = find_crossings(worn, worn.placed, colliders, colliders.rest_points())
    none = np.zeros((worn.count, 1), bool)
    own = crossings.of(0, worn)
    (snag,) = list_snags(worn, 0, worn.placed, colliders, colliders.rest_points(), own, none)
    assert (snag.kind, snag.with_what) == ("through another garment", "veil")
    assert snag.count == len(own.garments) == len(crossings.of(1, worn).garments)
    assert len(own.itself) == 0


def finished_curtain(drift: float) -> Garment:
    """The curtain as a take had it: it drifts sideways by `drift` m in a frame."""
    made = curtain(0.03)
    frames = np.stack([made.mesh.vertices + [0, 0, drift * k] for k in range(10)])
    return replace(made, name="done", prescription=Prescription(CachedMotion(made.mesh.vertices, frames, 995)))


def test_a_finished_garment_moves_as_it_did_and_pushes_the_others():
    done, outer = finished_curtain(0.012), replace(curtain(0.042), name="outer", holds=())
    made = plan(garments=(done, outer), gravity=np.zeros(3))
    run = OutfitRun(made, made.runs[0])
    *_, (worn, pushed) = inspected(run, run.start(), made.first_simulated, 1004)
    assert worn.positions == pytest.approx(done.prescription.motion.at(1004), abs=1e-12)
    assert (worn.crossing_garments, pushed.crossing_garments) == (0, 0)
    assert pushed.positions[:, 2].min() > worn.positions[0, 2]


def test_runs_alone_carry_what_is_finished_and_report_it_once():
    done, one, two = finished_curtain(0.0), replace(curtain(), name="one"), replace(curtain(), name="two")
    together, alone = (plan(garments=(done, one, two), together=together).runs for together in (True, False))
    assert [g.name for g in together[0].reported] == ["done", "one", "two"]
    assert [[g.name for g in run.garments] for run in alone] == [["done", "one"], ["done", "two"]]
    assert [[g.name for g in run.reported] for run in alone] == [["done", "one"], ["two"]]
    assert [run.lead for run in alone] == ["done", "two"]


def test_a_finished_garment_that_ends_too_soon_is_named():
    made = plan(garments=(finished_curtain(0.0), curtain()), frames=(1001, 1005))
    with pytest.raises(
        ShotError, match=r"'done'.*finished from frame 995 to 1004, but the run goes from 995 to 1005"
    ):
        OutfitRun(made, made.runs[0])


def dropped(on: Curve | None, last: int) -> list:
    """What becomes of a level sheet let fall 40 mm above a slab that is on over frames as `on` says."""
    points, triangles = sheet(0.2, 0.2, 0.04)
    level = points[:, [0, 2, 1]] * [1, 1, -1] + [0.05, 1.04, 0.25]
    cloth = Garment(
        "sheet", FromMesh(polygons("sheet", level, triangles[:, ::-1].tolist())), Fabric("cotton"), ()
    )
    slab = member("slab")
    slab = replace(slab, collider=replace(slab.collider, on=on))
    made = plan(cast=(slab,), garments=(cloth,), run_in=RunIn(0, 0), frames=(1001, last), air_drag=0.0)
    run = OutfitRun(made, made.runs[0])
    return [result for (result,) in inspected(run, run.start(), 1001, last)]


def steps(*keys: tuple[float, float]) -> Curve:
    return Curve(np.array([k for k, _ in keys]), np.array([v for _, v in keys]))


def test_a_collider_that_is_off_is_fallen_through_and_not_counted():
    ends = dropped(steps((1001, 0), (1002, 0)), 1010)
    assert ends[-1].positions[:, 1].max() < 0.99  # it fell freely, past the slab's top
    assert {(r.crossing_colliders, r.snags) for r in ends} == {(0, ())}
    fallen = 1.04 - 0.5 * 9.81 * (9 / 24) ** 2
    assert ends[-1].positions[:, 1].mean() == pytest.approx(fallen, abs=1e-3)


def test_a_collider_switched_on_in_time_catches_cloth_and_lets_it_go_when_off_again():
    ends = dropped(steps((1002, 0), (1003, 1), (1012, 1), (1013, 0)), 1016)
    by = {r.frame: r for r in ends}
    assert by[1012].positions[:, 1].min() > 1.0
    assert by[1012].crossing_colliders == 0
    assert by[1016].positions[:, 1].max() < 1.0


def test_cloth_that_hangs_in_a_collider_when_it_is_switched_on_waits_until_it_is_out():
    ends = dropped(steps((1004, 0), (1005, 1)), 1014)
    low = next(r for r in ends if r.frame == 1005)
    assert low.positions[:, 1].min() < 1.0  # within the slab, which is 1 m high
    assert [snag.kind for snag in low.snags][-1:] == ["pinched"]
    speeds = [r.fastest_vertex for r in ends]
    assert max(speeds) < 6.0, "nothing is shot out"


def test_what_starts_shallow_in_a_body_is_said_and_eased_out_over_the_run_in():
    caught = curtain(offset=-0.012)
    loose = replace(caught, holds=())
    with pytest.raises(StartError, match=r"up to 12\.0 mm deep"):
        OutfitRun(plan(garments=(loose,), run_in=RunIn(0, 0)), plan(garments=(loose,)).runs[0]).start()
    made = plan(garments=(loose,), run_in=RunIn(30, 0), gravity=np.zeros(3))
    run = OutfitRun(made, made.runs[0])
    worn, colliders, around = run.outfit, run.colliders, run.colliders.rest_points()
    (note,) = start_notes(worn, worn.placed, colliders, around)
    # 22 more lie on the post's own faces: on a surface is outside.
    assert re.search(r"^25 vertices start inside a collider, up to 12.0 mm deep, at \(", note)
    far = replace(member("post"), motion=Still(member("post").mesh.vertices + [5.0, 0, 0]))
    both = replace(made, cast=(*made.cast, far))
    assert OutfitRun(both, both.runs[0]).start().released.any(axis=0).tolist() == [True, False]
    *_, (last,) = inspected(run, run.start(), made.first_simulated, made.frames[1])
    assert last.positions[:, 2].min() > 0.3
    assert last.snags == ()
    with pytest.raises(StartError, match=r"start inside a collider beside held ones, which keep them there"):
        OutfitRun(replace(made, garments=(caught,)), replace(made, garments=(caught,)).runs[0]).start()
    deep = replace(curtain(offset=-0.1), holds=())
    with pytest.raises(StartError, match=r"up to 100\.0 mm deep"):
        OutfitRun(replace(made, garments=(deep,)), replace(made, garments=(deep,)).runs[0]).start()


def test_cloth_is_eased_out_of_what_is_on_and_not_only_past_a_collider_that_is_off():
    """The one that is off has its face between the cloth and the face it is to come out by."""
    points, triangles = sheet(0.1, 0.1, 0.02)
    patch = polygons("patch", points + [0.1, 0.5, 0.27], triangles.tolist())
    loose = Garment("patch", FromMesh(patch), Fabric("cotton"), ())
    off = replace(member().collider, on=Curve.constant(0.0))
    shade = replace(member("shade"), collider=off, motion=Still(member().mesh.vertices - [0, 0, 0.028]))
    made = plan(
        cast=(shade, member()), garments=(loose,), run_in=RunIn(30, 0), gravity=np.zeros(3), air_drag=20.0
    )
    run = OutfitRun(made, made.runs[0])
    *_, (last,) = inspected(run, run.start(), made.first_simulated, made.frames[1])
    assert last.positions[:, 2].min() > 0.3
    assert last.snags == ()


def test_a_garment_may_start_inside_a_collider_that_is_off_then():
    inside = curtain(offset=-0.1)
    on = member()
    with pytest.raises(StartError, match="inside a collider"):
        OutfitRun(plan(cast=(on,), garments=(inside,)), plan(garments=(inside,)).runs[0]).start()
    off = replace(on, collider=replace(on.collider, on=steps((1003, 0), (1004, 1))))
    made = plan(cast=(off,), garments=(inside,))
    assert OutfitRun(made, made.runs[0]).start().positions.shape == inside.mesh.vertices.shape
