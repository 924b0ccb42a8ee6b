"""UsdSkel: the skeleton that moves a mesh, its skin and its poses."""

from __future__ import annotations

import numpy as np
from pxr import Usd, UsdSkel

from ...core.geometry.skinning import Pose, Skeleton, Skin, decomposed
from ...core.model.errors import CastError, FileError
from ...core.model.typed import Matrices, Points
from ..contents import SkinnedSource, balanced
from .stage import OpenStage, Shown, column_matrices, world_at

STAND = "where the skeleton stands"  # a joint above all others: the skeleton's own place in the world


class Bound:
    """A mesh that is bound to a skeleton."""

    def __init__(self, opened: OpenStage, one: Shown) -> None:
        self._opened, self._one = opened, one
        self._prim = UsdSkel.BindingAPI(one.prim).GetInheritedSkeleton().GetPrim()
        self._cache = UsdSkel.Cache()
        self._cache.Populate(UsdSkel.Root.Find(one.prim), Usd.TraverseInstanceProxies())
        self.skinning = self._cache.GetSkinningQuery(one.prim)
        self.skeleton = self._cache.GetSkelQuery(UsdSkel.Skeleton(self._prim))

    def __bool__(self) -> bool:
        return bool(self.skinning and self.skeleton and self.skinning.HasJointInfluences())

    @property
    def moves(self) -> bool:
        """Whether an animation moves its joints."""
        animation = self.skeleton.GetAnimQuery()
        return bool(animation) and len(animation.GetJointTransformTimeSamples()) > 1

    def read(self, vertices: int, rate: float | None) -> tuple[SkinnedSource, tuple[str, ...]]:
        """Skin, skeleton and a pose for each frame; file units and axes."""
        where = f"{self._opened.path}, skeleton '{self._prim.GetName()}'"
        topology = self.skeleton.GetTopology()
        parents = np.array(topology.GetParentIndices(), np.int32)
        if np.any(parents >= np.arange(len(parents))):
            raise CastError("a joint stands before its parent", where=where, remedy="Export it again")
        bind = column_matrices(self.skeleton.GetJointWorldBindTransforms())
        if len(bind) != len(parents) or len(parents) == 0:
            raise CastError(
                f"it has {len(parents)} joints and {len(bind)} bind transforms", where=where,
                remedy="Export it with its bind pose",
            )  # fmt: skip
        skin, notes = self._skin(vertices, len(parents))
        geometry = column_matrices([self.skinning.GetGeomBindTransform()])[0]
        inverse = np.concatenate([np.eye(4)[None], np.linalg.inv(bind) @ geometry])
        rest = self._pose(_local(bind, parents), world_at(self._prim, self._opened.first), where)
        skeleton = Skeleton(
            (STAND, *(str(joint).split("/")[-1] for joint in self.skeleton.GetJointOrder())),
            np.concatenate([[-1], parents + 1]).astype(np.int32), inverse, rest, np.eye(4),
        )  # fmt: skip
        poses = tuple(
            self._pose(
                column_matrices(self.skeleton.ComputeJointLocalTransforms(Usd.TimeCode(time))),
                world_at(self._prim, time), where,
            )
            for time in (self._opened.times(rate) if self.moves else [self._opened.first])
        )  # fmt: skip
        return SkinnedSource(skin, skeleton, poses), notes

    def shapes(self, vertices: int) -> dict[str, Points]:
        """Offsets (n, 3) of the mesh's blend shapes, in its own space."""
        query = UsdSkel.BlendShapeQuery(UsdSkel.BindingAPI(self._one.prim))
        out = {}
        for index in range(query.GetNumBlendShapes()):
            shape = query.GetBlendShape(index)
            offsets = np.array(shape.GetOffsetsAttr().Get() or [], float).reshape(-1, 3)
            at = np.array(shape.GetPointIndicesAttr().Get() or np.arange(len(offsets)), int)
            if len(at) == len(offsets) and at.min(initial=0) >= 0 and at.max(initial=-1) < vertices:
                whole = np.zeros((vertices, 3))
                whole[at] = offsets
                out[str(shape.GetPrim().GetName())] = whole
        return out

    def _skin(self, vertices: int, joints: int) -> tuple[Skin, tuple[str, ...]]:
        found = self.skinning.ComputeJointInfluences()
        if not found or not self.skinning.GetNumInfluencesPerComponent():
            raise CastError(
                "the mesh is bound to a skeleton without weights",
                where=f"{self._opened.path}, mesh '{self._one.name}'",
                remedy="Export it with skin weights",
            )
        width = self.skinning.GetNumInfluencesPerComponent()
        index = np.array(found[0], np.int64).reshape(-1, width)
        weights = np.array(found[1], float).reshape(-1, width)
        if self.skinning.IsRigidlyDeformed():
            index, weights = np.tile(index[:1], (vertices, 1)), np.tile(weights[:1], (vertices, 1))
        index = self._in_skeleton(index)
        if index.shape != (vertices, width) or index.min(initial=0) < 0 or index.max(initial=0) >= joints:
            raise FileError(
                f"it has weights for {len(index)} of {vertices} vertices, or names a joint that is not there",
                where=f"{self._opened.path}, mesh '{self._one.name}'",
                remedy="Export it again",
            )
        weights, notes = balanced(weights, f"{self._opened.path}, mesh '{self._one.name}'")
        return Skin((index + 1).astype(np.int32), weights), notes

    def _in_skeleton(self, index: np.ndarray) -> np.ndarray:
        """Joints in the skeleton's order; a mesh may bring an order of its own."""
        own = self.skinning.GetJointOrder()
        if not own:
            return index
        order = list(self.skeleton.GetJointOrder())
        place = np.array([order.index(joint) if joint in order else -1 for joint in own])
        return place[np.clip(index, 0, len(place) - 1)]

    def _pose(self, local: Matrices, stand: Matrices, where: str) -> Pose:
        try:
            return decomposed(np.concatenate([stand[None], local]))
        except ValueError as error:
            raise CastError(
                f"a joint's transform is no turn, move and scale ({error})", where=where,
                remedy="Export the skeleton without shear",
            ) from None  # fmt: skip


def _local(world: Matrices, parents: np.ndarray) -> Matrices:
    """Transforms of joints as seen from their parents."""
    above = np.where((parents >= 0)[:, None, None], world[np.maximum(parents, 0)], np.eye(4))
    return np.linalg.inv(above) @ world
