"""Even triangles over a surface, finer where a size says so; lines that matter are kept."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numba import njit

from ..model.errors import MeshError
from ..model.typed import Indices, Points, Scalars, Triangles
from .kept_lines import FREE, cuts_of, kept_edges, kinds_of
from .topology import build_topology
from .tree import Tree, build_tree, closest_points

ROUNDS = 8
LAST_ROUNDS = 4  # of evening out, with flips to the Delaunay property only
LONG, SHORT = 4 / 3, 4 / 5  # of the size: longer edges are split, shorter ones collapsed
SPLIT_FROM = 0.75  # of the longest edge, over the size, that are split in one go
FAN = 64  # triangles around a vertex at most
DRAWN = 0.8  # of the way to the middle, in each round
LEANING = 0.5  # cosine: a collapse turns no triangle further than this
SAME = 1e-3  # share of an edge: a line is cut no nearer to a vertex, the vertex is taken
NARROWEST = 0.05  # twice the area of a triangle that a collapse leaves, over its longest edge squared
OPEN = 0.15  # share of both triangles that each has to have after a flip


@dataclass(frozen=True, eq=False)
class Remeshed:
    """points (n, 3) m, triangles (m, 3) int32, region (m,) int32; and where each vertex lies on the surface
    that there was: triangle (n,) and barycentric (n, 3).
    """

    points: Points
    triangles: Triangles
    region: Indices
    on: Indices
    barycentric: Points


@dataclass(frozen=True, eq=False)
class _Growing:
    """A mesh with room to grow. counts (3,): vertices, triangles, and whether there was no room.

    Of vertices: x, wanted size, kind, and one of its triangles, -1 when it is gone.
    Of triangles: corners, the first -1 when it is gone; the neighbour across the edge from each corner to the
    next, -1 at a border; whether that edge is kept; region.
    """

    x: Points
    wanted: Scalars
    kind: Indices
    some: Indices
    triangles: Triangles
    beside: Triangles
    kept: np.ndarray
    region: Indices
    counts: np.ndarray


def remeshed(
    points: Points, triangles: Triangles, region: Indices, size: Scalars, *, keep: Indices | None = None
) -> Remeshed:
    """A surface in triangles whose edges are about as long as `size` (n,) m says at its vertices.

    region  (m,) int32 of each triangle; lines between regions are kept, and so are borders, sharp folds, and
            the edges `keep` (k, 2)

    Splits, collapses, flips and tangential relaxation in turn (M. Botsch and L. Kobbelt, A remeshing approach
    to multiresolution modeling, 2004), then flips to the Delaunay property. New vertices lie on the surface or
    on the kept line that there was. One order, so the same input gives the same bits. `MeshError` for edges
    with more than two triangles.
    """
    topology = build_topology(triangles, len(points))
    edges = kept_edges(points, topology, region, keep)
    mesh = _growing(points, triangles, region, size, edges)
    tree = build_tree(points, triangles)
    _halve(*_arrays(mesh))
    _cut_lines(mesh)
    for turn in range(ROUNDS + LAST_ROUNDS):
        _round(*_arrays(mesh), turn >= ROUNDS)
        if mesh.counts[2]:
            raise MeshError("a new mesh came out far larger than its area", remedy="Give a larger spacing")
        _back_onto(mesh, tree, points, triangles, size)
    return _finished(mesh, tree, points)


def _arrays(mesh: _Growing) -> tuple[np.ndarray, ...]:
    return (
        mesh.x, mesh.wanted, mesh.kind, mesh.some, mesh.triangles, mesh.beside, mesh.kept, mesh.region,
        mesh.counts,
    )  # fmt: skip


def _cut_lines(mesh: _Growing) -> None:
    """Kept lines cut into even pieces; where they are cut stays, what lies between is taken in later."""
    count, faces = int(mesh.counts[0]), int(mesh.counts[1])
    tri = mesh.triangles[:faces]
    ends = np.stack([tri, np.roll(tri, -1, axis=1)], axis=2)[mesh.kept[:faces] != 0]
    edges = np.unique(np.sort(ends, axis=1), axis=0)
    cuts = cuts_of(mesh.x[:count], edges, mesh.kind[:count], mesh.wanted[:count])
    _cut_at(*_arrays(mesh), cuts.a, cuts.b, cuts.share)


def _growing(points: Points, triangles: Triangles, region: Indices, size: Scalars, edges: Indices) -> _Growing:
    corners = points[triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    wanted = float((area / (0.433 * size[triangles].min(axis=1) ** 2)).sum())
    n, m = len(points), len(triangles)
    most = int(4 * wanted) + 4 * m + 1000

    def room(values: np.ndarray, count: int, fill: float) -> np.ndarray:
        out = np.full((count, *values.shape[1:]), fill, values.dtype)
        out[: len(values)] = values
        return out

    beside, kept = _beside(triangles, edges, n)
    some = np.full(n, -1, np.int32)
    some[triangles.ravel()] = np.repeat(np.arange(m, dtype=np.int32), 3)
    return _Growing(
        room(np.ascontiguousarray(points, np.float64), most, 0.0),
        room(np.ascontiguousarray(size, np.float64), most, 0.0),
        room(kinds_of(points, edges), most, 0), room(some, most, -1),
        room(np.ascontiguousarray(triangles, np.int32), 2 * most, -1), room(beside, 2 * most, -1),
        room(kept, 2 * most, 0), room(np.ascontiguousarray(region, np.int32), 2 * most, 0),
        np.array([n, m, 0], np.int64),
    )  # fmt: skip


def _beside(triangles: Triangles, edges: Indices, count: int) -> tuple[Triangles, np.ndarray]:
    """Neighbour (m, 3) across the edge from each corner to the next, -1 at a border, and whether it is kept."""
    ends = np.stack([triangles, np.roll(triangles, -1, axis=1)], axis=2).reshape(-1, 2).astype(np.int64)
    code = np.sort(ends, axis=1) @ [count, 1]
    order = np.argsort(code, kind="stable")
    same = np.flatnonzero(code[order][1:] == code[order][:-1])
    neighbours = np.full(len(code), -1, np.int32)
    one, other = order[same], order[same + 1]
    neighbours[one], neighbours[other] = other // 3, one // 3
    kept = np.isin(code, edges.astype(np.int64) @ [count, 1])
    return neighbours.reshape(-1, 3), kept.reshape(-1, 3)


def _back_onto(mesh: _Growing, tree: Tree, points: Points, triangles: Triangles, size: Scalars) -> None:
    """Free vertices back onto the surface, each with the size that is wanted there."""
    count = int(mesh.counts[0])
    live = np.flatnonzero((mesh.some[:count] >= 0) & (mesh.kind[:count] == FREE))
    if len(live) == 0:
        return
    on, weights, _ = closest_points(tree, points, mesh.x[live])
    mesh.x[live] = np.einsum("ik,ikj->ij", weights, points[triangles[on]])
    mesh.wanted[live] = np.einsum("ik,ik->i", weights, size[triangles[on]])


def _finished(mesh: _Growing, tree: Tree, points: Points) -> Remeshed:
    triangles, region = mesh.triangles[: mesh.counts[1]], mesh.region[: mesh.counts[1]]
    alive = triangles[:, 0] >= 0
    used = np.zeros(mesh.counts[0], bool)
    used[triangles[alive]] = True
    number = np.cumsum(used) - 1
    out = np.ascontiguousarray(mesh.x[: mesh.counts[0]][used])
    on, weights, _ = closest_points(tree, points, out)
    return Remeshed(out, number[triangles[alive]].astype(np.int32), region[alive].copy(), on, weights)


# In the kernels: tri corners, nb neighbours.


@njit(cache=True)
def _halve(x, wanted, kind, some, tri, nb, kept, region, counts):
    """Long edges split, the longest first: else thin triangles are cut ever thinner."""
    above = _longest(x, wanted, tri, counts)
    while above > LONG and not counts[2]:
        above = max(LONG, SPLIT_FROM * above)
        _split_long(x, wanted, kind, some, tri, nb, kept, region, counts, above)


@njit(cache=True)
def _round(x, wanted, kind, some, tri, nb, kept, region, counts, last):
    if not last:
        _halve(x, wanted, kind, some, tri, nb, kept, region, counts)
        if counts[2]:
            return
        _collapse_short(x, wanted, kind, some, tri, nb, kept, counts)
        _flip(x, some, tri, nb, kept, counts, False)
    _flip(x, some, tri, nb, kept, counts, True)
    _relax(x, wanted, kind, some, tri, nb, counts)


@njit(cache=True)
def _far(x, a, b):
    return np.sqrt((x[a, 0] - x[b, 0]) ** 2 + (x[a, 1] - x[b, 1]) ** 2 + (x[a, 2] - x[b, 2]) ** 2)


@njit(cache=True)
def _slot(tri, t, v):
    for k in range(3):
        if tri[t, k] == v:
            return k
    return -1


@njit(cache=True)
def _edge_of(tri, t, a, b):
    """The edge of triangle t that goes from a to b; -1 where it has none."""
    for k in range(3):
        if tri[t, k] == a and tri[t, (k + 1) % 3] == b:
            return k
    return -1


@njit(cache=True)
def _hand_on(nb, t, before, now):
    """Triangle t, if any, has the neighbour `now` where it had `before`."""
    if t >= 0:
        for k in range(3):
            if nb[t, k] == before:
                nb[t, k] = now
                return


@njit(cache=True)
def _longest(x, wanted, tri, counts):
    """The longest edge over the size wanted there."""
    longest = 0.0
    for t in range(counts[1]):
        for k in range(3):
            a, b = tri[t, k], tri[t, (k + 1) % 3]
            if a < 0:
                break
            longest = max(longest, _far(x, a, b) / (0.5 * (wanted[a] + wanted[b])))
    return longest


@njit(cache=True)
def _split_long(x, wanted, kind, some, tri, nb, kept, region, counts, above):
    t = 0
    while t < counts[1]:
        longest, edge = 0.0, -1
        for k in range(3):
            a, b = tri[t, k], tri[t, (k + 1) % 3]
            if a < 0:
                break
            ratio = _far(x, a, b) / (0.5 * (wanted[a] + wanted[b]))
            if ratio > longest:
                longest, edge = ratio, k
        if longest <= above:
            t += 1
            continue
        if counts[0] + 1 >= len(x) or counts[1] + 2 >= len(tri):
            counts[2] = 1
            return
        a, b, m = tri[t, edge], tri[t, (edge + 1) % 3], counts[0]
        counts[0] += 1
        wanted[m], kind[m] = 0.5 * (wanted[a] + wanted[b]), 1 if kept[t, edge] else 0
        for axis in range(3):
            x[m, axis] = 0.5 * (x[a, axis] + x[b, axis])
        _split(tri, nb, kept, region, some, counts, t, edge, m)


@njit(cache=True)
def _split(tri, nb, kept, region, some, counts, t, k, m):
    """Triangle t, and its neighbour across edge k, cut at vertex m of that edge."""
    a, b, c = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
    u, line, t2 = nb[t, k], kept[t, k], counts[1]
    counts[1] += 1
    far, far_kept = nb[t, (k + 1) % 3], kept[t, (k + 1) % 3]
    tri[t2, 0], tri[t2, 1], tri[t2, 2] = m, b, c
    nb[t2, 0], nb[t2, 1], nb[t2, 2] = u, far, t
    kept[t2, 0], kept[t2, 1], kept[t2, 2] = line, far_kept, False
    region[t2] = region[t]
    tri[t, (k + 1) % 3] = m
    nb[t, (k + 1) % 3], kept[t, (k + 1) % 3] = t2, False
    _hand_on(nb, far, t, t2)
    some[m], some[b], some[a], some[c] = t, t2, t, t
    if u < 0:
        return
    j = _edge_of(tri, u, b, a)
    d, u2 = tri[u, (j + 2) % 3], counts[1]
    counts[1] += 1
    far, far_kept = nb[u, (j + 1) % 3], kept[u, (j + 1) % 3]
    tri[u2, 0], tri[u2, 1], tri[u2, 2] = m, a, d
    nb[u2, 0], nb[u2, 1], nb[u2, 2] = t, far, u
    kept[u2, 0], kept[u2, 1], kept[u2, 2] = line, far_kept, False
    region[u2] = region[u]
    tri[u, (j + 1) % 3] = m
    nb[u, (j + 1) % 3], kept[u, (j + 1) % 3] = u2, False
    _hand_on(nb, far, u, u2)
    nb[t, k], nb[u, j] = u2, t2
    some[d] = u


@njit(cache=True)
def _with_edge(tri, nb, some, counts, a, b, fan):
    """A triangle with the edge from a to b or back, and which of its edges that is."""
    count, _ = _fan(tri, nb, some, a, fan)
    for i in range(count):
        edge = max(_edge_of(tri, fan[i], a, b), _edge_of(tri, fan[i], b, a))
        if edge >= 0:
            return fan[i], edge
    for t in range(counts[1]):  # where several fans meet in one vertex
        edge = max(_edge_of(tri, t, a, b), _edge_of(tri, t, b, a))
        if edge >= 0:
            return t, edge
    return 0, 0


@njit(cache=True)
def _cut_at(x, wanted, kind, some, tri, nb, kept, region, counts, a, b, share):
    """Kept edges cut at their places, each a fixed vertex from here on."""
    fan = np.zeros(len(tri), np.int32)
    for i in range(len(a)):
        if counts[2] or share[i] <= SAME or share[i] >= 1.0 - SAME:
            kind[a[i] if share[i] <= SAME else b[i]] = 2
            continue
        again = i > 0 and a[i] == a[i - 1] and b[i] == b[i - 1] and share[i - 1] > SAME
        begin = counts[0] - 1 if again else a[i]
        t, edge = _with_edge(tri, nb, some, counts, begin, b[i], fan)
        if counts[0] + 1 >= len(x) or counts[1] + 2 >= len(tri):
            counts[2] = 1
            return
        m = counts[0]
        counts[0] += 1
        kind[m], wanted[m] = 2, wanted[a[i]] + share[i] * (wanted[b[i]] - wanted[a[i]])
        for axis in range(3):
            x[m, axis] = x[a[i], axis] + share[i] * (x[b[i], axis] - x[a[i], axis])
        _split(tri, nb, kept, region, some, counts, t, edge, m)


@njit(cache=True)
def _fan(tri, nb, some, v, out):
    """Triangles around a vertex into `out`: how many, and whether a border runs through it."""
    start = some[v]
    count, t = 0, start
    while t >= 0 and count < len(out):
        out[count] = t
        count += 1
        t = nb[t, (_slot(tri, t, v) + 2) % 3]
        if t == start:
            return count, False
    t = nb[start, _slot(tri, start, v)]
    while t >= 0 and count < len(out):
        out[count] = t
        count += 1
        t = nb[t, _slot(tri, t, v)]
    return count, True


@njit(cache=True)
def _normal(x, a, b, c, out):
    u0, u1, u2 = x[b, 0] - x[a, 0], x[b, 1] - x[a, 1], x[b, 2] - x[a, 2]
    v0, v1, v2 = x[c, 0] - x[a, 0], x[c, 1] - x[a, 1], x[c, 2] - x[a, 2]
    out[0], out[1], out[2] = u1 * v2 - u2 * v1, u2 * v0 - u0 * v2, u0 * v1 - u1 * v0


@njit(cache=True)
def _length(n):
    return np.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2])


@njit(cache=True)
def _collapse_short(x, wanted, kind, some, tri, nb, kept, counts):
    fan_a, fan_b = np.zeros(FAN, np.int32), np.zeros(FAN, np.int32)
    place = np.zeros(3)
    for t in range(counts[1]):
        for k in range(3):
            if tri[t, 0] < 0:
                break
            a, b = tri[t, k], tri[t, (k + 1) % 3]
            if _far(x, a, b) >= SHORT * 0.5 * (wanted[a] + wanted[b]):
                continue
            if kind[b] > kind[a]:
                a, b = b, a
            on_line = kind[a] > 0 and kind[b] > 0
            if kind[b] == 2 or (on_line and not kept[t, k]):
                continue
            share = 0.5 if kind[a] == 0 else 0.0
            for axis in range(3):
                place[axis] = x[a, axis] + share * (x[b, axis] - x[a, axis])
            count_a, _ = _fan(tri, nb, some, a, fan_a)
            count_b, _ = _fan(tri, nb, some, b, fan_b)
            if (
                count_a >= FAN
                or count_b >= FAN
                or not _stays_surface(tri, fan_a, count_a, fan_b, count_b, a, b)
            ):
                continue
            if not _stays_even(x, wanted, tri, fan_b, count_b, b, a, place):
                continue
            if share > 0.0 and not _stays_even(x, wanted, tri, fan_a, count_a, a, b, place):
                continue
            x[a, 0], x[a, 1], x[a, 2] = place[0], place[1], place[2]
            _collapse(tri, nb, kept, some, fan_b, count_b, a, b)


@njit(cache=True)
def _stays_surface(tri, fan_a, count_a, fan_b, count_b, a, b):
    """Whether a and b have no neighbours in common but those across their edge."""
    shared = common = 0
    for i in range(count_b):
        if _slot(tri, fan_b[i], a) >= 0:
            shared += 1
    for i in range(count_b):
        for k in range(3):
            v = tri[fan_b[i], k]
            first = v != a and v != b
            for j in range(i):
                first = first and _slot(tri, fan_b[j], v) < 0
            if first:
                for j in range(count_a):
                    if _slot(tri, fan_a[j], v) >= 0:
                        common += 1
                        break
    return shared > 0 and common == shared


@njit(cache=True)
def _stays_even(x, wanted, tri, fan, count, v, gone, place):
    """Whether v at `place` turns no triangle over, makes none narrow and no edge long; those with `gone` go."""
    before, after, was = np.zeros(3), np.zeros(3), x[v].copy()
    good = True
    for i in range(count):
        t = fan[i]
        if _slot(tri, t, gone) >= 0:
            continue
        k = _slot(tri, t, v)
        c, d = tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
        _normal(x, v, c, d, before)
        x[v, 0], x[v, 1], x[v, 2] = place[0], place[1], place[2]
        _normal(x, v, c, d, after)
        to_c, to_d = _far(x, v, c), _far(x, v, d)
        x[v, 0], x[v, 1], x[v, 2] = was[0], was[1], was[2]
        dot = before[0] * after[0] + before[1] * after[1] + before[2] * after[2]
        longest = max(to_c, to_d, _far(x, c, d))
        if (
            to_c > LONG * 0.5 * (wanted[v] + wanted[c])
            or to_d > LONG * 0.5 * (wanted[v] + wanted[d])
            or dot < LEANING * _length(before) * _length(after)
            or _length(after) < NARROWEST * longest * longest
        ):
            good = False
            break
    return good


@njit(cache=True)
def _collapse(tri, nb, kept, some, fan_b, count_b, a, b):
    """Vertex b into a; the triangles with both go."""
    for i in range(count_b):
        t = fan_b[i]
        if _slot(tri, t, a) < 0:
            continue
        c = tri[t, 3 - _slot(tri, t, a) - _slot(tri, t, b)]
        of_a = _edge_of(tri, t, a, c)
        of_a = of_a if of_a >= 0 else _edge_of(tri, t, c, a)
        of_b = _edge_of(tri, t, b, c)
        of_b = of_b if of_b >= 0 else _edge_of(tri, t, c, b)
        one, other = nb[t, of_a], nb[t, of_b]
        line = kept[t, of_a] or kept[t, of_b]
        for side in range(2):
            s, into = (one, other) if side == 0 else (other, one)
            if s >= 0:
                for k in range(3):
                    if nb[s, k] == t:
                        nb[s, k], kept[s, k] = into, line
                        break
        some[c] = one if one >= 0 else other
        some[a] = some[c]
        tri[t, 0] = -1
    for i in range(count_b):
        t = fan_b[i]
        if tri[t, 0] >= 0:
            tri[t, _slot(tri, t, b)] = a
            some[a] = t
    some[b] = -1


@njit(cache=True)
def _surplus(tri, nb, some, v, fan):
    """How many neighbours a vertex has more than six, or than four at a border."""
    count, border = _fan(tri, nb, some, v, fan)
    return count - 3 if border else count - 6


@njit(cache=True)
def _flip(x, some, tri, nb, kept, counts, delaunay):
    """Edges turned where that makes the numbers of neighbours more even, or the triangles Delaunay."""
    fan = np.zeros(FAN, np.int32)
    n1, n2, n3, n4 = np.zeros(3), np.zeros(3), np.zeros(3), np.zeros(3)
    for _ in range(3 if delaunay else 1):
        turned = 0
        for t in range(counts[1]):
            for k in range(3):
                if tri[t, 0] < 0 or kept[t, k] or nb[t, k] < 0:
                    continue
                u = nb[t, k]
                a, b, c = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3]
                j = _edge_of(tri, u, b, a)
                d = tri[u, (j + 2) % 3]
                if j < 0 or c == d:
                    continue
                _normal(x, a, b, c, n1)
                _normal(x, b, a, d, n2)
                _normal(x, c, a, d, n3)
                _normal(x, c, d, b, n4)
                n1 += n2
                whole = _length(n1)
                least = OPEN * whole * whole
                if n3[0] * n1[0] + n3[1] * n1[1] + n3[2] * n1[2] < least:
                    continue
                if n4[0] * n1[0] + n4[1] * n1[1] + n4[2] * n1[2] < least:
                    continue
                if delaunay:
                    if _angle(x, a, b, c) + _angle(x, b, a, d) <= np.pi + 1e-6:
                        continue
                else:
                    da, db = _surplus(tri, nb, some, a, fan), _surplus(tri, nb, some, b, fan)
                    dc, dd = _surplus(tri, nb, some, c, fan), _surplus(tri, nb, some, d, fan)
                    now = abs(da) + abs(db) + abs(dc) + abs(dd)
                    if abs(da - 1) + abs(db - 1) + abs(dc + 1) + abs(dd + 1) >= now:
                        continue
                count, _ = _fan(tri, nb, some, c, fan)
                joined = False
                for i in range(count):
                    joined = joined or _slot(tri, fan[i], d) >= 0
                if joined:
                    continue
                _turn(tri, nb, kept, some, t, k, u, j)
                turned += 1
        if turned == 0:
            break


@njit(cache=True)
def _angle(x, a, b, c):
    """The angle at c."""
    u0, u1, u2 = x[a, 0] - x[c, 0], x[a, 1] - x[c, 1], x[a, 2] - x[c, 2]
    v0, v1, v2 = x[b, 0] - x[c, 0], x[b, 1] - x[c, 1], x[b, 2] - x[c, 2]
    w0, w1, w2 = u1 * v2 - u2 * v1, u2 * v0 - u0 * v2, u0 * v1 - u1 * v0
    return np.arctan2(np.sqrt(w0 * w0 + w1 * w1 + w2 * w2), u0 * v0 + u1 * v1 + u2 * v2)


@njit(cache=True)
def _turn(tri, nb, kept, some, t, k, u, j):
    """The edge k of t, which is j of u, turned to join the corners opposite it."""
    a, b, c, d = tri[t, k], tri[t, (k + 1) % 3], tri[t, (k + 2) % 3], tri[u, (j + 2) % 3]
    bc, bc_kept = nb[t, (k + 1) % 3], kept[t, (k + 1) % 3]
    ca, ca_kept = nb[t, (k + 2) % 3], kept[t, (k + 2) % 3]
    ad, ad_kept = nb[u, (j + 1) % 3], kept[u, (j + 1) % 3]
    db, db_kept = nb[u, (j + 2) % 3], kept[u, (j + 2) % 3]
    tri[t, 0], tri[t, 1], tri[t, 2] = c, a, d
    nb[t, 0], nb[t, 1], nb[t, 2] = ca, ad, u
    kept[t, 0], kept[t, 1], kept[t, 2] = ca_kept, ad_kept, False
    tri[u, 0], tri[u, 1], tri[u, 2] = d, b, c
    nb[u, 0], nb[u, 1], nb[u, 2] = db, bc, t
    kept[u, 0], kept[u, 1], kept[u, 2] = db_kept, bc_kept, False
    _hand_on(nb, ad, u, t)
    _hand_on(nb, bc, t, u)
    some[a], some[d], some[c], some[b] = t, t, t, u


@njit(cache=True)
def _relax(x, wanted, kind, some, tri, nb, counts):
    """Free vertices towards the middle of their triangles, within the surface."""
    fan, normal, one, place = np.zeros(FAN, np.int32), np.zeros(3), np.zeros(3), np.zeros(3)
    for v in range(counts[0]):
        if some[v] < 0 or kind[v] > 0:
            continue
        count, _ = _fan(tri, nb, some, v, fan)
        normal[:], place[:] = 0.0, 0.0
        total = 0.0
        for i in range(count):
            a, b, c = tri[fan[i], 0], tri[fan[i], 1], tri[fan[i], 2]
            _normal(x, a, b, c, one)
            weight = _length(one) / ((wanted[a] + wanted[b] + wanted[c]) / 3.0) ** 4
            total += weight
            for axis in range(3):
                normal[axis] += one[axis]
                place[axis] += weight * (x[a, axis] + x[b, axis] + x[c, axis]) / 3.0
        length = _length(normal)
        if total <= 0.0 or length <= 0.0:
            continue
        out = 0.0
        for axis in range(3):
            place[axis] = place[axis] / total - x[v, axis]
            out += place[axis] * normal[axis] / (length * length)
        for axis in range(3):
            x[v, axis] += DRAWN * (place[axis] - out * normal[axis])
