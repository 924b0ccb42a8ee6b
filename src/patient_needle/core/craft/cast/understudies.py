"""Understudies: lighter or simpler colliders that follow what they stand in for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np

from ...geometry.decimation import decimated
from ...geometry.solids import fit, refined
from ...geometry.topology import is_closed, triangulated
from ...geometry.tree import build_tree, closest_points
from ...model.errors import CastError
from ...model.mesh import Mesh
from ...model.motion import Motion
from ...model.shot import CastMember
from ...model.typed import Indices, Points, Scalars, Triangles

Shape = Literal["reduced", "refined", "box", "sphere", "capsule", "cylinder", "hull"]
POSES = 12  # of the shot, besides the rest pose, that a reduced mesh is made for
MOST_REFINED = 200_000  # triangles


@dataclass(frozen=True)
class UnderstudySettings:
    """shape; triangles: how many a reduced mesh should have; full: parts of it that are not reduced, beyond
    that number; spacing: edge length in m of fitted solids and refined meshes.
    """

    shape: Shape
    triangles: int = 4000
    full: tuple[str, ...] = ()
    spacing: float = 0.06


@dataclass(frozen=True, eq=False)
class UnderstudyReading:
    """vertices, triangles; of_full: how many triangles the mesh it stands in for has; closed; worst and mean m:
    how far the two surfaces lie apart over the shot; deviation (k,) m: the worst
    around each vertex of the understudy.
    """

    vertices: int
    triangles: int
    of_full: int
    closed: bool
    worst: float
    mean: float
    deviation: Scalars


@dataclass(frozen=True, eq=False)
class ChosenPoints:
    """Some points of a motion, and points midway between two of them: rows (a, b) into the motion's points."""

    motion: Motion
    pairs: Indices

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self._of(self.motion.rest())

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return self._of(self.motion.at(frame))

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`."""
        return self._of(self.motion.toward_first(frame, share))

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return self.motion.span()

    def shaped(self, frame: float) -> Motion:
        """See `Motion.shaped`."""
        return replace(self, motion=self.motion.shaped(frame))

    def _of(self, points: Points) -> Points:
        if not self._rounds:
            return points[self.pairs[:, 0]]
        out = np.empty((len(self.pairs), 3))
        out[: len(points)] = points
        for rows in self._rounds:
            out[rows] = 0.5 * (out[self.pairs[rows, 0]] + out[self.pairs[rows, 1]])
        return out

    @cached_property
    def _rounds(self) -> list[Indices]:
        """Rows of points that lie amid others, those first whose own two are there first."""
        left = np.flatnonzero(self.pairs[:, 0] != self.pairs[:, 1])
        rounds = []
        while len(left):
            ready = self.pairs[left].max(axis=1) < left[0]
            rounds.append(left[ready].astype(np.int32))
            left = left[~ready]
        return rounds


@dataclass(frozen=True, eq=False)
class RigidPieces:
    """Solids that ride on parts of a motion: each is moved as its part's points turn and move best.

    pieces: per solid the part's points as indices, and the solid's points (k, 3) m where the part is at rest.
    Source of the fit: W. Kabsch, Acta Cryst. A32 (1976).
    """

    motion: Motion
    pieces: tuple[tuple[Indices, Points], ...]

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return np.concatenate([points for _, points in self.pieces])

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return self._carried(self.motion.at(frame))

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`."""
        return self._carried(self.motion.toward_first(frame, share))

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return self.motion.span()

    def shaped(self, frame: float) -> Motion:
        """See `Motion.shaped`."""
        return replace(self, motion=self.motion.shaped(frame))

    def _carried(self, now: Points) -> Points:
        rest = self.motion.rest()
        return np.concatenate([_carried(rest[of], now[of], points) for of, points in self.pieces])


def _carried(before: Points, now: Points, points: Points) -> Points:
    a, b = before.mean(axis=0), now.mean(axis=0)
    left, _, right = np.linalg.svd((before - a).T @ (now - b))
    turn = right.T @ np.diag([1.0, 1.0, np.sign(np.linalg.det(right.T @ left.T))]) @ left.T
    return np.asarray((points - a) @ turn.T + b)


def understudy_of(member: CastMember, settings: UnderstudySettings, frames: tuple[int, int]) -> CastMember:
    """A member's understudy as a cast member of its own; frames: first and last of the shot."""
    if settings.shape == "reduced":
        return _reduced(member, settings, frames)
    if settings.shape == "refined":
        return _refined(member, settings)
    return _fitted(member, settings)


def _named(member: CastMember, points: Points, triangles: Triangles, motion: Motion) -> CastMember:
    """A member like the given one, over another surface; part and chosen are still to be said."""
    name = f"{member.name} (understudy)"
    mesh = Mesh(name, points, np.full(len(triangles), 3, np.int32), triangles.ravel().astype(np.int32))
    return replace(
        member, name=name, mesh=mesh, cut=triangulated(mesh), motion=motion, stands_in_for=member.name
    )


def _reduced(member: CastMember, settings: UnderstudySettings, frames: tuple[int, int]) -> CastMember:
    unknown = [name for name in settings.full if name not in member.part_names]
    if unknown:
        raise CastError(
            f"its understudy keeps '{unknown[0]}' in full, which it does not have",
            where=f"'{member.name}'",
            remedy=f"It has {', '.join(member.part_names)}",
        )
    triangles = member.cut.triangles
    whole = np.isin(member.part, [member.part_names.index(name) for name in settings.full])
    locked = np.zeros(member.mesh.vertex_count, bool)
    locked[triangles[whole]] = True
    poses = np.stack([member.motion.rest(), *(member.motion.at(f) for f in _sampled(member, frames, POSES))])
    kept, faces = decimated(poses, triangles, settings.triangles + int(whole.sum()), locked)
    motion = ChosenPoints(member.motion, np.column_stack([kept, kept]))
    made = _named(member, poses[0][kept], faces, motion)
    nearest = _nearest(member, poses[0], poses[0][kept][faces].mean(axis=1))
    return replace(made, part=member.part[nearest], chosen=member.chosen[nearest])


def _refined(member: CastMember, settings: UnderstudySettings) -> CastMember:
    rest = member.motion.rest()
    points, faces, pairs = refined(rest, member.cut.triangles, settings.spacing, MOST_REFINED)
    made = _named(member, points, faces, ChosenPoints(member.motion, pairs))
    nearest = _nearest(member, rest, points[faces].mean(axis=1))
    return replace(made, part=member.part[nearest], chosen=member.chosen[nearest])


def _fitted(member: CastMember, settings: UnderstudySettings) -> CastMember:
    """A solid for each part that collides."""
    rest, pieces, faces, part = member.motion.rest(), [], [], []
    count = 0
    for index in np.unique(member.part[member.chosen]):
        of = np.unique(member.cut.triangles[(member.part == index) & member.chosen])
        try:
            points, triangles = fit(settings.shape, rest[of], settings.spacing)
        except ValueError:
            continue  # a part of few faces, such as a joint's crease: its neighbours cover it
        pieces.append((of.astype(np.int32), points))
        faces.append(triangles + count)
        part.append(np.full(len(triangles), index, np.int32))
        count += len(points)
    if not pieces:
        raise CastError(
            f"no {settings.shape} can be fitted to it: it has no volume", where=f"'{member.name}'",
            remedy="Use a reduced or refined mesh",
        )  # fmt: skip
    motion = RigidPieces(member.motion, tuple(pieces))
    made = _named(member, motion.rest(), np.concatenate(faces), motion)
    parts = np.concatenate(part)
    return replace(made, part=parts, chosen=np.ones(len(parts), bool))


def _nearest(member: CastMember, rest: Points, places: Points) -> Indices:
    triangle, _, _ = closest_points(build_tree(rest, member.cut.triangles), rest, places)
    return triangle


def _sampled(member: CastMember, frames: tuple[int, int], count: int) -> Iterable[int]:
    """Frames of the shot that the member has, evenly taken; none when it stands still."""
    low, high = member.motion.span()
    if not np.isfinite(low):
        return ()
    first, last = max(frames[0], int(low)), min(frames[1], int(high))
    return np.unique(np.linspace(first, last, count).astype(int)).tolist() if last >= first else ()


def read_understudy(
    member: CastMember, understudy: CastMember, frames: tuple[int, int], *, every: int = 4
) -> UnderstudyReading:
    """An understudy held against what it stands in for, both ways, in the rest pose and every few frames."""
    full, light = member.cut.triangles, understudy.cut.triangles
    facing = np.unique(full[member.chosen])
    worst, means = np.zeros(understudy.mesh.vertex_count), []
    count = max(2, (frames[1] - frames[0]) // every + 1)
    for frame in (None, *_sampled(member, frames, count)):
        ours = member.motion.rest() if frame is None else member.motion.at(frame)
        theirs = understudy.motion.rest() if frame is None else understudy.motion.at(frame)
        out = closest_points(build_tree(ours, full), ours, theirs)[2]
        under, _, back = closest_points(build_tree(theirs, light), theirs, ours[facing])
        worst = np.maximum(worst, out)
        for corner in range(3):
            np.maximum.at(worst, light[under, corner], back)
        means.append(float(back.mean()) if len(back) else 0.0)
    return UnderstudyReading(
        understudy.mesh.vertex_count, len(light), len(full), is_closed(light),
        float(worst.max(initial=0.0)), float(np.mean(means)), worst,
    )  # fmt: skip
