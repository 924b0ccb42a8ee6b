"""Pairs, rows, the filter, anchors, easing and exact counts."""

from __future__ import annotations

import igl
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from patient_needle.core.contact.anchors import Anchors, after_slip, anchor_points, placed, with_newcomers
from patient_needle.core.contact.easing import easing_rows
from patient_needle.core.contact.filter import PathFilter, rigidly_moved
from patient_needle.core.contact.flat_patches import Fans
from patient_needle.core.contact.intersections import (
    crossing_depths,
    crossing_pairs,
    self_crossing_pairs,
)
from patient_needle.core.contact.pairs import PairFinder, Pairs, ownership, within_reach
from patient_needle.core.contact.rows import Skin, armed, build_rows, misses
from patient_needle.core.geometry.closed import inside
from patient_needle.core.geometry.tree import build_tree
from patient_needle.core.model.tolerances import EASING_STEP
from tests.sheets import NO_FACES, box, sheet, surroundings


def scene(height: float = 0.05, seed: int = 0):
    """A level sheet above a slab: all points, cloth and collider triangles, cloth's count."""
    points, cloth = sheet(0.3, 0.3, 0.06, seed=seed)
    points = points[:, [0, 2, 1]] * [1, 1, -1] + [0, height, 0.15]
    slab, faces = box((-0.2, -0.1, -0.4), (0.5, 0.0, 0.4))
    return np.concatenate([points, slab]), cloth, faces + len(points), len(points)


def test_each_vertex_and_edge_is_owned_once():
    _, triangles = box((0, 0, 0), (1, 1, 1))
    owned = ownership(triangles)
    count = lambda shift: sum(bin(mask >> shift & 7).count("1") for mask in owned.tolist())  # noqa: E731
    assert (count(0), count(3)) == (8, 18)


def all_pairs(points, cloth, faces, motion, slack):
    """Every pair by brute force, as sets of members, with igl's point distance for vertex-triangle pairs."""
    found = set()
    for vertices, triangles in ((np.unique(cloth), faces), (np.unique(faces), cloth)):
        for v in vertices:
            for t in triangles:
                squared = igl.point_mesh_squared_distance(
                    points[[v]], points, np.ascontiguousarray(t[None], np.int64)
                )[0]
                relative = np.linalg.norm(motion[v] - motion[t], axis=1).max()
                if np.sqrt(squared[0]) <= relative + slack:
                    found.add((int(v), *sorted(t.tolist())))
    return found


def assert_apart(points, motion, pairs, slack):
    """What was left out moves apart: at no time on its way does it come within the slack."""
    for time in np.linspace(0, 1, 21):
        there = points + time * motion
        for v, *triangle in pairs:
            corners = np.array([triangle], np.int64)
            squared = igl.point_mesh_squared_distance(there[[v]], there, corners)[0]
            assert np.sqrt(squared[0]) > slack


def test_vertex_triangle_pairs_agree_with_brute_force():
    points, cloth, faces, count = scene(0.06)
    rng = np.random.default_rng(2)
    motion = np.zeros_like(points)
    motion[:count] = rng.normal(size=(count, 3)) * 0.03 - [0, 0.03, 0]
    finder = PairFinder(points, cloth, faces, count, 0.02)
    finder.begin(points, points + motion)
    pairs = finder.along(points + motion, 0.01)
    ours = {(int(v[0]), *sorted(v[1:].tolist())) for v in pairs.vertices[~pairs.edge_edge]}
    every = all_pairs(points, cloth, faces, motion, 0.01)
    assert ours <= every
    assert len(ours) > 10
    assert_apart(points, motion, every - ours, 0.01)


def folded(seed: int = 0):
    """A sheet folded over itself at 6 mm, with a motion: points, triangles, motion."""
    points, triangles = sheet(0.3, 0.12, 0.03, seed=seed)
    along = points[:, 0]
    over = np.clip((along - 0.14) / 0.02, 0, 1) * np.pi
    flat = np.stack([np.minimum(along, 0.15 - np.maximum(along - 0.15, 0)), points[:, 1], points[:, 2]], 1)
    flat[:, 2] = 0.003 - 0.003 * np.cos(over)
    motion = np.random.default_rng(seed).normal(size=flat.shape) * 0.004
    return flat, triangles, motion


def test_pairs_of_cloth_with_itself_agree_with_brute_force():
    points, triangles, motion = folded()
    finder = PairFinder(points, triangles, NO_FACES, len(points), 0.01, against_itself=True)
    finder.begin(points, points + motion)
    pairs = finder.along(points + motion, 0.005)
    ours = [(int(v[0]), *sorted(v[1:].tolist())) for v in pairs.vertices[~pairs.edge_edge]]
    assert len(ours) == len(set(ours)) > 50
    every = {p for p in all_pairs(points, triangles, triangles, motion, 0.005) if p[0] not in p[1:]}
    assert set(ours) <= every
    near = [set(triangles[(triangles == v).any(axis=1)].ravel().tolist()) for v in range(len(points))]
    strangers = {(v, *corners) for v, *corners in every - set(ours) if not near[v] & set(corners)}
    assert_apart(points, motion, strangers, 0.005)


def test_cached_pairs_of_cloth_with_itself_are_those_of_a_fresh_search():
    points, triangles, motion = folded(1)
    actual = points + 6 * motion
    cached = PairFinder(points, triangles, NO_FACES, len(points), 0.01, against_itself=True)
    cached.begin(points, points + motion)
    fresh = PairFinder(points, triangles, NO_FACES, len(points), 0.01, against_itself=True)
    fresh.begin(points, actual)
    one, two = (
        {(tuple(v), bool(e)) for v, e in zip(p.vertices.tolist(), p.edge_edge, strict=True)}
        for p in (cached.along(actual, 0.003), fresh.along(actual, 0.003))
    )
    turned = {((c, d, a, b), e) for (a, b, c, d), e in one if e}
    assert two <= one | turned
    assert len(one) == len(two)


def test_only_flat_fans_are_flat():
    points, triangles, _ = folded()
    flat = Fans(triangles, len(points)).flat(points, points)
    bent = np.abs(points[:, 0] - 0.15) < 0.02
    assert flat[points[:, 0] < 0.11].all()
    assert not flat[bent].all()


def test_a_garment_may_keep_the_distances_it_was_made_with():
    points, triangles, motion = folded()
    around = surroundings(0, 0.0)
    made = lambda thickness, garments: build_rows(  # noqa: E731
        pairs, points, points, finder.carriers, around, np.zeros(len(points), bool), 1.0, np.inf,
        Skin(
            triangles, points, np.full(len(points), thickness), np.ones(len(points)), garments,
            np.ones(len(points)),
        ),
    )  # fmt: skip
    finder = PairFinder(points, triangles, NO_FACES, len(points), 0.01, against_itself=True)
    finder.begin(points, points + motion)
    pairs = finder.along(points + motion, 0.003)
    one = np.zeros(len(triangles), np.int32)
    assert made(0.001, one).depth.max() == pytest.approx(0.001)
    assert made(0.02, one).depth.max() < 0.02  # layers 6 mm apart are not driven to 20
    assert made(0.02, np.arange(len(triangles), dtype=np.int32)).depth == pytest.approx(0.02)


def test_cached_pairs_are_those_of_a_fresh_search():
    """What moved off its prediction is searched again: nothing is missed."""
    points, cloth, faces, count = scene(0.06)
    rng = np.random.default_rng(3)
    predicted, actual = points.copy(), points.copy()
    predicted[:count] += [0, -0.03, 0]
    actual[:count] += rng.normal(size=(count, 3)) * 0.03
    finder = PairFinder(points, cloth, faces, count, 0.02)
    finder.begin(points, predicted)
    cached = finder.along(actual, 0.01)
    fresh_finder = PairFinder(points, cloth, faces, count, 0.02)
    fresh_finder.begin(points, actual)
    fresh = fresh_finder.along(actual, 0.01)
    as_set = lambda pairs: {tuple(v) for v in pairs.vertices.tolist()}  # noqa: E731
    assert as_set(cached) == as_set(fresh)
    assert within_reach(fresh, points, actual, np.full(len(fresh), 0.01)).all()


def test_rows_certify_the_gap_they_were_made_at():
    points, cloth, faces, count = scene(0.004)
    finder = PairFinder(points, cloth, faces, count, 0.01)
    finder.begin(points, points)
    around = surroundings(len(faces), 0.003)
    pairs = finder.along(points, 0.005)
    rows = build_rows(pairs, points, points, finder.carriers, around, np.arange(len(points)) >= count, 100.0)
    missing, failing = misses(points, rows)
    assert missing.max() == 0
    assert not failing.any()
    assert np.all(rows.hard <= rows.soft)
    sunk = points.copy()
    sunk[:count, 1] -= 0.005
    missing, failing = misses(sunk, rows)
    assert failing.any()
    assert missing.max() == pytest.approx(0.3 * 0.003 + 0.001, rel=1e-6)


def filtered(goal_height: float, released=None):
    points, cloth, faces, count = scene(0.01)
    goal = points.copy()
    goal[:count, 1] = goal_height
    finder = PairFinder(points, cloth, faces, count, 0.02)
    finder.begin(points, goal)
    inverse_mass = np.where(np.arange(len(points)) < count, 1.0, 0.0)
    runner = PathFilter(finder, cloth, inverse_mass, 0.005)
    released = np.zeros((count, 1), bool) if released is None else released
    return points, cloth, faces, count, runner.run(points, goal, surroundings(len(faces), 0.003), released)


@pytest.mark.parametrize("goal", [-0.02, -0.2, -5.0])
def test_nothing_gets_through_at_any_speed(goal):
    points, cloth, faces, count, out = filtered(goal)
    assert out.points[:count, 1].min() > 0
    assert len(crossing_pairs(out.points, cloth, out.points, faces)) == 0
    assert out.points[count:] == pytest.approx(points[count:])


def test_free_paths_are_left_alone():
    *_, count, out = filtered(0.02)
    assert out.moved == 0.0
    assert out.points[:count, 1] == pytest.approx(0.02)


@pytest.mark.parametrize("yields", [0, 1])
def test_cloth_between_closing_colliders_is_let_go_and_stays_finite(yields):
    points, cloth = sheet(0.2, 0.2, 0.05)
    points = points[:, [0, 2, 1]] * [1, 1, -1]
    low, faces = box((-0.1, -0.1, -0.3), (0.3, -0.01, 0.1))
    high, _ = box((-0.1, 0.01, -0.3), (0.3, 0.1, 0.1))
    count = len(points)
    start = np.concatenate([points, low, high])
    goal = start.copy()
    goal[count : count + 8, 1] += 0.02
    goal[count + 8 :, 1] -= 0.02
    triangles = np.concatenate([faces, faces + 8]) + count
    finder = PairFinder(start, cloth, triangles.astype(np.int32), count, 0.02)
    finder.begin(start, goal)
    around = surroundings(24, 0.003)
    object.__setattr__(around, "part", np.repeat([0, 1], 12).astype(np.int32))
    object.__setattr__(around, "rank", np.where(np.arange(2) == yields, 5, 0).astype(np.int32))
    inverse_mass = np.where(np.arange(len(start)) < count, 1.0, 0.0)
    out = PathFilter(finder, cloth, inverse_mass, 0.005).run(start, goal, around, np.zeros((count, 2), bool))
    assert np.isfinite(out.points).all()
    assert out.let_go > 0
    assert out.released[:, yields].any()  # the higher rank
    assert not out.released[:, 1 - yields].any()
    if yields == 1:
        assert out.points[:count, 1].min() > goal[count : count + 8, 1].max()
    else:
        assert out.points[:count, 1].max() < goal[count + 8 :, 1].min()


def test_cloth_pressed_into_itself_never_passes_and_never_lets_go():
    """Two layers driven through each other by 5 cm, one of them held: they end apart, on their own sides."""
    low, cloth = sheet(0.2, 0.2, 0.05)
    high, more = sheet(0.2, 0.2, 0.05, seed=2)
    count = len(low)
    start = np.concatenate([low, high + [0, 0, 0.004]])
    triangles = np.concatenate([cloth, more + count]).astype(np.int32)
    goal = start.copy()
    goal[count:, 2] -= 0.05
    finder = PairFinder(start, triangles, NO_FACES, len(start), 0.02, against_itself=True)
    finder.begin(start, goal)
    garment = np.repeat([0, 1], [len(cloth), len(more)]).astype(np.int32)
    skin = Skin(triangles, start, np.full(len(start), 0.002), np.ones(len(start)), garment, np.ones(len(start)))
    inverse_mass = np.where(np.arange(len(start)) < count, 0.0, 1.0)
    runner = PathFilter(finder, triangles, inverse_mass, 0.005, skin)
    out = runner.run(start, goal, surroundings(0, 0.0), np.zeros((len(start), 0), bool))
    assert out.points[:count] == pytest.approx(start[:count])
    assert len(self_crossing_pairs(out.points, triangles)) == 0
    assert out.points[count:, 2].min() > 0
    assert out.let_go == 0


def test_a_rigid_motion_is_found_and_passed_on():
    rng = np.random.default_rng(4)
    start, others = rng.normal(size=(6, 3)), rng.normal(size=(4, 3))
    turn = Rotation.from_rotvec([0.3, -0.5, 0.2])
    end = turn.apply(start) + [1, 2, 3]
    moved = rigidly_moved(others, start, end, np.arange(1.0, 7.0))
    assert moved == pytest.approx(turn.apply(others) + [1, 2, 3])
    assert rigidly_moved(others, start[:2], start[:2] + 0.5, np.ones(2)) == pytest.approx(others + 0.5)


def test_released_vertices_are_not_held_back():
    *_, count, _ = filtered(0.02)
    *_, out = filtered(-0.05, np.ones((count, 1), bool))
    assert out.points[:count, 1] == pytest.approx(-0.05)


def test_armed_drops_pairs_of_released_vertices_only():
    points, cloth, faces, count = scene(0.004)
    finder = PairFinder(points, cloth, faces, count, 0.01)
    finder.begin(points, points)
    pairs = finder.along(points, 0.005)
    released = np.zeros((count, 1), bool)
    around = surroundings(len(faces), 0.003)
    assert len(armed(pairs, around, released, count)) == len(pairs)
    released[3] = True
    left = armed(pairs, around, released, count)
    assert 0 < len(left) < len(pairs)
    assert not (left.vertices == 3).any()


def test_easing_asks_for_a_little_and_only_of_those_behind():
    points, cloth, faces, count = scene(0.02)
    points[:4, 1] = -0.004
    tree = build_tree(points, faces)
    eased = np.arange(count) < 6
    rows = easing_rows(tree, cloth, points, points, eased, surroundings(len(faces), 0.003), 100.0)
    assert set(rows.ends[:, 0].tolist()) == {0, 1, 2, 3}
    assert rows.soft == pytest.approx(-0.004 + EASING_STEP * 0.003)
    assert np.all(np.isneginf(rows.hard))
    assert easing_rows(tree, cloth, points, points, eased & False, surroundings(12, 0.003), 1.0) is None


def test_what_hangs_together_is_eased_out_on_one_side():
    """A bar of 4 cm stands in a sheet, most of which is nearer to its lower side: all of the sheet is asked to
    go down, although part of it has the upper side nearer.
    """
    bar, faces = box((-0.1, -0.02, -0.1), (0.1, 0.02, 0.1))
    flat, cloth = sheet(0.1, 0.1, 0.02)
    lying = flat[:, [0, 2, 1]] - [0.05, 0, 0.05]
    lying[:, 1] = np.where(lying[:, 0] > 0.02, 0.01, -0.01)
    points = np.concatenate([lying, bar])
    faces = (faces + len(lying)).astype(np.int32)
    tree = build_tree(points, faces)
    rows = easing_rows(
        tree, cloth, points, points, np.ones(len(lying), bool), surroundings(len(faces), 0.003), 100.0
    )
    assert set(rows.ends[:, 0].tolist()) == set(range(len(lying)))
    assert rows.normal == pytest.approx(np.tile([0.0, -1.0, 0.0], (len(rows), 1)))


def test_what_is_let_go_comes_out_with_the_face_outwards_that_the_free_cloth_shows():
    """A sheet over a bar of 4 cm dips into it past its middle: the lower side is nearer, up is right."""
    bar, faces = box((-0.1, -0.02, -0.1), (0.1, 0.02, 0.1))
    flat, cloth = sheet(0.1, 0.1, 0.01)
    lying = flat[:, [0, 2, 1]] - [0.05, 0, 0.05]
    dip = np.linalg.norm(lying[:, [0, 2]], axis=1) < 0.02
    lying[:, 1] = np.where(dip, -0.008, 0.025)
    points, faces = np.concatenate([lying, bar]), (faces + len(lying)).astype(np.int32)
    rows = easing_rows(
        build_tree(points, faces), cloth, points, points, dip, surroundings(len(faces), 0.003), 100.0
    )
    assert set(rows.ends[:, 0].tolist()) == set(np.flatnonzero(dip).tolist())
    assert rows.normal == pytest.approx(np.tile([0.0, 1.0, 0.0], (len(rows), 1)))


def test_a_triangle_that_hangs_on_a_limb_between_its_corners_is_lifted_by_them():
    post, faces = box((-0.01, -0.1, -0.01), (0.01, 0.004, 0.01))
    cloth = np.array([(0, 1, 2)], np.int32)
    lying = np.array([(-0.03, 0.0, 0.02), (0.03, 0, 0.02), (0, 0, -0.03)])
    points, faces = np.concatenate([lying, post]), (faces + 3).astype(np.int32)
    tree, let_go = build_tree(points, faces), np.ones(3, bool)
    rows = easing_rows(tree, cloth, points, points, let_go, surroundings(len(faces), 0.003), 100.0)
    lifted = rows.normal[:, 1] > 0.9
    assert set(rows.ends[lifted, 0].tolist()) == {0, 1, 2}
    assert rows.soft[lifted] == pytest.approx(-0.004 + EASING_STEP * 0.003)


def test_two_cloths_push_each_other_most_where_they_are_nearest():
    """A vertex over a corner's surroundings: that corner's row is the stiffest; on a collider all are alike."""
    points = np.array([(0.0, 0, 0), (0.03, 0, 0), (0, 0, -0.03), (0.002, 0.002, -0.003)])
    faces = np.array([(0, 1, 2)], np.int32)
    pairs = Pairs(
        np.array([(3, 0, 1, 2)], np.int32), np.zeros(1, bool), np.array([(0.0, 1, 0)]), np.array([0.002]),
        np.zeros(1, np.int32), np.zeros(1, np.int32),
    )  # fmt: skip
    free = np.zeros(4, bool)
    skin = Skin(faces, points, np.full(4, 0.003), np.ones(4), np.zeros(1, np.int32), np.zeros(4))
    among = build_rows(pairs, points, points, faces, surroundings(0, 0.0), free, 100.0, skin=skin)
    on_collider = build_rows(pairs, points, points, faces, surroundings(1, 0.003), free, 100.0)
    assert dict(zip(among.ends[:, 1].tolist(), among.stiffness, strict=True)) == pytest.approx(
        {0: 250.0, 1: 100.0, 2: 100.0}  # shares 5/6, 1/15 and 1/10, never under a third
    )
    assert on_collider.stiffness == pytest.approx(100.0)


@pytest.mark.parametrize("may_stay", [True, False])
def test_only_a_garment_that_was_made_near_itself_may_stay_so(may_stay):
    """Two plies 1 mm apart where 3 mm are wanted: made so, they keep four fifths of 1 mm."""
    points = np.array([(0.0, 0, 0), (0.03, 0, 0), (0, 0, -0.03), (0.002, 0.001, -0.003)])
    faces = np.array([(0, 1, 2)], np.int32)
    pairs = Pairs(
        np.array([(3, 0, 1, 2)], np.int32), np.zeros(1, bool), np.array([(0.0, 1, 0)]), np.array([0.001]),
        np.zeros(1, np.int32), np.zeros(1, np.int32),
    )  # fmt: skip
    near = points if may_stay else np.full_like(points, np.nan)
    skin = Skin(faces, near, np.full(4, 0.003), np.ones(4), np.zeros(1, np.int32), np.zeros(4))
    rows = build_rows(pairs, points, points, faces, surroundings(0, 0.0), np.zeros(4, bool), 100.0, skin=skin)
    assert rows.depth == pytest.approx(8e-4 if may_stay else 3e-3)


def test_anchors_ride_on_their_triangle():
    points = np.array([[0.2, 0.3, 0.1], [0, 0, 0], [1, 0, 0], [0, 1, 0]], float)
    colliders = np.array([[1, 2, 3]], np.int32)
    anchors = placed(np.array([0], np.int32), points[:1], points, colliders)
    assert anchor_points(anchors, points, colliders) == pytest.approx(points[:1])
    turned = points @ np.array([[0, 1, 0], [-1, 0, 0], [0, 0, 1.0]]) + 2
    assert anchor_points(anchors, turned, colliders) == pytest.approx(turned[:1])


def test_a_sticking_vertex_keeps_its_anchor_and_a_slipping_one_drags_it():
    points = np.array([[0.2, 0.3, 0.0], [0.3, 0.3, 0.0], [0, 0, 0], [1, 0, 0], [0, 1, 0]], float)
    colliders = np.array([[2, 3, 4]], np.int32)
    nearest = np.zeros(2, np.int32)
    anchors = with_newcomers(Anchors.none(2), nearest, points, colliders, 2)
    moved = points.copy()
    moved[:2, 0] += 0.01
    push = np.array([[0, 0, 1.0], [0, 0, 1.0]])
    after = after_slip(anchors, nearest, moved, colliders, push, np.array([0.02, 0.004]), 2)
    kept = anchor_points(after, moved, colliders)
    assert kept[0] == pytest.approx([0.2, 0.3, 0])
    assert kept[1] == pytest.approx([0.306, 0.3, 0])
    gone = after_slip(anchors, nearest, moved, colliders, push * 0, np.zeros(2), 2)
    assert gone.triangle.tolist() == [-1, -1]


def test_exact_counts():
    points, triangles = box((0, 0, 0), (1, 1, 1))
    assert len(crossing_pairs(points, triangles, points + 5, triangles)) == 0
    assert len(crossing_pairs(points, triangles, points + 0.3, triangles)) > 0
    both = np.concatenate([points, points + 0.3])
    assert len(self_crossing_pairs(points, triangles)) == 0
    assert len(self_crossing_pairs(both, np.concatenate([triangles, triangles + 8]))) > 0
    assert inside(points, triangles, np.array([[0.5, 0.5, 0.5], [1.5, 0, 0]])).tolist() == [True, False]


def test_how_deep_triangles_reach_through_each_other():
    """Two squares' corners by hand: one stands 3 mm through the other, 20 mm beside its edge."""
    flat = np.array([[0.0, 0, 0], [0.1, 0, 0], [0, 0.1, 0]])
    standing = np.array([[0.02, 0.03, -0.003], [0.02, 0.03, 0.06], [0.02, 0.04, 0.06]])
    one = np.array([[0, 1, 2]], np.int32)
    assert crossing_depths(flat, one, standing, one) == pytest.approx(0.003)
    assert crossing_depths(standing, one, flat, one) == pytest.approx(0.003)
    assert crossing_depths(flat, one, standing + [0, 0, 0.01], one) == pytest.approx(0.0)
