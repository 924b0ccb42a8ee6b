"""A mesh of a GLB with its primitives joined; in its own space, file units and axes."""

from __future__ import annotations

import numpy as np

from ...core.model.errors import FileError, NeedleError
from ...core.model.mesh import Mesh
from .accessors import Container

TRIANGLES = 4


def mesh_of(container: Container, index: int) -> Mesh:
    """Mesh `index` with a group per primitive; `FileError` for points or lines."""
    source = container.document.meshes[index]
    if not source.primitives:
        raise FileError(f"mesh {index} has no faces", where=str(container.path), remedy="Export it again")
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
        if corners.size % 3:
            raise FileError(f"mesh '{name}' ends in the middle of a triangle", where=str(container.path))
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
