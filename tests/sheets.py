"""Meshes for tests: flat sheets, closed boxes, and a cloth ready to be stepped."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from scipy.spatial import Delaunay

from patient_needle.core.contact.rows import Surroundings
from patient_needle.core.geometry.rest_metric import drawn_directions, shape_of_triangles
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.mesh import Mesh
from patient_needle.core.model.tolerances import FINAL
from patient_needle.core.solver.cloth import Cloth, build_cloth
from patient_needle.core.solver.diagnostics import FrameTally
from patient_needle.core.solver.state import ClothState, Forces, at_rest
from patient_needle.core.solver.step import Engine, Surround

NOTHING, NO_FACES = np.zeros((0, 3)), np.zeros((0, 3), np.int32)


def sheet(width: float, height: float, spacing: float, *, jitter: float = 0.15, seed: int = 1):
    """Unstructured triangles in the xy plane: points (n, 3), triangles (m, 3) with normals along +z."""
    rng = np.random.default_rng(seed)
    rows, columns = max(1, round(height / (spacing * 0.866))), max(1, round(width / spacing))
    flat = []
    for row in range(rows + 1):
        y = row / rows * height
        xs = np.arange(columns + 1) / columns * width
        if row % 2:
            xs = np.concatenate([[0], (np.arange(columns) + 0.5) / columns * width, [width]])
        for x in xs:
            inner = 1e-9 < x < width - 1e-9 and 0 < row < rows
            flat.append(np.array([x, y]) + inner * rng.uniform(-jitter, jitter, 2) * spacing)
    flat = np.array(flat)
    found = Delaunay(flat).simplices
    a, b, c = (flat[found[:, k]] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    found[area < 0] = found[area < 0][:, ::-1]
    found = found[np.abs(area) > 1e-6 * spacing**2]
    return np.column_stack([flat, np.zeros(len(flat))]), found.astype(np.int32)


def halved_squares(width: float, height: float, spacing: float):
    """A grid of squares in the xy plane, each cut in two."""
    nx, ny = round(width / spacing), round(height / spacing)
    x, y = np.meshgrid(np.arange(nx + 1) * spacing, np.arange(ny + 1) * spacing, indexing="ij")
    points = np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], 1)
    triangles = []
    for i in range(nx):
        for j in range(ny):
            a, b = i * (ny + 1) + j, (i + 1) * (ny + 1) + j
            triangles += [(a, b, b + 1), (a, b + 1, a + 1)]
    return points, np.array(triangles, np.int32)


def box(low, high):
    """A closed box: 8 points, 12 triangles, normals outwards."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    points = np.array([(x, y, z) for x in (x0, x1) for y in (y0, y1) for z in (z0, z1)], dtype=float)
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    triangles = [t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))]
    return points, np.array(triangles, np.int32)


def polygons(name: str, points, faces) -> Mesh:
    """A mesh from lists of corners."""
    return Mesh(
        name,
        np.asarray(points, float),
        np.array([len(f) for f in faces], np.int32),
        np.array([c for f in faces for c in f], np.int32),
    )


def cloth_of(points, triangles, fabric: Fabric, held=None, warp=(0.0, 1.0, 0.0), **options) -> Cloth:
    """A cloth with warp along a drawn direction."""
    held = np.zeros(len(points), bool) if held is None else held
    directions = drawn_directions(points, triangles, np.array(warp))
    return build_cloth(shape_of_triangles("test cloth", points, triangles, directions), fabric, held, **options)


def surroundings(count: int, gap: float, friction: float = 0.0) -> Surroundings:
    """One part, everywhere the same: gap in m without the cloth's thickness, the collider's friction."""
    return Surroundings(
        np.full(count, gap), np.zeros(count), np.full(count, np.sqrt(friction)), np.zeros(count, np.int32),
        np.zeros(1, np.int32),
    )  # fmt: skip


# A reference's own: solved to the end, so that a bound holds by truth and not by stopping early.
TIGHT = replace(FINAL, newton_passes=8, cg_iterations=400, cg_tolerance=1e-4, step_tolerance=1e-6)


def free_engine(cloth: Cloth, patience, gravity=(0.0, -9.81, 0.0), air_drag=0.0, **forces) -> Engine:
    """An engine without colliders."""
    acting = Forces(np.array(gravity), air_drag, **forces)
    return Engine(cloth, NOTHING, NO_FACES, patience, acting, 1e-3)


def run_free(
    engine: Engine, state: ClothState, seconds: float, step: float, watch=None, held_at=None, **surround
) -> ClothState:
    """Step a cloth without colliders, held vertices at held_at or at rest; watch(time, state) after each."""
    held = engine.cloth.placed[engine.cloth.held] if held_at is None else held_at
    around = surroundings(0, 1e-3)
    for index in range(round(seconds / step)):
        state = engine.step(state, Surround(NOTHING, NOTHING, held, around, **surround), step, FrameTally())
        if watch is not None:
            watch((index + 1) * step, state)
    return state


def still(cloth: Cloth, points=None) -> ClothState:
    """At rest, at `points` or as made."""
    return at_rest(cloth.placed if points is None else np.asarray(points, float), 1)
