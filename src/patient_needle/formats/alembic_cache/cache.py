"""Reading and writing Alembic polygon meshes."""

from __future__ import annotations

import gc
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import imath
import numpy as np
from alembic3d import Abc, AbcCoreAbstract, AbcGeom
from numpy.typing import NDArray

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ...core.model.typed import Points
from ..registry import CacheTiming
from ..whole_file import replacing


@dataclass(frozen=True, eq=False)
class MeshCache:
    """A mesh at its first sample and frames (f, n, 3) float32 with their times (f,) s."""

    mesh: Mesh
    frames: NDArray[np.float32]
    times: NDArray[np.float64]


def write_alembic(path: Path, mesh: Mesh, frames: Iterable[Points], timing: CacheTiming) -> None:
    """Write frames, each (n, 3), as /<mesh name>/<mesh name>Shape; sample k at (first + k) / rate s."""
    with replacing(path) as part:
        _write(part, mesh, frames, timing, path)
        gc.collect()  # the library writes its tables when its last object dies


def _write(part: Path, mesh: Mesh, frames: Iterable[Points], timing: CacheTiming, path: Path) -> None:
    archive = Abc.OArchive(str(part), True)
    sampling = AbcCoreAbstract.TimeSampling(1.0 / timing.frame_rate, timing.first_frame / timing.frame_rate)
    index = archive.addTimeSampling(sampling)
    transform = AbcGeom.OXform(archive.getTop(), mesh.name)
    shape = AbcGeom.OPolyMesh(transform, f"{mesh.name}Shape")
    schema = shape.getSchema()
    schema.setTimeSampling(index)
    corners = _ints(_reversed_faces(mesh))
    sizes = _ints(mesh.face_sizes)
    empty = True
    for frame in frames:
        if frame.shape != mesh.vertices.shape:
            raise FileError(f"a frame has {len(frame)} points, the mesh {mesh.vertex_count}", where=str(path))
        schema.set(AbcGeom.OPolyMeshSchemaSample(_points(frame), corners, sizes))
        empty = False
    if empty:
        raise FileError("there are no frames to write", where=str(path))
    for name, faces in mesh.groups.items():
        group = schema.createFaceSet(name)
        group.getSchema().set(AbcGeom.OFaceSetSchemaSample(_ints(np.sort(faces))))


def _reversed_faces(mesh: Mesh) -> NDArray[np.int32]:
    """Corners of every face the other way round: the format winds faces clockwise seen from outside."""
    ends = np.cumsum(mesh.face_sizes)
    place = np.arange(len(mesh.face_corners))
    face = np.repeat(np.arange(mesh.face_count), mesh.face_sizes)
    return mesh.face_corners[ends[face] - 1 - (place - (ends - mesh.face_sizes)[face])]


def _points(frame: Points) -> object:
    return imath.V3fArrayFromBuffer(np.ascontiguousarray(frame, np.float32))


def _ints(values: NDArray[np.int32]) -> object:
    return imath.IntArrayFromBuffer(np.ascontiguousarray(values, np.int32))


@contextmanager
def _opened(path: Path) -> Iterator[object]:
    if not path.is_file():
        raise FileError("the file does not exist", where=str(path), remedy="Check the path")
    try:
        archive = Abc.IArchive(str(path))
    except RuntimeError as error:
        raise FileError(
            "this is not an Alembic file, or it is cut short", where=str(path), remedy="Write it again"
        ) from error
    yield archive


def read_alembic(path: Path, name: str | None = None) -> MeshCache:
    """The polygon mesh called `name`, or the first one; `FileError` when there is none."""
    with _opened(path) as archive:
        found = list(_polygon_meshes(archive.getTop()))  # type: ignore[attr-defined]
        chosen = [m for m in found if name is None or name in (m.getName(), m.getParent().getName())]
        if not chosen:
            held = ", ".join(m.getName() for m in found) or "none"
            raise FileError(
                f"no polygon mesh {f'called {name!r} ' if name else ''}was found",
                where=str(path),
                remedy=f"It holds: {held}",
            )
        return _read(chosen[0])


def _polygon_meshes(node):
    for index in range(node.getNumChildren()):
        header = node.getChildHeader(index)
        child = node.getChild(index)
        if AbcGeom.IPolyMesh.matches(header):
            yield AbcGeom.IPolyMesh(node, header.getName())
        else:
            yield from _polygon_meshes(child)


def _read(shape: Any) -> MeshCache:
    schema = shape.getSchema()
    count, sampling = schema.getNumSamples(), schema.getTimeSampling()
    frames, times = [], []
    for index in range(count):
        # The bindings take an index for a time, so the sample is asked for by its own time.
        times.append(sampling.getSampleTime(index))
        sample = schema.getValue(Abc.ISampleSelector(float(times[-1])))
        frames.append(np.array(sample.getPositions(), np.float32).reshape(-1, 3))
    sizes = np.array(sample.getFaceCounts(), np.int32)
    corners = np.array(sample.getFaceIndices(), np.int32)
    mesh = Mesh(
        shape.getParent().getName(), frames[0].astype(np.float64), sizes, corners, groups=_groups(schema)
    )
    turned = Mesh(mesh.name, mesh.vertices, sizes, _reversed_faces(mesh).astype(np.int32), groups=mesh.groups)
    return MeshCache(turned, np.stack(frames), np.array(times))


def _groups(schema: Any) -> dict[str, NDArray[np.int32]]:
    out = {}
    for name in schema.getFaceSetNames():
        sample = schema.getFaceSet(name).getSchema().getValue()
        out[str(name)] = np.array(sample.getFaces(), np.int32)
    return out
