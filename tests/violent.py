"""Scenes that are hard on contact: a dress and two sleeves on limbs that fling about, or that press together.

The figure is a torso, two arms and two legs of capsules, turned at its joints as a character is.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from scipy.spatial.transform import Rotation

from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.inspect.frame import FrameResult, inspected
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.motion import SkinnedMotion
from patient_needle.core.geometry.skinning import Pose, Skeleton, Skin
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.holds import Choice, Follow, Hold
from patient_needle.core.model.shot import CastMember, ColliderSettings, Garment, RunIn, ShotPlan
from patient_needle.core.model.tolerances import FIRST_LOOK, Patience
from tests.layers import tube
from tests.sheets import polygons

RATE = 24.0
# Joint, the one it hangs on, from and to (m), radius m; the arms stand out, x is the figure's left.
BONES = [("torso", -1, (0, 0.92, 0), (0, 1.38, 0), 0.135)]
for _side, _s in (("L", 1), ("R", -1)):
    _at = len(BONES)
    BONES += [
        (f"arm{_side}", 0, (_s * 0.26, 1.4, 0), (_s * 0.56, 1.4, 0), 0.05),
        (f"forearm{_side}", _at, (_s * 0.56, 1.4, 0), (_s * 0.86, 1.4, 0), 0.042),
        (f"thigh{_side}", 0, (_s * 0.09, 0.9, 0), (_s * 0.09, 0.48, 0), 0.075),
        (f"shin{_side}", _at + 2, (_s * 0.09, 0.48, 0), (_s * 0.09, 0.08, 0), 0.055),
    ]
Turns = dict[str, Rotation]


def flung(t: float) -> Turns:
    """Arms beating at 4.8 Hz, legs at 2 Hz, the body turning: hands at up to 20 m/s; from rest at t = 0 s."""
    ramp = min(1.0, t / 0.15)
    ramp *= ramp * (3 - 2 * ramp)
    beat, stride = 2 * np.pi * 4.8 * t, 2 * np.pi * 2.0 * t
    turns = {"torso": Rotation.from_euler("y", 0.4 * ramp * np.sin(2 * np.pi * t))}
    for k, (side, s) in enumerate((("L", 1), ("R", -1))):
        down = ramp * (0.35 + 0.84 * np.sin(beat))
        forth = ramp * 0.67 * np.sin(0.7 * beat + 0.6 * k)
        turns[f"arm{side}"] = Rotation.from_euler("y", s * forth) * Rotation.from_euler("z", -s * down)
        turns[f"forearm{side}"] = Rotation.from_euler("y", s * ramp * 0.35 * np.sin(beat + 1.0))
        turns[f"thigh{side}"] = Rotation.from_euler("x", ramp * 0.45 * np.sin(stride + np.pi * k))
        turns[f"shin{side}"] = Rotation.from_euler("x", -ramp * 0.15 * (1 + np.sin(stride + np.pi * k)))
    return turns


def pressed(t: float) -> Turns:
    """Arms come down through ribs and skirt in 0.8 s, stay 0.3 s and open again in 0.6 s."""

    def eased(share: float) -> float:
        share = min(1.0, max(0.0, share))
        return share * share * (3 - 2 * share)

    down = 1.86 * eased(t / 0.8) * (1 - eased((t - 1.1) / 0.6))
    return {f"arm{side}": Rotation.from_euler("z", -s * down) for side, s in (("L", 1), ("R", -1))}


def plan(
    vertices: int,
    turns: Callable[[float], Turns],
    frames: int,
    patience: Patience = FIRST_LOOK,
    aside: float = 0.0,
) -> ShotPlan:
    """A shot of frames 0 to `frames`, of a dress and two sleeves with about so many vertices altogether, which
    hang `aside` m to the left of their place.
    """
    body = _figure([turns(frame / RATE) for frame in range(frames + 1)])
    return ShotPlan(
        "violent", RATE, (0, frames), RunIn(0, 0), (body,), (_dress(vertices, aside),),
        np.array([0, -9.81, 0]), 0.2, patience=patience,
    )  # fmt: skip


def frames_of(made: ShotPlan) -> Iterator[FrameResult]:
    """Its frames, one after another."""
    run = OutfitRun(made, made.runs[0])
    for (result,) in inspected(run, run.start(), made.first_simulated, made.frames[1]):
        yield result


def still_from(turns: Callable[[float], Turns], seconds: float) -> Callable[[float], Turns]:
    """The same, standing still from then on."""
    return lambda t: turns(min(t, seconds))


def _capsule(low, high, radius: float, size: float):
    """A closed capsule of triangles of about `size` m."""
    low, high = np.array(low, float), np.array(high, float)
    axis = (high - low) / np.linalg.norm(high - low)
    side = np.cross(axis, [0.3, 0.9, 0.1])
    side /= np.linalg.norm(side)
    other, length = np.cross(axis, side), np.linalg.norm(high - low)
    around = max(8, round(2 * np.pi * radius / size))
    cap, along = max(2, round(np.pi * radius / 2 / size)), max(1, round(length / size))
    angles = np.linspace(0, np.pi / 2, cap + 1)[1:]
    rings = [(-radius * np.cos(a), radius * np.sin(a)) for a in angles]
    rings += [(length * k / along, radius) for k in range(1, along)]
    rings += [(length + radius * np.cos(a), radius * np.sin(a)) for a in angles[::-1]]
    points = [low - radius * axis]
    for row, (height, wide) in enumerate(rings):
        turn = (np.arange(around) + 0.5 * (row % 2)) / around * 2 * np.pi
        points += list(
            low + height * axis + wide * (np.cos(turn)[:, None] * side + np.sin(turn)[:, None] * other)
        )
    points.append(high + radius * axis)
    faces = [(0, 1 + (i + 1) % around, 1 + i) for i in range(around)]
    for row in range(len(rings) - 1):
        a, b = 1 + row * around, 1 + (row + 1) * around
        for i in range(around):
            j = (i + 1) % around
            if row % 2:
                faces += [(a + i, a + j, b + j), (a + i, b + j, b + i)]
            else:
                faces += [(a + i, a + j, b + i), (a + j, b + j, b + i)]
    last, a = len(points) - 1, 1 + (len(rings) - 1) * around
    faces += [(last, a + i, a + (i + 1) % around) for i in range(around)]
    return np.array(points), np.array(faces, np.int32)


def _figure(turns: list[Turns]) -> CastMember:
    points, faces, bone, part = [], [], [], []
    for index, (_, _, low, high, radius) in enumerate(BONES):
        own, triangles = _capsule(low, high, radius, 0.024)
        faces.append(triangles + sum(len(p) for p in points))
        points.append(own)
        bone.append(np.full(len(own), index))
        part.append(np.full(len(triangles), index))
    heads = np.array([low for _, _, low, _, _ in BONES], float)
    parents = np.array([parent for _, parent, _, _, _ in BONES], np.int32)
    local = np.array([head - heads[p] if p >= 0 else head for head, p in zip(heads, parents, strict=True)])
    inverse = np.tile(np.eye(4), (len(BONES), 1, 1))
    inverse[:, :3, 3] = -heads

    def pose(turned: Turns) -> Pose:
        quaternions = [turned.get(name, Rotation.identity()).as_quat() for name, *_ in BONES]
        return Pose(local, np.array(quaternions), np.ones((len(BONES), 3)))

    skeleton = Skeleton(tuple(name for name, *_ in BONES), parents, inverse, pose({}), np.eye(4))
    mesh = polygons("figure", np.concatenate(points), np.concatenate(faces).tolist())
    skin = Skin(np.concatenate(bone)[:, None].astype(np.int32), np.ones((mesh.vertex_count, 1)))
    motion = SkinnedMotion(mesh.vertices, skin, skeleton, tuple(pose(turned) for turned in turns), 0)
    depth = [0 if p < 0 else 1 if p == 0 else 2 for p in parents]
    settings = ColliderSettings(Curve.constant(0.002))
    return CastMember(
        "figure", "set piece", mesh, triangulated(mesh), motion, np.concatenate(part).astype(np.int32),
        skeleton.names, np.array(depth, np.int32), np.ones(mesh.face_count, bool), settings,
    )  # fmt: skip


def _dress(vertices: int, aside: float) -> Garment:
    """A flaring tube about the torso, held along its top; a tube about each arm, held at the shoulder."""
    fabric = Fabric(
        "dress", stretch_warp=1000, stretch_weft=1000, shear=250, bend_warp=3e-5, bend_weft=3e-5,
        areal_density=0.2, thickness=1e-3, friction=0.3, stretch_damping=3e-3, bend_damping=0.02,
    )  # fmt: skip
    area = 2 * np.pi * 0.2325 * 1.0 + 2 * 2 * np.pi * 0.072 * 0.5
    spacing = float(np.sqrt(area / vertices / 0.866))
    points, faces, ring = tube(1.0, 0.2325, spacing)
    wide = (0.30 - 0.135 * points[:, 1]) / 0.2325
    points = points * np.stack([wide, np.ones_like(wide), wide], 1) + [0, 0.34, 0]
    pieces, triangles, held = [points], [faces], [np.arange(len(points) - ring, len(points))]
    for s in (1, -1):
        points, faces, ring = tube(0.5, 0.072, spacing)
        laid = points[:, [1, 0, 2]] * [s, 1, s] + [s * 0.32, 1.4, 0]
        before = sum(len(p) for p in pieces)
        pieces.append(laid)
        triangles.append(faces[:, ::-1] + before)
        held.append(np.arange(ring) + before)
    mesh = polygons("dress", np.concatenate(pieces) + [aside, 0, 0], np.concatenate(triangles).tolist())
    hold = Hold("tops", Choice(vertices=tuple(np.concatenate(held).tolist())), Follow("figure"))
    return Garment("dress", FromMesh(mesh), fabric, (hold,))
