"""Takes with known faults, from seeds: small scenes are simulated, and one place of them is spoiled."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

import numpy as np

from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.mend.footage import Footage, along_cloth
from patient_needle.core.craft.mend.snags import TakeSnag
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.motion import CachedMotion
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.geometry.tree import build_tree, closest_points
from patient_needle.core.geometry.triangles import vertex_normals
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.holds import Choice, Follow, Hold
from patient_needle.core.model.shot import (
    CastMember,
    ColliderSettings,
    Garment,
    PlannedRun,
    RunIn,
    ShotPlan,
)
from patient_needle.formats.registry import CacheTiming, read_cache, write_cache
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file
from tests.layers import tube as rings
from tests.sheets import polygons

FRAMES = (1, 48)
SPACING = 0.02
COTTON = Fabric("cotton", friction=0.2, thickness=1e-3, stretch_damping=0.004, bend_damping=0.02)


def limb(
    name: str, radius: float, length: float, moved: Callable[[float, np.ndarray], np.ndarray]
) -> CastMember:
    """A closed cylinder about the y axis, from 0 down to -length, that moves as `moved(frame, points)` says."""
    points, triangles, ring = rings(length, radius, 0.025)
    points = points - [0, length, 0]
    last = len(points) - ring
    ends = np.array([[0.0, -length, 0.0], [0.0, 0.0, 0.0]])
    caps = [(len(points), i, (i + 1) % ring) for i in range(ring)]
    caps += [(len(points) + 1, last + (i + 1) % ring, last + i) for i in range(ring)]
    points = np.concatenate([points, ends])
    mesh = polygons(name, points, [*triangles.tolist(), *[list(c) for c in caps]])
    cut = triangulated(mesh)
    rest = moved(-1e9, points)
    frames = np.stack([moved(float(f), points) for f in range(FRAMES[0], FRAMES[1] + 1)])
    count = len(cut.triangles)
    return CastMember(
        name, "set piece", replace(mesh, vertices=rest), cut,
        CachedMotion(rest, frames, FRAMES[0], cut.triangles),
        np.zeros(count, np.int32), ("whole",), np.array([50], np.int32), np.ones(count, bool),
        ColliderSettings(Curve.constant(0.003), Curve.constant(0.2)),
    )  # fmt: skip


def turned(points: np.ndarray, degrees: float) -> np.ndarray:
    """Points turned about the z axis."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    return points @ np.array([[c, s, 0.0], [-s, c, 0.0], [0.0, 0.0, 1.0]])


def sleeve(name: str, radius: float, length: float, on: str, flare: float = 0.0, top: float = -0.04) -> Garment:
    """A tube of cloth about the y axis, its upper two rings held to a limb."""
    points, triangles, ring = rings(length, radius, SPACING)
    out = 1.0 + flare * (length - points[:, 1:2]) / length
    points = points * np.concatenate([out, np.ones_like(out), out], axis=1) + [0, top - length, 0]
    held = tuple(range(len(points) - ring, len(points)))
    mesh = polygons(name, points, triangles.tolist())
    return Garment(name, FromMesh(mesh), COTTON, (Hold("top", Choice(vertices=held), Follow(on)),))


def shot(cast: tuple[CastMember, ...], garments: tuple[Garment, ...]) -> ShotPlan:
    """A shot of FRAMES with a short run-in."""
    return ShotPlan(
        "faulty", 24.0, FRAMES, RunIn(6, 4), cast, garments, np.array([0.0, -9.81, 0.0]), air_drag=0.6,
    )  # fmt: skip


def swinging(degrees: float, frames: float, start: float = 0.0) -> Callable[[float, np.ndarray], np.ndarray]:
    """A limb that swings about the z axis, at rest before the shot."""

    def moved(frame: float, points: np.ndarray) -> np.ndarray:
        phase = max(frame - FRAMES[0], 0.0) / frames * 2 * np.pi
        return turned(points, start + degrees * 0.5 * (1 - np.cos(phase)))

    return moved


def arm() -> ShotPlan:
    """A sleeve on an arm that lifts and falls."""
    return shot((limb("arm", 0.045, 0.5, swinging(50.0, 36.0)),), (sleeve("sleeve", 0.07, 0.3, "arm"),))


def layers() -> ShotPlan:
    """Two sleeves, one over the other."""
    return shot(
        (limb("arm", 0.045, 0.5, swinging(35.0, 40.0)),),
        (sleeve("lining", 0.065, 0.26, "arm"), sleeve("coat", 0.09, 0.3, "arm")),
    )


def skirt() -> ShotPlan:
    """A wide tube about two legs that walk, held to a waist above them."""

    def leg(x: float, sign: float) -> Callable[[float, np.ndarray], np.ndarray]:
        def moved(frame: float, points: np.ndarray) -> np.ndarray:
            phase = max(frame - FRAMES[0], 0.0) / 28.0 * 2 * np.pi
            way = turned(points[:, [2, 1, 0]], sign * 22.0 * np.sin(phase))[:, [2, 1, 0]]
            return way + [x, -0.12, 0.0]

        return moved

    waist = limb("waist", 0.13, 0.1, lambda frame, points: points)
    legs = (limb("left leg", 0.06, 0.6, leg(0.075, 1.0)), limb("right leg", 0.06, 0.6, leg(-0.075, -1.0)))
    return shot((waist, *legs), (sleeve("skirt", 0.145, 0.5, "waist", flare=0.5, top=-0.01),))


def struck() -> ShotPlan:
    """A sleeve on an arm that is flung: 11 m/s at its end."""
    return shot((limb("arm", 0.045, 0.5, swinging(110.0, 9.0)),), (sleeve("sleeve", 0.07, 0.3, "arm"),))


SCENES = {"arm": arm, "layers": layers, "skirt": skirt, "struck": struck}


@cache
def filmed(scene: str) -> Footage:
    """The clean take of a scene."""
    plan = SCENES[scene]()
    run = OutfitRun(plan, PlannedRun(plan.garments, plan.garments))
    ends = list(run.frames(run.start(), plan.first_simulated, plan.frames[1]))
    points = np.stack([end.state.positions for end in ends]).astype(np.float32)
    return Footage(run, points, plan.first_simulated + 1, plan.frames[0])


@dataclass(frozen=True, eq=False)
class Planted:
    """A fault that was made: the kinds that may tell it, its frames, and how far m the furthest vertex went."""

    footage: Footage
    kinds: frozenset[str]
    frames: tuple[int, int]
    moved: float


def _place(footage: Footage, rng: np.random.Generator, garment: int, radius: float) -> tuple[int, np.ndarray]:
    """A vertex well away from holds and a soft weight (n,) around it."""
    worn, span = footage.worn, footage.worn.spans[garment]
    held = along_cloth(worn, np.flatnonzero(worn.held), 1.0)
    good = [v for v in range(span.start, span.stop) if held[v] > 0.12]
    centre = int(rng.choice(good))
    share = np.clip(1.0 - along_cloth(worn, np.array([centre]), radius) / radius, 0.0, 1.0)
    weight = share * share * (3.0 - 2.0 * share)
    weight[worn.held] = 0.0
    return centre, weight


def _changed(footage: Footage, points: np.ndarray, kinds: set[str], frames: tuple[int, int]) -> Planted:
    moved = float(np.linalg.norm(points - footage.points, axis=2).max())
    return Planted(replace(footage, points=points.astype(np.float32)), frozenset(kinds), frames, moved)


def _spell(rng: np.random.Generator, length: int) -> tuple[int, int]:
    first = int(rng.integers(FRAMES[0] + 8, FRAMES[1] - length - 7))
    return first, first + length - 1


def _inwards(footage: Footage, frame: int, centre: int) -> tuple[np.ndarray, float]:
    """From a vertex to the nearest place of the bodies, and how far it is."""
    around, colliders = footage.bodies(frame), footage.colliders(frame)
    tree = build_tree(around, colliders.triangles)
    at = footage.at(frame)[centre]
    nearest, corners, distance = closest_points(tree, around, at[None])
    foot = np.einsum("k,kj->j", corners[0], around[colliders.triangles[nearest[0]]])
    return (foot - at) / max(float(distance[0]), 1e-9), float(distance[0])


def into_body(footage: Footage, rng: np.random.Generator, depth: float = 0.015) -> Planted:
    """A place goes `depth` m into a body for twelve frames."""
    (first, last), (centre, weight) = _spell(rng, 12), _place(footage, rng, 0, 0.09)
    return _pushed_in(footage, centre, weight, (first, last), depth)


def _pushed_in(
    footage: Footage, centre: int, weight: np.ndarray, frames: tuple[int, int], depth: float
) -> Planted:  # fmt: skip
    first, last = frames
    points = footage.points.astype(float)
    for frame in range(first, last + 1):
        way, away = _inwards(footage, frame, centre)
        points[frame - footage.first] += weight[:, None] * way * (away + depth)
    return _changed(footage, points, {"in the body"}, (first, last))


def swapped(footage: Footage, rng: np.random.Generator) -> Planted:
    """A place of the outer layer goes under the inner one for ten frames."""
    (first, last), (centre, weight) = _spell(rng, 10), _place(footage, rng, 1, 0.09)
    points = footage.points.astype(float)
    inner = footage.worn.cloths[0].triangles
    for frame in range(first, last + 1):
        at = footage.at(frame)
        nearest, corners, distance = closest_points(build_tree(at, inner), at, at[centre][None])
        foot = np.einsum("k,kj->j", corners[0], at[inner[nearest[0]]])
        way = (foot - at[centre]) / distance[0]
        points[frame - footage.first] += weight[:, None] * way * (distance[0] + 0.006)
    return _changed(footage, points, {"through another garment", "in the body"}, (first, last))


def pop(footage: Footage, rng: np.random.Generator) -> Planted:
    """A place is 40 mm away, outwards, in one frame."""
    (frame, _), (centre, weight) = _spell(rng, 1), _place(footage, rng, 0, 0.12)
    points = footage.points.astype(float)
    way, _ = _inwards(footage, frame, centre)
    points[frame - footage.first] -= 0.04 * weight[:, None] * way
    return _changed(footage, points, {"jump"}, (frame, frame))


def crumpled(footage: Footage, rng: np.random.Generator) -> Planted:
    """The hem of one side is crumpled for eight frames: every vertex there lies where it should not."""
    first, last = _spell(rng, 8)
    worn, span = footage.worn, footage.worn.spans[0]
    topology = worn.cloths[0].topology
    border = np.unique(topology.edges[topology.border])
    border = border[footage.points[0, border, 1] < np.median(footage.points[0, span, 1])]
    centre = int(rng.choice(border))
    share = np.clip(1.0 - along_cloth(worn, np.array([centre]), 0.08) / 0.08, 0.0, 1.0) ** 0.5
    shake = rng.uniform(-0.9, 0.9, (worn.count, 3)) * SPACING * share[:, None]
    points = footage.points.astype(float)
    for frame in range(first, last + 1):
        normals = vertex_normals(footage.at(frame), worn.triangles)
        flat = shake - np.einsum("nk,nk->n", shake, normals)[:, None] * normals
        points[frame - footage.first] += flat
    return _changed(footage, points, {"crumple", "overstretch", "through itself", "in the body"}, (first, last))


def noisy(footage: Footage, rng: np.random.Generator) -> Planted:
    """All of a garment is noise in one frame."""
    frame, _ = _spell(rng, 1)
    points, span = footage.points.astype(float), footage.worn.spans[0]
    noise = rng.normal(0.0, 0.012, (span.stop - span.start, 3))
    noise[footage.worn.held[span]] = 0.0
    points[frame - footage.first, span] += noise
    return _changed(footage, points, {"jump", "overstretch", "through itself", "in the body"}, (frame, frame))


def through_leg(footage: Footage, rng: np.random.Generator) -> Planted:
    """A leg comes through the skirt for ten frames: the cloth before it is drawn behind its front."""
    first, last = _spell(rng, 10)
    worn = footage.worn
    points = footage.points.astype(float)
    held = along_cloth(worn, np.flatnonzero(worn.held), 1.0)
    colliders, around = footage.colliders(first), footage.bodies(first)
    legs = np.flatnonzero(colliders.member > 0)
    _, _, distance = closest_points(build_tree(around, colliders.triangles[legs]), around, footage.at(first))
    good = np.flatnonzero((held > 0.15) & (distance < 0.05))
    centre = int(rng.choice(good if len(good) else np.flatnonzero(held > 0.15)))
    share = np.clip(1.0 - along_cloth(worn, np.array([centre]), 0.16) / 0.16, 0.0, 1.0)
    weight = share * share * (3.0 - 2.0 * share)
    for frame in range(first, last + 1):
        way, away = _inwards(footage, frame, centre)
        ease = min(1.0, 0.5 * (1 + min(frame - first, last - frame)))
        points[frame - footage.first] += ease * weight[:, None] * way * (away + 0.045)
    return _changed(footage, points, {"in the body"}, (first, last))


FAULTS: tuple[tuple[str, Callable[[Footage, np.random.Generator], Planted]], ...] = (
    ("arm", into_body), ("layers", swapped), ("arm", pop), ("skirt", crumpled), ("arm", noisy),
    ("skirt", through_leg), ("skirt", into_body), ("struck", into_body), ("layers", pop), ("arm", crumpled),
)  # fmt: skip
CLEAN = ("arm", "layers", "skirt", "struck", "arm")


def made(seed: int) -> tuple[str, Planted]:
    """One of the takes with a known fault."""
    scene, fault = FAULTS[seed % len(FAULTS)]
    planted = fault(filmed(scene), np.random.default_rng(seed))
    return f"{fault.__name__} in {scene}", planted


def tells(snag: TakeSnag, planted: Planted) -> bool:
    """Whether an entry tells a fault: its kind, and its frames within one of the fault's."""
    first, last = planted.frames
    near = abs(snag.frames[0] - first) <= 1 and abs(snag.frames[1] - last) <= 1
    return snag.kind in planted.kinds and near


MAST, CRUMPLED = 1017, range(1030, 1035)  # the flag swings by the mast there; frames


def spoiled_flag(shot: Path, clean: Path, out: Path) -> None:
    """Write a cache of the demo's flag, simulated headless from `shot` into `clean`, with four faults: a pop at
    1008, the place nearest to the mast in it from 1014 to 1021, the fly's hem crumpled from 1030 to 1034, and a
    pop at 1042.
    """
    plan = assemble(read_shot_file(shot), shot.parent)
    (garment,) = plan.garments
    run = OutfitRun(plan, PlannedRun(plan.garments, plan.garments))
    footage = Footage(run, np.asarray(read_cache(clean).frames, np.float32), plan.frames[0], plan.frames[0])
    worn, points = footage.worn, footage.points.astype(float)
    held = along_cloth(worn, np.flatnonzero(worn.held), 5.0)
    far = np.argsort(held)[::-1]

    def around(centre: int, radius: float) -> np.ndarray:
        share = np.clip(1.0 - along_cloth(worn, np.array([centre]), radius) / radius, 0.0, 1.0)
        weight = share * share * (3.0 - 2.0 * share)
        weight[worn.held] = 0.0
        return weight

    for frame, centre, by in ((1008, int(far[40]), 0.12), (1042, int(far[len(far) // 2]), 0.1)):
        points[frame - footage.first] += by * around(centre, 0.15)[:, None] * np.array([0.0, 0.3, 0.95])
    shake = np.random.default_rng(4).uniform(-1.6, 1.6, (worn.count, 3)) * worn.spacing
    for frame in CRUMPLED:
        points[frame - footage.first] += shake * around(int(far[0]), 0.12)[:, None] ** 0.5
    about = footage.at(MAST)
    colliders, bodies = footage.colliders(MAST), footage.bodies(MAST)
    near = closest_points(build_tree(bodies, colliders.triangles), bodies, about)[2]
    centre = int(np.argmin(np.where(held > 0.25, near, np.inf)))
    moved = replace(footage, points=points.astype(np.float32))
    spoiled = _pushed_in(moved, centre, around(centre, 0.12), (MAST - 3, MAST + 4), 0.012).footage.points
    timing = CacheTiming(footage.first, plan.frame_rate)
    write_cache(out, replace(garment.mesh, name="flag"), (frame.astype(float) for frame in spoiled), timing)
