"""Edges, hinges, borders and incidence of a triangle mesh, and what makes one unusable."""

from __future__ import annotations

import numpy as np

from ..model.errors import MeshError
from ..model.tolerances import DEFAULT, Tolerances
from ..model.topology import Topology
from ..model.typed import Indices, Points, Triangles


def build_topology(triangles: Triangles, vertex_count: int, *, name: str = "mesh") -> Topology:
    """Edges, hinges and borders; `MeshError` names the first edge that has more than two triangles."""
    halves = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    opposite = np.concatenate([triangles[:, 2], triangles[:, 0], triangles[:, 1]])
    of = np.tile(np.arange(len(triangles), dtype=np.int32), 3)
    low = np.sort(halves, axis=1)
    forward = halves[:, 0] == low[:, 0]
    order = np.lexsort((~forward, low[:, 1], low[:, 0]))
    low, forward, opposite, of = low[order], forward[order], opposite[order], of[order]
    first = np.concatenate([[True], (low[1:] != low[:-1]).any(axis=1)])
    starts = np.flatnonzero(first)
    counts = np.diff(np.concatenate([starts, [len(low)]]))
    if (counts > 2).any():
        a, b = low[starts[np.argmax(counts > 2)]]
        raise MeshError(
            f"{int((counts > 2).sum())} edges belong to more than two triangles",
            where=f"{name}, edge {a}-{b}",
            remedy="Split the mesh there, or delete the extra faces",
        )
    pairs = starts[counts == 2]
    if (forward[pairs] == forward[pairs + 1]).any():
        a, b = low[pairs[np.argmax(forward[pairs] == forward[pairs + 1])]]
        raise MeshError(
            "two neighbouring faces are wound in opposite directions",
            where=f"{name}, edge {a}-{b}",
            remedy="Make the face normals agree and export again",
        )
    hinges = np.column_stack([low[pairs], opposite[pairs], opposite[pairs + 1]])
    return Topology(
        vertex_count,
        triangles,
        low[starts].astype(np.int32),
        hinges.astype(np.int32),
        np.column_stack([of[pairs], of[pairs + 1]]),
        counts == 1,
    )


def is_closed(triangles: Triangles) -> bool:
    """Whether every edge has two triangles, so that the surface has an inside. No triangles: no."""
    halves = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    _, counts = np.unique(np.sort(halves, axis=1), axis=0, return_counts=True)
    return bool(len(counts) and (counts == 2).all())


def border_loops(topology: Topology) -> list[Indices]:
    """Closed loops of border vertices, longest first, each (k,) int32 in order around the hole.

    A vertex where two holes touch ends a loop early: the rest of it is another loop.
    """
    following: dict[int, list[int]] = {}
    for a, b in topology.edges[topology.border].tolist():
        following.setdefault(a, []).append(b)
        following.setdefault(b, []).append(a)
    unseen = {tuple(edge) for edge in topology.edges[topology.border].tolist()}
    loops = []
    while unseen:
        start, here = min(unseen)
        unseen.discard((start, here))
        loop = [start]
        while here != start:
            loop.append(here)
            steps = [n for n in following[here] if (min(here, n), max(here, n)) in unseen]
            if not steps:
                break
            unseen.discard((min(here, steps[0]), max(here, steps[0])))
            here = steps[0]
        loops.append(np.array(loop, np.int32))
    return sorted(loops, key=lambda loop: (-len(loop), int(loop[0])))


def incidence(elements: Indices, vertex_count: int) -> tuple[np.ndarray, np.ndarray]:
    """Which corners each vertex has: CSR (indptr (n+1,) int32, corner (k,) int32).

    elements (m, c) vertex indices; corner = element * c + place. Corners of a vertex are in rising order.
    """
    flat = elements.ravel()
    order = np.argsort(flat, kind="stable").astype(np.int32)
    counts = np.bincount(flat, minlength=vertex_count)
    return np.concatenate([[0], np.cumsum(counts)]).astype(np.int32), order


def check_triangles(
    points: Points, triangles: Triangles, *, name: str, tolerances: Tolerances = DEFAULT
) -> None:
    """`MeshError` for a triangle that repeats a vertex, has no area, or stands twice."""
    repeats = (
        (triangles[:, 0] == triangles[:, 1])
        | (triangles[:, 1] == triangles[:, 2])
        | (triangles[:, 2] == triangles[:, 0])
    )
    sides = points[triangles] - points[np.roll(triangles, -1, axis=1)]
    longest = (sides**2).sum(axis=2).max(axis=1)
    area = np.linalg.norm(np.cross(sides[:, 0], sides[:, 1]), axis=1) / 2
    flat = repeats | (area <= tolerances.zero_area_share * longest)
    if flat.any():
        raise MeshError(
            f"{int(flat.sum())} triangles have no area",
            where=f"{name}, triangle {int(np.argmax(flat))} "
            f"(vertices {', '.join(map(str, triangles[np.argmax(flat)]))})",
            remedy="Merge or delete these faces",
        )
    keys = np.sort(triangles, axis=1)
    _, first, counts = np.unique(keys, axis=0, return_index=True, return_counts=True)
    if (counts > 1).any():
        raise MeshError(
            f"{int((counts > 1).sum())} faces stand twice",
            where=f"{name}, triangle {int(first[np.argmax(counts > 1)])}",
            remedy="Delete the doubled faces",
        )
