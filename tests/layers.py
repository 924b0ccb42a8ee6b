"""Scenes of cloth on cloth: a twisted tube, sheets dropped on a ball, a patch that slides on another."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from patient_needle.core.contact.intersections import crossing_pairs, self_crossing_pairs
from patient_needle.core.geometry.tree import build_tree, closest_points
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.tolerances import FINAL, FIRST_LOOK, WORKING, Patience
from patient_needle.core.solver.diagnostics import FrameTally, stretch
from patient_needle.core.solver.outfit import outfit
from patient_needle.core.solver.state import ClothState, Forces, at_rest
from patient_needle.core.solver.step import Engine, Surround
from tests.sheets import NO_FACES, NOTHING, box, cloth_of, sheet, still, surroundings

RATE = 24


@dataclass(frozen=True)
class Seen:
    """One frame: triangle pairs of cloth through cloth and through a collider, p99 stretch, tube length in m,
    fastest vertex and mean speed in m/s, the filter's corrections in m.
    """

    through_cloth: int
    through_collider: int
    p99: float
    length: float
    fastest: float
    speed: float
    filtered: tuple[float, ...]


def tube(length: float, radius: float, spacing: float):
    """A tube about the y axis: points, triangles and how many vertices a ring has."""
    around, rows = round(2 * np.pi * radius / spacing), round(length / (spacing * 0.866))
    points, triangles = [], []
    for row in range(rows + 1):
        angle = (np.arange(around) + 0.5 * (row % 2)) / around * 2 * np.pi
        points.append(
            np.stack([radius * np.cos(angle), np.full(around, row * length / rows), radius * np.sin(angle)], 1)
        )
    for row in range(rows):
        for i in range(around):
            j = (i + 1) % around
            a, b, c, d = row * around + i, row * around + j, (row + 1) * around + i, (row + 1) * around + j
            triangles += [(a, c, b), (b, c, d)] if row % 2 == 0 else [(a, c, d), (a, d, b)]
    return np.concatenate(points), np.array(triangles, np.int32), around


def twisted(spacing: float, turns: float, frames: int, patience: Patience = WORKING):
    """A tube of 0.6 m by 0.2 m, one end turned `turns` times in `frames` frames and back, then let be for 14.

    The turned end is a ring of 0.2 kg that slides along the axis as the cloth pulls it, lightly drawn outwards.
    Yields a `Seen` for each frame.
    """
    length, mass, outwards, drag = 0.6, 0.2, 1.0, 2.0
    points, triangles, ring = tube(length, 0.1, spacing)
    held = np.zeros(len(points), bool)
    held[:ring] = held[-ring:] = True
    fabric = Fabric(
        "tube", stretch_warp=500, stretch_weft=500, shear=100, bend_warp=5e-5, bend_weft=5e-5,
        areal_density=0.2, thickness=1e-3, friction=0.0, stretch_damping=3e-3, bend_damping=0.02,
    )  # fmt: skip
    cloth = cloth_of(points, triangles, fabric, held)
    engine = Engine(
        cloth, NOTHING, NO_FACES, patience, Forces(np.zeros(3), 0.5), fabric.thickness, against_itself=True
    )
    state, around, step = at_rest(points, 1), surroundings(0, 0.0), 1 / (RATE * patience.substeps)
    top, height, speed = points[-ring:], length, 0.0
    membrane = engine.wear[0].membrane
    for frame in range(2 * frames + 14):
        tally = FrameTally()
        for k in range(patience.substeps):
            time = frame + (k + 1) / patience.substeps
            angle = 2 * np.pi * turns * max(0.0, 1 - abs(time - frames) / frames)
            pull = np.zeros_like(points)
            membrane.gradient(state.positions, pull)
            speed += step / mass * (outwards - pull[-ring:, 1].sum() - drag * speed)
            height += step * speed
            c, s = np.cos(angle), np.sin(angle)
            turned = np.stack(
                [c * top[:, 0] - s * top[:, 2], np.full(ring, height), s * top[:, 0] + c * top[:, 2]], 1
            )
            goal = np.concatenate([points[:ring], turned])
            state = engine.step(state, Surround(NOTHING, NOTHING, goal, around), step, tally)
        yield _seen(cloth, state, tally, NOTHING, NO_FACES, height)


def ball(radius: float, halvings: int):
    """A sphere from an icosahedron: points, triangles."""
    t = (1 + 5**0.5) / 2
    corners = [(-1, t, 0), (1, t, 0), (-1, -t, 0), (1, -t, 0), (0, -1, t), (0, 1, t), (0, -1, -t), (0, 1, -t)]
    corners += [(t, 0, -1), (t, 0, 1), (-t, 0, -1), (-t, 0, 1)]
    faces = [(0, 11, 5), (0, 5, 1), (0, 1, 7), (0, 7, 10), (0, 10, 11), (1, 5, 9), (5, 11, 4), (11, 10, 2)]
    faces += [(10, 7, 6), (7, 1, 8), (3, 9, 4), (3, 4, 2), (3, 2, 6), (3, 6, 8), (3, 8, 9), (4, 9, 5)]
    faces += [(2, 4, 11), (6, 2, 10), (8, 6, 7), (9, 8, 1)]
    points = [np.array(c, float) / np.linalg.norm(c) for c in corners]
    for _ in range(halvings):
        middles: dict[tuple[int, int], int] = {}

        def middle(a, b, middles=middles):
            key = (min(a, b), max(a, b))
            if key not in middles:
                between = points[a] + points[b]
                points.append(between / np.linalg.norm(between))
                middles[key] = len(points) - 1
            return middles[key]

        finer = []
        for a, b, c in faces:
            x, y, z = middle(a, b), middle(b, c), middle(c, a)
            finer += [(a, x, z), (b, y, x), (c, z, y), (x, y, z)]
        faces = finer
    return np.array(points) * radius, np.array(faces, np.int32)


def dropped(spacing: float, layers: int, seconds: float, patience: Patience = FIRST_LOOK):
    """Sheets of 0.4 m, 1 cm apart, dropped on a ball of 0.1 m that lies on a floor; each a cloth of its own.

    Yields a `Seen` for each frame.
    """
    fabric = Fabric(
        "sheet", stretch_warp=800, stretch_weft=800, shear=200, bend_warp=3e-5, bend_weft=3e-5,
        areal_density=0.2, thickness=1e-3, friction=0.3, stretch_damping=3e-3, bend_damping=0.02,
    )  # fmt: skip
    cloths = []
    for layer in range(layers):
        points, triangles = sheet(0.4, 0.4, spacing, seed=layer + 1)
        lying = points[:, [0, 2, 1]] * [1, 1, -1] + [-0.2, 0.21 + 0.01 * layer, 0.2]
        cloths.append(cloth_of(lying, triangles, fabric, warp=(0, 0, 1.0)))
    worn = outfit(tuple(cloths))
    sphere, faces = ball(0.1, 3)
    floor, floor_faces = box((-1, -0.1, -1), (1, 0, 1))
    scene = np.concatenate([sphere + [0, 0.1, 0], floor])
    triangles = np.concatenate([faces, floor_faces + len(sphere)]).astype(np.int32)
    engine = Engine(worn, scene, triangles, patience, Forces(air_drag=0.5), 2e-3)
    state, around = at_rest(worn.placed, 1), surroundings(len(triangles), 1e-3, 0.3)
    surround = Surround(scene, scene, NOTHING, around)
    for _ in range(round(RATE * seconds)):
        tally = FrameTally()
        for _ in range(patience.substeps):
            state = engine.step(state, surround, 1 / (RATE * patience.substeps), tally)
        yield _seen(cloths[0], state, tally, scene, triangles, 0.0, worn.triangles)


def _seen(cloth, state: ClothState, tally: FrameTally, scene, faces, length, triangles=None) -> Seen:
    triangles = cloth.triangles if triangles is None else triangles
    speed = np.linalg.norm(state.velocities, axis=1)
    return Seen(
        len(self_crossing_pairs(state.positions, triangles)),
        len(crossing_pairs(state.positions, triangles, scene, faces)),
        stretch(cloth, state.positions[: cloth.count]).p99,
        length,
        float(speed.max()),
        float(speed.mean()),
        tuple(tally.filter_moves),
    )


def slid_on_cloth(mu_below: float, mu_above: float, degrees: float, seconds: float, step: float = 1 / 96):
    """A patch on a held sheet that leans: (times, how far the patch's mean went down the slope, m)."""
    thickness = 2e-3
    below, under = sheet(0.9, 0.24, 0.03, seed=4)
    above, over = sheet(0.12, 0.12, 0.03)
    turned = [1, 1, -1]
    lying = above[:, [0, 2, 1]] * turned + [0.03, thickness - 2e-5, -0.06]
    flat = below[:, [0, 2, 1]] * turned
    make = lambda p, t, mu, held: cloth_of(  # noqa: E731
        p, t, Fabric("patch", areal_density=0.3, thickness=thickness, friction=mu), held, warp=(0, 0, 1.0)
    )
    patch = make(lying, over, mu_above, None)
    worn = outfit((make(flat, under, mu_below, np.ones(len(flat), bool)), patch))
    angle = np.radians(degrees)
    gravity = 9.81 * np.array([np.sin(angle), -np.cos(angle), 0])
    engine = Engine(worn, NOTHING, NO_FACES, FINAL, Forces(gravity), thickness)
    state, times, means = at_rest(worn.placed, 1), [], []
    surround = Surround(NOTHING, NOTHING, flat, surroundings(0, 0.0))
    for index in range(round(seconds / step)):
        state = engine.step(state, surround, step, FrameTally())
        times.append((index + 1) * step)
        means.append(patch.mass @ state.positions[worn.spans[1], 0] / patch.mass.sum())
    return np.array(times), np.array(means) - patch.mass @ lying[:, 0] / patch.mass.sum()


def met_in_flight(seconds: float, patience: Patience = WORKING, step: float = 1 / 192):
    """Two patches that fly at each other aslant, with friction, in no air: momentum (s, 3) kg m/s over time."""
    one, faces = sheet(0.2, 0.2, 0.025)
    other, more = sheet(0.2, 0.2, 0.03, seed=3)
    fabric = Fabric("patch", areal_density=0.2, thickness=1e-3, friction=0.5)
    cloths = (cloth_of(one, faces, fabric), cloth_of(other + [0.05, 0.03, 0.03], more, fabric))
    worn = outfit(cloths)
    engine = Engine(worn, NOTHING, NO_FACES, patience, Forces(np.zeros(3)), 1e-3)
    velocities = np.zeros((worn.count, 3))
    velocities[worn.spans[0]] = [0.6, 0.0, 2.0]
    state, momentum = still(worn).replace(velocities=velocities), []
    surround = Surround(NOTHING, NOTHING, NOTHING, surroundings(0, 0.0))
    for _ in range(round(seconds / step)):
        state = engine.step(state, surround, step, FrameTally())
        momentum.append(worn.mass @ state.velocities)
    return np.array(momentum), worn, state


@dataclass(frozen=True)
class OnArm:
    """Cloth at rest on an arm: piercings, worst strain, fastest vertex m/s, and how far in m its triangles on
    the arm's top are from the arm where they come nearest, on the median.
    """

    through: int
    worst: float
    fastest: float
    distance: float


def laid_on_an_arm(thickness: float, clearance: float, spacing: float, seconds: float = 1.0) -> OnArm:
    """A square of 0.24 m laid over a lying cylinder of 0.6 m by 45 mm."""
    radius = 0.045
    arm, faces, ring = tube(0.6, radius, 0.006)
    ends = [[0.0, 0.0, 0.0], [0.0, 0.6, 0.0]]
    caps = [(len(arm), i, (i + 1) % ring) for i in range(ring)]
    last = len(arm) - ring
    caps += [(len(arm) + 1, last + (i + 1) % ring, last + i) for i in range(ring)]
    arm = np.concatenate([arm, ends])[:, [1, 0, 2]] * [1, 1, -1] - [0.3, 0, 0]
    faces = np.concatenate([faces, caps]).astype(np.int32)
    fabric = Fabric(
        "thin", stretch_warp=800, stretch_weft=800, shear=100, bend_warp=5e-6, bend_weft=5e-6,
        areal_density=0.15, thickness=thickness, friction=0.4, stretch_damping=3e-3, bend_damping=0.02,
    )  # fmt: skip
    points, triangles = sheet(0.24, 0.24, spacing)
    gap = clearance + thickness / 2
    lying = points[:, [0, 2, 1]] * [1, 1, -1] + [-0.12, radius + gap + 5e-4, 0.12]
    cloth = cloth_of(lying, triangles, fabric, warp=(0, 0, 1.0))
    engine = Engine(cloth, arm, faces, WORKING, Forces(air_drag=2.0), gap, against_itself=True)
    state, around = at_rest(lying, 1), surroundings(len(faces), clearance, 0.4)
    surround = Surround(arm, arm, NOTHING, around)
    for _ in range(round(seconds * RATE * WORKING.substeps)):
        state = engine.step(state, surround, 1 / (RATE * WORKING.substeps), FrameTally())
    corners = state.positions[triangles]
    top = corners[(np.abs(corners[:, :, 2]) < 0.015).all(axis=1)]
    grid = [(i / 8, j / 8, 1 - (i + j) / 8) for i in range(9) for j in range(9 - i)]
    sampled = np.einsum("sk,tkj->tsj", grid, top).reshape(-1, 3)
    _, _, distance = closest_points(build_tree(arm, faces), arm, sampled)
    nearest = np.median(distance.reshape(len(top), -1).min(axis=1))
    through = len(crossing_pairs(state.positions, triangles, arm, faces))
    through += len(self_crossing_pairs(state.positions, triangles))
    speed = np.linalg.norm(state.velocities, axis=1).max()
    return OnArm(through, stretch(cloth, state.positions).worst, float(speed), float(nearest))
