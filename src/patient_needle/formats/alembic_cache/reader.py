"""Reading Alembic polygon meshes, with the transforms above them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from alembic3d import Abc, AbcGeom
from numpy.typing import NDArray

from ...core.model.errors import FileError, NeedleError
from ...core.model.mesh import Mesh
from ..contents import Contents, Figure, FigureAsk, Moves, Piece, Stated, size_of, unique
from ..frames import LazyFrames
from ..registry import CacheContent
from .container import check_container
from .writer import reversed_faces

LEVELS = 200  # of transforms above a mesh
AT_ONCE = 32  # samples read before the file is closed and its pages are freed


@dataclass(frozen=True, eq=False)
class MeshCache:
    """A mesh at its first sample and frames (f, n, 3) float32 with their times (f,) s."""

    mesh: Mesh
    frames: NDArray[np.float32]
    times: NDArray[np.float64]

    @property
    def rate(self) -> float | None:
        """Samples a second; None for one sample. They are evenly spaced."""
        return _rate(self.times)


def _rate(times: NDArray[np.float64]) -> float | None:
    return None if len(times) < 2 else (len(times) - 1) / float(times[-1] - times[0])


@dataclass(frozen=True)
class _Found:
    """A mesh in the file under its unique name, and the transforms above it, outermost first."""

    name: str
    shape: Any
    above: tuple[Any, ...]


def read_alembic(path: Path, name: str | None = None) -> MeshCache:
    """The polygon mesh called `name`, or the first one, in the file's world; `FileError` when there is none."""
    mesh, times = _at_first(path, name)
    return MeshCache(mesh, _samples(path, name, mesh, times), times)


def _at_first(path: Path, name: str | None) -> tuple[Mesh, NDArray[np.float64]]:
    """A mesh at its first sample, and the times (f,) s of all of them."""
    with _opened(path) as archive:
        one = _named(archive, path, name)
        with _placing_errors(path):
            return _mesh_at_start(one), _times(one)


def _samples(path: Path, name: str | None, mesh: Mesh, times: NDArray[np.float64]) -> NDArray[np.float32]:
    """Positions (f, n, 3) of a mesh at times (f,) s."""
    frames = np.empty((len(times), mesh.vertex_count, 3), np.float32)
    for first in range(0, len(times), AT_ONCE):
        span = slice(first, first + AT_ONCE)
        # Opened anew each time: the library maps the file, and lets its pages go only when it is closed.
        with _opened(path) as archive, _placing_errors(path):
            _fill(frames[span], _named(archive, path, name), times[span], mesh)
    return frames


def _named(archive: Any, path: Path, name: str | None) -> _Found:
    found = _found(archive, path)
    named = [one for one in found if name in (None, one.name, one.shape.getName())]
    if not named:
        raise FileError(
            f"no polygon mesh is called '{name}'",
            where=str(path),
            remedy=f"It holds: {', '.join(one.name for one in found)}",
        )
    return named[0]


def read_content(path: Path) -> CacheContent:
    """The first mesh's points over time."""
    mesh, times = _at_first(path, None)
    rate = _rate(times)
    first = None if rate is None else float(times[0]) * rate

    def read(span: slice) -> NDArray[np.float32]:
        return _samples(path, None, mesh, times[span])

    frames = LazyFrames((len(times), mesh.vertex_count, 3), read)
    return CacheContent(frames, mesh.face_corners, first, rate)


def read_meshes(path: Path) -> list[Mesh]:
    """Every mesh of the file where it stands at its first sample."""
    return [read_figure(path, FigureAsk(mesh=piece.name)).mesh for piece in list_alembic(path).pieces]


def list_alembic(path: Path) -> Contents:
    """Every polygon mesh of the file, in its world at the first sample."""
    pieces, rate = [], None
    with _opened(path) as archive:
        for one in _found(archive, path):
            with _placing_errors(path):
                mesh, times = _mesh_at_start(one), _times(one)
            moves: Moves = "not at all"
            if len(times) > 1:
                moves = "by points" if one.shape.getSchema().getNumSamples() > 1 else "as a whole"
                rate = (len(times) - 1) / float(times[-1] - times[0])
            at = [None, None] if rate is None or len(times) < 2 else [float(t * rate) for t in times[[0, -1]]]
            pieces.append(
                Piece(one.name, mesh.vertex_count, mesh.face_count, size_of(mesh.vertices), moves, *at)
            )
    return Contents(Stated(rate=rate), tuple(pieces))


def read_figure(path: Path, ask: FigureAsk) -> Figure:
    """One mesh of the file and its positions over time; a file of several wants a name."""
    contents = list_alembic(path)
    if ask.mesh is None and len(contents.pieces) > 1:
        raise FileError(
            f"the file holds {len(contents.pieces)} meshes",
            where=str(path),
            remedy=f"Say which: {', '.join(piece.name for piece in contents.pieces)}",
        )
    cache = read_alembic(path, ask.mesh)
    if cache.rate is None:
        return Figure(cache.mesh, Stated())
    first = float(cache.times[0]) * cache.rate
    return Figure(cache.mesh, Stated(rate=cache.rate), frames=cache.frames, first=first)


@contextmanager
def _opened(path: Path) -> Iterator[Any]:
    if not path.is_file():
        raise FileError("the file does not exist", where=str(path), remedy="Check the path")
    check_container(path)
    try:
        archive = Abc.IArchive(str(path))
    except RuntimeError as error:
        raise FileError(
            "this is not an Alembic file, or it is cut short", where=str(path), remedy="Write it again"
        ) from error
    yield archive


@contextmanager
def _placing_errors(path: Path) -> Iterator[None]:
    try:
        yield
    except NeedleError as error:
        raise error.at(str(path)) from None


def _found(archive: Any, path: Path) -> list[_Found]:
    shapes = list(_polygon_meshes(archive.getTop(), ()))
    if not shapes:
        raise FileError(
            "no polygon mesh was found", where=str(path), remedy="Export the geometry, not its proxies"
        )
    names = unique([str(shape.getParent().getName()) for shape, _ in shapes])
    return [_Found(name, *one) for name, one in zip(names, shapes, strict=True)]


def _polygon_meshes(node: Any, above: tuple[Any, ...]) -> Iterator[tuple[Any, tuple[Any, ...]]]:
    if len(above) > LEVELS:
        raise FileError(f"its objects stand more than {LEVELS} levels deep", remedy="Export it flatter")
    for index in range(node.getNumChildren()):
        header = node.getChildHeader(index)
        if AbcGeom.IPolyMesh.matches(header):
            yield AbcGeom.IPolyMesh(node, header.getName()), above
        elif AbcGeom.IXform.matches(header):
            transform = AbcGeom.IXform(node, header.getName())
            yield from _polygon_meshes(transform, (*above, transform.getSchema()))
        else:
            yield from _polygon_meshes(node.getChild(index), above)


def _times(one: _Found) -> NDArray[np.float64]:
    """Times in s at which a mesh is sampled: its own, or those of the transform that is sampled most."""
    schema = one.shape.getSchema()
    each = [schema, *(above for above in one.above if not above.isConstant())]
    busiest = max(each, key=lambda schema: schema.getNumSamples())
    if schema.getNumSamples() > 1:
        busiest = schema
    sampling = busiest.getTimeSampling()
    times = np.array([sampling.getSampleTime(k) for k in range(busiest.getNumSamples())], float)
    steps = np.diff(times)
    if len(steps) and (not np.isfinite(times).all() or steps.min() <= 0):
        raise FileError("its samples are not in order of time", where=one.name, remedy="Write it again")
    if len(steps) and np.ptp(steps) > 0.01 * steps.mean():
        raise FileError(
            f"its samples stand unevenly, {steps.min():g} to {steps.max():g} s apart",
            where=one.name,
            remedy="Write it with one sample for each frame, without shutter samples",
        )
    return times


def _fill(frames: NDArray[np.float32], one: _Found, times: NDArray[np.float64], mesh: Mesh) -> None:
    """Write the mesh's positions at `times` into `frames` (len(times), n, 3)."""
    schema = one.shape.getSchema()
    corners = len(mesh.face_corners)
    for frame, time in zip(frames, times, strict=True):
        # The bindings take an index for a time, so the sample is asked for by its own time.
        sample = schema.getValue(Abc.ISampleSelector(float(time)))
        positions = np.array(sample.getPositions(), np.float32).reshape(-1, 3)
        if len(positions) != mesh.vertex_count or len(sample.getFaceIndices()) != corners:
            raise FileError(
                f"its faces change: at {time:g} s it has {len(positions)} points, at first {mesh.vertex_count}",
                where=one.name,
                remedy="A cast member keeps one topology: export it with a fixed one",
            )
        frame[:] = _placed(positions, one, float(time))


def _placed(positions: NDArray[np.float32], one: _Found, time: float) -> NDArray[np.floating[Any]]:
    """Positions (n, 3) under the transforms above them."""
    whole = np.eye(4)
    for schema in reversed(one.above):
        if not schema.isConstantIdentity():
            sample = schema.getValue(Abc.ISampleSelector(time))
            whole = whole @ np.array(sample.getMatrix(), float).reshape(4, 4)
            if not schema.getInheritsXforms():
                break
    if np.array_equal(whole, np.eye(4)):
        return positions
    return positions @ whole[:3, :3] + whole[3, :3]  # rows are points: the format's own way


def _mesh_at_start(one: _Found) -> Mesh:
    schema = one.shape.getSchema()
    if schema.getNumSamples() == 0:
        raise FileError("it has no sample", where=one.name, remedy="Write it again")
    time = float(_times(one)[0])
    sample = schema.getValue(Abc.ISampleSelector(time))
    positions = np.array(sample.getPositions(), np.float32).reshape(-1, 3)
    mesh = Mesh(
        one.name,
        np.asarray(_placed(positions, one, time), np.float64),
        np.array(sample.getFaceCounts(), np.int32),
        np.array(sample.getFaceIndices(), np.int32),
        groups=_groups(schema),
    )
    turned = reversed_faces(mesh).astype(np.int32)
    return Mesh(mesh.name, mesh.vertices, mesh.face_sizes, turned, groups=mesh.groups)


def _groups(schema: Any) -> dict[str, NDArray[np.int32]]:
    out = {}
    for name in schema.getFaceSetNames():
        sample = schema.getFaceSet(name).getSchema().getValue()
        out[str(name)] = np.array(sample.getFaces(), np.int32)
    return out
