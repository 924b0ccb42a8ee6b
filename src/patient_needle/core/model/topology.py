"""Which triangles of a mesh meet at which edges."""

from __future__ import annotations

from dataclasses import dataclass

from .typed import Edges, Flags, Indices, Triangles


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
