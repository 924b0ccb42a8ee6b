"""Tangles: where cloth has gone through cloth, and which way it comes out.

Along a contour two sheets pass through each other. Where contours cut a piece off a sheet, that piece lies on
the wrong side of the other sheet and is asked back through it: D. Baraff, A. Witkin, M. Kass, Untangling cloth,
SIGGRAPH 2003. A contour that ends within both sheets cuts nothing off; it is drawn shorter from where it turns
and ends: P. Volino and N. Magnenat-Thalmann, Resolving surface collisions through intersection contour
minimization, SIGGRAPH 2006.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy import sparse
from scipy.sparse.csgraph import breadth_first_order, connected_components
from scipy.spatial import KDTree

from ..geometry.topology import build_topology
from ..geometry.tree import build_tree, closest_points
from ..geometry.triangles import area_vectors, unit
from ..model.tolerances import (
    GRAZING_SHARE,
    KNOT_PLACES,
    KNOT_SMOOTHING,
    SIDE_AGREEMENT,
    TANGLE_DEPTH,
    TANGLE_RINGS,
)
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .filter import ringed
from .rows import Rows


@dataclass(frozen=True, eq=False)
class Contours:
    """Where edges pierce triangles, k places of all contours.

    edges (k, 2) cloth vertices; triangle (k,) pierced; at (k, 3) m; contour (k,), which one; along (k, 3), the
    sum of the unit directions from there to its neighbours on the contour.
    """

    edges: Indices
    triangle: Indices
    at: Points
    contour: Indices
    along: Vectors

    def __len__(self) -> int:
        return len(self.triangle)


def find_contours(points: Points, triangles: Triangles, pairs: Indices) -> Contours:
    """The contours of pairs (m, 2) of crossing triangles of one cloth; points (n, 3) m."""
    first, second = np.concatenate([pairs, pairs[:, ::-1]]).T
    found = [_piercing(points, triangles, first, second, corner) for corner in range(3)]
    edges, triangle, pair, at = (np.concatenate(each) for each in zip(*found, strict=True))
    keys = np.column_stack([np.sort(edges, axis=1), triangle])
    _, where, places = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    edges, triangle, at = keys[where, :2], triangle[where], at[where]
    node, pair = np.asarray(places.ravel(), np.int32), np.asarray(pair % max(1, len(pairs)), np.int32)
    links = _links(node, pair)
    graph = sparse.coo_matrix((np.ones(len(links)), links.T), (len(where), len(where)))
    along = np.zeros((len(where), 3))
    towards = unit(at[links[:, 1]] - at[links[:, 0]])
    np.add.at(along, links[:, 0], towards)
    np.add.at(along, links[:, 1], -towards)
    lone, shared = _ending_at_corners(triangles, pairs, node, pair)
    np.add.at(along, lone, unit(points[shared] - at[lone]))
    contour = connected_components(graph, directed=False)[1]
    return Contours(edges.astype(np.int32), triangle, at, contour, along)


def _piercing(
    points: Points, triangles: Triangles, first: Indices, second: Indices, corner: int
) -> tuple[Indices, Indices, Indices, Points]:
    """Where edge `corner` of triangles `first` (k,) goes through `second` (k,): edges, triangles, which, at."""
    edges = triangles[first][:, [corner, (corner + 1) % 3]]
    corners = triangles[second]
    apart = ~(edges[:, :, None] == corners[:, None, :]).any(axis=(1, 2))
    p, q = points[edges[:, 0]], points[edges[:, 1]]
    a, b, c = (points[corners[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    along = np.einsum("ij,ij->i", normal, q - p)
    share = np.einsum("ij,ij->i", normal, a - p) / np.where(along == 0, 1.0, along)
    at = p + share[:, None] * (q - p)
    inside = (along != 0) & (share >= 0) & (share <= 1) & apart
    for one, other in ((a, b), (b, c), (c, a)):
        inside &= np.einsum("ij,ij->i", np.cross(other - one, at - one), normal) >= 0
    hit = np.flatnonzero(inside).astype(np.int32)
    return edges[hit], second[hit], hit, at[hit]


def _links(node: Indices, pair: Indices) -> Indices:
    """Places (m, 2) that follow each other on a contour: those of one pair of triangles."""
    order = np.lexsort((node, pair))
    node, pair = node[order], pair[order]
    same = pair[1:] == pair[:-1]
    links = np.column_stack([node[:-1][same], node[1:][same]])
    return np.unique(links[links[:, 0] != links[:, 1]], axis=0)


def _ending_at_corners(
    triangles: Triangles, pairs: Indices, node: Indices, pair: Indices
) -> tuple[Indices, Indices]:
    """Places (m,) alone in their pair of triangles, and the corner (m,) that both share: the contour's end."""
    at, first, times = np.unique(pair, return_index=True, return_counts=True)
    lone = at[times == 1]
    one, other = (triangles[pairs[lone, k]] for k in range(2))
    same = (one[:, :, None] == other[:, None, :]).any(axis=2)
    ends = same.sum(axis=1) == 1
    return node[first[times == 1]][ends], one[ends, np.argmax(same[ends], axis=1)]


@dataclass(frozen=True, eq=False)
class CutOff:
    """A piece that contours cut off a sheet: its vertices (v,), and the places (k,) along its edge."""

    vertices: Indices
    places: Indices


def cut_off(triangles: Triangles, contours: Contours, count: int) -> list[CutOff]:
    """The pieces on the wrong side: across one contour, or three, from the largest piece of their sheet."""
    pierced, times = np.unique(contours.edges, axis=0, return_counts=True)
    pierced = pierced[times % 2 == 1]
    edges = build_topology(triangles, count).edges
    codes = edges.min(axis=1).astype(np.int64) * count + edges.max(axis=1)
    cut = np.isin(codes, pierced[:, 0].astype(np.int64) * count + pierced[:, 1])
    pieces, piece = _connected(edges[~cut], count)
    sheet = _connected(edges, count)[1]
    wrong = _across(piece[edges[cut]], piece, sheet, pieces)
    out = []
    for one in np.flatnonzero(wrong):
        within = piece == one
        places = np.flatnonzero(within[contours.edges].sum(axis=1) == 1).astype(np.int32)
        if len(places):
            out.append(CutOff(np.flatnonzero(within).astype(np.int32), places))
    return out


def _connected(edges: Indices, count: int) -> tuple[int, Indices]:
    graph = sparse.coo_matrix((np.ones(len(edges)), edges.T), (count, count))
    pieces, label = connected_components(graph, directed=False)
    return int(pieces), label


def _across(beside: Indices, piece: Indices, sheet: Indices, count: int) -> Flags:
    """Which pieces lie an odd number of cuts from the largest of their sheet; beside (k, 2) pieces."""
    wrong = np.zeros(count, bool)
    beside = beside[beside[:, 0] != beside[:, 1]]
    graph = sparse.coo_matrix((np.ones(len(beside)), beside.T), (count, count)).tocsr()
    sizes = np.bincount(piece, minlength=count)
    for one in np.unique(sheet[np.isin(piece, beside)]):
        own = np.unique(piece[sheet == one])
        order, before = breadth_first_order(graph, own[np.argmax(sizes[own])], directed=False)
        for reached in order[1:]:
            wrong[reached] = not wrong[before[reached]]
    return wrong


def tangle_rows(
    points: Points, triangles: Triangles, contours: Contours, gap: float, step: float, stiffness: float
) -> tuple[Rows, Flags]:
    """Rows that ask the cloth at points (n, 3) m to come out of itself by another `step` m; what is tangled.

    `gap` m is what a piece keeps from the sheet that it has come back through; stiffness N/m. The rows' hard
    gap is minus infinity: they push, but certify nothing. Tangled (n,) are the pieces cut off, and what lies
    within TANGLE_RINGS triangles of a contour.
    """
    tangled = np.zeros(len(points), bool)
    tangled[contours.edges] = True
    tangled[triangles[contours.triangle]] = True
    for _ in range(TANGLE_RINGS):
        tangled = ringed(triangles, tangled)
    normals = unit(area_vectors(points, triangles))
    told = np.zeros(len(contours) + 1, bool)
    asked = []
    for piece in cut_off(triangles, contours, len(points)):
        inner = np.isin(contours.edges[piece.places, 0], piece.vertices)
        ends = points[contours.edges[piece.places]]
        inwards = np.where(inner[:, None], ends[:, 0] - ends[:, 1], ends[:, 1] - ends[:, 0])
        side = np.sign(np.einsum("ij,ij->i", normals[contours.triangle[piece.places]], inwards)).mean()
        if abs(side) >= SIDE_AGREEMENT:
            tangled[piece.vertices] = True
            asked.append(_back_through(points, triangles, contours, piece, np.sign(side), gap, step, stiffness))
            told[contours.contour[piece.places]] = True
    open_ = np.flatnonzero(~told[contours.contour]).astype(np.int32)
    asked.append(_shorter(points, triangles, normals, contours, open_, step, stiffness))
    out = asked[0]
    for other in asked[1:]:
        out = out.joined(other)
    return out, tangled


def without_knots(points: Points, triangles: Triangles, contours: Contours, fixed: Flags) -> Points:
    """Points (n, 3) m; around a contour of at most KNOT_PLACES places they are nearer to their neighbours'

    A border that went through its own neighbour has neither side nor length to pull at: it is smoothed
    (G. Taubin, A signal processing approach to fair surface design, SIGGRAPH 1995). fixed (n,) stay.
    """
    places = np.bincount(contours.contour, minlength=1)
    knotted = places[contours.contour] <= KNOT_PLACES
    core = np.zeros(len(points), bool)
    core[contours.edges[knotted]] = True
    core[triangles[contours.triangle[knotted]]] = True
    share = KNOT_SMOOTHING * np.where(core, 1.0, np.where(ringed(triangles, core), 0.5, 0.0))
    share[fixed] = 0.0
    edges = build_topology(triangles, len(points)).edges
    beside = sparse.coo_matrix((np.ones(len(edges)), edges.T), (len(points), len(points))).tocsr()
    beside = beside + beside.T
    number = np.asarray(beside.sum(axis=1))
    return points + share[:, None] * (beside @ points / np.maximum(number, 1) - points)


def _back_through(
    points: Points, triangles: Triangles, contours: Contours, piece: CutOff, side: float, gap: float,
    step: float, stiffness: float,
) -> Rows:  # fmt: skip
    """Every vertex of the piece, on `side` of the sheet it went through, back towards the other."""
    depth = np.asarray(KDTree(contours.at[piece.places]).query(points[piece.vertices])[0])
    vertices, reach = piece.vertices[depth < TANGLE_DEPTH], min(depth.max(), TANGLE_DEPTH)
    sheet = _around(points, triangles, contours, piece, reach + step)
    at, _, distance = closest_points(build_tree(points, sheet), points, points[vertices])
    near = distance < TANGLE_DEPTH
    vertices, corners = vertices[near], sheet[at[near]]
    normal = -side * unit(area_vectors(points, corners))
    height = np.einsum("ij,ij->i", points[vertices] - points[corners[:, 0]], normal)
    kept = height < gap
    soft = np.minimum(gap, height[kept] + step)
    return _rows(vertices[kept], corners[kept], normal[kept], soft, step, stiffness)


def _around(points: Points, triangles: Triangles, contours: Contours, piece: CutOff, reach: float) -> Triangles:
    """The sheet that a piece went through: triangles (k, 3) around where it did, as far as `reach` m."""
    own = np.zeros(len(points), bool)
    own[piece.vertices] = True
    open_ = ~own[triangles].any(axis=1)
    near = KDTree(contours.at[piece.places]).query(points, distance_upper_bound=reach)[0] < reach
    chosen = np.zeros(len(triangles), bool)
    chosen[contours.triangle[piece.places]] = True
    open_ |= chosen
    while True:
        touched = np.zeros(len(points), bool)
        touched[triangles[chosen]] = True
        grown = open_ & (touched & near)[triangles].any(axis=1)
        if not (grown & ~chosen).any():
            return triangles[chosen]
        chosen |= grown


def _shorter(
    points: Points, triangles: Triangles, normals: Vectors, contours: Contours, places: Indices, step: float,
    stiffness: float,
) -> Rows:  # fmt: skip
    """At each of the places (k,) the edge against the triangle, so that the contour gets shorter."""
    edges, corners = contours.edges[places], triangles[contours.triangle[places]]
    edge = unit(points[edges[:, 1]] - points[edges[:, 0]])
    normal, along = normals[contours.triangle[places]], contours.along[places]
    through = np.einsum("ij,ij->i", edge, normal)
    steep = np.einsum("ij,ij->i", edge, along) / np.where(np.abs(through) < 1e-9, 1e-9, through)
    pull = along - np.clip(2 * steep, -GRAZING_SHARE, GRAZING_SHARE)[:, None] * normal
    strength = np.linalg.norm(pull, axis=1)
    used = strength > 1e-9
    edges, corners, pull, strength = edges[used], corners[used], unit(pull[used]), strength[used]
    ends, corners = edges.T.ravel(), np.tile(corners, (2, 1))
    pull, strength = np.tile(pull, (2, 1)), np.tile(np.minimum(strength, 1.0), 2)
    soft = np.einsum("ij,ij->i", pull, points[ends] - points[corners[:, 0]]) + step
    return _rows(ends, corners, pull, soft, step, stiffness * strength)


def _rows(
    vertices: Indices, corners: Triangles, normal: Vectors, soft: Scalars, step: float,
    stiffness: Scalars | float,
) -> Rows:  # fmt: skip
    """Rows of each vertex (k,) with the corners (k, 3) of a triangle."""
    count = 3 * len(vertices)
    return Rows(
        np.stack([np.repeat(vertices, 3), corners.ravel()], axis=1).astype(np.int32),
        np.repeat(normal, 3, axis=0),
        np.broadcast_to(np.repeat(np.broadcast_to(stiffness, len(vertices)), 3), count).astype(float),
        np.repeat(soft, 3),
        np.full(count, step),
        np.full(count, -np.inf),
        np.zeros(count, np.int32),
        np.zeros((count, 2), np.int32),
    )
