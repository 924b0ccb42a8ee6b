"""Snags of a take: marks of single frames gathered in space and time, one entry for each fault."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.sparse.csgraph import connected_components
from scipy.spatial import KDTree

from ...geometry.tree import build_tree, closest_points
from ...model.tolerances import SNAG_FEWEST, SNAG_FOLDED, SNAG_GAP, SNAG_NEAR, SNAG_RINGS
from ...model.typed import Flags, Indices, Points
from ..inspect.snags import IN_THE_BODY, OVERSTRETCH, PINCHED
from .faults import CROSSING, CRUMPLE, FULL_BODY, OFF_ITS_HOLD, Inspector, Mark
from .footage import Footage, edge_graph, quiet
from .jumps import JITTERS, JUMPS, Jolts
from .wording import place_words

BODY = (IN_THE_BODY, PINCHED)  # of one member, these two are one snag
MOSTLY = 0.3  # share of what is in a body that lies in a pinched place, from which on the snag is pinched
BESIDE = 0.25  # share of a snag beside a second part, from which on its name says the joint
TRACE = 48  # points of a snag that are kept to measure how near another one is
Marks = dict[int, list[Mark]]


@dataclass(frozen=True, eq=False)
class TakeSnag:
    """One fault of a take.

    kind, garment, other  as in `Mark`, the garment by name
    where     on the figure, in words; frames: the first and the last; worst: where it is worst
    depth     m, the deepest; area: m2, the largest; weight: m3, area times depth, over all its frames
    place     (3,) m at the worst frame; vertices (q,) of the outfit, of all its frames
    pairs     triangle pairs that cross, over all its frames; strain: the worst of overstretch
    also      lesser faults of other kinds that come with it, in words
    """

    kind: str
    garment: str
    other: str
    where: str
    frames: tuple[int, int]
    worst: int
    depth: float
    area: float
    weight: float
    place: tuple[float, float, float]
    vertices: Indices
    pairs: int
    strain: float = 0.0
    also: tuple[str, ...] = ()


def find_marks(footage: Footage, frames: Iterable[int], told: Callable[[float], None] = quiet) -> Marks:
    """The marks of some frames. `told` is called after each."""
    inspector, jolts = Inspector(footage), Jolts(footage)
    out: Marks = {}
    for frame in frames:
        out[frame] = inspector.marks(footage, frame) + jolts.marks(frame)
        told(frame)
    return out


def find_snags(footage: Footage, marks: Marks) -> list[TakeSnag]:
    """The snags that marks make, the most visible first."""
    gathering = _Gathering(footage)
    for frame in sorted(marks):
        for mark in marks[frame]:
            gathering.add(frame, mark)
    found = [_Told(cluster, footage) for cluster in gathering.clusters()]
    return _folded([one for one in found if one.counts], footage)


@dataclass(eq=False)
class _Piece:
    """A connected part of a mark."""

    frame: int
    mark: Mark
    rows: Indices  # of the mark's vertices
    pairs: int


@dataclass(eq=False)
class _Cluster:
    """Pieces of one kind that hang together; seen: its last frame; near (n,): its latest vertices, and some
    around.
    """

    key: tuple[object, ...]
    pieces: list[_Piece] = field(default_factory=list)
    seen: int = 0
    near: dict[int, Flags] = field(default_factory=dict)
    trace: dict[int, Points] = field(default_factory=dict)
    into: _Cluster | None = None

    def root(self) -> _Cluster:
        one = self
        while one.into is not None:
            one = one.into
        return one


class _Gathering:
    """Puts marks together as they come, frame by frame."""

    def __init__(self, footage: Footage) -> None:
        self._footage = footage
        graph = edge_graph(footage.worn)
        self._graph = (graph + graph.T).tocsr()
        self._open: dict[tuple[object, ...], list[_Cluster]] = {}
        self._all: list[_Cluster] = []

    def clusters(self) -> list[_Cluster]:
        return [one for one in self._all if one.into is None]

    def add(self, frame: int, mark: Mark) -> None:
        kind = "body" if mark.kind in BODY else mark.kind
        key = (kind, mark.garment, mark.other)
        waiting = self._open.setdefault(key, [])
        waiting[:] = [one for one in waiting if one.into is None and one.seen >= frame - SNAG_GAP - 1]
        points = self._footage.at(frame)[mark.vertices]
        for rows in self._parts(mark):
            piece = _Piece(frame, mark, rows, round(mark.pairs * len(rows) / len(mark.vertices)))
            self._place(piece, key, waiting, points[rows])

    def _place(self, piece: _Piece, key: tuple[object, ...], waiting: list[_Cluster], points: Points) -> None:
        vertices = piece.mark.vertices[piece.rows]
        trace = points[:: max(1, len(points) // TRACE)]
        tree = KDTree(trace)
        met: list[_Cluster] = []
        for one in waiting:
            root = one.root()
            if root in met:
                continue
            touches = any(near[vertices].any() for near in root.near.values())
            if touches or any(np.min(tree.query(other)[0]) < SNAG_NEAR for other in root.trace.values()):
                met.append(root)
        home = met[0] if met else _Cluster(key)
        if not met:
            self._all.append(home)
            waiting.append(home)
        for other in met[1:]:
            other.into = home
            home.pieces += other.pieces
            home.near |= {-len(home.near) - 1 - k: near for k, near in enumerate(other.near.values())}
            home.trace |= {-len(home.trace) - 1 - k: near for k, near in enumerate(other.trace.values())}
        home.pieces.append(piece)
        if piece.frame != home.seen:
            keep = sorted(home.near)[-1:]
            home.near = {frame: home.near[frame] for frame in keep}
            home.trace = {frame: home.trace[frame] for frame in keep if frame in home.trace}
        home.seen = piece.frame
        around = self._around(vertices)
        home.near[piece.frame] = (
            around | home.near.get(piece.frame, np.zeros(0, bool)) if piece.frame in home.near else around
        )
        before = home.trace.get(piece.frame)
        home.trace[piece.frame] = trace if before is None else np.concatenate([before, trace])

    def _around(self, vertices: Indices) -> Flags:
        flags = np.zeros(self._graph.shape[0], bool)
        flags[vertices] = True
        for _ in range(SNAG_RINGS):
            reached = self._graph[np.flatnonzero(flags)].indices
            flags[reached] = True
        return flags

    def _parts(self, mark: Mark) -> list[Indices]:
        """The rows of a mark's vertices, by what hangs together within two rings."""
        around = np.flatnonzero(self._around(mark.vertices))
        _, label = connected_components(self._graph[around][:, around], directed=False)
        own = label[np.searchsorted(around, mark.vertices)]
        return [np.flatnonzero(own == each).astype(np.int32) for each in np.unique(own)]


class _Told:
    """A cluster on its way to a snag."""

    def __init__(self, cluster: _Cluster, footage: Footage) -> None:
        self._pieces, self._footage = cluster.pieces, footage
        self.first = min(piece.frame for piece in cluster.pieces)
        self.last = max(piece.frame for piece in cluster.pieces)
        every = [piece.mark.vertices[piece.rows] for piece in cluster.pieces]
        self.vertices = np.unique(np.concatenate(every)).astype(np.int32)
        areas = np.concatenate([cloth.vertex_areas for cloth in footage.worn.cloths])
        by_frame: dict[int, tuple[float, float]] = {}
        pinched = total = 0.0
        for piece, own in zip(cluster.pieces, every, strict=True):
            depth = piece.mark.depth[piece.rows]
            area, weight = float(areas[own].sum()), float(areas[own] @ depth)
            before = by_frame.get(piece.frame, (0.0, 0.0))
            by_frame[piece.frame] = (before[0] + area, before[1] + weight)
            total += area
            pinched += area if piece.mark.kind == PINCHED else 0.0
        mark = cluster.pieces[0].mark
        if mark.kind == JUMPS and self.last > self.first:
            self.last -= 1  # the last jump is the one back
        elif mark.kind == JUMPS:
            self.first = self.last = self._off_frame()
        self.kind = mark.kind
        if self.kind in BODY:
            self.kind = PINCHED if pinched >= MOSTLY * total else IN_THE_BODY
        self.garment, self.other = mark.garment, mark.other
        shown = [frame for frame in by_frame if frame <= self.last] or list(by_frame)
        self.worst = max(shown, key=lambda frame: (by_frame[frame][1], by_frame[frame][0]))
        self.area = max(area for area, _ in by_frame.values())
        self.weight = sum(weight for _, weight in by_frame.values())
        self.depth = max(float(piece.mark.depth[piece.rows].max()) for piece in cluster.pieces)
        self.pairs = sum(piece.pairs for piece in cluster.pieces)
        self.strain = max(piece.mark.strain for piece in cluster.pieces)
        self._count = sum(len(own) for own in every)

    def _off_frame(self) -> int:
        """Of a jump that is seen only there or only back: the frame that is off, that or the one before."""

        def off(frame: int) -> float:
            around = [self._footage.at(frame + step)[self.vertices] for step in (-1, 0, 1)]
            return float(np.linalg.norm(around[1] - 0.5 * (around[0] + around[2])))

        before = max(self.first - 1, self._footage.begins)
        return before if off(before) > off(self.first) * (1 + 1e-6) else self.first

    @property
    def counts(self) -> bool:
        """Whether it is large enough to be listed."""
        return self.kind in CROSSING or self._count >= SNAG_FEWEST

    @property
    def rank(self) -> int:
        """Which kinds bring others about: the lower one is the cause."""
        if self.kind == OFF_ITS_HOLD or (self.kind == JUMPS and self.last - self.first < 3):
            return 0
        order = [*CROSSING, JUMPS, OVERSTRETCH, CRUMPLE, JITTERS]
        return 1 if self.kind in CROSSING and self.kind != FULL_BODY else 2 + order.index(self.kind)

    def snag(self, also: tuple[str, ...]) -> TakeSnag:
        footage = self._footage
        points = footage.at(self.worst)
        own = [piece for piece in self._pieces if piece.frame == self.worst]
        at = np.concatenate([piece.mark.vertices[piece.rows] for piece in own])
        depth = np.concatenate([piece.mark.depth[piece.rows] for piece in own]) + 1e-9
        x, y, z = depth @ points[at] / depth.sum()
        return TakeSnag(
            self.kind, footage.worn.cloths[self.garment].name, self.other, self._where(points[at]),
            (self.first, self.last), self.worst, self.depth, self.area, self.weight,
            (float(x), float(y), float(z)), self.vertices, self.pairs, self.strain, also,
        )  # fmt: skip

    def _where(self, points: Points) -> str:
        """On the figure, by the one or two parts that most of it is nearest to."""
        colliders = self._footage.colliders(self.worst)
        if len(colliders.triangles) == 0:
            return ""
        around = self._footage.bodies(self.worst)
        nearest = closest_points(build_tree(around, colliders.triangles), around, points)[0]
        share = np.bincount(colliders.part[nearest], minlength=len(colliders.part_names)) / len(nearest)
        order = np.argsort(-share, kind="stable")[:2]
        return place_words([colliders.part_names[part] for part in order if share[part] >= BESIDE])


def _folded(found: list[_Told], footage: Footage) -> list[TakeSnag]:
    """Snags in order; those that only come with a greater one are told with that."""
    found = sorted(found, key=lambda one: (one.rank, -one.weight, one.first))
    graph = edge_graph(footage.worn)
    graph = (graph + graph.T).tocsr()
    kept: list[tuple[_Told, Flags, list[str]]] = []
    for one in found:
        for cause, near, also in kept:
            slack = 1 + SNAG_GAP
            within = cause.first - slack <= one.first and one.last <= cause.last + slack
            if within and near[one.vertices].mean() >= SNAG_FOLDED:
                if one.kind != cause.kind and one.kind not in also:
                    also.append(one.kind)
                break
        else:
            flags = np.zeros(footage.worn.count, bool)
            flags[one.vertices] = True
            for _ in range(2 * SNAG_RINGS):
                flags[graph[np.flatnonzero(flags)].indices] = True
            kept.append((one, flags, []))
    kept = _ends_folded(kept)
    snags = [one.snag(tuple(also)) for one, _, also in kept]
    return sorted(snags, key=lambda one: (-one.weight, one.frames))


def _ends_folded(kept: list[tuple[_Told, Flags, list[str]]]) -> list[tuple[_Told, Flags, list[str]]]:
    """Without the jumps in which a longer fault of the same place only begins or ends."""
    out = []
    for one, flags, also in kept:
        cause = next(
            (
                other for other in kept
                if one.kind == JUMPS and other[0].kind != JUMPS and other[0].last - other[0].first >= SNAG_GAP
                and other[0].first - 1 <= one.first and one.last <= other[0].last + 1
                and other[1][one.vertices].mean() >= SNAG_FOLDED
            ),
            None,
        )  # fmt: skip
        if cause is None:
            out.append((one, flags, also))
        else:
            cause[2].extend(kind for kind in (JUMPS, *also) if kind not in cause[2] and kind != cause[0].kind)
    return out


def same_place(one: TakeSnag, other: TakeSnag) -> bool:
    """Whether two snags, of two takes or of one before and after, are the same fault."""
    kinds = {one.kind, other.kind}
    alike = len(kinds) == 1 or kinds == set(BODY)
    meet = one.frames[0] <= other.frames[1] + SNAG_GAP and other.frames[0] <= one.frames[1] + SNAG_GAP
    return (
        alike and meet and (one.garment, one.other) == (other.garment, other.other)
        and len(np.intersect1d(one.vertices, other.vertices)) > 0
    )  # fmt: skip


def without_vertices(snag: TakeSnag) -> TakeSnag:
    """The snag in short, to be listed."""
    return replace(snag, vertices=snag.vertices[:0])
