"""Linear blend skinning of a rest mesh to a skeleton; transforms as poses; poses of another skeleton."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from ..model.errors import CastError
from ..model.tolerances import BONE_LENGTH_SHARE, SHEAR_SHARE
from ..model.typed import Indices, Matrices, Points, Quaternions, Scalars, Vectors
from .rotations import matrices, slerp


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
    if lean > SHEAR_SHARE:
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


@dataclass(frozen=True)
class Matched:
    """joints of the receiving skeleton that a motion reaches, those it does not, and joints it has beside them;
    unlike: bones of another length, by name, with their ratio.
    """

    matched: tuple[str, ...]
    missing: tuple[str, ...]
    unused: tuple[str, ...]
    unlike: tuple[tuple[str, float], ...]

    def said(self) -> str:
        """The report in words."""
        parts = [f"{len(self.matched)} of {len(self.matched) + len(self.missing)} joints found by name"]
        if self.missing:
            parts.append(f"not found, so left at rest: {_listed(self.missing)}")
        if self.unused:
            parts.append(f"not used: {_listed(self.unused)}")
        if self.unlike:
            parts.append("of another length: " + _listed([f"{n} {r - 1:+.0%}" for n, r in self.unlike]))
        return "; ".join(parts)


def _listed(names: tuple[str, ...] | list[str], most: int = 6) -> str:
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def onto(skeleton: Skeleton, source: Skeleton, poses: tuple[Pose, ...]) -> tuple[tuple[Pose, ...], Matched]:
    """`poses` of `source` for `skeleton`, joint by joint of the same name; what has none stays at rest.

    Turns and scales are taken as they are. Of moves only what a joint is away from its own rest is taken, so
    that bones keep their length. `CastError` when no name is found.
    """
    place = {name: index for index, name in enumerate(source.names)}
    pairs = [(i, place[name]) for i, name in enumerate(skeleton.names) if name in place]
    if not pairs:
        raise CastError(
            f"none of its {len(source.names)} joints is called as one of the character's",
            remedy=f"The character has {_listed(skeleton.names)}; the motion has {_listed(source.names)}",
        )
    own, other = (np.array(side) for side in zip(*pairs, strict=True))
    out = []
    for pose in poses:
        translation, rotation = skeleton.rest.translation.copy(), skeleton.rest.rotation.copy()
        scale = skeleton.rest.scale.copy()
        away = pose.translation[other] - source.rest.translation[other]
        translation[own] = translation[own] + away
        rotation[own], scale[own] = pose.rotation[other], pose.scale[other]
        out.append(Pose(translation, rotation, scale))
    names = [skeleton.names[i] for i in own]
    matched = Matched(
        tuple(names), tuple(n for n in skeleton.names if n not in place),
        tuple(n for n in source.names if n not in skeleton.names), _unlike(skeleton, source, own, other),
    )  # fmt: skip
    return tuple(out), matched


def _unlike(
    skeleton: Skeleton, source: Skeleton, own: np.ndarray, other: np.ndarray
) -> tuple[tuple[str, float], ...]:
    mine = np.linalg.norm(skeleton.rest.translation[own], axis=1)
    theirs = np.linalg.norm(source.rest.translation[other], axis=1)
    inner = skeleton.parents[own] >= 0
    ratio = np.divide(theirs, mine, out=np.ones_like(mine), where=inner & (mine > 1e-9))
    off = np.flatnonzero(np.abs(ratio - 1) > BONE_LENGTH_SHARE)
    return tuple((skeleton.names[own[i]], float(ratio[i])) for i in off)
