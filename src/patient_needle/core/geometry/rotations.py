"""Quaternions (x, y, z, w) as arrays, and rigid transforms built from them."""

from __future__ import annotations

import numpy as np

from ..model.typed import Matrices, Points, Quaternions, Scalars, Vectors


def normalised(quaternions: Quaternions) -> Quaternions:
    """Unit quaternions; one of zero length becomes the identity."""
    length = np.linalg.norm(quaternions, axis=-1, keepdims=True)
    identity = np.array([0.0, 0.0, 0.0, 1.0])
    return np.where(length > 0, quaternions / np.where(length > 0, length, 1.0), identity)


def slerp(first: Quaternions, second: Quaternions, share: float | Scalars) -> Quaternions:
    """Spherical interpolation along the shorter arc, (n, 4) each; share: one for all, or (n, 1).

    Source: K. Shoemake, Animating rotation with quaternion curves, SIGGRAPH 1985. Nearly equal
    rotations (angle under 1e-6 rad) are interpolated linearly.
    """
    cosine = np.sum(first * second, axis=-1, keepdims=True)
    second = np.where(cosine < 0, -second, second)
    angle = np.arccos(np.clip(np.abs(cosine), 0.0, 1.0))
    sine = np.sin(angle)
    near = sine < 1e-6
    safe = np.where(near, 1.0, sine)
    before = np.where(near, 1.0 - share, np.sin((1.0 - share) * angle) / safe)
    after = np.where(near, share, np.sin(share * angle) / safe)
    return normalised(before * first + after * second)


def matrices(translation: Vectors, rotation: Quaternions, scale: Vectors) -> Matrices:
    """(n, 4, 4) transforms T R S from translation (n, 3) m, rotation (n, 4), scale (n, 3)."""
    x, y, z, w = np.moveaxis(normalised(rotation), -1, 0)
    out = np.zeros((len(translation), 4, 4))
    out[:, 0, 0] = 1 - 2 * (y * y + z * z)
    out[:, 0, 1] = 2 * (x * y - z * w)
    out[:, 0, 2] = 2 * (x * z + y * w)
    out[:, 1, 0] = 2 * (x * y + z * w)
    out[:, 1, 1] = 1 - 2 * (x * x + z * z)
    out[:, 1, 2] = 2 * (y * z - x * w)
    out[:, 2, 0] = 2 * (x * z - y * w)
    out[:, 2, 1] = 2 * (y * z + x * w)
    out[:, 2, 2] = 1 - 2 * (x * x + y * y)
    out[:, :3, :3] *= scale[:, None, :]
    out[:, :3, 3] = translation
    out[:, 3, 3] = 1.0
    return out


def best_turn(before: Points, after: Points) -> tuple[Matrices, Vectors]:
    """Rotation (3, 3) that takes points (k, 3) m about their middle best from before to after, and how well
    that is settled: (3,) sizes, of which the second is 0 when the points lie on one line.

    Source: W. Kabsch, A solution for the best rotation to relate two sets of vectors, Acta Cryst. A32 (1976).
    """
    a, b = before - before.mean(axis=0), after - after.mean(axis=0)
    left, sizes, right = np.linalg.svd(a.T @ b)
    flip = np.diag([1.0, 1.0, np.sign(np.linalg.det(right.T @ left.T))])
    return right.T @ flip @ left.T, sizes


def rigid_between(before: Points, after: Points) -> Matrices:
    """(4, 4) of the rigid motion that takes points (k, 3) m best from before to after."""
    out = np.eye(4)
    out[:3, :3], _ = best_turn(before, after)
    out[:3, 3] = after.mean(axis=0) - out[:3, :3] @ before.mean(axis=0)
    return out


def spin_between(before: Points, after: Points, seconds: float) -> Vectors:
    """Angular velocity (3,) rad/s of the rigid turn that takes points (k, 3) m best from before to after.

    Fewer than three points, or points on one line, do not turn.
    """
    if len(before) < 3:
        return np.zeros(3)
    turn, sizes = best_turn(before, after)
    if sizes[1] <= 1e-9 * max(sizes[0], 1e-300):
        return np.zeros(3)
    axis = np.array([turn[2, 1] - turn[1, 2], turn[0, 2] - turn[2, 0], turn[1, 0] - turn[0, 1]])
    sine = 0.5 * np.linalg.norm(axis)
    angle = np.arctan2(sine, 0.5 * (np.trace(turn) - 1))
    return axis * (0.5 * angle / sine if sine > 1e-12 else 0.5) / seconds
