"""Rotations, curves, skinning, caches and points that ride on surfaces."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.transform import Rotation, Slerp

from patient_needle.core.geometry.binding import bind, follow
from patient_needle.core.geometry.curves import ease, value_at
from patient_needle.core.geometry.motion import CachedMotion, SkinnedMotion
from patient_needle.core.geometry.rest_metric import drawn_directions, pattern_directions, shape_of_triangles
from patient_needle.core.geometry.rotations import matrices, slerp
from patient_needle.core.geometry.skinning import Pose, Skeleton, Skin
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.errors import CastError, StartError
from patient_needle.core.model.mesh import Mesh
from tests.sheets import sheet


def arm(frames: int = 3) -> SkinnedMotion:
    """A point at the end of a 0.6 m arm that turns 80 degrees a frame."""
    rest = Pose(np.array([[0.0, 1, 0], [0.3, 0, 0]]), np.tile([0, 0, 0, 1.0], (2, 1)), np.ones((2, 3)))
    poses = []
    for frame in range(frames):
        turn = Rotation.from_euler("z", [80.0 * frame], degrees=True).as_quat()
        poses.append(Pose(rest.translation, np.concatenate([turn.reshape(1, 4), [[0, 0, 0, 1.0]]]), rest.scale))
    inverse = np.tile(np.eye(4), (2, 1, 1))
    inverse[:, :3, 3] = [[0, -1, 0], [-0.3, -1, 0]]
    skeleton = Skeleton(("shoulder", "elbow"), np.array([-1, 0], np.int32), inverse, rest, np.eye(4))
    skin = Skin(np.array([[1]], np.int32), np.ones((1, 1)))
    return SkinnedMotion(np.array([[0.6, 1.0, 0]]), skin, skeleton, tuple(poses), 1001)


def test_slerp_agrees_with_scipy():
    a, b = Rotation.random(20, random_state=1), Rotation.random(20, random_state=2)
    ours = slerp(a.as_quat(), b.as_quat(), 0.3)
    theirs = [Slerp([0, 1], Rotation.concatenate([p, q]))(0.3) for p, q in zip(a, b, strict=True)]
    assert all((Rotation.from_quat(o).inv() * t).magnitude() < 1e-7 for o, t in zip(ours, theirs, strict=True))


def test_matrices_agree_with_scipy():
    turn = Rotation.random(5, random_state=3)
    got = matrices(np.arange(15.0).reshape(5, 3), turn.as_quat(), np.full((5, 3), 2.0))
    assert got[:, :3, :3] == pytest.approx(2 * turn.as_matrix())
    assert got[:, :3, 3] == pytest.approx(np.arange(15.0).reshape(5, 3))


def test_a_fast_limb_keeps_its_length_between_frames():
    """Points interpolated straight would shrink the arm to cos 40 degrees, 77 %, half way."""
    motion = arm()
    for frame in np.linspace(1001, 1003, 17):
        assert np.linalg.norm(motion.at(frame)[0] - [0, 1, 0]) == pytest.approx(0.6)


def test_frames_outside_the_animation_are_refused():
    with pytest.raises(CastError, match=r"frame 1004 .* 1001 to 1003"):
        arm().at(1004)


def test_way_into_the_first_frame_turns_joints():
    motion = arm()
    assert motion.toward_first(1002, 0.5)[0] == pytest.approx(motion.at(1001.5)[0])


def test_cache_is_cubic_through_its_frames():
    """Catmull-Rom (closed form): reproduces a parabola between inner frames, and every frame."""
    t = np.arange(6.0)
    frames = np.stack([t, t**2, 3 + 0 * t], 1)[:, None, :]
    motion = CachedMotion(frames[0], frames, 10)
    assert motion.at(12)[0] == pytest.approx([2, 4, 3])
    assert motion.at(12.5)[0] == pytest.approx([2.5, 6.25, 3])
    with pytest.raises(CastError):
        motion.at(15.5)


def test_curve_is_smooth_monotone_and_held():
    curve = Curve(np.array([1.0, 10, 20]), np.array([0.0, 1, 1]))
    values = [value_at(curve, f) for f in np.linspace(-5, 30, 200)]
    assert np.all(np.diff(values) >= -1e-12)
    assert (values[0], values[-1]) == (0.0, 1.0)
    assert max(values) <= 1.0
    assert value_at(Curve.constant(4), 7) == 4


def test_ease_has_no_speed_at_its_ends():
    assert (ease(-1), ease(0), ease(0.5), ease(1), ease(2)) == (0, 0, pytest.approx(0.5), 1, 1)
    assert ease(1e-3) < 1e-7


def test_bound_points_ride_rigidly():
    """A bound point turns and moves with the surface, whatever its place above it."""
    points, triangles = sheet(0.3, 0.3, 0.05)
    riders = np.array([[0.11, 0.12, 0.004], [0.0, 0.31, 0.01], [0.3, 0.02, 0.002]])
    binding = bind(points, triangles, riders, name="riders")
    assert follow(binding, points) == pytest.approx(riders, abs=1e-12)
    turn = Rotation.from_euler("xyz", [20, 50, 70], degrees=True)
    assert follow(binding, turn.apply(points) + 1) == pytest.approx(turn.apply(riders) + 1, abs=1e-12)


def test_points_too_far_from_the_surface_are_refused():
    points, triangles = sheet(0.3, 0.3, 0.1)
    with pytest.raises(StartError, match="1000 mm"):
        bind(points, triangles, np.array([[0.1, 0.1, 1.0]]), name="cuff")


def with_uvs(scale: float, stretch: float) -> tuple:
    points, triangles = sheet(0.4, 0.3, 0.05)
    uvs = np.stack([points[:, 1], points[:, 0] * stretch], 1) * scale
    size = np.full(len(triangles), 3, np.int32)
    flipped = triangles[:, ::-1].ravel().astype(np.int32)
    mesh = Mesh("m", points, size, flipped, uvs, flipped)
    return mesh, triangulated(mesh)


def test_uvs_of_a_pattern_give_the_warp():
    """v runs along x here, at any common scale."""
    warp = pattern_directions(*with_uvs(3.0, 1.0))
    assert warp == pytest.approx(np.tile([1.0, 0, 0], (len(warp), 1)))


def test_stretched_uvs_are_no_pattern():
    assert pattern_directions(*with_uvs(1.0, 1.5)) is None


def test_drawn_direction_is_laid_onto_the_cloth_and_rest_is_undeformed():
    points, triangles = sheet(0.4, 0.3, 0.05)
    warp = drawn_directions(points, triangles, np.array([1.0, 1, 5]))
    assert warp == pytest.approx(np.tile([np.sqrt(0.5), np.sqrt(0.5), 0], (len(warp), 1)))
    square = drawn_directions(points, triangles, np.array([0, 0, 1.0]))
    assert np.linalg.norm(square, axis=1) == pytest.approx(1)
    metric = shape_of_triangles("square", points, triangles, warp).metric
    inverse = np.linalg.inv(metric.matrices)
    corners = points[triangles]
    edges = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], 2)
    images = edges @ inverse
    assert np.linalg.norm(images, axis=1) == pytest.approx(1)
    assert images[:, :, 1] == pytest.approx(warp)


@pytest.mark.parametrize("degrees", [0.0, 0.5, 30.0, 170.0])
def test_spin_between_two_poses(degrees):
    """Against SciPy's rotation vectors."""
    from scipy.spatial.transform import Rotation

    from patient_needle.core.geometry.rotations import spin_between

    rng = np.random.default_rng(2)
    points, axis = rng.normal(size=(9, 3)), np.array([0.48, -0.6, 0.64])
    turn = Rotation.from_rotvec(np.radians(degrees) * axis)
    spin = spin_between(points, turn.apply(points) + [3, 1, 2], 0.25)
    assert spin == pytest.approx(turn.as_rotvec() / 0.25, abs=1e-9)
    assert np.array_equal(spin_between(points[:2], points[:2], 0.1), np.zeros(3))
    assert np.array_equal(spin_between(points[:1].repeat(5, 0), points[:1].repeat(5, 0), 0.1), np.zeros(3))
