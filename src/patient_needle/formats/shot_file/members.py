"""A cast member of a shot from its record and files."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping, MutableMapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, cast

import numpy as np

from ...core.craft.cast.self_cuts import SelfCuts, find_self_cuts
from ...core.craft.cast.understudies import (
    UnderstudyReading,
    UnderstudySettings,
    read_understudy,
    understudy_of,
)
from ...core.geometry.closed import turned_outwards
from ...core.geometry.motion import CachedMotion, SkinnedMotion, Still
from ...core.geometry.placing import (
    TO_Y_UP,
    ParentedMotion,
    PlacedMotion,
    RetimedMotion,
    RoutedMotion,
    ShapedMotion,
    placement,
)
from ...core.geometry.skinning import Skin, onto
from ...core.geometry.topology import triangulated
from ...core.model.errors import CastError, NeedleError, ShotError
from ...core.model.mesh import TriangleMap
from ...core.model.motion import Motion
from ...core.model.shot import CastMember, ColliderSettings, RunIn
from ...core.model.typed import Flags, Indices, Matrices
from ...core.model.units import from_mm, metres_per
from ..contents import Figure, FigureAsk, FileTime, SkinnedSource, Stated
from ..frames import Samples, TurnedFrames, lasting
from ..registry import read_cache, read_figure
from .document import CastRecord, ColliderRecord, PlacedRecord
from .ranges import curve_of, switch_of
from .shapes import blend_of, own_blends

AT_ONCE = 500_000  # triangles times joints that are weighed at once
PROP_RANK = 50  # props release pinched cloth before any part of a body does


@dataclass(frozen=True, eq=False)
class AssembledMember:
    """A member as its file gives it: its understudy, if it has one; what the file states; its shapes by name;
    and the notes of reading it. frames: first and last of the shot; bare and placement (4, 4): its own
    motion in file units, and where that is put; timed: when its file says that it moves.
    """

    member: CastMember
    understudy: CastMember | None
    stated: Stated
    shapes: tuple[str, ...]
    notes: tuple[str, ...]
    frames: tuple[int, int]
    bare: Motion
    placement: Matrices
    timed: FileTime

    # What takes long is worked out when it is first asked for. Not by `cached_property`: until Python 3.12 its
    # lock is one for all members.
    _worked_out: dict[object, Any] = field(default_factory=dict)

    @property
    def against(self) -> UnderstudyReading | None:
        """The understudy held against the member over the shot; None without one."""
        if self.understudy is None:
            return None
        return cast(UnderstudyReading, self._once("against", self._read_understudy))

    def _read_understudy(self) -> UnderstudyReading:
        assert self.understudy is not None
        return read_understudy(self.member, self.understudy, self.frames)

    def self_cuts(self, run_in: RunIn) -> SelfCuts:
        """Where it cuts into itself, searched once for each run-in."""
        found = self._once(run_in, lambda: find_self_cuts(self.member, run_in, self.frames))
        return cast(SelfCuts, found)

    def _once(self, key: object, work: Callable[[], object]) -> object:
        if key not in self._worked_out:
            self._worked_out[key] = work()
        return self._worked_out[key]

    @property
    def cast(self) -> tuple[CastMember, ...]:
        """The member as the engine meets it: itself, or itself untouched and its understudy."""
        if self.understudy is None:
            return (self.member,)
        return (replace(self.member, collider=None), self.understudy)


def assemble_cast(
    records: Sequence[CastRecord],
    folder: Path,
    rate: float,
    frames: tuple[int, int],
    kept: MutableMapping[str, AssembledMember] | None = None,
) -> Iterator[tuple[CastRecord, AssembledMember | NeedleError]]:
    """Every member of a cast, or what is wrong with it, in order; rate and frames: the shot's. kept: members
    that were made before, by all that they are made of; those that are still the same are taken from there.
    """
    known: dict[str, AssembledMember] = {}
    made: dict[str, AssembledMember | NeedleError] = {}
    for record in sorted(records, key=lambda one: one.parent is not None):  # what carries comes first
        try:
            key = _key(record, records, folder, rate, frames) if kept is not None else ""
            member = kept.get(key) if kept is not None else None
            member = member or assemble_member(record, folder, rate, frames, known)
            made[record.name] = known[record.name] = member
            if kept is not None:
                kept[key] = member
        except NeedleError as error:
            made[record.name] = error
    for record in records:
        yield record, made[record.name]


def _key(
    record: CastRecord, records: Sequence[CastRecord], folder: Path, rate: float, frames: tuple[int, int]
) -> str:
    """A digest of all that a member is made of: its record, its files, the shot's time, what carries it."""
    digest = hashlib.sha256(f"{record.model_dump_json()} {rate} {frames}".encode())
    carriers = [one for one in records if record.parent is not None and one.name == record.parent.member]
    for one in (record, *carriers):
        digest.update(one.model_dump_json().encode())
        names = [one.file, one.cache, one.motion and one.motion.file, *(shape.file for shape in one.shapes)]
        for name in names:
            if name and (folder / name).is_file():
                digest.update((folder / name).read_bytes())
    return digest.hexdigest()


def assemble_member(
    record: CastRecord, folder: Path, rate: float, frames: tuple[int, int],
    known: Mapping[str, AssembledMember] | None = None,
) -> AssembledMember:  # fmt: skip
    """One cast member, read from its files, in metres, Y up; known: members that could carry it."""
    path = folder / record.file
    own = None if record.timing == "frame for frame" else rate
    figure = read_figure(path, FigureAsk(record.mesh, record.animation, own))
    notes = list(figure.notes)
    if record.motion is not None:
        figure = _moved_by(record, figure, folder, own, notes)
    bare, timed = _motion(record, figure, folder, rate, notes)
    motion = bare
    blends = own_blends(record, figure)
    blends += tuple(blend_of(record, shape, figure, bare, folder) for shape in record.shapes)
    if blends:
        motion = ShapedMotion(motion, triangulated(figure.mesh).triangles, blends)
    whole = placement_of(record.unit, record.up, record.placed, f"'{record.name}'")
    if figure.decimal:
        per_unit = metres_per(record.unit)
        motion = PlacedMotion(motion, placement_of("m", record.up, record.placed, record.name), per_unit)
    elif not np.array_equal(whole, np.eye(4)):
        motion = PlacedMotion(motion, whole)
    if record.parent is not None:
        motion = _carried(record, motion, known or {})
    if record.motion_turn != 0 or any(record.motion_move):
        motion = RoutedMotion(motion, record.motion_turn, record.motion_move)
    mesh = figure.mesh.with_vertices(motion.rest())
    cut = triangulated(mesh)
    if record.outwards:
        cut = turned_outwards(mesh.vertices, cut)
    part, names, rank = _parts(record, figure, cut)
    member = CastMember(
        record.name, record.kind, mesh, cut, motion, part, names, rank, _kept(record, names, part, cut),
        collider_of(record.collider),
    )  # fmt: skip
    understudy = _understudy(record, member, frames)
    return AssembledMember(
        member, understudy, figure.stated, tuple(figure.shapes), tuple(notes), frames, bare, whole,
        timed,
    )  # fmt: skip


def _carried(record: CastRecord, motion: Motion, known: Mapping[str, AssembledMember]) -> Motion:
    """What stands still, carried by a joint of another member."""
    assert record.parent is not None
    carrier = known.get(record.parent.member)
    if carrier is None or not isinstance(carrier.bare, SkinnedMotion):
        raise ShotError(
            f"it is to be carried by '{record.parent.member}', which has no skeleton in this shot",
            where=f"'{record.name}'",
            remedy="Name a character with joints, which is not carried itself",
        )
    names = carrier.bare.skeleton.names
    if record.parent.joint not in names:
        raise ShotError(
            f"'{record.parent.member}' has no joint '{record.parent.joint}'",
            where=f"'{record.name}'",
            remedy=f"It has {', '.join(names)}",
        )
    joint = names.index(record.parent.joint)
    carried = ParentedMotion(motion.rest(), carrier.bare, joint, carrier.placement)
    route = carrier.member.motion
    return replace(route, motion=carried) if isinstance(route, RoutedMotion) else carried


def _understudy(record: CastRecord, member: CastMember, frames: tuple[int, int]) -> CastMember | None:
    if record.collider is None or record.collider.understudy is None:
        return None
    asked = record.collider.understudy
    settings = UnderstudySettings(asked.shape, asked.triangles, tuple(asked.full), from_mm(asked.edge_mm))
    return understudy_of(member, settings, frames)


def placement_of(unit: str, up: str, placed: PlacedRecord, where: str) -> Matrices:
    """From a file's units and axes to the shot's, (4, 4)."""
    metres = metres_per(unit, where=where)
    return placement(metres, up, placed.scale, placed.turn, placed.move, mirrored=placed.mirrored)


def from_cache_of(record: CastRecord) -> Matrices | None:
    """From the units and axes of a member's cache to its mesh's, (3, 3); None where they are the same."""
    as_read, where = record.cache_as, f"cache of '{record.name}'"
    unit, up = as_read.unit or record.unit, as_read.up or record.up
    if (unit, up, as_read.mirrored) == (record.unit, record.up, False):
        return None
    to_metres = placement(metres_per(unit, where=where), up, 1.0, 0.0, (0, 0, 0), mirrored=as_read.mirrored)
    return np.asarray(TO_Y_UP[record.up].T @ to_metres[:3, :3] / metres_per(record.unit, where=where))


def _motion(
    record: CastRecord, figure: Figure, folder: Path, rate: float, notes: list[str]
) -> tuple[Motion, FileTime]:
    """How the figure moves, in file units, and when its file says that it does."""
    if record.cache is not None:
        path = folder / record.cache
        content = read_cache(path)
        if content.frames.shape[1:] != figure.mesh.vertices.shape:
            raise CastError(
                f"the cache has {content.frames.shape[1]} points, its mesh {figure.mesh.vertex_count} vertices",
                where=f"{path}, mesh '{figure.mesh.name}'",
                remedy="Use a cache and a rest mesh of the same topology",
            )
        frames = lasting(content.frames)
        timed = _timed(content.frame_rate, content.first_frame, len(frames))
        moves = _by_points(record, figure, frames, timed.rate, rate, notes, path, from_cache_of(record))
        return moves, timed
    if figure.frames is not None:
        timed = _timed(figure.stated.rate, figure.first, len(figure.frames))
        path = folder / record.file
        return _by_points(record, figure, figure.frames, timed.rate, rate, notes, path), timed
    timed = FileTime(figure.stated.rate)
    joints = figure.joints
    if joints is None or len(joints.poses) == 1:
        if record.kind == "character":
            notes.append(
                "it stands still, since its file has no animation: bring in the cache or the motion that moves "
                "it, or export its animation with it"
            )
        rest = figure.mesh.vertices
        if joints is not None:
            rest = SkinnedMotion(rest, joints.skin, joints.skeleton, joints.poses, 0).rest()
        return Still(rest), timed
    motion = SkinnedMotion(figure.mesh.vertices, joints.skin, joints.skeleton, joints.poses, record.starts_at)
    return motion, timed


def _timed(rate: float | None, first: float | None, count: int) -> FileTime:
    return FileTime(rate, None if first is None else round(first), count)


def _by_points(
    record: CastRecord, figure: Figure, frames: Samples, own: float | None, rate: float, notes: list[str],
    path: Path, turned: Matrices | None = None,
) -> Motion:  # fmt: skip
    """A point cache at the shot's rate; turned (3, 3): from its units and axes to its mesh's."""
    if len(frames) == 0:
        raise CastError("the cache holds no frames", where=str(path), remedy="Write it again")
    bad = next((k for k, frame in enumerate(frames) if not np.isfinite(frame).all()), None)
    if bad is not None:
        raise CastError(
            f"frame {bad} of its {len(frames)} has positions that are not numbers",
            where=str(path),
            remedy="Write the cache again",
        )
    moves = frames if turned is None else TurnedFrames(frames, turned)
    triangles = triangulated(figure.mesh).triangles
    if own is None or abs(own / rate - 1) < 1e-4 or record.timing == "frame for frame":
        return CachedMotion(figure.mesh.vertices, moves, record.starts_at, triangles)
    notes.append(
        f"{own:g} frames a second in the file are played in real time at {rate:g}, points between by a cubic"
    )
    cached = CachedMotion(figure.mesh.vertices, moves, 0, triangles)
    return RetimedMotion(cached, record.starts_at, own / rate)


def _moved_by(record: CastRecord, figure: Figure, folder: Path, rate: float | None, notes: list[str]) -> Figure:
    """The figure under the motion of another file's skeleton."""
    assert record.motion is not None
    path = folder / record.motion.file
    if figure.joints is None:
        raise CastError(
            "it has no skeleton that another motion could move",
            where=f"'{record.name}'",
            remedy="Bring the character in with its skin, or give it a cache",
        )
    other = read_figure(path, FigureAsk(None, record.motion.animation, rate)).joints
    if other is None or len(other.poses) < 2:
        raise CastError(
            "it has no animated skeleton", where=str(path), remedy="Export the animation with its joints"
        )
    try:
        poses, matched = onto(figure.joints.skeleton, other.skeleton, other.poses)
    except NeedleError as error:
        raise error.at(str(path)) from None
    notes.append(f"motion of {record.motion.file}: {matched.said()}")
    return replace(figure, joints=SkinnedSource(figure.joints.skin, figure.joints.skeleton, poses))


def _parts(record: CastRecord, figure: Figure, cut: TriangleMap) -> tuple[Indices, tuple[str, ...], Indices]:
    """Part of each triangle, the parts' names, and which of them releases pinched cloth first.

    What a skeleton moves has a part for each joint, any other mesh one for each of its face groups.
    """
    prop = PROP_RANK if record.kind == "prop" else 0
    if figure.joints is not None and len(figure.joints.poses) > 1:
        skeleton = figure.joints.skeleton
        part = leading_joints(figure.joints.skin, cut, len(skeleton.names))
        return part, skeleton.names, _depths(skeleton.parents) + prop
    owner = np.full(figure.mesh.face_count, -1, np.int64)
    for number, faces in reversed(list(enumerate(figure.mesh.groups.values()))):
        owner[faces] = number  # of two groups of a face the first counts
    mine = owner[cut.source_face]
    there = np.unique(mine[mine >= 0])
    part = np.where(mine >= 0, 1 + np.searchsorted(there, mine), 0).astype(np.int32)
    every = list(figure.mesh.groups)
    names = ("whole", *(every[number] for number in there))
    return part, names, np.full(len(names), PROP_RANK, np.int32)


def leading_joints(skin: Skin, cut: TriangleMap, joints: int) -> Indices:
    """The joint that moves each triangle most, (m,) int32."""
    out = np.empty(len(cut.triangles), np.int32)
    many = max(1, AT_ONCE // joints)
    for start in range(0, len(out), many):
        corners = cut.triangles[start : start + many].ravel()
        weights = np.zeros((len(corners), joints))
        for influence in range(skin.joints.shape[1]):
            place = (np.arange(len(corners)), skin.joints[corners, influence])
            np.add.at(weights, place, skin.weights[corners, influence])
        out[start : start + many] = weights.reshape(-1, 3, joints).sum(axis=1).argmax(axis=1)
    return out


def _depths(parents: Indices) -> Indices:
    """How many joints stand above each, (j,) int32."""
    out = np.zeros(len(parents), np.int32)
    for joint, parent in enumerate(parents):
        out[joint] = 0 if parent < 0 else out[parent] + 1
    return out


def _kept(record: CastRecord, names: tuple[str, ...], part: Indices, cut: TriangleMap) -> Flags:
    if record.collider is None:
        return np.ones(len(part), bool)
    unknown = [name for name in record.collider.leave_out if name not in names]
    if unknown:
        raise ShotError(
            f"leave_out names joint '{unknown[0]}', which the skeleton does not have",
            where=f"'{record.name}'",
            remedy=f"It has {', '.join(names)}",
        )
    faces, count = record.collider.leave_out_faces, int(cut.source_face.max(initial=-1)) + 1
    if faces and max(faces) >= count:
        raise ShotError(
            f"leave_out_faces names face {max(faces)} of {count}",
            where=f"'{record.name}'",
            remedy="Name faces of this mesh, or take the list out",
        )
    out = [names.index(name) for name in record.collider.leave_out]
    return ~(np.isin(part, out) | np.isin(cut.source_face, faces))


def collider_of(record: ColliderRecord | None) -> ColliderSettings | None:
    """How a member meets cloth; None when it does not."""
    if record is None:
        return None
    clearance = curve_of(record.clearance_mm, from_mm(1.0))
    thickness, friction = curve_of(record.thickness_mm, from_mm(1.0)), curve_of(record.friction)
    for curve, said in ((clearance, "a clearance"), (thickness, "a thickness"), (friction, "a friction")):
        if curve.values.min() < 0:
            raise ShotError(f"{said} is below zero", remedy="Give 0 or more")
    on = switch_of(record.on)
    return ColliderSettings(clearance, friction, thickness, on)
