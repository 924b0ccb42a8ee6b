"""Meshes out of a glTF scene, placed by its nodes."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...core.geometry.rotations import normalised
from ...core.geometry.skinning import Pose, decomposed
from ...core.model.errors import FileError, NeedleError
from ...core.model.mesh import Mesh
from ...core.model.typed import Indices
from .accessors import Container

TRIANGLES = 4


def ordered(container: Container) -> tuple[list[int], Indices]:
    """Node indices, parents first, and each one's parent in that order; `FileError` for a circle."""
    nodes = container.document.nodes
    parent: dict[int, int] = {}
    for index, node in enumerate(nodes):
        for child in node.children or []:
            if not 0 <= child < len(nodes) or child in parent:
                raise FileError(
                    f"node {index} names child {child}, which does not exist or has two parents",
                    where=str(container.path),
                    remedy="Export it again",
                )
            parent[child] = index
    order: list[int] = []
    waiting = [i for i in reversed(range(len(nodes))) if i not in parent]
    while waiting:
        here = waiting.pop()
        order.append(here)
        waiting += reversed(nodes[here].children or [])
    if len(order) != len(nodes):
        raise FileError(
            "the nodes are their own ancestors", where=str(container.path), remedy="Export it again"
        )
    place = {source: new for new, source in enumerate(order)}
    return order, np.array([place[parent[i]] if i in parent else -1 for i in order], np.int32)


def rest_pose(container: Container, order: list[int]) -> Pose:
    """Local transforms of the nodes in `order` as the file has them without animation."""
    each = [_local(container, container.document.nodes[index]) for index in order]
    return Pose(
        np.array([t for t, _, _ in each], float).reshape(-1, 3),
        normalised(np.array([r for _, r, _ in each], float).reshape(-1, 4)),
        np.array([s for _, _, s in each], float).reshape(-1, 3),
    )


def _local(container: Container, node: Any) -> tuple[Any, Any, Any]:
    if node.matrix is not None and node.translation is None and node.rotation is None and node.scale is None:
        matrix = np.array(node.matrix, float).reshape(1, 4, 4).transpose(0, 2, 1)
        try:
            pose = decomposed(matrix)
        except ValueError as error:
            raise FileError(
                f"a node is placed by a matrix that is no turn, move and scale ({error})",
                where=f"{container.path}, node '{node.name}'",
                remedy="Freeze the transforms of that node and export again",
            ) from None
        return pose.translation[0], pose.rotation[0], pose.scale[0]
    return node.translation or (0, 0, 0), node.rotation or (0, 0, 0, 1), node.scale or (1, 1, 1)


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
