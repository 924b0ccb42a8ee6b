"""Affine transforms taken apart."""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation

from ..model.typed import Matrices, Vectors
from .skinning import Pose

SHEAR = 1e-4  # of the product of two scales: float32 files round this much


def decomposed(transforms: Matrices) -> Pose:
    """T R S of (n, 4, 4) transforms; a mirror becomes a scale along x below zero.

    `ValueError` for a scale of 0, a shear, a perspective, or a number that is not finite.
    """
    if not np.isfinite(transforms).all():
        raise ValueError("it is not finite")
    if not np.allclose(transforms[:, 3], (0, 0, 0, 1), atol=1e-6):
        raise ValueError("it has a perspective")
    axes = transforms[:, :3, :3]
    scale = np.linalg.norm(axes, axis=1)
    if scale.min(initial=1.0) <= 1e-12:
        raise ValueError("it scales to 0")
    turn = axes / scale[:, None, :]
    lean = np.abs(np.einsum("nij,nik->njk", turn, turn) - np.eye(3)).max(initial=0.0)
    if lean > SHEAR:
        raise ValueError("it shears")
    mirrored = np.linalg.det(turn) < 0
    turn = np.where(mirrored[:, None, None], turn * np.array([-1.0, 1.0, 1.0]), turn)
    scale = np.where(mirrored[:, None], scale * np.array([-1.0, 1.0, 1.0]), scale)
    return Pose(transforms[:, :3, 3].copy(), Rotation.from_matrix(turn).as_quat(), scale)


def transform(place: Vectors, degrees: Vectors, scale: float) -> Matrices:
    """(4, 4) that scales, turns by `degrees` (3,) about x, then y, then z, and moves to `place` (3,) m."""
    out = np.eye(4)
    out[:3, :3] = scale * Rotation.from_euler("xyz", degrees, degrees=True).as_matrix()
    out[:3, 3] = place
    return out
