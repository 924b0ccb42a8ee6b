"""Small scenes for hands: a tube of cloth about a post, a curtain before a pillar, ready to be fitted."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from patient_needle.core.craft.drape.live import Fitting
from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.motion import Still
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.holds import Choice, Follow, Hold
from patient_needle.core.model.shot import CastMember, ColliderSettings, Garment, PlannedRun, RunIn, ShotPlan
from tests.sheets import box, polygons, sheet

COTTON = Fabric("cotton", friction=0.3)


def block(name: str, low, high, kind: str = "set piece", motion=None) -> CastMember:
    """A closed box in the cast."""
    points, triangles = box(low, high)
    mesh = polygons(name, points, triangles.tolist())
    cut = triangulated(mesh)
    count = len(cut.triangles)
    return CastMember(
        name, kind, mesh, cut, motion or Still(points), np.zeros(count, np.int32), ("whole",),
        np.array([50], np.int32), np.ones(count, bool),
        ColliderSettings(Curve.constant(0.002), Curve.constant(0.3)),
    )  # fmt: skip


def open_sheet(name: str, height: float) -> CastMember:
    """A level square that is no closed body."""
    points = np.array([[-0.4, height, -0.4], [0.4, height, -0.4], [0.4, height, 0.4], [-0.4, height, 0.4]])
    mesh = polygons(name, points, [[0, 2, 1], [0, 3, 2]])
    cut = triangulated(mesh)
    return CastMember(
        name, "set piece", mesh, cut, Still(points), np.zeros(2, np.int32), ("whole",),
        np.array([50], np.int32), np.ones(2, bool),
        ColliderSettings(Curve.constant(0.002), Curve.constant(0.3)),
    )  # fmt: skip


def tube(spacing: float = 0.03, length: float = 0.3, radius: float = 0.1, top: float = 1.0) -> Garment:
    """A tube of cloth that hangs about the y axis, its top row held to the post."""
    around = max(8, round(2 * np.pi * radius / spacing))
    rows = max(2, round(length / spacing))
    turn = np.arange(around) / around * 2 * np.pi
    ring = np.stack([radius * np.sin(turn), np.zeros(around), radius * np.cos(turn)], axis=1)
    points = np.concatenate([ring + [0, top - length * row / rows, 0] for row in range(rows + 1)])
    faces = []
    for row in range(rows):
        for k in range(around):
            a, b = row * around + k, row * around + (k + 1) % around
            faces += [[a, a + around, b], [b, a + around, b + around]]
    mesh = polygons("tube", points, faces)
    hold = Hold("top", Choice(vertices=tuple(range(around))), Follow("post"))
    return Garment("tube", FromMesh(mesh), COTTON, (hold,))


def curtain(spacing: float = 0.05, before: float = 0.012) -> Garment:
    """A sheet before the pillar's face, held along its top."""
    points, triangles = sheet(0.3, 0.6, spacing)
    mesh = polygons("curtain", points + [-0.15, 0.3, 0.1 + before], triangles.tolist())
    top = np.flatnonzero(points[:, 1] > 0.6 - 1e-9)
    return Garment(
        "curtain",
        FromMesh(mesh),
        COTTON,
        (Hold("rail", Choice(vertices=tuple(top.tolist())), Follow("pillar")),),
    )


def shot(*cast: CastMember, garment: Garment, **changes) -> ShotPlan:
    """A shot of a garment, with a run-in of six frames."""
    made = ShotPlan("test", 24.0, (1001, 1012), RunIn(2, 4), cast, (garment,), np.array([0, -9.81, 0]), 0.3)
    return replace(made, **changes)


def post() -> CastMember:
    """What a tube hangs on."""
    return block("post", (-0.05, 0.0, -0.05), (0.05, 1.1, 0.05), "character")


def pillar() -> CastMember:
    """What a curtain hangs before."""
    return block("pillar", (-0.1, 0.0, -0.1), (0.1, 1.0, 0.1), "character")


def fitted(plan: ShotPlan) -> Fitting:
    """Its fitting, where it begins."""
    run = OutfitRun(plan, PlannedRun(plan.garments, plan.garments))
    return Fitting(run, run.start())


def spot(fitting: Fitting, near) -> tuple[np.ndarray, np.ndarray]:
    """The place of the cloth nearest to (3,) m: corners and weights of a vertex of it that is free."""
    points = np.where(fitting.cloth.outfit.held[:, None], np.inf, fitting.state.positions)
    vertex = int(np.argmin(np.linalg.norm(points - near, axis=1)))
    triangles = fitting.cloth.surfaces[0].triangles
    corners = triangles[np.flatnonzero((triangles == vertex).any(axis=1))[0]]
    return corners, (corners == vertex).astype(float)


def crossings(fitting: Fitting) -> int:
    """Exact ones, of all kinds."""
    found = fitting.crossings()
    return len(found.colliders) + len(found.itself) + len(found.garments)
