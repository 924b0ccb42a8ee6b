"""What is wrong with a mesh that is to be cloth, and how it is put right where that is sound."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ...contact.intersections import self_crossing_pairs
from ...geometry.closed import inside, turned_outwards
from ...geometry.topology import triangulated
from ...model.errors import MeshError
from ...model.mesh import Mesh
from ...model.typed import Flags, Indices, Points, Scalars, Triangles

SAME_PLACE = 1e-6  # m: vertices nearer than this are one
SLIVER = 0.035  # height over longest side: two degrees
NEEDLE = 0.3  # shortest over longest side of a sliver: shorter is a needle, else a cap
ROUNDS = 60
MOST_SLIVERS = 500  # each is looked for among all triangles

Kind = Literal["non-manifold", "doubled", "inside out", "slivers", "touching itself", "inside a body"]
MENDED_IN_ORDER = ("doubled", "slivers", "inside out")


@dataclass(frozen=True, eq=False)
class Finding:
    """One thing that is wrong: what, in words; how often; whether it can be put right; and the triangles
    (k, 3, 3) m to light.
    """

    kind: Kind
    said: str
    count: int
    mends: bool
    places: Points


def findings(mesh: Mesh) -> tuple[Finding, ...]:
    """What is wrong with a mesh, the worst first; nothing for one that is sound."""
    cut = triangulated(mesh)
    points, triangles = mesh.vertices, cut.triangles
    edges, counts, opposed = _edges(triangles)
    slivers = _slivers(points, triangles)
    doubled = _doubled_vertices(points, edges[counts == 1])
    twice = _twice(triangles)
    many = np.isin(_codes(_sides(triangles)), _codes(edges[counts > 2])).any(axis=1) & ~twice
    against = np.isin(_codes(_sides(triangles)), _codes(edges[opposed])).any(axis=1)
    at_doubled = np.isin(triangles, doubled).any(axis=1) | twice
    touching, sound = np.zeros(len(triangles), bool), np.flatnonzero(~(slivers | at_doubled | against | many))
    crossing = self_crossing_pairs(points, np.ascontiguousarray(triangles[sound]))
    touching[sound[np.unique(crossing)]] = True
    found = (
        ("non-manifold", many, int((counts > 2).sum()), "edges with more than two faces", False),
        ("doubled", at_doubled, len(doubled) + int(twice.sum()), "vertices or faces that stand twice", True),
        ("inside out", against, int(opposed.sum()), "edges whose two faces look opposite ways", True),
        ("slivers", slivers, int(slivers.sum()), "faces with hardly any area", True),
        ("touching itself", touching, len(crossing), "places where it goes through itself", False),
    )
    return tuple(
        Finding(kind, said, count, mends, points[triangles[lit]])  # type: ignore[arg-type]
        for kind, lit, count, said, mends in found
        if lit.any()
    )


def inside_finding(mesh: Mesh, bodies: Points, closed: Triangles) -> Finding | None:
    """What of a mesh lies inside closed bodies, points (k, 3) m, triangles (c, 3); None when nothing does."""
    within = inside(bodies, closed, mesh.vertices)
    if not within.any():
        return None
    triangles = triangulated(mesh).triangles
    lit = mesh.vertices[triangles[within[triangles].any(axis=1)]]
    return Finding("inside a body", "vertices inside what they are worn on", int(within.sum()), False, lit)


def mended(mesh: Mesh, kinds: Sequence[str]) -> Mesh:
    """The mesh with some of its faults put right: vertices and faces that stand twice become one, slivers are
    closed or their longest side turned, faces are turned so that neighbours agree. The last two give triangles.
    """
    for kind in MENDED_IN_ORDER:
        if kind in kinds:
            mesh = {"doubled": _welded, "slivers": _without_slivers, "inside out": _agreeing}[kind](mesh)
    return mesh


def _sides(triangles: Triangles) -> Indices:
    """(m, 3, 2) vertices of each side, as the triangle goes round."""
    return np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2)


def _codes(ends: Indices) -> np.ndarray:
    low = np.sort(ends, axis=-1).astype(np.int64)
    return np.asarray(low[..., 0] * np.int64(2**31) + low[..., 1])


def _edges(triangles: Triangles) -> tuple[Indices, Indices, Flags]:
    """Each edge (e, 2) once, how many triangles it has (e,), and whether two go along it the same way."""
    sides = _sides(triangles).reshape(-1, 2)
    code = _codes(sides)
    edges, first, of, counts = np.unique(code, return_index=True, return_inverse=True, return_counts=True)
    forward = np.bincount(of.ravel(), sides[:, 0] < sides[:, 1], len(edges))
    opposed = (counts == 2) & (forward != 1)
    return np.sort(sides[first], axis=1), counts.astype(np.int32), opposed


def _twice(triangles: Triangles) -> Flags:
    """Which triangles (m,) have the same corners as one before them."""
    _, first = np.unique(np.sort(triangles, axis=1), axis=0, return_index=True)
    out = np.ones(len(triangles), bool)
    out[first] = False
    return out


def _doubled_vertices(points: Points, borders: Indices) -> Indices:
    """Vertices of borders that have another one in their place."""
    on = np.unique(borders)
    if len(on) == 0:
        return on.astype(np.int32)
    pairs = cKDTree(points[on]).query_pairs(SAME_PLACE, output_type="ndarray")
    return np.unique(on[pairs]).astype(np.int32)


def _heights(points: Points, triangles: Triangles) -> tuple[Scalars, Scalars, Indices]:
    """Height over the longest side (m,), the sides' lengths (m, 3) m, and which is the longest."""
    corners = points[triangles]
    lengths = np.linalg.norm(np.roll(corners, -1, axis=1) - corners, axis=2)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    longest = lengths.max(axis=1)
    return area / np.maximum(longest, 1e-12) ** 2, lengths, lengths.argmax(axis=1).astype(np.int32)


def _slivers(points: Points, triangles: Triangles) -> Flags:
    return np.asarray(_heights(points, triangles)[0] < SLIVER)


def _welded(mesh: Mesh) -> Mesh:
    """Vertices in one place as one; faces that then stand twice or have no corner left are dropped."""
    edges, counts, _ = _edges(triangulated(mesh).triangles)
    on = np.unique(edges[counts == 1])
    into = np.arange(mesh.vertex_count, dtype=np.int32)
    if len(on):
        pairs = on[cKDTree(mesh.vertices[on]).query_pairs(SAME_PLACE, output_type="ndarray")]
        count = mesh.vertex_count
        beside = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
        _, part = connected_components(beside, directed=False)
        _, first = np.unique(part, return_index=True)
        into = first[part].astype(np.int32)
    return _rebuilt(mesh, mesh.vertices, into)


def _rebuilt(mesh: Mesh, points: Points, into: Indices) -> Mesh:
    """The mesh with vertex `into[v]` in place of each v: without faces that are left with two corners or stand
    twice, and without vertices that no face has. Groups and UVs go along.
    """
    ends = np.cumsum(mesh.face_sizes)
    sizes, corners, uvs, kept, seen = [], [], [], [], set()
    has_uvs = len(mesh.uv_corners) > 0
    for face, (end, size) in enumerate(zip(ends.tolist(), mesh.face_sizes.tolist(), strict=True)):
        at = np.arange(end - size, end)
        of = into[mesh.face_corners[at]]
        apart = of != np.roll(of, 1)
        of, at = of[apart], at[apart]
        key = tuple(sorted(of.tolist()))
        if len(set(key)) < 3 or key in seen:
            continue
        seen.add(key)
        sizes.append(len(of))
        corners.append(of)
        uvs.append(at)
        kept.append(face)
    if not kept:
        raise MeshError("nothing is left of the mesh", where=mesh.name, remedy="Bring in another file")
    every, where = np.concatenate(corners), np.concatenate(uvs)
    used, number = np.unique(every, return_inverse=True)
    place = np.full(mesh.face_count, -1)
    place[kept] = np.arange(len(kept))
    groups = {name: place[faces][place[faces] >= 0].astype(np.int32) for name, faces in mesh.groups.items()}
    return Mesh(
        mesh.name, points[used], np.array(sizes, np.int32), number.astype(np.int32), mesh.uvs,
        mesh.uv_corners[where] if has_uvs else mesh.uv_corners,
        {name: faces for name, faces in groups.items() if len(faces)},
    )  # fmt: skip


def _as_triangles(mesh: Mesh) -> Mesh:
    cut = triangulated(mesh)
    groups = {
        name: np.flatnonzero(np.isin(cut.source_face, faces)).astype(np.int32)
        for name, faces in mesh.groups.items()
    }
    uv = mesh.uv_corners[cut.corners].ravel() if len(mesh.uv_corners) else mesh.uv_corners
    sizes = np.full(len(cut.triangles), 3, np.int32)
    return Mesh(mesh.name, mesh.vertices, sizes, cut.triangles.ravel(), mesh.uvs, uv, groups)


def _without_slivers(mesh: Mesh) -> Mesh:
    """Needles closed along their shortest side, caps turned along their longest, until none is left or nothing
    more can be done.
    """
    mesh = _as_triangles(mesh)
    many = int(_slivers(mesh.vertices, mesh.face_corners.reshape(-1, 3)).sum())
    if many > MOST_SLIVERS:
        raise MeshError(
            f"{many:,} faces have hardly any area, more than the {MOST_SLIVERS:,} that are put right here",
            where=mesh.name, remedy="Mesh it anew at a spacing, or mend it where it was made",
        )  # fmt: skip
    for _ in range(ROUNDS):
        triangles = mesh.face_corners.reshape(-1, 3)
        share, lengths, longest = _heights(mesh.vertices, triangles)
        thin = np.flatnonzero(share < SLIVER).astype(np.int32)
        if len(thin) == 0:
            break
        short = lengths[thin].min(axis=1) < NEEDLE * lengths[thin].max(axis=1)
        changed = _closed(mesh, thin[short], lengths) if short.any() else _turned(mesh, thin, longest)
        if changed is None:
            break
        mesh = changed
    return mesh


def _closed(mesh: Mesh, needles: Indices, lengths: Scalars) -> Mesh:
    """The shortest sides of needles closed, of those that share no vertex in one go."""
    triangles, points = mesh.face_corners.reshape(-1, 3), mesh.vertices.copy()
    edges, counts, _ = _edges(triangles)
    border = np.zeros(len(points), bool)
    border[edges[counts == 1]] = True
    into, touched = np.arange(len(points), dtype=np.int32), np.zeros(len(points), bool)
    for t in needles.tolist():
        side = int(lengths[t].argmin())
        a, b = int(triangles[t, side]), int(triangles[t, (side + 1) % 3])
        if touched[a] or touched[b]:
            continue
        if border[b] and not border[a]:
            a, b = b, a
        if border[a] == border[b]:
            points[a] = (points[a] + points[b]) / 2
        into[b] = a
        touched[triangles[(triangles == a).any(axis=1) | (triangles == b).any(axis=1)]] = True
    return _rebuilt(mesh, points, into)


def _turned(mesh: Mesh, caps: Indices, longest: Indices) -> Mesh | None:
    """The longest sides of caps turned; a cap at a border is dropped. None where nothing could be done."""
    triangles = mesh.face_corners.reshape(-1, 3).copy()
    uv = mesh.uv_corners.reshape(-1, 3).copy() if len(mesh.uv_corners) else None
    code = _codes(_sides(triangles))
    dropped, touched = np.zeros(len(triangles), bool), np.zeros(len(triangles), bool)
    done = False
    for t in caps.tolist():
        side = int(longest[t])
        beside = [int(u) for u in np.flatnonzero((code == code[t, side]).any(axis=1)) if u != t]
        if touched[t] or len(beside) > 1 or (beside and touched[beside[0]]):
            continue
        done = True
        if not beside:
            dropped[t] = touched[t] = True
            continue
        u = beside[0]
        j = int(np.flatnonzero(code[u] == code[t, side])[0])
        a, b, c = (triangles[t, (side + k) % 3] for k in range(3))
        d = triangles[u, (j + 2) % 3]
        if uv is not None:
            ua, ub, uc, ud = uv[t, side], uv[t, (side + 1) % 3], uv[t, (side + 2) % 3], uv[u, (j + 2) % 3]
            uv[t], uv[u] = (uc, ua, ud), (ud, ub, uc)
        triangles[t], triangles[u] = (c, a, d), (d, b, c)
        touched[t] = touched[u] = True
    if not done:
        return None
    whole = Mesh(
        mesh.name, mesh.vertices, mesh.face_sizes, triangles.ravel(), mesh.uvs,
        mesh.uv_corners if uv is None else uv.ravel(), mesh.groups,
    )  # fmt: skip
    if not dropped.any():
        return whole
    into = np.arange(mesh.vertex_count, dtype=np.int32)
    keep = np.flatnonzero(~dropped)
    number = np.full(len(triangles), -1)
    number[keep] = np.arange(len(keep))
    groups = {n: number[f][number[f] >= 0].astype(np.int32) for n, f in mesh.groups.items()}
    left = Mesh(
        mesh.name, mesh.vertices, whole.face_sizes[keep], triangles[keep].ravel(), mesh.uvs,
        mesh.uv_corners if uv is None else uv[keep].ravel(), {n: f for n, f in groups.items() if len(f)},
    )  # fmt: skip
    return _rebuilt(left, mesh.vertices, into)


def _agreeing(mesh: Mesh) -> Mesh:
    """Faces turned so that neighbours look the same way, and closed bodies outwards."""
    cut = triangulated(mesh)
    now = turned_outwards(mesh.vertices, cut)
    turned = (now.corners != cut.corners).any(axis=1)
    faces = np.zeros(mesh.face_count, bool)
    faces[cut.source_face[turned]] = True
    order = np.arange(len(mesh.face_corners))
    ends = np.cumsum(mesh.face_sizes)
    for face in np.flatnonzero(faces).tolist():
        start = ends[face] - mesh.face_sizes[face]
        order[start : ends[face]] = order[start : ends[face]][::-1]
    uv = mesh.uv_corners[order] if len(mesh.uv_corners) else mesh.uv_corners
    return Mesh(mesh.name, mesh.vertices, mesh.face_sizes, mesh.face_corners[order], mesh.uvs, uv, mesh.groups)
