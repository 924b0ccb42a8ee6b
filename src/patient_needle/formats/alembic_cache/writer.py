"""Writing Alembic polygon meshes."""

from __future__ import annotations

import gc
from collections.abc import Iterable
from pathlib import Path

import imath
import numpy as np
from alembic3d import Abc, AbcCoreAbstract, AbcGeom
from numpy.typing import NDArray

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ...core.model.typed import Points
from ..files import replacing
from ..registry import CacheTiming


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
    corners = _ints(reversed_faces(mesh))
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
        group = schema.createFaceSet(name.replace("/", "_"))
        group.getSchema().set(AbcGeom.OFaceSetSchemaSample(_ints(np.sort(faces))))


def reversed_faces(mesh: Mesh) -> NDArray[np.int32]:
    """Corners of every face the other way round: the format winds faces clockwise seen from outside."""
    ends = np.cumsum(mesh.face_sizes)
    place = np.arange(len(mesh.face_corners))
    face = np.repeat(np.arange(mesh.face_count), mesh.face_sizes)
    return mesh.face_corners[ends[face] - 1 - (place - (ends - mesh.face_sizes)[face])]


def _points(frame: Points) -> object:
    return imath.V3fArrayFromBuffer(np.ascontiguousarray(frame, np.float32))


def _ints(values: NDArray[np.int32]) -> object:
    return imath.IntArrayFromBuffer(np.ascontiguousarray(values, np.int32))
