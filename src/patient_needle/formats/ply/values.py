"""Properties of PLY vertices."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from plyfile import PlyData, PlyElement, PlyHeaderParseError, PlyParseError

from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ..contents import Contents, Stated, ValuesInShort
from ..identifiers import identifier
from ..registry import VertexValues
from ..whole_file import read_bytes, replacing

# Properties that say where a vertex is, how it is lit and where it lies in pictures: no values of a map.
PLACES = {"x", "y", "z", "nx", "ny", "nz", "u", "v", "s", "t", "texture_u", "texture_v"}


def read_values(path: Path) -> list[VertexValues]:
    """Every property of the file's vertices that is one number and no place; whole numbers as shares of the
    largest their kind can hold.
    """
    read_bytes(path)
    try:
        data = PlyData.read(str(path), mmap=False)
    except (PlyHeaderParseError, PlyParseError) as error:
        raise FileError(
            f"this cannot be read as PLY ({error})", where=str(path), remedy="Export it again"
        ) from None
    if "vertex" not in data:
        raise FileError("it has no vertices", where=str(path), remedy="Export it with its mesh")
    element = data["vertex"]
    out = []
    for one in element.properties:
        column = element.data[one.name]
        if one.name in PLACES or column.dtype.kind not in "iuf":
            continue
        share = np.iinfo(column.dtype).max if column.dtype.kind in "iu" else 1.0
        out.append(VertexValues(path.stem, one.name, len(column), column.astype(np.float64) / share))
    return out


def list_ply(path: Path) -> Contents:
    """The values of the file's vertices by name."""
    found = tuple(ValuesInShort(one.mesh, one.name, one.count) for one in read_values(path))
    if not found:
        raise FileError(
            "its vertices have no property of one number", where=str(path), remedy="Export it with its values"
        )
    return Contents(Stated(), (), values=found)


def write_values(path: Path, mesh: Mesh, name: str, values: NDArray[np.float64]) -> None:
    """Write the mesh in m, its polygons as they are, and values (n,) as the vertex property `name`."""
    named = identifier(name)
    table = np.empty(mesh.vertex_count, [("x", "f4"), ("y", "f4"), ("z", "f4"), (named, "f4")])
    for axis, key in enumerate("xyz"):
        table[key] = mesh.vertices[:, axis]
    table[named] = values
    faces = np.empty(mesh.face_count, [("vertex_indices", object)])
    faces["vertex_indices"][:] = np.split(mesh.face_corners.astype(np.int32), np.cumsum(mesh.face_sizes)[:-1])
    elements = [
        PlyElement.describe(table, "vertex"),
        PlyElement.describe(faces, "face", val_types={"vertex_indices": "i4"}),
    ]
    with replacing(path) as part:
        PlyData(elements, byte_order="<").write(str(part))
