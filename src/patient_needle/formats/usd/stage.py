"""A USD stage and the meshes on it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Gf, Tf, Usd, UsdGeom, UsdSkel

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ..contents import Stated, unique
from .closed import Closed

MOST_FRAMES = 100_000


@dataclass(frozen=True, eq=False)
class Shown:
    """A mesh on the stage under its unique name."""

    name: str
    mesh: Any

    @property
    def prim(self) -> Any:
        """Its prim."""
        return self.mesh.GetPrim()


@dataclass(frozen=True, eq=False)
class OpenStage:
    """An opened file: `first` to `last` time code, what it states of itself, and what it names that is not
    read.
    """

    path: Path
    stage: Any
    shown: tuple[Shown, ...]
    stated: Stated
    first: float
    last: float
    notes: tuple[str, ...] = ()

    def times(self, rate: float | None = None) -> NDArray[np.float64]:
        """Time codes at `rate` a second, at the file's own if None; `FileError` for more than can be meant."""
        own = self.stated.rate or 24.0
        step = own / (rate or own)
        count = int(np.floor((self.last - self.first) / step + 1e-4)) + 1
        if not 0 < count <= MOST_FRAMES:
            raise FileError(
                f"its time runs from {self.first:g} to {self.last:g}, which is {count} frames",
                where=str(self.path),
                remedy="Export it again with its frame range",
            )
        return np.asarray(self.first + step * np.arange(count), np.float64)


def opened(path: Path) -> OpenStage:
    """Open a file and find its meshes; `FileError` when it is none or has none."""
    if not path.is_file():
        raise FileError("the file does not exist", where=str(path), remedy="Check the path")
    try:
        closed = Closed(path)
        stage = Usd.Stage.Open(closed.layer)
    except Tf.ErrorException as error:
        raise FileError(
            f"this cannot be read as USD ({_first_line(error)})", where=str(path), remedy="Export it again"
        ) from None
    found = [UsdGeom.Mesh(p) for p in stage.Traverse(Usd.TraverseInstanceProxies()) if p.IsA(UsdGeom.Mesh)]
    if not found:
        raise FileError(
            "no mesh was found on the stage",
            where=str(path),
            remedy="; ".join([*closed.notes, "export the geometry itself, in one file"]).capitalize(),
        )
    names = unique([mesh.GetPrim().GetName() for mesh in found])
    shown = tuple(Shown(name, mesh) for name, mesh in zip(names, found, strict=True))
    rate = float(stage.GetTimeCodesPerSecond())
    metres = float(UsdGeom.GetStageMetersPerUnit(stage))
    authored = stage.HasAuthoredMetadata("metersPerUnit")
    up = str(UsdGeom.GetStageUpAxis(stage)).lower() if stage.HasAuthoredMetadata("upAxis") else None
    if not (rate > 0 and np.isfinite(rate) and metres > 0 and np.isfinite(metres)):
        raise FileError(
            f"it states {rate:g} frames a second and {metres:g} m to a unit",
            where=str(path),
            remedy="Both must be above 0: export it again",
        )
    stated = Stated(metres if authored else None, up, rate)  # type: ignore[arg-type]
    return OpenStage(path, stage, shown, stated, *_span(stage, shown), tuple(closed.notes))


def _first_line(error: Exception) -> str:
    return str(error).strip().splitlines()[-1].strip()[:160] if str(error).strip() else "it is damaged"


def _span(stage: Any, shown: tuple[Shown, ...]) -> tuple[float, float]:
    """The stage's own range, or that of all samples, or 0 to 0."""
    first, last = stage.GetStartTimeCode(), stage.GetEndTimeCode()
    if stage.HasAuthoredTimeCodeRange() and np.isfinite([first, last]).all() and last >= first:
        return float(first), float(last)
    times: set[float] = set()
    for one in shown:
        times.update(one.mesh.GetPointsAttr().GetTimeSamples())
        prim = one.prim
        while prim and not prim.IsPseudoRoot():
            times.update(UsdGeom.Xformable(prim).GetTimeSamples() if prim.IsA(UsdGeom.Xformable) else [])
            prim = prim.GetParent()
        skeleton = UsdSkel.BindingAPI(one.prim).GetInheritedSkeleton()
        source = UsdSkel.BindingAPI(skeleton).GetInheritedAnimationSource() if skeleton else None
        for attribute in source.GetAttributes() if source else []:
            times.update(attribute.GetTimeSamples())
    return (float(min(times)), float(max(times))) if times else (0.0, 0.0)


def mesh_of(one: Shown, time: float) -> Mesh:
    """A mesh in its own space at a time code, faces wound as the rest of the product winds them."""
    mesh = one.mesh
    sizes = np.array(mesh.GetFaceVertexCountsAttr().Get(time) or [], np.int32)
    corners = np.array(mesh.GetFaceVertexIndicesAttr().Get(time) or [], np.int32)
    points = own_points(one, time)
    uvs, uv_corners = _uvs(one, len(corners), corners)
    built = Mesh(one.name, points.astype(np.float64), sizes, corners, uvs, uv_corners, _groups(one))
    if mesh.GetOrientationAttr().Get(time) != UsdGeom.Tokens.leftHanded:
        return built
    ends = np.cumsum(sizes)
    face = np.repeat(np.arange(len(sizes)), sizes)
    turned = ends[face] - 1 - (np.arange(len(corners)) - (ends - sizes)[face])
    return Mesh(
        one.name, built.vertices, sizes, corners[turned], uvs, uv_corners[turned] if len(uvs) else uv_corners,
        built.groups,
    )  # fmt: skip


def own_points(one: Shown, time: float) -> NDArray[np.float32]:
    """Points (n, 3) in the mesh's own space at a time code."""
    return np.array(one.mesh.GetPointsAttr().Get(time) or [], np.float32).reshape(-1, 3)


def _uvs(one: Shown, corners: int, indices: NDArray[np.int32]) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """The coordinates called st, per corner, when the mesh has them in a way that is of use."""
    found = UsdGeom.PrimvarsAPI(one.prim).GetPrimvar("st")
    values = np.array(found.Get() or [], np.float64).reshape(-1, 2) if found and found.HasValue() else None
    if values is None or len(values) == 0:
        return np.zeros((0, 2)), np.zeros(0, np.int32)
    which = np.array(found.GetIndices() or [], np.int32)
    way = found.GetInterpolation()
    if way == UsdGeom.Tokens.faceVarying:
        which = which if len(which) else np.arange(len(values), dtype=np.int32)
    elif way in (UsdGeom.Tokens.vertex, UsdGeom.Tokens.varying):
        which = which if len(which) else np.arange(len(values), dtype=np.int32)
        which = which[indices] if indices.max(initial=-1) < len(which) else np.zeros(0, np.int32)
    if len(which) != corners or which.min(initial=0) < 0 or which.max(initial=-1) >= len(values):
        return np.zeros((0, 2)), np.zeros(0, np.int32)
    return values, which


def _groups(one: Shown) -> dict[str, NDArray[np.int32]]:
    """Face subsets by name."""
    out = {}
    for subset in UsdGeom.Subset.GetAllGeomSubsets(UsdGeom.Imageable(one.prim)):
        if subset.GetElementTypeAttr().Get() == UsdGeom.Tokens.face:
            out[str(subset.GetPrim().GetName())] = np.array(subset.GetIndicesAttr().Get() or [], np.int32)
    return out


def column_matrices(rows: Any) -> NDArray[np.float64]:
    """The library's matrices, whose points are rows, as (n, 4, 4) for points that are columns."""
    return np.array(rows, np.float64).reshape(-1, 4, 4).transpose(0, 2, 1)


def world_at(one: Any, time: float) -> NDArray[np.float64]:
    """Transform (4, 4) of a prim to the stage's world at a time code."""
    matrix: Gf.Matrix4d = UsdGeom.Imageable(one).ComputeLocalToWorldTransform(Usd.TimeCode(time))
    return column_matrices([matrix])[0]
