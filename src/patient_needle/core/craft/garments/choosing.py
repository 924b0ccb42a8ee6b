"""Choosing vertices of a garment, and how much of a hold's grip reaches each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from igl.embree import line_mesh_intersection

from ...geometry.topology import border_loops
from ...geometry.triangles import vertex_normals
from ...model.errors import ShotError
from ...model.holds import Choice
from ...model.mesh import Mesh, Topology
from ...model.typed import Flags, Indices, Matrices, Points, Scalars, Triangles, Vectors

BEFORE = 1e-3  # of the distance: nearer than this before a vertex is the vertex itself


@dataclass(frozen=True, eq=False)
class Outline:
    """What somebody drew around on the screen: corners (k, 2) and the projection (4, 4) to the same plane, x
    and y from -1 to 1; eye (3,) m; facing: only what the eye sees.
    """

    corners: Vectors
    projection: Matrices
    eye: Vectors
    facing: bool


def within_outline(points: Points, triangles: Triangles, outline: Outline) -> Indices:
    """Vertices (k,) of `points` (n, 3) m that lie within an outline, by the even-odd rule; seen or not."""
    seen = np.concatenate([points, np.ones((len(points), 1))], axis=1) @ outline.projection.T
    before = seen[:, 3] > 0
    flat = seen[:, :2] / np.where(before, seen[:, 3], 1.0)[:, None]
    inside = np.zeros(len(points), bool)
    for (x0, y0), (x1, y1) in zip(outline.corners, np.roll(outline.corners, -1, axis=0), strict=True):
        crosses = (y0 > flat[:, 1]) != (y1 > flat[:, 1])
        at = x0 + (flat[:, 1] - y0) * (x1 - x0) / (y1 - y0 if y1 != y0 else 1.0)
        inside ^= crosses & (flat[:, 0] < at)
    chosen = np.flatnonzero(inside & before).astype(np.int32)
    if outline.facing and len(chosen):
        chosen = chosen[_seen(points, triangles, chosen, outline.eye)]
    return chosen


def _seen(points: Points, triangles: Triangles, chosen: Indices, eye: Vectors) -> Flags:
    """Which of the chosen vertices (k,) face the eye with nothing before them."""
    way = points[chosen] - eye
    far = np.linalg.norm(way, axis=1)
    facing = np.einsum("ij,ij->i", vertex_normals(points, triangles)[chosen], way) < 0
    from_eye = np.ascontiguousarray(np.broadcast_to(eye, way.shape))
    hits = line_mesh_intersection(from_eye, way / far[:, None], points, triangles.astype(np.int64))
    face = hits[:, 0].astype(int)
    a, b, c = (points[triangles[np.maximum(face, 0)][:, k]] for k in range(3))
    first = a + hits[:, 1:2] * (b - a) + hits[:, 2:3] * (c - a)
    hidden = (face >= 0) & (np.linalg.norm(first - eye, axis=1) < far * (1 - BEFORE))
    return np.asarray(facing & ~hidden)


def grown_by(topology: Topology, vertices: Indices, rings: int) -> Indices:
    """Vertices (k,) and `rings` more around them; fewer when it is below 0."""
    share = np.zeros(topology.vertex_count)
    share[vertices] = 1.0
    if rings < 0:
        share = 1.0 - share
    for _ in range(abs(rings)):
        share = _grown(topology, share)
    return np.flatnonzero(share > 0 if rings >= 0 else share == 0).astype(np.int32)


def chosen_vertices(mesh: Mesh, topology: Topology, source_face: Indices, choice: Choice) -> Indices:
    """Vertices (k,) of a choice, in rising order, those that it fades over included; `ShotError` when it
    chooses nothing.
    """
    return chosen(mesh, topology, source_face, choice)[0]


def chosen(mesh: Mesh, topology: Topology, source_face: Indices, choice: Choice) -> tuple[Indices, Scalars]:
    """The same, and the share (k,) of the grip that reaches each: 1, falling evenly over `fade` more rings."""
    vertices = _seed(mesh, topology, source_face, choice)
    if choice.row:
        nearer = grown_by(topology, vertices, choice.row - 1)
        vertices = np.setdiff1d(grown_by(topology, vertices, choice.row), nearer)
    share = np.zeros(mesh.vertex_count)
    share[vertices] = choice.grips if choice.grips else 1.0
    if choice.rings < 0:
        share *= np.isin(np.arange(len(share)), grown_by(topology, vertices, choice.rings))
    for _ in range(choice.rings):
        share = _grown(topology, share)
    for ring in range(choice.fade):
        grown = _grown(topology, (share > 0).astype(float)) > 0
        share[grown & (share == 0)] = 1.0 - (ring + 1.0) / (choice.fade + 1.0)
    found = np.flatnonzero(share > 0).astype(np.int32)
    if len(found) == 0:
        raise ShotError("a hold chooses no vertices", remedy="Give it a group, a border or vertices")
    return found, share[found]


def _seed(mesh: Mesh, topology: Topology, source_face: Indices, choice: Choice) -> Indices:
    if choice.group is not None:
        if choice.group in mesh.rows:
            return np.unique(mesh.rows[choice.group]).astype(np.int32)
        if choice.group not in mesh.groups:
            known = ", ".join([*mesh.groups, *mesh.rows]) or "no groups at all"
            raise ShotError(f"the mesh has no group '{choice.group}'", remedy=f"It has {known}")
        triangles = np.isin(source_face, mesh.groups[choice.group])
        return np.unique(topology.triangles[triangles])
    if choice.border is not None:
        return _border(mesh.vertices, topology, choice.border)
    if choice.whole:
        return np.arange(mesh.vertex_count, dtype=np.int32)
    vertices = np.array(choice.vertices, np.int32)
    if len(vertices) and (vertices.min() < 0 or vertices.max() >= mesh.vertex_count):
        worst = int(vertices.max() if vertices.max() >= mesh.vertex_count else vertices.min())
        raise ShotError(
            f"a hold names vertex {worst} of {mesh.vertex_count}", remedy="Choose vertices of this mesh"
        )
    return vertices


def _grown(topology: Topology, share: Scalars) -> Scalars:
    """Every vertex as its neighbours' largest, where it has none itself."""
    most = share[topology.triangles].max(axis=1)
    out = np.zeros_like(share)
    for corner in range(3):
        np.maximum.at(out, topology.triangles[:, corner], most)
    return np.where(share > 0, share, out)


def _border(points: Points, topology: Topology, which: str, up: int = 1) -> Indices:
    loops = border_loops(topology)
    if not loops:
        raise ShotError("a hold asks for a border, but the mesh is closed", remedy="Choose a group instead")
    heights = [points[loop, up].mean() for loop in loops]
    pick = {"highest": int(np.argmax(heights)), "lowest": int(np.argmin(heights)), "longest": 0}
    return loops[pick[which]]
