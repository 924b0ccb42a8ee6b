"""Polygons to triangles, with a map that says which face each triangle came from."""

from __future__ import annotations

from dataclasses import dataclass

import mapbox_earcut
import numpy as np

from ..model.mesh import Mesh
from ..model.typed import Flags, Indices, Points, Scalars, Triangles

UNCLEAR = 1e-5  # share of a quad's area: a corner that turns by less is looked at on its own


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
    return fan, (turns > UNCLEAR * area[:, None]).all(axis=1)


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
