"""A standing mesh as binary glTF, by trimesh: triangles, without groups and UVs."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import trimesh

from ...core.geometry.topology import triangulated
from ...core.model.errors import FileError
from ...core.model.mesh import Mesh
from ..files import replacing


def write_model(path: Path, mesh: Mesh, metres: float, up: str) -> None:
    """Write a mesh in metres, Y up, as the format has it; `FileError` for another unit or axis."""
    if metres != 1.0 or up != "y":
        raise FileError(
            "glTF is always in metres, Y up",
            where=path.name,
            remedy="Ask for metres and Y up, or for OBJ or USD",
        )
    solid = trimesh.Trimesh(np.asarray(mesh.vertices, np.float32), triangulated(mesh).triangles, process=False)
    scene = trimesh.Scene()
    scene.add_geometry(solid, node_name=mesh.name, geom_name=mesh.name)
    with replacing(path) as part:
        part.write_bytes(scene.export(file_type="glb"))
