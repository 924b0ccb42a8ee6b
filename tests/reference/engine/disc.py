"""The drape disc of G. E. Cusick (The dependence of fabric drape on bending and shear stiffness, J. Text.
Inst. 56, 1965; The measurement of fabric drape, J. Text. Inst. 59, 1968; BS 5058, ISO 9073-9): a disc of 300
mm, 360 mm for stiff fabrics, hangs over one of 180 mm; its shadow is measured.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from scipy.spatial import Delaunay

from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.tolerances import FINAL
from patient_needle.core.solver.step import Surround, settle

from ...sheets import NOTHING, cloth_of, free_engine, sheet, still, surroundings

RADIUS, STIFF_RADIUS, SUPPORT = 0.150, 0.180, 0.090


@dataclass(frozen=True)
class Draped:
    """coefficient in percent: how much of the overhanging ring still throws a shadow; drop of the rim and
    unrest, m.
    """

    coefficient: float
    drop: float
    unrest: float


def rings(spacing: float, rim: float = RADIUS):
    """A disc of concentric rings with a ring at the support's edge: points (n, 3), triangles."""
    inner, outer = round(SUPPORT / spacing), round((rim - SUPPORT) / spacing)
    radii = np.r_[np.linspace(0, SUPPORT, inner + 1), np.linspace(SUPPORT, rim, outer + 1)[1:]]
    flat = [np.zeros((1, 2))]
    for index, radius in enumerate(radii[1:]):
        count = max(6, round(2 * np.pi * radius / spacing))
        angle = 2 * np.pi * (np.arange(count) + 0.5 * (index % 2)) / count
        flat.append(radius * np.column_stack([np.cos(angle), np.sin(angle)]))
    return _meshed(np.concatenate(flat))


def scattered(spacing: float, rim: float = RADIUS):
    """A disc cut from uneven triangles, but for its rim and the ring at the support's edge."""
    half = rim + 0.01
    points, _ = sheet(2 * half, 2 * half, spacing)
    flat = points[:, :2] - half
    out = np.hypot(*flat.T)
    keep = (out < rim - 0.6 * spacing) & (np.abs(out - SUPPORT) > 0.6 * spacing)
    around = []
    for radius in (SUPPORT, rim):
        angle = 2 * np.pi * np.arange(round(2 * np.pi * radius / spacing)) / round(2 * np.pi * radius / spacing)
        around.append(radius * np.column_stack([np.cos(angle), np.sin(angle)]))
    return _meshed(np.concatenate([flat[keep], *around]))


def _meshed(flat):
    faces = Delaunay(flat).simplices
    a, b, c = (flat[faces[:, k]] for k in range(3))
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    faces[area < 0] = faces[area < 0][:, ::-1]
    return np.column_stack([flat, np.zeros(len(flat))]), faces[np.abs(area) > 1e-9].astype(np.int32)


def drape(
    mesh, fabric: Fabric, *, seed: int = 0, seconds: float = 4.0, step: float = 1 / 96, to: float = 2e-4
) -> Draped:
    """Let a disc fall from level, a hair uneven, until it rests."""
    flat, triangles = mesh
    points = flat[:, [0, 2, 1]] * [1, 1, -1]
    out = np.hypot(points[:, 0], points[:, 2])
    held, radius = out < SUPPORT + 1e-9, out.max()
    cloth = cloth_of(points, triangles, fabric, held, warp=(0, 0, 1.0))
    rng = np.random.default_rng(seed)
    angle = np.arctan2(points[:, 2], points[:, 0])
    waves = sum(rng.normal() * np.cos(k * angle + rng.uniform(0, 6.3)) for k in range(3, 9))
    start = points + np.outer(0.002 * waves * np.clip((out - SUPPORT) / (radius - SUPPORT), 0, 1), [0, 1, 0])
    around = Surround(NOTHING, NOTHING, points[held], surroundings(0, 1e-3))
    engine = free_engine(cloth, FINAL, air_drag=0.6)
    found = settle(engine, still(cloth, start), around, to=to, step=step, most=round(seconds / step))
    x = found.state.positions
    faces = shapely.polygons(x[triangles][:, :, [0, 2]])
    shadow = shapely.unary_union(faces[shapely.area(faces) > 1e-9]).area
    ring = np.pi * (radius**2 - SUPPORT**2)
    rim = out > radius - 1e-6
    return Draped(100 * (shadow - np.pi * SUPPORT**2) / ring, float(-x[rim, 1].mean()), found.unrest)
