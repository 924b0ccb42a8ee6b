"""Self-cuts: places and frames where a character cuts into itself, so that cloth there has nowhere to go."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from scipy.spatial import KDTree

from ...contact.intersections import self_crossing_pairs
from ...geometry.closed import insider
from ...geometry.triangles import vertex_normals
from ...model.shot import CastMember, RunIn
from ...model.typed import Indices, Points, Scalars, Triangles, Vectors
from .run_in import StagedMotion

NEAR = 5e-4  # m before a surface, where it is asked whether the body lies there


@dataclass(frozen=True)
class SelfCut:
    """One frame with cuts: pairs of triangles; the deepest in m, where that is (x, y, z) m, and between which
    parts.
    """

    frame: int
    pairs: int
    depth: float
    place: tuple[float, float, float]
    between: str


@dataclass(frozen=True, eq=False)
class SelfCuts:
    """cuts, one for each frame that has any; marked (k, 2) int32: frame and triangle, for each that cuts or
    lies within; searched: how many frames were looked at.
    """

    cuts: tuple[SelfCut, ...]
    marked: Indices
    searched: int


def find_self_cuts(member: CastMember, run_in: RunIn, frames: tuple[int, int]) -> SelfCuts:
    """Look at every frame of the run-in's move and of the shot that the member has."""
    staged = StagedMotion(member.motion, run_in, frames[0])
    low, high = member.motion.span()
    if not np.isfinite(low):
        low, high = float(frames[0]), float(frames[0])
    first = frames[0] - run_in.move if low <= frames[0] <= high else int(max(low, frames[0]))
    last = int(min(high, frames[1]))
    cuts, marked = [], []
    rest = _exempt(member)
    for frame in range(first, last + 1):
        points = staged.at(frame)
        pairs = self_crossing_pairs(points, member.cut.triangles)
        pairs = pairs[~_known(pairs, rest, len(member.cut.triangles))]
        if len(pairs):
            cut, deep = _measured(frame, points, member, pairs)
            cuts.append(cut)
            marked.append(np.column_stack([np.full(len(deep), frame), deep]))
    joined = np.concatenate(marked) if marked else np.zeros((0, 2))
    return SelfCuts(tuple(cuts), joined.astype(np.int32), max(0, last - first + 1))


def _exempt(member: CastMember) -> Indices:
    """Pairs that cross in the rest pose already, such as eyes in a head: they are how it is made."""
    pairs = self_crossing_pairs(member.motion.rest(), member.cut.triangles)
    return _codes(pairs, len(member.cut.triangles))


def _codes(pairs: Indices, count: int) -> Indices:
    ordered = np.sort(pairs.astype(np.int64), axis=1)
    return np.asarray(ordered[:, 0] * count + ordered[:, 1])


def _known(pairs: Indices, rest: Indices, count: int) -> np.ndarray:
    return np.isin(_codes(pairs, count), rest)


def _measured(frame: int, points: Points, member: CastMember, pairs: Indices) -> tuple[SelfCut, Indices]:
    """A frame's cut, and the triangles that cut or lie within."""
    triangles, part = member.cut.triangles, member.part
    sunk = _buried(points, triangles, pairs)
    depths = _depths(points, vertex_normals(points, triangles), sunk)
    place, depth = points[triangles[pairs[0, 0]]].mean(axis=0), 0.0
    if len(sunk):
        place, depth = points[sunk[np.argmax(depths)]], float(depths.max())
    names = Counter(
        " and ".join(sorted({member.part_names[part[a]], member.part_names[part[b]]})) for a, b in pairs
    )
    marked = np.union1d(pairs.ravel(), np.flatnonzero(np.isin(triangles, sunk).any(axis=1)))
    x, y, z = (float(v) for v in place)
    return SelfCut(frame, len(pairs), depth, (x, y, z), names.most_common(1)[0][0]), marked


def _buried(points: Points, triangles: Triangles, pairs: Indices) -> Indices:
    """Vertices before whose outer side the body itself lies, found ring by ring from the cut inwards."""
    before = points + NEAR * vertex_normals(points, triangles)
    asked, sunk = np.zeros(len(points), bool), np.zeros(len(points), bool)
    within = insider(points, triangles)
    ring = np.unique(triangles[pairs])
    while len(ring):
        asked[ring] = True
        hit = ring[within(before[ring])]
        sunk[hit] = True
        around = np.unique(triangles[np.isin(triangles, hit).any(axis=1)])
        ring = around[~asked[around]]
    return np.flatnonzero(sunk).astype(np.int32)


def _depths(points: Points, normals: Vectors, sunk: Indices) -> Scalars:
    """How far each buried vertex lies behind the surface that buries it, (k,) m.

    That is the plane of the nearest buried vertex that looks the other way; 0 where there is none. No way out
    is longer than that to the nearest vertex that lies free.
    """
    if len(sunk) == 0:
        return np.zeros(0)
    free = np.setdiff1d(np.arange(len(points)), sunk)
    out = KDTree(points[free]).query(points[sunk])[0] if len(free) else np.full(len(sunk), np.inf)
    away = np.linalg.norm(points[sunk][:, None] - points[sunk][None], axis=2)
    away[normals[sunk] @ normals[sunk].T > -0.2] = np.inf
    nearest = np.argmin(away, axis=1)
    over = points[sunk[nearest]] - points[sunk]
    depth = np.einsum("ij,ij->i", over, normals[sunk[nearest]])
    return np.where(np.isfinite(away.min(axis=1)), np.clip(depth, 0.0, out), 0.0)
