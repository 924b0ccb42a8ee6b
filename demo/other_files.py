"""The lamplighter as another department would send it: python demo/other_files.py FOLDER

lamplighter_cm.abc: an Alembic cache of its points in centimetres, Z up, 30 frames a second.
lamplighter_cm.usdc: the same figure as a UsdSkel character in centimetres, Z up, 30 frames a second.
Both are made from lamplighter.glb, so that they can be held against it. They are not kept in the repository.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from pxr import Gf, Usd, UsdGeom, UsdSkel, Vt

from patient_needle.core.geometry.motion import SkinnedMotion
from patient_needle.core.geometry.rotations import matrices
from patient_needle.core.geometry.skinning import Pose, joint_matrices
from patient_needle.formats.alembic_cache import write_alembic
from patient_needle.formats.contents import Figure, FigureAsk
from patient_needle.formats.glb import read_figure
from patient_needle.formats.registry import CacheTiming

FIGURE = Path(__file__).parent / "lamplighter" / "lamplighter.glb"
RATE, FIRST = 30, 1
TO_CM_Z_UP = 100.0 * np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])


def main(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    figure = read_figure(FIGURE, FigureAsk(rate=RATE))
    write_points(folder / "lamplighter_cm.abc", figure)
    write_skeleton(folder / "lamplighter_cm.usdc", figure)
    print(f"{len(figure.joints.poses)} frames of {figure.mesh.vertex_count} vertices in {folder}")


def write_points(path: Path, figure: Figure) -> None:
    """Every frame's points, in centimetres and Z up."""
    joints = figure.joints
    motion = SkinnedMotion(figure.mesh.vertices, joints.skin, joints.skeleton, joints.poses, FIRST)
    mesh = figure.mesh.with_vertices(motion.rest() @ TO_CM_Z_UP.T)
    frames = (motion.at(FIRST + k) @ TO_CM_Z_UP.T for k in range(len(joints.poses)))
    write_alembic(path, mesh, frames, CacheTiming(FIRST, RATE))


def write_skeleton(path: Path, figure: Figure) -> None:
    """Mesh, skeleton, a pose for each frame. The joints keep metres and Y up under a node that turns them."""
    skeleton, skin = figure.joints.skeleton, figure.joints.skin
    path.unlink(missing_ok=True)
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    stage.SetTimeCodesPerSecond(RATE)
    stage.SetStartTimeCode(FIRST)
    stage.SetEndTimeCode(FIRST + len(figure.joints.poses) - 1)
    root = UsdSkel.Root.Define(stage, "/lamplighter")
    root.AddTransformOp().Set(Gf.Matrix4d(*_rows(TO_CM_Z_UP).ravel()))
    names = _paths(skeleton.names, skeleton.parents)
    bones = UsdSkel.Skeleton.Define(stage, "/lamplighter/bones")
    bones.CreateJointsAttr(names)
    bones.CreateBindTransformsAttr(_matrices(joint_matrices(skeleton, skeleton.rest)))
    rest = matrices(skeleton.rest.translation, skeleton.rest.rotation, skeleton.rest.scale)
    bones.CreateRestTransformsAttr(_matrices(rest))
    _animate(stage, names, figure.joints.poses)
    UsdSkel.BindingAPI.Apply(bones.GetPrim()).CreateAnimationSourceRel().SetTargets(["/lamplighter/walk"])
    body = UsdGeom.Mesh.Define(stage, "/lamplighter/body")
    body.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(figure.mesh.vertices.astype(np.float32)))
    body.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(figure.mesh.face_sizes))
    body.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(figure.mesh.face_corners))
    body.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    binding = UsdSkel.BindingAPI.Apply(body.GetPrim())
    binding.CreateSkeletonRel().SetTargets([bones.GetPath()])
    width = skin.joints.shape[1]
    binding.CreateJointIndicesPrimvar(False, width).Set(Vt.IntArray.FromNumpy(skin.joints.ravel().copy()))
    weights = skin.weights.astype(np.float32).ravel()
    binding.CreateJointWeightsPrimvar(False, width).Set(Vt.FloatArray.FromNumpy(weights))
    stage.GetRootLayer().Save()


def _animate(stage, names: list[str], poses: tuple[Pose, ...]) -> None:
    walk = UsdSkel.Animation.Define(stage, "/lamplighter/walk")
    walk.CreateJointsAttr(names)
    moves, turns, scales = walk.CreateTranslationsAttr(), walk.CreateRotationsAttr(), walk.CreateScalesAttr()
    for index, pose in enumerate(poses):
        code = Usd.TimeCode(FIRST + index)
        moves.Set(Vt.Vec3fArray.FromNumpy(pose.translation.astype(np.float32)), code)
        turns.Set(
            Vt.QuatfArray([Gf.Quatf(float(w), float(x), float(y), float(z)) for x, y, z, w in pose.rotation]),
            code,
        )
        scales.Set(Vt.Vec3hArray.FromNumpy(pose.scale.astype(np.float16)), code)


def _paths(names, parents) -> list[str]:
    out: list[str] = []
    for name, parent in zip(names, parents, strict=True):
        plain = "".join(letter if letter.isalnum() else "_" for letter in name)
        out.append(plain if parent < 0 else f"{out[parent]}/{plain}")
    return out


def _rows(turn) -> np.ndarray:
    whole = np.eye(4)
    whole[:3, :3] = np.asarray(turn).T
    return whole


def _matrices(columns) -> Vt.Matrix4dArray:
    return Vt.Matrix4dArray([Gf.Matrix4d(*one.T.ravel().tolist()) for one in columns])


if __name__ == "__main__":
    main(Path(sys.argv[1] if len(sys.argv) > 1 else "."))
