"""Two flat discs sewn together at the rim, and blown up."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import Delaunay

from patient_needle.core.geometry.rest_metric import shape_of_triangles
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.tolerances import FINAL
from patient_needle.core.solver.cloth import build_cloth
from patient_needle.core.solver.membrane import Membrane
from patient_needle.core.solver.outfit import Wearing
from patient_needle.core.solver.state import Inflation, at_rest
from patient_needle.core.solver.step import Surround, settle

from .sheets import NOTHING, free_engine, surroundings


def two_discs(radius: float, edges: int):
    """Points (n, 3), triangles (m, 3) with normals outwards, a hair apart; `edges` edges to the radius."""
    rings = [np.zeros((1, 2))]
    for k in range(1, edges + 1):
        around = 2 * np.pi * (np.arange(6 * k) + 0.5 * (k % 2)) / (6 * k)
        rings.append(k / edges * radius * np.column_stack([np.cos(around), np.sin(around)]))
    flat = np.concatenate(rings)
    faces = Delaunay(flat).simplices
    a, b, c = (flat[faces[:, k]] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    faces[area < 0] = faces[area < 0][:, ::-1]
    faces = faces[np.abs(area) > 1e-12]
    inside = len(flat) - 6 * edges
    below = np.concatenate([np.arange(inside) + len(flat), np.arange(inside, len(flat))])
    lift = np.where(np.arange(len(flat)) < inside, 0.02 * radius / edges, 0.0)
    upper, lower = np.column_stack([flat, lift]), np.column_stack([flat, -lift])[:inside]
    triangles = np.concatenate([faces, below[faces][:, ::-1]])
    return np.concatenate([upper, lower]), triangles.astype(np.int32)


@dataclass(frozen=True)
class Blown:
    """Radius and thickness over the discs' radius, and the largest strain along it."""

    radius: float
    thickness: float
    strain: float


def inflated(edges: int, steps: int = 150) -> Blown:
    """Two discs of 0.2 m blown up with 10 Pa. Warp runs out from the middle and hardly gives; across it,
    cloth that is too much for the rim lies in folds finer than the mesh, which is what no stiffness in
    compression stands for.
    """
    points, triangles = two_discs(0.2, edges)
    outwards = points[triangles].mean(axis=1) * [1, 1, 0]
    outwards /= np.linalg.norm(outwards, axis=1, keepdims=True)
    fabric = Fabric(
        "foil", stretch_warp=8e3, stretch_weft=8e3, shear=20.0, compress_warp=8e3, compress_weft=1e-3,
        bend_warp=0, bend_weft=0, areal_density=0.1,
    )  # fmt: skip
    cloth = build_cloth(
        shape_of_triangles("balloon", points, triangles, outwards), fabric, np.zeros(len(points), bool)
    )
    across = np.hypot(points[:, 0], points[:, 1]) / 0.2
    start = points * [0.8, 0.8, 1]
    start[:, 2] = np.sign(points[:, 2]) * 0.08 * (1 - across**2)
    engine = free_engine(cloth, FINAL, gravity=(0, 0, 0), air_drag=2.0)
    around = Surround(
        NOTHING, NOTHING, NOTHING, surroundings(0, 1e-3), worn=(Wearing(inflation=Inflation(False, 10.0, 0.0)),)
    )
    x = settle(engine, at_rest(start, 1), around, to=1e-4, most=steps).state.positions
    rim = points[:, 2] == 0.0
    return Blown(
        float(np.hypot(x[rim, 0], x[rim, 1]).mean() / 0.2),
        float(np.ptp(x[:, 2]) / 0.2),
        float(Membrane(cloth).strains(x)[:, :2].max()),
    )
