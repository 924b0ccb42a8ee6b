"""Mending against closed forms: the least way out of a plane and a sphere, smoothing, and calm."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose
from scipy import sparse

from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.mend.calming import calmed, low_passed
from patient_needle.core.craft.mend.clearing import envelope
from patient_needle.core.craft.mend.easing_out import Asked, ease_out, least_displacement
from patient_needle.core.craft.mend.footage import Footage, Region, Span
from patient_needle.core.craft.mend.jumps import jolts
from patient_needle.core.craft.mend.smoothing import smooth_time, smoothest
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.motion import Still
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.shot import CastMember, ColliderSettings, Garment, PlannedRun, RunIn, ShotPlan
from patient_needle.core.model.tolerances import CLEAR_FRAMES
from tests.layers import ball
from tests.sheets import box, polygons, sheet

CLEARANCE, THICKNESS = 0.003, 0.001
GAP = CLEARANCE + 0.5 * THICKNESS
FRAMES = 24


def footage_over(points, triangles, cloth, faces, frames) -> Footage:
    """Cloth that is at frames (f, n, 3) over a closed body that stands still."""
    mesh = polygons("body", points, triangles.tolist())
    cut = triangulated(mesh)
    count = len(cut.triangles)
    member = CastMember(
        "body", "set piece", mesh, cut, Still(points), np.zeros(count, np.int32), ("whole",),
        np.array([50], np.int32), np.ones(count, bool),
        ColliderSettings(Curve.constant(CLEARANCE), Curve.constant(0.3)),
    )  # fmt: skip
    garment = Garment(
        "cloth", FromMesh(polygons("cloth", cloth, faces.tolist())), Fabric("plain", thickness=THICKNESS), ()
    )  # fmt: skip
    plan = ShotPlan(
        "reference", 24.0, (1, FRAMES), RunIn(0, 0), (member,), (garment,), np.array([0.0, -9.81, 0.0]), 0.0
    )  # fmt: skip
    run = OutfitRun(plan, PlannedRun(plan.garments, plan.garments))
    return Footage(run, frames.astype(np.float32), 1, 1)


def level(size: float, spacing: float):
    """A level sheet about the origin."""
    points, faces = sheet(size, size, spacing)
    return points[:, [0, 2, 1]] * [1, 1, -1] + [-size / 2, 0.0, size / 2], faces


def lowered(cloth, depth: float):
    """Frames in which all of a sheet lies `depth` below where it belongs, from 8 to 15."""
    frames = np.repeat(cloth[None], FRAMES, axis=0)
    frames[7:15, :, 1] -= depth
    return frames


def test_the_least_way_out_of_a_plane_is_its_depth_and_the_gap():
    """Closed form: the distance to the plane, and the gap."""
    cloth, faces = level(0.2, 0.02)
    rest = cloth + [0, GAP, 0]
    slab, triangles = box((-1, -0.5, -1), (1, 0, 1))
    footage = footage_over(slab, triangles, rest, faces, lowered(rest, 0.015 + GAP))
    patch = ease_out(footage, Region(np.ones(len(cloth))), Span(8, 15, 2))
    eased = footage.with_patch(patch)
    moved = eased.points.astype(float) - footage.points
    core = moved[7:15]
    assert_allclose(core[..., 1], 0.015 + GAP, rtol=0.01)
    assert_allclose(core[..., [0, 2]], 0.0, atol=1e-4)


def test_the_least_way_out_of_a_sphere_is_along_its_radius():
    """Closed form: from radius r along the radius to R and the gap; for a facetted ball to its facets."""
    radius = 0.12
    points, triangles = ball(radius, 5)
    cloth, faces = level(0.08, 0.01)
    over = cloth.copy()
    over[:, 1] = np.sqrt((radius + GAP) ** 2 - cloth[:, 0] ** 2 - cloth[:, 2] ** 2)
    deep = over * ((radius - 0.012) / np.linalg.norm(over, axis=1))[:, None]
    frames = np.repeat(over[None], FRAMES, axis=0)
    frames[7:15] = deep
    footage = footage_over(points, triangles, over, faces, frames)
    patch = ease_out(footage, Region(np.ones(len(cloth))), Span(8, 15, 2))
    moved = footage.with_patch(patch).points.astype(float) - footage.points
    way = np.linalg.norm(moved[7:15], axis=2)
    assert_allclose(way, 0.012 + GAP, rtol=0.01)
    outwards = deep / np.linalg.norm(deep, axis=1)[:, None]
    assert_allclose(np.einsum("fnk,nk->fn", moved[7:15], outwards) / way, 1.0, atol=1e-3)


def test_the_shortest_displacement_is_a_projection_where_nothing_is_smoothed():
    """Least norm with one half-space u . d >= c: d = c u (closed form)."""
    rng = np.random.default_rng(2)
    way = rng.normal(size=(3, 5, 3))
    way /= np.linalg.norm(way, axis=2)[..., None]
    least = rng.uniform(0.01, 0.02, (3, 5))
    least[1, 2] = -np.inf
    nothing = sparse.csr_matrix((5, 5))
    moved = least_displacement(Asked(way, least), np.ones((3, 5)), nothing, time=0.0, cloth=0.0)
    assert_allclose(moved, np.where(np.isfinite(least), least, 0.0)[..., None] * way, atol=1e-12)


@pytest.mark.parametrize("weight", [1.0, 0.0])
def test_smoothing_in_time_keeps_a_straight_motion(weight):
    """The penalty on second differences vanishes on straight lines (E. Whittaker, 1923)."""
    line = np.linspace(0, 1, 30)[:, None] * np.array([[3.0, -2.0, 0.5]]) + 7.0
    firm = np.ones(30)
    firm[11:14] = weight
    assert_allclose(smoothest(line, firm, 50.0), line, atol=1e-12)


def test_a_remedy_in_time_keeps_cloth_that_moves_straight():
    cloth, faces = level(0.1, 0.02)
    slab, triangles = box((-1, -0.5, -1), (1, 0, 1))
    straight = cloth + [0, 0.1, 0] + np.arange(FRAMES)[:, None, None] * np.array([0.01, 0.004, 0.0])
    footage = footage_over(slab, triangles, cloth + [0, 0.1, 0], faces, straight)
    patch = smooth_time(footage, Region(np.ones(len(cloth))), Span(8, 15, 3))
    assert np.abs(footage.with_patch(patch).points.astype(float) - straight).max() < 1e-6


def test_a_blow_is_no_jump_and_a_step_is_one():
    """A change of velocity gives 0, a step of d gives d, a single frame d off gives the root of 2 d."""
    time = np.arange(20.0)
    blow = np.where(time < 10, 0.0, (time - 10) * 0.05)
    step = np.where(time < 10, 0.0, 0.03)
    off = np.where(time == 10, 0.03, 0.0)
    found = jolts(np.stack([np.stack([v, 0 * v, 0 * v], axis=1) for v in (blow, step, off)], axis=1))
    assert found[:, 0].max() < 1e-6
    assert_allclose(found[10, 1], 0.03, rtol=1e-5)
    assert_allclose(found[10, 2], np.sqrt(2) * 0.03, rtol=1e-5)


def test_what_is_calmed_keeps_its_swing_and_loses_its_flutter():
    """A swing of 1 Hz stays within a tenth; one of 8 Hz falls by 10 dB at 0.5, by 20 dB at 1, without delay: so
    much that 6 and 12 dB are left when cloth that legs push is run again to it.
    """
    rate, time = 24.0, np.arange(96) / 24.0
    slow, fast = np.sin(2 * np.pi * 1.0 * time), np.sin(2 * np.pi * 8.0 * time)
    middle = slice(24, 72)
    assert_allclose(low_passed(slow[:, None], rate)[middle, 0], slow[middle], atol=0.1)
    cloth, faces = level(0.1, 0.05)
    slab, triangles = box((-1, -0.5, -1), (1, 0, 1))
    for amount, decibels in ((0.5, 10.0), (1.0, 20.0)):
        frames = np.repeat(cloth[None] + [0, 1.0, 0], len(time), axis=0)
        mover = int(np.argmax(cloth[:, 0] + cloth[:, 2]))
        frames[:, mover, 1] += 0.02 * fast
        footage = footage_over(slab, triangles, cloth + [0, 1.0, 0], faces, frames)
        quiet = calmed(replace(footage), amount)[middle, mover, 1].astype(float)
        left = np.sqrt(2) * np.std(quiet) / 0.02
        assert -20 * np.log10(left) == pytest.approx(decibels, abs=1.5)
        assert np.corrcoef(quiet, fast[middle])[0, 1] > 0.99


def test_a_way_around_is_nowhere_shorter_than_it_must_be_and_has_no_corner():
    """One frame that lacks d: the way is d there, d (2 m + 1) over all frames, nothing beyond 2 m of them."""
    d, m = 0.02, CLEAR_FRAMES
    short = np.zeros((60, 1, 3))
    short[30, 0] = [0.0, 0.6 * d, 0.8 * d]
    way = envelope(short)
    assert_allclose(way[30, 0], short[30, 0], rtol=1e-9)
    assert_allclose(np.linalg.norm(way, axis=2).sum(), d * (2 * m + 1), rtol=1e-9)
    assert not way[: 30 - 2 * m].any()
    assert not way[31 + 2 * m :].any()
    assert np.abs(np.diff(way[..., 2], 2, axis=0)).max() < 0.8 * d * 2 / m**2
    uneven = np.abs(np.random.default_rng(5).normal(0, d, (60, 4)))
    led = envelope(uneven[..., None] * np.array([0.0, 1.0, 0.0]))
    assert (led[..., 1] >= uneven - 1e-12).all()


def test_what_is_calmed_is_led_out_of_bodies():
    """Cloth that hops on a slab: its slow motion alone would dip into the gap."""
    cloth, faces = level(0.1, 0.05)
    slab, triangles = box((-1, -0.5, -1), (1, 0, 1))
    time = np.arange(72)
    height = GAP + 0.05 * np.clip(np.sin(2 * np.pi * time / 10), 0, None) * (time > 24)
    frames = np.repeat(cloth[None], len(time), axis=0) + height[:, None, None] * np.array([0.0, 1.0, 0.0])
    footage = footage_over(slab, triangles, cloth + [0, GAP, 0], faces, frames)
    assert low_passed(height[:, None], 24.0).min() < GAP - 0.001
    assert calmed(footage, 1.0)[..., 1].min() > GAP - 1e-6
