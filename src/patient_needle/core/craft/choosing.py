"""Which vertices of a garment a hold takes, and how much of its grip reaches each."""

from __future__ import annotations

import numpy as np

from ..geometry.topology import Topology, border_loops
from ..model.errors import ShotError
from ..model.mesh import Mesh
from ..model.typed import Indices, Points, Scalars
from .holds import Choice


def chosen_vertices(mesh: Mesh, topology: Topology, source_face: Indices, choice: Choice) -> Indices:
    """Vertices (k,) of a choice, in rising order, those that it fades over included; `ShotError` when it
    chooses nothing.
    """
    return chosen(mesh, topology, source_face, choice)[0]


def chosen(mesh: Mesh, topology: Topology, source_face: Indices, choice: Choice) -> tuple[Indices, Scalars]:
    """The same, and the share (k,) of the grip that reaches each: 1, falling evenly over `fade` more rings."""
    vertices = _seed(mesh, topology, source_face, choice)
    share = np.zeros(mesh.vertex_count)
    share[vertices] = choice.grips if choice.grips else 1.0
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
        if choice.group not in mesh.groups:
            known = ", ".join(mesh.groups) or "no groups at all"
            raise ShotError(f"the mesh has no group '{choice.group}'", remedy=f"It has {known}")
        triangles = np.isin(source_face, mesh.groups[choice.group])
        return np.unique(topology.triangles[triangles])
    if choice.border is not None:
        return _border(mesh.vertices, topology, choice.border)
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
