"""What a USD file holds, and one of its meshes with its motion."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray
from pxr import Tf, UsdGeom, UsdSkel

from ...core.model.errors import FileError, NeedleError
from ...core.model.mesh import Mesh
from ..contents import Contents, Figure, FigureAsk, Moves, Piece, ValuesInShort, size_of
from ..frames import LazyFrames, Samples
from ..registry import CacheContent
from .decimals import as_written, is_text
from .primvars import values_on
from .stage import OpenStage, Shown, mesh_of, opened, own_points, world_at

if TYPE_CHECKING:
    from .skeleton import Bound


def list_usd(path: Path) -> Contents:
    """Every mesh on the stage, in its world at the first time code."""
    file = opened(path)
    pieces = []
    for one in file.shown:
        mesh = _in_world(file, one)
        held = _bound(file, one)
        moves = _moves(one) if held is None else "by joints" if held.moves else "not at all"
        shapes = () if held is None else tuple(held.shapes(mesh.vertex_count))
        first, last = (None, None) if moves == "not at all" else (file.first, file.last)
        pieces.append(
            Piece(
                one.name, mesh.vertex_count, mesh.face_count, size_of(mesh.vertices), moves, first, last, shapes
            )
        )
    values = tuple(ValuesInShort(one.mesh, one.name, one.count) for one in values_on(file))
    return Contents(file.stated, tuple(pieces), values=values, notes=file.notes)


def read_usd(path: Path) -> list[Mesh]:
    """Every mesh on the stage where it stands at the first time code."""
    file = opened(path)
    return [_in_world(file, one) for one in file.shown]


def read_figure(path: Path, ask: FigureAsk) -> Figure:
    """The mesh called `ask.mesh`, or the only one, or the only one bound to a skeleton."""
    file = opened(path)
    one = _chosen(file, ask.mesh)
    held = _bound(file, one)
    try:
        if held is not None:
            mesh = mesh_of(one, file.first)
            joints, notes = held.read(mesh.vertex_count, ask.rate)
            first = file.first if held.moves else None
            shapes = held.shapes(mesh.vertex_count)
            return Figure(mesh, file.stated, joints, first=first, shapes=shapes, notes=(*file.notes, *notes))
        mesh, text = _in_world(file, one, exact=True), is_text(path)
        if _moves(one) == "not at all":
            return Figure(mesh, file.stated, notes=file.notes, decimal=text)
        frames = _frames(file, one, mesh)
        return Figure(mesh, file.stated, frames=frames, first=file.first, notes=file.notes, decimal=text)
    except Tf.ErrorException as error:
        raise FileError(
            f"mesh '{one.name}' cannot be read ({error})", where=str(path), remedy="Export it again"
        ) from None


def read_cache_content(path: Path) -> CacheContent:
    """The file's one mesh over time."""
    file = opened(path)
    one = _chosen(file, None)
    if _bound(file, one) is not None:
        figure = read_figure(path, FigureAsk())
        frames: Samples | None = figure.frames
    else:
        mesh = _in_world(file, one)
        frames = None if _moves(one) == "not at all" else _frames_of(file, one, mesh)
    if frames is None:
        raise FileError("the file holds no points over time", where=str(path), remedy="Cast it as it is")
    return CacheContent(frames, mesh_of(one, file.first).face_corners, file.first, file.stated.rate)


def _bound(file: OpenStage, one: Shown) -> Bound | None:
    """The skeleton's hold on a mesh; None when it has none."""
    if not UsdSkel.Root.Find(one.prim) or not UsdSkel.BindingAPI(one.prim).GetInheritedSkeleton():
        return None
    from .skeleton import Bound  # loads what turns joints, which would double the wait for a plain cache

    return Bound(file, one) or None


def _chosen(file: OpenStage, name: str | None) -> Shown:
    named = [one for one in file.shown if name in (None, one.name)]
    if name is None and len(named) > 1:
        named = [one for one in named if _bound(file, one) is not None]
    if len(named) == 1:
        return named[0]
    raise FileError(
        f"the file holds {len(file.shown)} meshes" if name is None else f"no mesh is called '{name}'",
        where=str(file.path),
        remedy=f"Say which: {', '.join(one.name for one in file.shown)}",
    )


def _in_world(file: OpenStage, one: Shown, *, exact: bool = False) -> Mesh:
    """A mesh where it stands; exact: with all digits of a text, for which the whole file is gone through."""
    try:
        mesh = mesh_of(one, file.first)
    except NeedleError as error:
        raise error.at(str(file.path)) from None
    points = as_written(file.path, mesh.vertices.astype(np.float32)) if exact else mesh.vertices
    return mesh.with_vertices(_placed(points, world_at(one.prim, file.first)))


def _placed(points: NDArray[Any], at: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(points @ at[:3, :3].T + at[:3, 3])


def _moves(one: Shown) -> Moves:
    if len(one.mesh.GetPointsAttr().GetTimeSamples()) > 1:
        return "by points"
    prim = one.prim
    while prim and not prim.IsPseudoRoot():
        if prim.IsA(UsdGeom.Xformable) and UsdGeom.Xformable(prim).TransformMightBeTimeVarying():
            return "as a whole"
        prim = prim.GetParent()
    return "not at all"


def _frames(file: OpenStage, one: Shown, mesh: Mesh) -> NDArray[np.float32]:
    """Positions at every frame of the file's own rate, (f, n, 3), in its world."""
    return np.asarray(_frames_of(file, one, mesh))


def _frames_of(file: OpenStage, one: Shown, mesh: Mesh) -> LazyFrames:
    """The same, read as they are asked for."""
    counts = one.mesh.GetFaceVertexCountsAttr()
    if len(counts.GetTimeSamples()) > 1 or len(one.mesh.GetFaceVertexIndicesAttr().GetTimeSamples()) > 1:
        raise FileError(
            f"the faces of mesh '{one.name}' change over time",
            where=str(file.path),
            remedy="A cast member keeps one topology: export it with a fixed one",
        )
    times = file.times()

    def read(span: slice) -> NDArray[np.float32]:
        return np.stack([_points_at(file, one, mesh, float(time)) for time in times[span]])

    return LazyFrames((len(times), mesh.vertex_count, 3), read)


def _points_at(file: OpenStage, one: Shown, mesh: Mesh, time: float) -> NDArray[np.float32]:
    points = own_points(one, time)
    if len(points) != mesh.vertex_count:
        raise FileError(
            f"mesh '{one.name}' has {len(points)} points at {time:g}, at first {mesh.vertex_count}",
            where=str(file.path),
            remedy="A cast member keeps one topology: export it with a fixed one",
        )
    return _placed(points, world_at(one.prim, time)).astype(np.float32)
