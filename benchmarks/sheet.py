"""The sheet that hangs and swings: 1 m2, 0.2 kg/m2, 1000 N/m, top edge held."""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np
from scipy.spatial import Delaunay

from patient_needle.core.contact.rows import Surroundings
from patient_needle.core.geometry.rest_metric import drawn_directions, shape_of_triangles
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.tolerances import Patience
from patient_needle.core.solver.cloth import Cloth, build_cloth
from patient_needle.core.solver.diagnostics import FrameTally, stretch
from patient_needle.core.solver.state import ClothState, Forces, at_rest
from patient_needle.core.solver.step import Engine, Surround

from . import xpbd

GRAVITY, RATE, FRAMES = np.array([0.0, -9.81, 0.0]), 24, 24
NOTHING = Surroundings(np.zeros(0), np.zeros(0), np.zeros(0), np.zeros(0, np.int32), np.zeros(1, np.int32))


@dataclass(frozen=True)
class Result:
    """One method: milliseconds per frame; 99th percentile of strain and energy in J after each."""

    method: str
    milliseconds: float
    strains: np.ndarray
    energies: np.ndarray

    @property
    def p99(self) -> float:
        """99th percentile of strain at the end."""
        return float(self.strains[-1])


def make(vertices: int, *, level: bool) -> Cloth:
    """A sheet of about `vertices` even triangles, hanging or level, its top (or back) edge held."""
    side = np.sqrt(2 / (vertices * np.sqrt(3)))
    columns, rows = round(1 / side), round(1 / (side * 0.866))
    flat = []
    for row in range(rows + 1):
        xs = np.arange(columns + 1) / columns
        if row % 2:
            xs = np.concatenate([[0], (np.arange(columns) + 0.5) / columns, [1]])
        flat += [(x, row / rows) for x in xs]
    flat = np.array(flat)
    faces = Delaunay(flat).simplices
    a, b, c = (flat[faces[:, k]] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    faces[area < 0] = faces[area < 0][:, ::-1]
    faces = faces[np.abs(area) > 1e-9].astype(np.int32)
    points = np.column_stack([flat, np.zeros(len(flat))])
    held = flat[:, 1] > 1 - 1e-9
    warp = np.array([0.0, 1, 0])
    if level:
        points, warp = points[:, [0, 2, 1]], np.array([0.0, 0, 1])
        faces = faces[:, ::-1].copy()
    fabric = Fabric("sheet", stretch_warp=1000, stretch_weft=1000, shear=400, bend_warp=6e-6, bend_weft=6e-6)
    shape = shape_of_triangles("sheet", points, faces, drawn_directions(points, faces, warp))
    return build_cloth(shape, fabric, held)


def ours(cloth: Cloth, patience: Patience, substeps: int) -> Result:
    """The engine at a fixed number of substeps, from rest."""
    empty, no_faces = np.zeros((0, 3)), np.zeros((0, 3), np.int32)
    engine = Engine(cloth, empty, no_faces, patience, Forces(GRAVITY), 1e-3)
    state = at_rest(cloth.placed, 1)
    surround = Surround(empty, empty, cloth.placed[cloth.held], NOTHING)
    engine.step(state, surround, 1 / (RATE * substeps), FrameTally())  # makes the factor
    times, strains, energies = [], [], []
    for _ in range(FRAMES):
        start = time.perf_counter()
        for _ in range(substeps):
            state = engine.step(state, surround, 1 / (RATE * substeps), FrameTally())
        times.append(time.perf_counter() - start)
        strains.append(stretch(cloth, state.positions).p99)
        energies.append(energy(cloth, state))
    return Result(
        f"engine, {substeps} substeps ({patience.name})",
        float(np.median(times)) * 1e3,
        np.array(strains),
        np.array(energies),
    )


def baseline(cloth: Cloth, substeps: int) -> Result:
    """XPBD at a number of substeps, from rest."""
    step = 1 / (RATE * substeps)
    order, starts = xpbd.in_colours(cloth.triangles, cloth.count)
    stiffness = np.stack([cloth.weft, cloth.warp, cloth.shear], 1)[order]
    membrane = (cloth.triangles[order], cloth.rest_inverse[order], 1 / (stiffness * step**2), starts)
    across = np.ascontiguousarray(cloth.hinges[:, 2:])
    order, starts = xpbd.in_colours(across, cloth.count)
    rest = np.linalg.norm(cloth.placed[across[:, 0]] - cloth.placed[across[:, 1]], axis=1)
    bending = (across[order], rest[order], 1 / (0.05 * step**2), starts)
    weight = np.where(cloth.held, 0.0, 1 / cloth.mass)
    x, v = cloth.placed.copy(), np.zeros_like(cloth.placed)
    xpbd.run(x.copy(), v.copy(), weight, membrane, bending, GRAVITY, step, 1)
    times, strains, energies = [], [], []
    for _ in range(FRAMES):
        start = time.perf_counter()
        xpbd.run(x, v, weight, membrane, bending, GRAVITY, step, substeps)
        times.append(time.perf_counter() - start)
        strains.append(stretch(cloth, x).p99)
        energies.append(energy(cloth, at_rest(x, 1).replace(velocities=v)))
    return Result(
        f"XPBD, {substeps} substeps",
        float(np.median(times)) * 1e3,
        np.array(strains),
        np.array(energies),
    )


def energy(cloth: Cloth, state: ClothState) -> float:
    """Kinetic energy and height, J (elastic energy is under 1 % of either here)."""
    kinetic = 0.5 * cloth.mass @ (state.velocities**2).sum(axis=1)
    return float(kinetic - cloth.mass @ (state.positions @ GRAVITY))
