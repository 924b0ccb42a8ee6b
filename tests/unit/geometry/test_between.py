"""Shapes between two shapes: how volume, ends and loose parts fare."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.geometry import between
from patient_needle.core.geometry.between import Between
from patient_needle.core.geometry.motion import CachedMotion
from patient_needle.core.geometry.placing import PlacedMotion, RetimedMotion, RoutedMotion, placement
from tests.figures import POSES, lamplighter, posed, turned, volume

SHARES = np.linspace(0.02, 0.98, 13)


@pytest.mark.parametrize("pose", [*POSES, 1001, 1075, 1105])
@pytest.mark.parametrize("heading", [0, 127, 180])
def test_a_body_keeps_its_volume_on_its_way(pose, heading):
    """Within 10 % of the mean of both ends, as a body of flesh does; the bar is ours."""
    body = lamplighter()
    start, triangles = body.motion.rest(), body.cut.triangles
    end = turned(posed(POSES[pose]) if pose in POSES else body.motion.at(pose), heading) + [1.0, 0, -2.0]
    way = Between(start, end, triangles)
    mean = (volume(start, triangles) + volume(end, triangles)) / 2
    found = np.array([volume(way.at(share), triangles) for share in SHARES])
    assert np.abs(found / mean - 1).max() < 0.1
    assert_allclose(way.at(0.0), start, atol=1e-6)
    assert_allclose(way.at(1.0), end, atol=1e-6)


def test_points_that_go_straight_lose_nearly_all_of_it():
    """What the way above is for: the same body turned by 180 degrees, half way along straight lines."""
    body = lamplighter()
    start, triangles = body.motion.rest(), body.cut.triangles
    straight = (start + turned(start, 180)) / 2
    assert volume(straight, triangles) < 0.05 * volume(start, triangles)


def test_a_rigid_motion_stays_rigid():
    """Analytic: half of a turn by 100 degrees and a move is a turn by 50 degrees about the middle."""
    body = lamplighter()
    start, triangles = body.motion.rest(), body.cut.triangles
    half = Between(start, turned(start, 100) + [2.0, 0, 0], triangles).at(0.5)
    lengths = [np.linalg.norm(p[triangles] - p[np.roll(triangles, 1, axis=1)], axis=2) for p in (start, half)]
    assert_allclose(lengths[1], lengths[0], atol=1e-6)
    offset = half - turned(start, 50)
    assert_allclose(offset, np.broadcast_to(offset[0], offset.shape), atol=1e-5)


def test_loose_parts_and_lone_points_ride_along():
    """Two squares and a point apart, turned as one by 90 degrees: they stay as far from each other."""
    square = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    points = np.concatenate([square, square + [1.2, 0, 0.1], [[0.5, 0.5, 0.3]]])
    triangles = np.array([[0, 1, 2], [0, 2, 3], [4, 5, 6], [4, 6, 7]], np.int32)
    half = Between(points, turned(points, 90), triangles).at(0.5)
    apart = [np.linalg.norm(p[:, None] - p[None], axis=2) for p in (points, half)]
    assert_allclose(apart[1][:8, :8], apart[0][:8, :8], atol=1e-6)
    assert np.linalg.norm(half[8] - half[:4].mean(axis=0)) == pytest.approx(0.3, abs=0.01)


def test_what_is_too_large_for_a_factor_still_turns_as_a_whole(monkeypatch):
    monkeypatch.setattr(between, "MOST_POINTS", 100)
    body = lamplighter()
    start, triangles = body.motion.rest(), body.cut.triangles
    half = Between(start, turned(start, 180) + [2.0, 0, 0], triangles).at(0.5)
    assert volume(half, triangles) == pytest.approx(volume(start, triangles), rel=1e-6)


def test_a_triangle_without_area_does_no_harm():
    """Its lone corner rides along as if it were loose; points in a line, without any area, go straight."""
    points = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [2, 0, 0]])
    triangles = np.array([[0, 1, 2], [0, 1, 3]], np.int32)
    half = Between(points, turned(points, 60), triangles).at(0.5)
    apart = [np.linalg.norm(p[:, None] - p[None], axis=2) for p in (points, half)]
    assert_allclose(apart[1], apart[0], atol=1e-6)
    line = points[:, :1] * [1.0, 0, 0]
    assert_allclose(Between(line, line + [0, 2.0, 0], triangles).at(0.5), line + [0, 1.0, 0], atol=1e-12)


def test_a_cache_goes_this_way_with_its_triangles_and_straight_without():
    body = lamplighter()
    rest, triangles = body.motion.rest(), body.cut.triangles
    frames = np.stack([turned(rest, 170), turned(rest, 175)]).astype(np.float32)
    whole = volume(rest, triangles)
    for motion in (
        CachedMotion(rest, frames, -12, triangles),
        RetimedMotion(CachedMotion(rest, frames, 0, triangles), -12, 30 / 24),
        PlacedMotion(CachedMotion(rest, frames, -12, triangles), placement(1, "y", 1, 40, (3, 0, 0))),
    ):
        assert volume(motion.toward_first(-12, 0.5), triangles) == pytest.approx(whole, rel=0.01)
    straight = CachedMotion(rest, frames, -12).toward_first(-12, 0.5)
    assert volume(straight, triangles) < 0.1 * whole


def test_a_motion_is_turned_and_moved_without_its_rest_pose():
    body = lamplighter()
    motion = RoutedMotion(body.motion, 90.0, (1.0, 0.0, 0.0))
    assert_allclose(motion.rest(), body.motion.rest())
    assert_allclose(motion.at(1050), turned(body.motion.at(1050), 90) + [1, 0, 0], atol=1e-12)
    half = motion.toward_first(1001, 0.5)
    assert_allclose(half, turned(body.motion.toward_first(1001, 0.5), 45) + [0.5, 0, 0], atol=1e-12)
    assert motion.span() == body.motion.span()
