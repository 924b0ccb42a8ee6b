"""Properties of PLY vertices."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from numpy.typing import NDArray
from trimesh.exchange.ply import export_ply, load_ply

from ...core.geometry.topology import triangulated
from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ..contents import Contents, Stated, ValuesInShort
from ..files import read_bytes, replacing
from ..names import ascii_identifier
from ..registry import VertexValues

# Properties that say where a vertex is, how it is lit and where it lies in pictures: no values of a map.
PLACES = {"x", "y", "z", "nx", "ny", "nz", "u", "v", "s", "t", "texture_u", "texture_v"}


def read_values(path: Path) -> list[VertexValues]:
    """Every property of the file's vertices that is one number and no place; whole numbers as shares of the
    largest their kind can hold.
    """
    found: dict[str, Any] = load_ply(io.BytesIO(read_bytes(path)))
    vertex = found["metadata"]["_ply_raw"].get("vertex")
    if vertex is None:
        raise FileError("it has no vertices", where=str(path), remedy="Export it with its mesh")
    out = []
    for name in vertex["properties"]:
        column = np.asarray(vertex["data"][name]).ravel()
        if name in PLACES or column.dtype.kind not in "iuf" or len(column) != vertex["length"]:
            continue
        share = np.iinfo(column.dtype).max if column.dtype.kind in "iu" else 1.0
        out.append(VertexValues(path.stem, name, len(column), column.astype(np.float64) / share))
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
    """Write the mesh in m, cut into triangles, and values (n,) as the vertex property `name`."""
    named = {ascii_identifier(name): values.astype(np.float32)}
    cut = trimesh.Trimesh(mesh.vertices, triangulated(mesh).triangles, process=False, vertex_attributes=named)
    with replacing(path) as part:
        part.write_bytes(export_ply(cut, vertex_normal=False, include_attributes=True))
