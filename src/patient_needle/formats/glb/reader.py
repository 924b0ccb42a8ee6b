"""Meshes of a GLB, each with its primitives joined; file units and axes, without motion."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ...core.model.errors import FileError, NeedleError
from ...core.model.mesh import Mesh
from .accessors import Container

TRIANGLES = 4


def read_glb(path: Path) -> list[Mesh]:
    """Every mesh of the file in its own space."""
    container = Container(path)
    if not container.document.meshes:
        raise FileError("the file holds no mesh", where=str(path), remedy="Export the mesh with it")
    return [mesh_of(container, index) for index in range(len(container.document.meshes))]


def mesh_of(container: Container, index: int) -> Mesh:
    """Mesh `index` with a group per primitive; `FileError` for points or lines."""
    source = container.document.meshes[index]
    name = source.name or f"mesh{index}"
    vertices, triangles, groups = [], [], {}
    offset = faces = 0
    for number, primitive in enumerate(source.primitives):
        if primitive.mode not in (None, TRIANGLES):
            raise FileError(f"mesh '{name}' is not made of triangles", where=str(container.path))
        if primitive.attributes.POSITION is None:
            raise FileError(f"mesh '{name}' has no positions", where=str(container.path))
        points = container.array(primitive.attributes.POSITION, f"mesh '{name}'").astype(float)
        corners = (
            np.arange(len(points))
            if primitive.indices is None
            else container.array(primitive.indices, f"the faces of mesh '{name}'")
        )
        corners = np.asarray(corners, np.int64).reshape(-1, 3) + offset
        groups[f"part{number}"] = np.arange(faces, faces + len(corners), dtype=np.int32)
        vertices.append(points)
        triangles.append(corners)
        offset += len(points)
        faces += len(corners)
    try:
        return Mesh(
            name,
            np.concatenate(vertices),
            np.full(faces, 3, np.int32),
            np.concatenate(triangles).astype(np.int32).ravel(),
            groups=groups if len(groups) > 1 else {},
        )
    except NeedleError as error:
        raise error.at(str(container.path)) from None
