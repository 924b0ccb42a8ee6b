"""Cutting and sewing: a pattern's pieces meshed so that they match along seams, and welded there."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import cKDTree

from ...geometry.flat_meshing import even_mesh
from ...geometry.rest_metric import metric_of_pieces
from ...geometry.topology import build_topology, edge_codes
from ...geometry.triangles import flat_areas
from ...model.errors import MeshError
from ...model.garment import RestMetric
from ...model.mesh import Topology
from ...model.tolerances import GATHER_FROM, SEWN_MOST_VERTICES
from ...model.typed import Flags, Indices, Scalars, Triangles, Vectors
from .pattern import OTHER, Layer, Pattern, Piece, RunKey, Seam, at_shares

JOINED = 1e-3  # of a side: breaks as near to each other are one
GROWS = 0.35  # m by which triangles may be larger for each m away from a finely cut edge


@dataclass(frozen=True, eq=False)
class CutMesh:
    """The pieces as they are cut: k vertices, before they are welded.

    points     (k, 2) m, each in the frame of its own piece
    triangles  (m, 3) int32 into points, counter-clockwise as seen from outside
    piece      (m,) int32, index of the piece; in_front (m,) whether it hangs in the front layer
    of_point   (k,) int32, index of the piece of each vertex
    runs       vertices (c,) of each run, in order, with the corners at both ends
    """

    points: Vectors
    triangles: Triangles
    piece: Indices
    in_front: Flags
    of_point: Indices
    runs: dict[RunKey, Indices]


@dataclass(frozen=True, eq=False)
class SewnMesh:
    """The pieces sewn together: n vertices, m triangles.

    cut      as cut
    welded   (k,) int32, the vertex that each cut one has become
    triangles (m, 3) int32 of welded vertices
    corners  (m, 3, 2) m at rest, along weft and warp; along a seam both sides are as long as its shorter one
    gathered (m,) triangles whose rest that changed by more than GATHER_FROM
    seams    vertices (c,) along each seam, in the pattern's order; of a basted one along its first side
    basted   pairs (q, 2) int32 of vertices that face each other along basted seams, in order; basted_seam (q,)
             int32, the index of the seam
    """

    cut: CutMesh
    welded: Indices
    triangles: Triangles
    corners: Vectors
    gathered: Flags
    seams: tuple[Indices, ...]
    basted: Indices
    basted_seam: Indices

    @property
    def count(self) -> int:
        """Number of vertices, n."""
        return int(self.welded.max(initial=-1)) + 1

    @property
    def cut_areas(self) -> Scalars:
        """(m,) m2 of each triangle as cut."""
        return flat_areas(self.cut.points[self.cut.triangles])


def sewn(pattern: Pattern, spacing: float) -> SewnMesh:
    """Mesh a pattern's pieces at `spacing` m and weld them. The same input gives the same bits.

    Both sides of a seam get as many edges as the longer needs. `MeshError` for a pattern that cannot be sewn or
    pieces smaller than the spacing.
    """
    pattern.check()
    _check_spacing(pattern, spacing)
    shares = _Breaks(pattern, spacing).shares()
    cut = _cut(pattern, shares, spacing)
    matched = [_matched(seam, cut) for seam in pattern.seams]
    meeting = [one for seam, one in zip(pattern.seams, matched, strict=True) if not seam.basted]
    welded = _welded(len(cut.points), _meeting(meeting))
    triangles = welded[cut.triangles].astype(np.int32)
    _check_welded(pattern, cut, triangles)
    corners, gathered = _at_rest(pattern, cut, matched)
    facing, of = _facing(pattern, matched, welded)
    return SewnMesh(
        cut, welded, triangles, corners, gathered, tuple(_along(one, welded) for one in matched), facing, of
    )  # fmt: skip


def shut(mesh: SewnMesh) -> tuple[SewnMesh, Indices]:
    """The mesh with what is basted welded too, and the vertex (n,) of it that each of the mesh's has become."""
    welded = _welded(mesh.count, mesh.basted)
    triangles = welded[mesh.triangles].astype(np.int32)
    seams = tuple(welded[one] for one in mesh.seams)
    nothing = np.zeros((0, 2), np.int32)
    closed = replace(
        mesh, welded=welded[mesh.welded], triangles=triangles, seams=seams, basted=nothing,
        basted_seam=nothing[:, 0],
    )  # fmt: skip
    return closed, welded


def held_pairs(mesh: SewnMesh, pattern: Pattern) -> Indices:
    """Pairs (q, 2) of vertices that links hold together: along basted seams that are not undone, those that lie
    `every` m from each other, its ends among them.
    """
    out = [np.zeros((0, 2), np.int32)]
    for index, seam in enumerate(pattern.seams):
        own = mesh.basted[mesh.basted_seam == index]
        if not seam.basted or seam.undone or len(own) == 0:
            continue
        if seam.every is not None:
            length = pattern.side_length(seam.one)
            count = min(max(1, round(length / seam.every)), len(own) - 1)
            own = own[np.unique(np.round(np.linspace(0, len(own) - 1, count + 1)).astype(int))]
        out.append(own)
    return np.concatenate(out)


def _facing(pattern: Pattern, matched: list[Indices], welded: Indices) -> tuple[Indices, Indices]:
    """Pairs (q, 2) of welded vertices along basted seams in order, not those that are one, and their seam."""
    pairs, of = [np.zeros((0, 2), np.int32)], [np.zeros(0, np.int32)]
    for index, (seam, edges) in enumerate(zip(pattern.seams, matched, strict=True)):
        if seam.basted:
            own = welded[np.concatenate([edges[:, :, 0], edges[-1:, :, 1]])]
            own = own[own[:, 0] != own[:, 1]]
            pairs.append(own.astype(np.int32))
            of.append(np.full(len(own), index, np.int32))
    return np.concatenate(pairs), np.concatenate(of)


def _meeting(matched: list[Indices]) -> Indices:
    """Pairs (q, 2) of vertices as cut that are welded."""
    return np.concatenate([np.zeros((0, 2), np.int32), *(one.swapaxes(1, 2).reshape(-1, 2) for one in matched)])


def _check_spacing(pattern: Pattern, spacing: float) -> None:
    within = sum(piece.area for piece in pattern.pieces) / (0.866 * spacing**2)
    count = within + sum(piece.outline.length for piece in pattern.pieces) / spacing
    if count > SEWN_MOST_VERTICES:
        raise MeshError(
            f"a spacing of {spacing * 1e3:g} mm gives about {count:,.0f} vertices, more than "
            f"{SEWN_MOST_VERTICES:,}",
            remedy=f"Give at least {np.ceil(spacing * 1e4 * np.sqrt(count / SEWN_MOST_VERTICES)) / 10:g} mm",
        )
    for piece in pattern.pieces:
        # A strip of two thirds of the spacing is still one row of triangles.
        most = 3.0 * piece.area / piece.outline.length
        if spacing > most:
            raise MeshError(
                f"a spacing of {spacing * 1e3:g} mm is larger than it allows", where=f"piece '{piece.name}'",
                remedy=f"Give at most {np.floor(most * 1e3):g} mm, or make the piece larger",
            )  # fmt: skip


class _Breaks:
    """Where the runs are cut into edges: the same places on both sides of every seam."""

    def __init__(self, pattern: Pattern, spacing: float) -> None:
        self.pattern, self.spacing = pattern, spacing
        self.breaks: dict[RunKey, list[float]] = {}
        for piece in pattern.pieces:
            for run, line in piece.edges.items():
                self.breaks[piece.name, run] = sorted({0.0, 1.0, *_crossings(piece, line)})

    def shares(self) -> dict[RunKey, Scalars]:
        """Shares of its length (c,) at which each run has a vertex, ends with it."""
        out: dict[RunKey, Scalars] = {}
        for seam in self.pattern.seams:
            out |= self._of_seam(seam)
        for key, breaks in self.breaks.items():
            if key not in out:
                length = self.pattern.by_name[key[0]].length(key[1])
                counts = [max(1, round((b - a) * length / self.spacing)) for a, b in pairwise(breaks)]
                out[key] = _spread(breaks, counts)
        return out

    def _of_seam(self, seam: Seam) -> dict[RunKey, Scalars]:
        sides = [self._side(seam.one, backwards=False), self._side(seam.other, backwards=not seam.turned)]
        at = _joined(sorted([*sides[0], *sides[1]]))
        lengths = [self.pattern.side_length(side) for side in (seam.one, seam.other)]
        counts = [max(1, round((b - a) * max(lengths) / self.spacing)) for a, b in pairwise(at)]
        every = _spread(at, counts)
        return {
            **self._back(seam.one, every, backwards=False),
            **self._back(seam.other, every, backwards=not seam.turned),
        }

    def _spans(self, side: tuple[RunKey, ...], *, backwards: bool) -> Iterator[tuple[RunKey, float, float]]:
        """Each run of a side with the shares of the side at its beginning and its end."""
        lengths = [self.pattern.by_name[piece].length(run) for piece, run in side]
        ends = np.cumsum([0.0, *lengths]) / sum(lengths)
        for key, low, high in zip(side, ends, ends[1:], strict=False):
            yield (key, 1.0 - low, 1.0 - high) if backwards else (key, low, high)

    def _side(self, side: tuple[RunKey, ...], *, backwards: bool) -> list[float]:
        return [
            low + share * (high - low)
            for key, low, high in self._spans(side, backwards=backwards)
            for share in self.breaks[key]
        ]

    def _back(self, side: tuple[RunKey, ...], every: Scalars, *, backwards: bool) -> dict[RunKey, Scalars]:
        """The shares of a side as shares of its runs."""
        out = {}
        for key, low, high in self._spans(side, backwards=backwards):
            own = np.sort((every - low) / (high - low))
            own = own[(own > -JOINED) & (own < 1 + JOINED)]
            own[0], own[-1] = 0.0, 1.0
            out[key] = own
        return out


def _crossings(piece: Piece, line: Vectors) -> list[float]:
    """Shares of a run's length at which a fold crosses it."""
    along = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    out = []
    for fold in piece.hang.folds:
        off = line[:, 0] - fold
        for k in np.flatnonzero(off[:-1] * off[1:] < 0):
            share = off[k] / (off[k] - off[k + 1])
            out.append(float((along[k] + share * (along[k + 1] - along[k])) / along[-1]))
    return out


def _joined(shares: list[float]) -> list[float]:
    """Sorted shares from 0 to 1 with those that lie on each other as one."""
    out = [0.0]
    for share in shares:
        if share - out[-1] > JOINED:
            out.append(share)
    out[-1] = 1.0
    return out


def _spread(breaks: list[float], counts: list[int]) -> Scalars:
    parts = [
        np.linspace(a, b, count, endpoint=False) for (a, b), count in zip(pairwise(breaks), counts, strict=True)
    ]
    return np.concatenate([*parts, [1.0]])


def _cut(pattern: Pattern, shares: dict[RunKey, Scalars], spacing: float) -> CutMesh:
    """All pieces meshed, each with its outline cut at shares of its runs."""
    points, triangles, piece_of, front, of_point = [], [], [], [], []
    runs: dict[RunKey, Indices] = {}
    start = 0
    for index, piece in enumerate(pattern.pieces):
        border, at = [], 0
        total = sum(len(shares[piece.name, run]) - 1 for run in piece.edges)
        for run, line in piece.edges.items():
            own = shares[piece.name, run]
            border.append(at_shares(line, own)[:-1])
            runs[piece.name, run] = (start + np.arange(at, at + len(own)) % total).astype(np.int32)
            runs[piece.name, run][-1] = start + (at + len(own) - 1) % total
            at += len(own) - 1
        try:
            flat, faces, layer = _meshed(piece, np.concatenate(border), spacing)
        except MeshError as error:
            raise error.at(f"piece '{piece.name}'") from None
        points.append(flat)
        triangles.append(faces + start)
        piece_of.append(np.full(len(faces), index, np.int32))
        of_point.append(np.full(len(flat), index, np.int32))
        front.append(layer)
        start += len(flat)
    return CutMesh(
        np.concatenate(points), np.concatenate(triangles).astype(np.int32), np.concatenate(piece_of),
        np.concatenate(front), np.concatenate(of_point), runs,
    )  # fmt: skip


def _meshed(piece: Piece, border: Vectors, spacing: float) -> tuple[Vectors, Triangles, Flags]:
    """Points (k, 2), triangles (m, 3) and whether each hangs in front (m,), of one piece with border (b, 2)."""
    points, loops = border, [np.arange(len(border), dtype=np.int32)]
    for fold in sorted(piece.hang.folds):
        points, loops = _folded(piece, points, loops, fold, spacing)
    size = _sizes(points, loops, spacing)
    triangles: list[Triangles] = []
    front: list[Flags] = []
    for loop in loops:
        flat = even_mesh(points[loop], size)
        known = np.concatenate([loop, len(points) + np.arange(len(flat.points) - flat.border)])
        points = np.concatenate([points, flat.points[flat.border :]])
        triangles.append(known[flat.triangles].astype(np.int32))
        folds = sum(fold < flat.points[:, 0].mean() for fold in piece.hang.folds)
        layer: Layer = piece.hang.layer if folds % 2 == 0 else OTHER[piece.hang.layer]
        front.append(np.full(len(flat.triangles), layer == "front"))
    return points, np.concatenate(triangles), np.concatenate(front)


def _folded(
    piece: Piece, points: Vectors, loops: list[Indices], fold: float, spacing: float
) -> tuple[Vectors, list[Indices]]:
    """Points and loops with the loop that a fold crosses cut in two along it."""
    out = []
    for loop in loops:
        on = np.flatnonzero(np.abs(points[loop, 0] - fold) < JOINED)
        if len(on) == 0:
            out.append(loop)
            continue
        if len(on) != 2:
            raise MeshError(
                f"the fold at x = {fold * 1e3:.0f} mm meets the outline in {len(on)} places",
                where=f"piece '{piece.name}'",
                remedy="Fold it where it is crossed twice",
            )
        i, j = on
        ends = points[loop[[i, j]]]
        count = max(1, round(float(np.linalg.norm(ends[1] - ends[0])) / spacing))
        within = ends[0] + np.linspace(0, 1, count + 1)[1:-1, None] * (ends[1] - ends[0])
        new = len(points) + np.arange(len(within))
        points = np.concatenate([points, within])
        out += [np.concatenate([loop[i : j + 1], new[::-1]]), np.concatenate([loop[j:], loop[: i + 1], new])]
    return points, out


def _sizes(points: Vectors, loops: list[Indices], spacing: float) -> Callable[[Vectors], Scalars]:
    """The edge length wanted at places (q, 2): the spacing, and finer near a finely cut border."""
    ends = np.concatenate([np.stack([loop, np.roll(loop, -1)], axis=1) for loop in loops])
    steps = np.linalg.norm(points[ends[:, 0]] - points[ends[:, 1]], axis=1)
    middle = points[ends].mean(axis=1)
    fine = steps < 0.85 * spacing
    if not fine.any():
        return lambda at: np.full(len(at), spacing)
    tree, own = cKDTree(middle[fine]), steps[fine]

    def size(at: Vectors) -> Scalars:
        away, nearest = tree.query(at)
        return np.minimum(spacing, own[nearest] + GROWS * away)

    return size


def _matched(seam: Seam, cut: CutMesh) -> Indices:
    """Edges (s, 2, 2) along a seam: of both sides, their first and last vertex, which belong together."""
    sides = []
    for side, backwards in ((seam.one, False), (seam.other, not seam.turned)):
        runs = [cut.runs[key][::-1] if backwards else cut.runs[key] for key in side]
        sides.append(np.concatenate([np.stack([run[:-1], run[1:]], axis=1) for run in runs]))
    if len(sides[0]) != len(sides[1]):
        raise MeshError(
            "the sides of a seam could not be cut alike",
            where=" and ".join(f"'{p}.{r}'" for p, r in seam.runs),
            remedy="Give a smaller spacing",
        )
    return np.stack(sides, axis=1).astype(np.int32)


def _along(matched: Indices, welded: Indices) -> Indices:
    """Vertices (c,) along the first side of a seam, in order, as welded."""
    one = welded[matched[:, 0]]
    return np.concatenate([one[:, 0], one[-1:, 1]])


def _welded(count: int, pairs: Indices) -> Indices:
    """(count,) numbers of the vertices that are left when pairs (q, 2) become one each, in order."""
    graph = coo_matrix((np.ones(len(pairs)), (pairs[:, 0], pairs[:, 1])), shape=(count, count))
    _, label = connected_components(graph, directed=False)
    first = np.full(label.max() + 1, count)
    np.minimum.at(first, label, np.arange(count))
    order = np.argsort(np.argsort(first))
    return order[label].astype(np.int32)


def _check_welded(pattern: Pattern, cut: CutMesh, triangles: Triangles) -> None:
    """`MeshError` where a seam joins two corners of one triangle."""
    same = (triangles == np.roll(triangles, 1, axis=1)).any(axis=1)
    if same.any():
        bad = int(np.argmax(same))
        x, y = cut.points[cut.triangles[bad]].mean(axis=0) * 1e3
        raise MeshError(
            "a seam joins two corners of one triangle",
            where=f"piece '{pattern.pieces[cut.piece[bad]].name}', ({x:.0f}, {y:.0f}) mm",
            remedy="Give a smaller spacing, or open the seam there",
        )


def _at_rest(pattern: Pattern, cut: CutMesh, matched: list[Indices]) -> tuple[Vectors, Flags]:
    """Corners (m, 3, 2) m of the triangles along weft and warp, and which (m,) a gather has changed."""
    turn = np.radians([piece.grain for piece in pattern.pieces])[cut.piece]
    flat = cut.points[cut.triangles]
    cos, sin = np.cos(turn), np.sin(turn)
    corners = np.stack(
        [
            cos[:, None] * flat[..., 0] + sin[:, None] * flat[..., 1],
            -sin[:, None] * flat[..., 0] + cos[:, None] * flat[..., 1],
        ],
        axis=2,
    )
    gathered = np.zeros(len(corners), bool)
    at = _of_edges(cut.triangles)
    for seam, edges in zip(pattern.seams, matched, strict=True):
        if seam.basted:
            continue
        fit = pattern.fit(seam)
        ends = cut.points[edges]
        steps = np.linalg.norm(ends[:, :, 1] - ends[:, :, 0], axis=2)
        want = seam.elastic * steps[:, 0 if fit.one <= fit.other else 1]
        for edge, side in np.argwhere(np.abs(want[:, None] / steps - 1) > 1e-9).tolist():
            a, b = edges[edge, side].tolist()
            triangle, corner = at[a, b] if (a, b) in at else at[b, a]
            corners[triangle] = _with_edge(corners[triangle], corner, float(want[edge]))
            gathered[triangle] |= steps[edge, side] / want[edge] > GATHER_FROM
    return corners, gathered


def _of_edges(triangles: Triangles) -> dict[tuple[int, int], tuple[int, int]]:
    """Triangle and corner of each edge, in the triangle's own direction."""
    return {
        (row[k], row[(k + 1) % 3]): (index, k) for index, row in enumerate(triangles.tolist()) for k in range(3)
    }


def _with_edge(corners: Vectors, corner: int, length: float) -> Vectors:
    """A triangle (3, 2) whose edge from a corner on is `length` m long, about its middle."""
    out = corners.copy()
    i, j = corner, (corner + 1) % 3
    middle, along = (corners[i] + corners[j]) / 2, corners[j] - corners[i]
    half = 0.5 * length * along / np.linalg.norm(along)
    out[i], out[j] = middle - half, middle + half
    return out


def topology_of(mesh: SewnMesh, name: str) -> Topology:
    """The sewn mesh's edges, hinges and borders. `MeshError` where it is no cloth."""
    return build_topology(mesh.triangles, mesh.count, name=name)


def metric_of(mesh: SewnMesh, topology: Topology, pattern: Pattern) -> RestMetric:
    """At rest as cut: each triangle flat in its piece, no fold at a seam; a seam's bend factor is in the areas
    that its hinges count.
    """
    metric = replace(metric_of_pieces(mesh.corners, topology), areas=mesh.cut_areas)
    if all(seam.bend == 1.0 for seam in pattern.seams):
        return metric
    codes = edge_codes(topology.hinges[:, :2], mesh.count)
    areas = metric.hinge_areas.copy()
    for seam, vertices in zip(pattern.seams, mesh.seams, strict=True):
        on = np.isin(codes, edge_codes(np.stack([vertices[:-1], vertices[1:]], axis=1), mesh.count))
        areas[on] /= max(seam.bend, 1e-6)
    return replace(metric, hinge_areas=areas)
