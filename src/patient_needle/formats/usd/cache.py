"""Writing points over time as USD."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import numpy as np
from pxr import Sdf, Usd, UsdGeom, Vt

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ...core.model.typed import Points
from ..registry import CacheTiming
from ..whole_file import replacing


def write_usd(path: Path, mesh: Mesh, frames: Iterable[Points], timing: CacheTiming) -> None:
    """Write frames, each (n, 3), as /<mesh name> with one sample of points at each frame."""
    with replacing(path) as part:
        named = part.with_name(f"{part.name}.usd")  # the library goes by the ending
        try:
            _write(named, mesh, frames, timing, path)
            named.replace(part)
        finally:
            named.unlink(missing_ok=True)


def _write(named: Path, mesh: Mesh, frames: Iterable[Points], timing: CacheTiming, path: Path) -> None:
    stage = Usd.Stage.CreateNew(str(named))
    UsdGeom.SetStageMetersPerUnit(stage, timing.metres)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z if timing.up == "z" else UsdGeom.Tokens.y)
    stage.SetTimeCodesPerSecond(timing.frame_rate)
    stage.SetFramesPerSecond(timing.frame_rate)
    prim = UsdGeom.Mesh.Define(stage, Sdf.Path(f"/{_prim_name(mesh.name)}"))
    stage.SetDefaultPrim(prim.GetPrim())
    prim.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    prim.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.face_sizes, np.int32)))
    prim.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.face_corners, np.int32)))
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
    for name, faces in mesh.groups.items():
        indices = Vt.IntArray.FromNumpy(np.ascontiguousarray(np.sort(faces), np.int32))
        UsdGeom.Subset.CreateGeomSubset(prim, _prim_name(name), UsdGeom.Tokens.face, indices)
    stage.GetRootLayer().Save()


def _prim_name(name: str) -> str:
    """The name as the format allows it: letters, digits, underscores."""
    kept = "".join(letter if letter.isalnum() and letter.isascii() else "_" for letter in name) or "mesh"
    return f"_{kept}" if kept[0].isdigit() else kept
