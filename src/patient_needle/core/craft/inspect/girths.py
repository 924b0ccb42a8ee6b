"""Rings of cloth against the girth of what is inside them, before anything is simulated."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra
from scipy.spatial import ConvexHull, QhullError
from shapely import MultiPoint, Polygon

from ...geometry.level_lines import in_order, level_line
from ...model.mesh import Topology
from ...model.typed import Flags, Indices, Points, Scalars, Triangles

APART = 0.03  # m between the rings that are measured
MOST_RINGS = 40  # of each border
MOST_BORDERS = 24  # the longest: what goes around a limb is no eyelet
SMALLEST = 0.08  # m round: a smaller hole is no opening for a limb
FLAT = 0.15  # of a ring's radius that it may rise from its plane; a collar over shoulders rises more
NARROW = 0.001  # m that a ring may be short without anybody asking
HELD = 0.5  # of a ring's vertices: what is held so far is where its hold wants it


@dataclass(frozen=True, eq=False)
class Ring:
    """A closed line around cloth: points (k, 3) m, length m as made, the vertices of the edges that it cuts,
    and whether it is a border.
    """

    points: Points
    length: float
    vertices: Indices
    is_border: bool


@dataclass(frozen=True)
class Narrow:
    """A ring that is shorter than what it goes around needs.

    length, girth, needed  m: of the ring; of what is inside; the same with clearance and half the cloth
    place                  m, its middle
    inside, member         the name of the collider part inside, and the index of its member
    vertices, is_border    what lies along it; whether it is an edge of the garment
    """

    length: float
    girth: float
    needed: float
    place: tuple[float, float, float]
    inside: str
    member: int
    vertices: tuple[int, ...]
    is_border: bool

    @property
    def short(self) -> float:
        """By how much it is too narrow, m."""
        return self.needed - self.length


@dataclass(frozen=True, eq=False)
class Girthed:
    """What may be inside rings: points (k, 3) m, triangles (m, 3), and of each triangle its clearance m, part,
    the part's name, and member.
    """

    points: Points
    triangles: Triangles
    clearance: Scalars
    part: Indices
    part_names: tuple[str, ...]
    member: Indices


def too_narrow(
    made: Points, topology: Topology, loops: list[Indices], start: Points, bodies: Girthed, thickness: float,
    held: Flags,
) -> tuple[Narrow, ...]:  # fmt: skip
    """The narrowest ring for each body part that some ring is too narrow for, the worst first.

    made, start  (n, 3) m: the garment as made and as it begins
    held         (n,) vertices that a hold keeps in place
    thickness    m of the cloth

    The girth of what is inside a ring is the length of a string drawn tight around its section with the ring's
    plane: the perimeter of the convex hull. A clearance of c adds 2 pi c to it (J. Steiner, 1840).
    """
    worst: dict[str, Narrow] = {}
    for ring in rings(made, topology, loops, start):
        if held[ring.vertices].mean() > HELD:
            continue
        found = _against(ring, bodies, thickness)
        if found is None:
            continue
        known = worst.get(found.inside)
        if known is None or found.short > known.short:
            worst[found.inside] = found
    return tuple(sorted(worst.values(), key=lambda one: -one.short))


def rings(made: Points, topology: Topology, loops: list[Indices], start: Points) -> Iterator[Ring]:
    """The longest borders, and the closed lines of equal distance from each along the cloth."""
    edges = topology.edges
    lengths = np.linalg.norm(made[edges[:, 0]] - made[edges[:, 1]], axis=1)
    n = len(made)
    graph = coo_matrix((np.maximum(lengths, 1e-9), (edges[:, 0], edges[:, 1])), shape=(n, n)).tocsr()
    longest = sorted(loops, key=lambda loop: -_round(made[loop]))[:MOST_BORDERS]
    for loop in longest:
        yield Ring(start[loop], _round(made[loop]), loop.astype(np.int32), True)
        away = dijkstra(graph, directed=False, indices=loop, min_only=True)
        reach = float(away[np.isfinite(away)].max(initial=0.0))
        for level in np.arange(APART, reach, APART)[:MOST_RINGS]:
            yield from _level_rings(made, start, topology.triangles, away, float(level))


def _round(points: Points) -> float:
    return float(np.linalg.norm(points - np.roll(points, -1, axis=0), axis=1).sum())


def _level_rings(
    made: Points, start: Points, triangles: Triangles, away: Scalars, level: float
) -> Iterator[Ring]:
    """The closed parts of the line on which a distance has one value."""
    line = level_line(triangles, away - level)
    at_made, at_start = line.of(made), line.of(start)
    ends = np.bincount(line.pieces.ravel(), minlength=len(line.edges))
    for one in range(line.count):
        mine = line.part == one
        if (ends[mine] != 2).any():
            continue  # it ends at a border: a slit or an opening
        pieces = line.pieces[mine[line.pieces[:, 0]]]
        length = float(np.linalg.norm(at_made[pieces[:, 0]] - at_made[pieces[:, 1]], axis=1).sum())
        yield Ring(at_start[in_order(pieces)], length, np.unique(line.edges[mine]).astype(np.int32), False)


def _against(ring: Ring, bodies: Girthed, thickness: float) -> Narrow | None:
    """The ring, if what is inside it needs a longer one."""
    if ring.length < SMALLEST or len(ring.points) < 5 or len(bodies.triangles) == 0:
        return None
    centre = ring.points.mean(axis=0)
    _, _, axes = np.linalg.svd(ring.points - centre, full_matrices=False)
    if np.abs((ring.points - centre) @ axes[2]).max() > FLAT * ring.length / (2 * np.pi):
        return None
    outline = Polygon((ring.points - centre) @ axes[:2].T).buffer(0)
    section = _section(bodies, centre, axes)
    inside = [piece for piece in section if outline.contains(MultiPoint(piece.flat).centroid)]
    if not inside:
        return None
    flat = np.concatenate([piece.flat for piece in inside])
    triangles = np.concatenate([piece.triangles for piece in inside])
    try:
        girth = float(ConvexHull(flat).area)  # in the plane, the area of a hull is its perimeter
    except QhullError:
        return None
    needed = girth + 2 * np.pi * (float(bodies.clearance[triangles].max()) + thickness / 2)
    if ring.length >= needed - NARROW:
        return None
    part = np.bincount(bodies.part[triangles]).argmax()
    x, y, z = (float(value) for value in centre)
    return Narrow(
        ring.length, girth, needed, (x, y, z), bodies.part_names[part],
        int(np.bincount(bodies.member[triangles]).argmax()), tuple(int(v) for v in ring.vertices),
        ring.is_border,
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Piece:
    """One closed or open line of a section: points (k, 2) m in its plane, and the triangles it runs through."""

    flat: Points
    triangles: NDArray[np.int64]


def _section(bodies: Girthed, centre: Points, axes: Points) -> list[_Piece]:
    """What a plane cuts of the bodies, a line each."""
    line = level_line(bodies.triangles, (bodies.points - centre) @ axes[2])
    flat = (line.of(bodies.points) - centre) @ axes[:2].T
    of_piece = line.part[line.pieces[:, 0]] if len(line.pieces) else line.part
    return [_Piece(flat[line.part == one], line.rows[of_piece == one]) for one in range(line.count)]
