"""Writing points over time, and values of vertices, as USD."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from pxr import Sdf, Usd, UsdGeom, Vt

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ...core.model.typed import Points, Scalars
from ..files import replacing
from ..names import identifier, identifiers
from ..registry import CacheTiming


def write_usd(path: Path, mesh: Mesh, frames: Iterable[Points], timing: CacheTiming) -> None:
    """Write frames, each (n, 3), as /<mesh name> with one sample of points at each frame."""
    with new_stage(path, timing) as stage:
        _write(stage, mesh, frames, timing, path)


def write_values(path: Path, mesh: Mesh, name: str, values: Scalars) -> None:
    """Write a standing mesh in m with values (n,) of its vertices as the primvar `name`."""
    with new_stage(path, CacheTiming(0, 24.0)) as stage:
        prim = new_mesh(stage, mesh)
        prim.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.vertices, np.float32)))
        primvar = UsdGeom.PrimvarsAPI(prim).CreatePrimvar(
            identifier(name), Sdf.ValueTypeNames.FloatArray, UsdGeom.Tokens.vertex
        )
        primvar.Set(Vt.FloatArray.FromNumpy(np.ascontiguousarray(values, np.float32)))


def write_model(path: Path, mesh: Mesh, metres: float, up: str) -> None:
    """Write a standing mesh with its groups and UVs; it states its unit and axis."""
    with new_stage(path, CacheTiming(0, 24.0, metres, up)) as stage:
        prim = new_mesh(stage, mesh)
        prim.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.vertices, np.float32)))
        _write_groups(prim, mesh)
        if len(mesh.uv_corners) == 0:
            return
        uvs = UsdGeom.PrimvarsAPI(prim).CreatePrimvar(
            "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying
        )
        uvs.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(mesh.uvs, np.float32)))
        uvs.SetIndices(Vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.uv_corners, np.int32)))


@contextmanager
def new_stage(path: Path, timing: CacheTiming) -> Iterator[Usd.Stage]:
    """A stage to write on, which becomes the file `path` when the block ends without error."""
    with replacing(path) as part:
        named = part.with_name(f"{part.name}{path.suffix}")  # the library goes by the ending
        try:
            stage = Usd.Stage.CreateNew(str(named))
            UsdGeom.SetStageMetersPerUnit(stage, timing.metres)
            UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z if timing.up == "z" else UsdGeom.Tokens.y)
            stage.SetTimeCodesPerSecond(timing.frame_rate)
            stage.SetFramesPerSecond(timing.frame_rate)
            yield stage
            stage.GetRootLayer().Save()
            named.replace(part)
        finally:
            named.unlink(missing_ok=True)


def new_mesh(stage: Usd.Stage, mesh: Mesh) -> UsdGeom.Mesh:
    """The mesh's faces as /<mesh name>, the stage's main prim."""
    prim = UsdGeom.Mesh.Define(stage, Sdf.Path(f"/{identifier(mesh.name)}"))
    stage.SetDefaultPrim(prim.GetPrim())
    prim.GetPrim().SetDisplayName(mesh.name)
    prim.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    prim.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.face_sizes, np.int32)))
    prim.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.face_corners, np.int32)))
    return prim


def _write(stage: Usd.Stage, mesh: Mesh, frames: Iterable[Points], timing: CacheTiming, path: Path) -> None:
    prim = new_mesh(stage, mesh)
    points, extent = prim.CreatePointsAttr(), prim.CreateExtentAttr()
    count = 0
    for count, frame in enumerate(frames, 1):
        if frame.shape != mesh.vertices.shape:
            raise FileError(f"a frame has {len(frame)} points, the mesh {mesh.vertex_count}", where=str(path))
        values = np.ascontiguousarray(frame, np.float32)
        code = Usd.TimeCode(timing.first_frame + count - 1)
        points.Set(Vt.Vec3fArray.FromNumpy(values), code)
        box = np.stack([values.min(axis=0), values.max(axis=0)])
        extent.Set(Vt.Vec3fArray.FromNumpy(box), code)
    if count == 0:
        raise FileError("there are no frames to write", where=str(path))
    stage.SetStartTimeCode(timing.first_frame)
    stage.SetEndTimeCode(timing.first_frame + count - 1)
    _write_groups(prim, mesh)


def _write_groups(prim: UsdGeom.Mesh, mesh: Mesh) -> None:
    for name, faces in zip(identifiers(mesh.groups), mesh.groups.values(), strict=True):
        indices = Vt.IntArray.FromNumpy(np.ascontiguousarray(np.sort(faces), np.int32))
        UsdGeom.Subset.CreateGeomSubset(prim, name, UsdGeom.Tokens.face, indices)
