"""From faces to triangles, and from triangles to edges, hinges and borders."""

from __future__ import annotations

import mapbox_earcut
import numpy as np
from scipy import sparse

from ..model.errors import MeshError
from ..model.mesh import Mesh, Topology, TriangleMap
from ..model.tolerances import DEFAULT, QUAD_CORNER, Tolerances
from ..model.typed import Flags, Indices, Longs, Points, Scalars, Triangles


def edge_codes(ends: Indices, count: int) -> Longs:
    """One number (k,) for each edge (k, 2) of `count` vertices, the same in both directions."""
    low = np.sort(ends, axis=1).astype(np.int64)
    return np.asarray(low[:, 0] * count + low[:, 1])


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


def counted_edges(triangles: Triangles) -> tuple[Indices, Indices]:
    """Each edge of triangles (m, 3) once, (e, 2) with its lower end first, and how many share it, (e,)."""
    halves = np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])
    edges, counts = np.unique(np.sort(halves, axis=1), axis=0, return_counts=True)
    return edges, counts.astype(np.int32)


def neighbour_means(graph: sparse.csr_matrix) -> sparse.csr_matrix:
    """What turns values (n,) into the mean of each one's neighbours, by a graph (n, n) of ones; 0 for one that
    has none.
    """
    degree = np.maximum(np.asarray(graph.sum(axis=1)).ravel(), 1.0)
    return sparse.csr_matrix(sparse.diags(1.0 / degree) @ graph)


def is_closed(triangles: Triangles) -> bool:
    """Whether every edge has two triangles, so that the surface has an inside. No triangles: no."""
    _, counts = counted_edges(triangles)
    return bool(len(counts) and (counts == 2).all())


def across_edges(triangles: Triangles) -> tuple[Indices, Indices]:
    """Pairs of triangles (k,), (k,) that share an edge. Of more than two, each is paired with the next."""
    ends = np.sort(np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2), axis=1)
    order = np.lexsort((ends[:, 1], ends[:, 0]))
    same = (ends[order[1:]] == ends[order[:-1]]).all(axis=1)
    return (order[:-1][same] // 3).astype(np.int32), (order[1:][same] // 3).astype(np.int32)


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


def triangulated(mesh: Mesh) -> TriangleMap:
    """Cut every face of `mesh` into triangles, two fewer than it has corners.

    A convex quad is cut along its shorter diagonal, other polygons in their mean plane by `cut_polygon`. Takes
    n log n of the corners.
    """
    sizes = mesh.face_sizes.astype(np.int64)
    starts = np.cumsum(sizes) - sizes
    ends = np.cumsum(sizes - 2)
    corners = np.empty((int(ends[-1]) if len(ends) else 0, 3), np.int64)
    first = ends - (sizes - 2)
    small = sizes == 3
    corners[first[small]] = starts[small, None] + np.arange(3)
    alone = np.flatnonzero(sizes > 4)
    quads = np.flatnonzero(sizes == 4)
    if len(quads):
        fan, convex = _quads(mesh.vertices[mesh.face_corners[starts[quads, None] + np.arange(4)]])
        cuts = np.where(fan[:, None, None], [[0, 1, 2], [0, 2, 3]], [[0, 1, 3], [1, 2, 3]])
        corners[first[quads, None] + np.arange(2)] = starts[quads, None, None] + cuts
        alone = np.concatenate([alone, quads[~convex]])
    for face in alone:
        start, size = int(starts[face]), int(sizes[face])
        cut = cut_polygon(mesh.vertices[mesh.face_corners[start : start + size]])
        corners[first[face] : ends[face]] = start + cut
    source = np.repeat(np.arange(mesh.face_count, dtype=np.int32), sizes - 2)
    return TriangleMap(mesh.face_corners[corners].astype(np.int32), corners.astype(np.int32), source)


def _quads(points: Points) -> tuple[Flags, Flags]:
    """Of quads (q, 4, 3): whether each is cut from its first corner, and whether it is surely convex, (q,)."""
    normal = np.cross(points, np.roll(points, -1, axis=1)).sum(axis=1)
    back, here = np.roll(points, 1, axis=1), np.roll(points, 2, axis=1)
    turns = np.einsum("qij,qj->qi", np.cross(back - here, points - here), normal)
    area = (normal**2).sum(axis=1)
    # Equal diagonals are common, and rounding decides: the same dot product as of a single quad's.
    one, other = points[:, 0] - points[:, 2], points[:, 1] - points[:, 3]
    fan = np.sqrt(np.vecdot(one, one)) <= np.sqrt(np.vecdot(other, other))
    return fan, (turns > QUAD_CORNER * area[:, None]).all(axis=1)


def cut_polygon(points: Points) -> Triangles:
    """Triangles (k - 2, 3) of one polygon of k points (k, 3) m in order, as indices into these.

    By ear cutting over a curve that fills the plane (the earcut library, after M. Held, FIST, Algorithmica 30,
    2001). A polygon without area, or that crosses itself so that this fails, is cut as a fan.
    """
    count = len(points)
    fan = np.stack([np.zeros(count - 2, int), np.arange(1, count - 1), np.arange(2, count)], axis=1)
    flat, area = _mean_plane(points)
    if area <= 0.0:
        return fan
    if count == 4:
        return _cut_quad(points, flat)
    found = mapbox_earcut.triangulate_float64(flat, np.array([count], np.uint32)).reshape(-1, 3).astype(int)
    against = _turns(*(flat[found[:, k]] for k in range(3))) < 0
    found[against] = found[against][:, ::-1]
    whole = _with_skipped(found, count)
    return fan if whole is None else whole


def _cut_quad(points: Points, flat: Points) -> Triangles:
    """A convex quad along its shorter diagonal, another from its first corner that is an ear."""
    fan, split = np.array([(0, 1, 2), (0, 2, 3)]), np.array([(0, 1, 3), (1, 2, 3)])
    turns = _turns(np.roll(flat, 2, axis=0), np.roll(flat, 1, axis=0), flat)
    if (turns > 0).all():
        return fan if np.linalg.norm(points[0] - points[2]) <= np.linalg.norm(points[1] - points[3]) else split
    for ear in range(4):
        a, b, c, other = ((ear + k) % 4 for k in (-1, 0, 1, 2))
        around = flat[[a, b, c]], flat[[b, c, a]], np.tile(flat[other], (3, 1))
        if turns[(ear + 1) % 4] > 0 and not (_turns(*around) >= 0).all():
            rest = [k for k in range(4) if k != b]
            return np.array([(a, b, c), tuple(rest)])
    return fan


def _with_skipped(triangles: Triangles, count: int) -> Triangles | None:
    """The triangles with the points put back in that lie straight between two others, which the library leaves
    out; None when they are not the triangles of a simple polygon of `count` points.
    """
    if len(triangles) == count - 2:
        return triangles
    used = np.unique(triangles)
    if len(triangles) != len(used) - 2:
        return None
    out = [tuple(map(int, one)) for one in triangles]
    across = {(one[k], one[k - 2]): (at, one[k - 1]) for at, one in enumerate(out) for k in range(3)}
    for here, there in zip(used, np.roll(used, -1), strict=True):
        chain = [int(here), *((int(here) + 1 + k) % count for k in range((int(there) - int(here) - 1) % count))]
        if len(chain) == 1:
            continue
        if (chain[0], int(there)) not in across:
            return None
        at, apex = across[chain[0], int(there)]
        pieces = [(a, b, apex) for a, b in zip(chain, [*chain[1:], int(there)], strict=True)]
        out[at] = pieces[0]
        out += pieces[1:]
        across[int(there), apex] = (len(out) - 1, chain[-1])
        across[apex, chain[0]] = (at, chain[1])
    return np.array(out) if len(out) == count - 2 else None


def _mean_plane(points: Points) -> tuple[Points, float]:
    """Points in the polygon's mean plane (Newell's normal) and twice its area."""
    normal = np.cross(points, np.roll(points, -1, axis=0)).sum(axis=0)
    area = float(np.linalg.norm(normal))
    if area == 0.0:
        return points[:, :2], 0.0
    normal /= area
    across = np.cross(normal, np.eye(3)[np.argmin(np.abs(normal))])
    across /= np.linalg.norm(across)
    return np.stack([points @ across, points @ np.cross(normal, across)], axis=1), area


def _turns(a: Points, b: Points, c: Points) -> Scalars:
    """Twice the signed areas (k,) of triangles with corners (k, 2)."""
    return np.asarray((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))
