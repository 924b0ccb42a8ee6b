"""Meshes, the triangles they are cut into, and those triangles' topology."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from hashlib import sha256

import numpy as np

from .errors import MeshError
from .typed import Edges, Flags, Indices, Points, Triangles

MOST_CORNERS = 50_000  # of a face
FURTHEST = 1e9  # file units from the origin: a thousand kilometres in mm, and far from where squares overflow


@dataclass(frozen=True, eq=False)
class Mesh:
    """Polygons whose count and order are never changed.

    vertices      (v, 3) float64, in metres once taken in
    face_sizes    (f,) int32, corners of each face, 3 or more
    face_corners  (sum of sizes,) int32, vertex index of each corner
    uvs           (u, 2) float64, or empty
    uv_corners    (sum of sizes,) int32 index into uvs, or empty
    groups        name -> (k,) int32 face indices
    rows          name -> (k,) int32 vertices in a row, such as a seam; no group has such a name
    """

    name: str
    vertices: Points
    face_sizes: Indices
    face_corners: Indices
    uvs: Points = field(default_factory=lambda: np.zeros((0, 2)))
    uv_corners: Indices = field(default_factory=lambda: np.zeros(0, np.int32))
    groups: dict[str, Indices] = field(default_factory=dict)
    rows: dict[str, Indices] = field(default_factory=dict)

    def __post_init__(self) -> None:
        _check_vertices(self)
        _check_faces(self)

    @property
    def vertex_count(self) -> int:
        """Number of vertices, v."""
        return len(self.vertices)

    @property
    def face_count(self) -> int:
        """Number of faces, f."""
        return len(self.face_sizes)

    @cached_property
    def fingerprint(self) -> bytes:
        """Tells it from any other mesh."""
        whole = sha256(self.name.encode())
        for array in (self.vertices, self.face_sizes, self.face_corners, self.uvs, self.uv_corners):
            whole.update(array.tobytes())
        for name, faces in self.groups.items():
            whole.update(name.encode() + faces.tobytes())
        for name, vertices in self.rows.items():
            whole.update(name.encode() + vertices.tobytes())
        return whole.digest()

    def face(self, index: int) -> Indices:
        """Vertex indices of one face, in order."""
        end = int(self.face_sizes[: index + 1].sum())
        return self.face_corners[end - int(self.face_sizes[index]) : end]

    def with_vertices(self, vertices: Points) -> Mesh:
        """The same faces over other positions; `MeshError` when the count differs."""
        if vertices.shape != self.vertices.shape:
            raise MeshError(
                f"{len(vertices)} positions were given for {self.vertex_count} vertices",
                where=self.name,
                remedy="Use a cache and a mesh of the same topology",
            )
        return Mesh(
            self.name,
            vertices,
            self.face_sizes,
            self.face_corners,
            self.uvs,
            self.uv_corners,
            self.groups,
            self.rows,
        )


def _check_vertices(mesh: Mesh) -> None:
    if mesh.vertices.ndim != 2 or mesh.vertices.shape[1] != 3 or mesh.vertex_count == 0:
        raise MeshError("the mesh has no vertices", where=mesh.name, remedy="Export it again with its geometry")
    bad = np.flatnonzero(~np.isfinite(mesh.vertices).all(axis=1))
    if len(bad):
        raise MeshError(
            f"{len(bad)} vertices have a position that is not a number",
            where=f"{mesh.name}, vertex {bad[0]}",
            remedy="Mend or delete these vertices and export again",
        )
    furthest = np.abs(mesh.vertices).max(axis=1)
    if furthest.max() > FURTHEST:
        raise MeshError(
            f"a vertex lies {furthest.max():.3g} units from the origin, further than {FURTHEST:g}",
            where=f"{mesh.name}, vertex {int(np.argmax(furthest))}",
            remedy="Mend or delete it and export again",
        )


def _check_faces(mesh: Mesh) -> None:
    if mesh.face_count == 0:
        raise MeshError("the mesh has no faces", where=mesh.name, remedy="Export it again with its faces")
    if mesh.face_sizes.min() < 3:
        raise MeshError(
            "a face has fewer than three corners",
            where=f"{mesh.name}, face {int(np.argmin(mesh.face_sizes))}",
            remedy="Delete that face",
        )
    if mesh.face_sizes.max() > MOST_CORNERS:
        raise MeshError(
            f"a face has {int(mesh.face_sizes.max()):,} corners, more than {MOST_CORNERS:,}",
            where=f"{mesh.name}, face {int(np.argmax(mesh.face_sizes))}",
            remedy="Cut it into smaller faces and export again",
        )
    if int(mesh.face_sizes.sum()) != len(mesh.face_corners):
        raise MeshError(
            "the face sizes and the corner list do not agree",
            where=mesh.name,
            remedy="Export the mesh again",
        )
    outside = (mesh.face_corners < 0) | (mesh.face_corners >= mesh.vertex_count)
    if outside.any():
        corner = int(np.flatnonzero(outside)[0])
        face = int(np.searchsorted(np.cumsum(mesh.face_sizes), corner, side="right"))
        raise MeshError(
            f"a face names vertex {int(mesh.face_corners[corner])} of {mesh.vertex_count}",
            where=f"{mesh.name}, face {face}",
            remedy="The file is cut short or was edited by hand: export it again",
        )


@dataclass(frozen=True, eq=False)
class Topology:
    """Connectivity of a triangle mesh of `vertex_count` vertices.

    triangles (m, 3) int32
    edges     (e, 2) int32, each once, lower index first, sorted
    hinges    (h, 4) int32: edge a, b, then the vertices opposite it, c left of a to b and d right
    sides     (h, 2) int32, the triangle left and right of each hinge
    border    (e,) bool, edges with one triangle
    """

    vertex_count: int
    triangles: Triangles
    edges: Edges
    hinges: Indices
    sides: Indices
    border: Flags


@dataclass(frozen=True, eq=False)
class TriangleMap:
    """Triangles of a mesh and where they came from.

    triangles   (m, 3) int32 vertex indices, faces in order, winding kept
    corners     (m, 3) int32 index of each corner in `Mesh.face_corners`
    source_face (m,) int32 face index of each triangle
    """

    triangles: Triangles
    corners: Triangles
    source_face: Indices
