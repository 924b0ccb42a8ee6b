"""Readings: a cast member or garment in figures and words, before anything is simulated."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ...geometry.placing import skin_of
from ...geometry.topology import is_closed
from ...geometry.tree import build_tree, closest_points
from ...model.garment import RestMetric
from ...model.mesh import Topology
from ...model.shot import CastMember, Garment, ShotPlan
from ...model.typed import Indices, Points, Scalars, Triangles
from ...solver.diagnostics import furthest
from ..cast.colliders import Colliders
from ..cast.run_in import StagedMotion
from .offers import ARM, ARM_SHARE, HUMAN, Judged, Offer
from .pops import Pop, gap_pops

RUN_IN_SPEED = 1.5  # m/s, a calm arm's; ours
SHORTEST_MOVE, LONGEST_MOVE = 20, 120  # frames; 20 to 50 is common practice, no source
JOINED = 10  # frames before the shot in which its speed is taken up
MARGIN, SOFT = 1.05, 0.3  # of the shot's own largest step, and m/s, up to which nobody sees a jerk; ours
LOST = 0.03  # of its volume: what a body may lose on its way without cloth noticing much; ours


@dataclass(frozen=True)
class MemberReading:
    """height, lowest in m in the rest pose; first, last frame of its animation, None when it stands still;
    fastest m/s over the shot; parts: joints or pieces that can be left out of the collider; joints: those
    whose skin weights it has; shapes it could take; notes: what was mended or converted in reading; judged:
    what looks wrong and what would mend it; pops: what changes so quickly that cloth pops.
    """

    vertices: int
    faces: int
    triangles: int
    colliding: int
    closed: bool
    height: float
    lowest: float
    first: int | None
    last: int | None
    fastest: float
    parts: tuple[str, ...]
    joints: tuple[str, ...]
    said: str
    shapes: tuple[str, ...]
    notes: tuple[str, ...]
    judged: Judged
    pops: tuple[Pop, ...]


@dataclass(frozen=True)
class BorderReading:
    """One border loop: its vertex count, length and mean height in m, and how a hold would choose it."""

    index: int
    vertices: int
    length: float
    height: float
    choose: dict[str, object]


@dataclass(frozen=True)
class GarmentReading:
    """area m2; spacing m, mean edge length; nearest, furthest and mean distance in m from the colliders at the
    start, None without colliders; offers: what would mend how it was read; size (x, y, z) m.
    """

    vertices: int
    faces: int
    triangles: int
    area: float
    spacing: float
    borders: tuple[BorderReading, ...]
    groups: tuple[str, ...]
    rows: tuple[str, ...]
    nearest: float | None
    furthest: float | None
    mean: float | None
    offers: tuple[Offer, ...]
    size: tuple[float, float, float]


def read_member(
    plan: ShotPlan, member: CastMember, speeds: list[float], judged: Judged,
    shapes: tuple[str, ...] = (), notes: tuple[str, ...] = (),
) -> MemberReading:  # fmt: skip
    """A cast member in figures; `speeds` as from `speeds_of`."""
    rest = member.motion.rest()
    height = float(np.ptp(rest[:, plan.up]))
    low, high = member.motion.span()
    moves = _moves(member)
    skin = skin_of(member.motion)
    return MemberReading(
        member.mesh.vertex_count, member.mesh.face_count, len(member.cut.triangles), int(member.chosen.sum()),
        is_closed(member.cut.triangles), height, float(rest[:, plan.up].min()),
        int(low) if moves else None, int(high) if moves else None, max(speeds, default=0.0),
        member.part_names, () if skin is None else skin[1].names, _said(member, height, judged.arm),
        shapes, notes, judged,
        () if member.collider is None else tuple(gap_pops(member.name, member.collider, plan.frame_rate)),
    )  # fmt: skip


def lost_said(member: CastMember, first_frame: int) -> tuple[str, ...]:
    """A warning when a member loses volume on its way into the shot."""
    lost = volume_lost(member, first_frame)
    if lost is None or lost < LOST:
        return ()
    return (
        f"half way through the run-in it has lost {lost:.0%} of its volume; a rest pose nearer to the first "
        "frame helps",
    )


def _said(member: CastMember, height: float, arm: float | None) -> str:
    if member.kind != "character":
        return f"{height:.2f} m high"
    arms = "" if arm is None else f", arms {arm:.2f} m"
    if not HUMAN[0] <= height <= HUMAN[1]:
        big = "small" if height < HUMAN[0] else "large"
        return f"{height:.2f} m tall{arms}, which is {big} for a grown human"
    if arm is not None and not ARM[0] <= arm / height <= ARM[1]:
        return (
            f"{height:.2f} m tall, as tall as a grown human, but with arms of {arm:.2f} m where a human has "
            f"{ARM_SHARE * height:.2f} m"
        )
    return f"{height:.2f} m tall, as tall as a grown human{arms}"


def suggested_move(plan: ShotPlan) -> int:
    """How many frames the run-in's move should take for a body that is calm all the way: its fastest point
    then goes at most at RUN_IN_SPEED; 0 when nothing moves. The eased move peaks at 15/8 of its mean speed.
    """
    way = 0.0
    for member in plan.cast:
        low, high = member.motion.span()
        if _moves(member) and low <= plan.frames[0] <= high:
            way = max(way, furthest(member.motion.rest(), member.motion.at(plan.frames[0])))
    frames = np.ceil(1.875 * way / RUN_IN_SPEED * plan.frame_rate)
    return int(np.clip(frames, SHORTEST_MOVE, LONGEST_MOVE)) if way > 1e-3 else 0


def volume_lost(member: CastMember, first_frame: int) -> float | None:
    """Share of its volume a closed member has lost half way through the run-in's move; None when open."""
    low, high = member.motion.span()
    triangles = member.cut.triangles
    if not _moves(member) or not low <= first_frame <= high or not is_closed(triangles):
        return None
    before, middle = (_volume(p, triangles) for p in (
        member.motion.rest(), member.motion.toward_first(first_frame, 0.5)
    ))  # fmt: skip
    return 1.0 - middle / before if before > 0 else None


def _volume(points: Points, triangles: Triangles) -> float:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6.0)


def speeds_of(plan: ShotPlan, member: CastMember) -> list[float]:
    """The member's fastest point in m/s at each frame from the run-in's start on; 0 at the first."""
    count = max(0, plan.frames[1] - plan.first_simulated + 1)
    if not _moves(member) or count == 0:
        return [0.0] * count
    staged = StagedMotion(member.motion, plan.run_in, plan.frames[0])
    out, before = [0.0], staged.shown_at(plan.first_simulated)
    for frame in range(plan.first_simulated + 1, plan.frames[1] + 1):
        here = staged.shown_at(frame)
        out.append(furthest(before, here) * plan.frame_rate)
        before = here
    return out


@dataclass(frozen=True)
class Jerk:
    """Where a member's run-in joins its shot harder than anything that the shot itself does.

    step  m/s by which the velocity of its worst point changes at `frame`; own: the shot's own largest step
    """

    of: str
    frame: int
    step: float
    own: float


def jerk_of(plan: ShotPlan, member: CastMember) -> Jerk | None:
    """How hard a member is thrown into its shot; None when its own motion is as hard, or it stands still."""
    (low, high), (first, last) = member.motion.span(), plan.frames
    if not _moves(member) or not low <= first <= high or plan.run_in.move == 0:
        return None
    staged = StagedMotion(member.motion, plan.run_in, first)
    around = _steps([staged.shown_at(frame) for frame in range(first - JOINED, first + 2)], plan.frame_rate)
    own = _steps([staged.shown_at(frame) for frame in range(first, min(last, int(high)) + 1)], plan.frame_rate)
    step, most = max(around, default=0.0), max(own, default=0.0)
    if step <= max(MARGIN * most, SOFT):
        return None
    return Jerk(member.name, first - JOINED + 1 + int(np.argmax(around)), step, most)


def _steps(places: list[Points], rate: float) -> list[float]:
    """The largest change of velocity at each place but the first and last, m/s."""
    return [
        furthest(2 * here - before, after) * rate
        for before, here, after in zip(places, places[1:], places[2:], strict=False)
    ]


def _moves(member: CastMember) -> bool:
    return bool(np.isfinite(member.motion.span()[0]))


def read_garment(
    garment: Garment, metric: RestMetric, topology: Topology, loops: list[Indices], colliders: Colliders,
    offers: tuple[Offer, ...] = (),
) -> GarmentReading:  # fmt: skip
    """A garment in figures, against the colliders in the rest pose; metric: its cloth at rest; offers as from
    `judge_garment`.
    """
    points = garment.mesh.vertices
    distance = _from_colliders(points, colliders)
    wide, high, deep = np.ptp(points, axis=0)
    apart: tuple[float | None, float | None, float | None] = (None, None, None)
    if distance is not None:
        apart = float(distance.min()), float(distance.max()), float(distance.mean())
    return GarmentReading(
        garment.mesh.vertex_count, garment.mesh.face_count, len(topology.triangles),
        float(metric.areas.sum()), float(metric.edge_lengths.mean()),
        _borders(points, topology, metric.edge_lengths, loops), tuple(garment.mesh.groups),
        tuple(garment.mesh.rows),
        *apart, offers, (float(wide), float(high), float(deep)),
    )  # fmt: skip


def _from_colliders(points: Points, colliders: Colliders) -> Scalars | None:
    if len(colliders.triangles) == 0:
        return None
    around = colliders.rest_points()
    _, _, distance = closest_points(build_tree(around, colliders.triangles), around, points)
    return distance


def _borders(
    points: Points, topology: Topology, lengths: Scalars, loops: list[Indices], up: int = 1
) -> tuple[BorderReading, ...]:
    heights = [float(points[loop, up].mean()) for loop in loops]
    highest, lowest = (int(np.argmax(heights)), int(np.argmin(heights))) if loops else (-1, -1)
    code = topology.edges.astype(np.int64) @ [topology.vertex_count, 1]
    out = []
    for index, loop in enumerate(loops):
        ends = np.sort(np.stack([loop, np.roll(loop, -1)], axis=1), axis=1).astype(np.int64)
        round_trip = lengths[np.searchsorted(code, ends @ [topology.vertex_count, 1])]
        choose: dict[str, object] = {"vertices": [int(v) for v in loop]}
        if index in (highest, lowest):
            choose = {"border": "highest" if index == highest else "lowest"}
        out.append(BorderReading(index, len(loop), float(round_trip.sum()), heights[index], choose))
    return tuple(out)
