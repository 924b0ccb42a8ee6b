"""Linear blend skinning of a rest mesh to a skeleton."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.typed import Indices, Matrices, Points, Quaternions, Scalars, Vectors
from .rotations import matrices, slerp


@dataclass(frozen=True, eq=False)
class Pose:
    """Local transforms of j joints.

    translation (j, 3) m, rotation (j, 4) x y z w, scale (j, 3).
    """

    translation: Vectors
    rotation: Quaternions
    scale: Vectors

    def toward(self, other: Pose, share: float) -> Pose:
        """Part of the way to `other`: rotations on the shorter arc, the rest linearly."""
        return Pose(
            self.translation + share * (other.translation - self.translation),
            slerp(self.rotation, other.rotation, share),
            self.scale + share * (other.scale - self.scale),
        )


@dataclass(frozen=True, eq=False)
class Skeleton:
    """Joints of a character.

    names            j names
    parents          (j,) int32, -1 for a root; a parent stands before its children
    inverse_bind     (j, 4, 4) from the mesh's rest space to the joint's
    rest             the pose in which the mesh was bound
    placement        (4, 4) applied to every root: units, axis, nodes above the skeleton
    """

    names: tuple[str, ...]
    parents: Indices
    inverse_bind: Matrices
    rest: Pose
    placement: Matrices


@dataclass(frozen=True, eq=False)
class Skin:
    """joints (n, k) int32 and weights (n, k) float64 that sum to 1, per vertex."""

    joints: Indices
    weights: Scalars


def joint_matrices(skeleton: Skeleton, pose: Pose) -> Matrices:
    """World transform of each joint, (j, 4, 4)."""
    local = matrices(pose.translation, pose.rotation, pose.scale)
    world = np.empty_like(local)
    for joint, parent in enumerate(skeleton.parents):
        world[joint] = (skeleton.placement if parent < 0 else world[parent]) @ local[joint]
    return world


def skinned(points: Points, skin: Skin, skeleton: Skeleton, pose: Pose) -> Points:
    """Positions (n, 3) m of rest points (n, 3) under `pose`."""
    blend = joint_matrices(skeleton, pose) @ skeleton.inverse_bind
    out = np.zeros_like(points)
    for influence in range(skin.joints.shape[1]):
        chosen = blend[skin.joints[:, influence]]
        moved = np.einsum("nij,nj->ni", chosen[:, :3, :3], points) + chosen[:, :3, 3]
        out += skin.weights[:, influence, None] * moved
    return out
