"""Making garments: how long meshing takes, how good meshes are, and whether cloth hangs alike at any spacing.

./needle bench garments writes docs/garment-benchmarks.md.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np

from patient_needle.bootstrap import environment
from patient_needle.core.craft.garments.respacing import respaced
from patient_needle.core.craft.garments.rings import mesh_of
from patient_needle.core.craft.inspect.frame import inspected
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.mesh import Mesh
from patient_needle.core.model.shot import RunIn
from patient_needle.core.model.tolerances import FIRST_LOOK
from patient_needle.core.model.typed import Points, Triangles
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.registry import read_figure
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file
from tests.reference.test_garments import draped, post, remeshed_square

ROOT = Path(__file__).resolve().parent.parent
DEMO = ROOT / "demo" / "lamplighter"
OUT = ROOT / "docs" / "garment-benchmarks.md"
HALF = (0.15, 0.0751)  # m: middle and half of the held part of the square's upper edge


def garments(quick: bool) -> int:
    """Measure and write; returns an exit code."""
    parts = [
        "# Benchmarks of making garments\n",
        "Written by `./needle bench garments`.\n",
        f"{date.today()}; {environment.processor()}.\n",
    ]
    for part in (meshing, lambda: hanging(quick), lambda: skirts(quick)):
        parts.append(part())
        OUT.write_text("\n".join(parts))
        print(parts[-1], flush=True)
    return 0


def meshing() -> str:
    """Seconds to mesh, compilation apart, and the share of edges and angles that are good."""
    lines = [
        "## Meshing\n",
        "Asked: 10,000 vertices in 2 s, 30,000 in 6 s; 95 % of edges within 0.6 to 1.5 of the spacing, 99 % of "
        "angles of 20 degrees or more.\n",
        "| what | spacing | vertices | s | edges | angles |",
        "|---|---|---|---|---|---|",
    ]
    shot = read_shot_file(DEMO / "shot.json")
    courses = assemble(shot, DEMO).garments[0].source.courses  # type: ignore[attr-defined]
    for name in ("apron_skirt", "smock"):
        mesh = read_figure(DEMO / f"{name}.obj", FigureAsk(None)).mesh
        for spacing in (0.0185, 0.012, 0.006):
            lines.append(_meshed(name, spacing, lambda m=mesh, s=spacing: _of(m, s)))
    for spacing in (0.015, 0.010, 0.0065):
        lines.append(_meshed("the demo's rings", spacing, lambda s=spacing: _rings(courses, s)))
    return "\n".join(lines) + "\n"


def _of(mesh: Mesh, spacing: float) -> tuple[Points, Triangles]:
    found = respaced(mesh, np.full(mesh.vertex_count, spacing))
    return found.vertices[triangulated(found).triangles], triangulated(found).triangles


def _rings(courses, spacing: float) -> tuple[Points, Triangles]:
    found = mesh_of(courses, spacing)
    return found.corners, found.triangles


def _meshed(name: str, spacing: float, make: Callable[[], tuple[Points, Triangles]]) -> str:
    make()
    start = time.perf_counter()
    corners, triangles = make()
    spent = time.perf_counter() - start
    sides = np.roll(corners, -1, axis=1) - corners
    lengths = np.linalg.norm(sides, axis=2)
    cosine = -(sides * np.roll(sides, 1, axis=1)).sum(axis=2) / lengths / np.roll(lengths, 1, axis=1)
    edges = float(((lengths > 0.6 * spacing) & (lengths < 1.5 * spacing)).mean())
    angles = float((cosine <= np.cos(np.radians(20))).mean())
    count = len(np.unique(triangles))
    return f"| {name} | {spacing * 1e3:g} mm | {count:,} | {spent:.2f} | {edges:.2%} | {angles:.2%} |"


def hanging(quick: bool) -> str:
    """The square and the sleeve of the reference tests at three spacings."""
    spacings = (0.010, 0.015) if quick else (0.005, 0.010, 0.015)
    squares = [_square(spacing) for spacing in spacings]
    sleeves = [_sleeve(spacing) for spacing in spacings]
    lines = [
        "## The same hang at any spacing\n",
        "Heights in mm: of the square's free corners and the middle of its lower edge; of the sleeve's hem, "
        "lowest, highest, mean. Asked: within 2 % of 300 mm.\n",
        "| spacing | square | sleeve |",
        "|---|---|---|",
    ]
    for spacing, square, sleeve in zip(spacings, squares, sleeves, strict=True):
        said = [", ".join(f"{1e3 * value:.1f}" for value in one) for one in (square, sleeve)]
        lines.append(f"| {spacing * 1e3:g} mm | {said[0]} | {said[1]} |")
    worst = max(float(np.ptp(one, axis=0).max()) for one in (np.array(squares), np.array(sleeves)))
    lines.append(f"\nThe furthest two lie {1e3 * worst:.1f} mm apart, {worst / 0.3:.1%} of the height.")
    return "\n".join(lines) + "\n"


def _square(spacing: float) -> list[float]:
    mesh = remeshed_square(spacing)
    points = mesh.vertices
    held = (points[:, 1] > 0.3 - 1e-9) & (np.abs(points[:, 0] - HALF[0]) < HALF[1])
    rest = draped(points, mesh.face_corners.reshape(-1, 3), held, np.outer(0.3 - points[:, 1], [0, 0, 0.2]))
    corners = np.array([[0, 0.3], [0, 0], [0.15, 0]])
    at = np.linalg.norm(points[None, :, :2] - corners[:, None], axis=2).argmin(axis=1)
    return [float(value) for value in rest[at, 1]]


def _sleeve(spacing: float) -> list[float]:
    tube, faces = post(0.06, 0.3)
    whole = Mesh("sleeve", tube, np.full(len(faces), 3, np.int32), faces.ravel())
    mesh = respaced(whole, np.full(len(tube), spacing))
    points = mesh.vertices
    held = (points[:, 1] > 0.3 - 1e-9) & (points[:, 2] > 0.06 * np.cos(np.pi / 4))
    rest = draped(points, mesh.face_corners.reshape(-1, 3), held, np.zeros((len(points), 3)), 1 / 48)
    hem = rest[points[:, 1] < 1e-9, 1]
    return [float(hem.min()), float(hem.max()), float(hem.mean())]


def skirts(quick: bool) -> str:
    """The demo's skirt without its tiers on the still figure, at 20 and 10 mm: where its hem hangs."""
    frames = 24 if quick else 96
    lines = [
        f"## A whole skirt at 20 and 10 mm\n\n{frames} frames of First look on the figure at rest.\n",
        "| spacing | vertices | hem: lowest, mean, highest, mm | round at the hem, mean radius, mm |",
        "|---|---|---|---|",
    ]
    for spacing in (20.0, 10.0):
        shot = read_shot_file(DEMO / "shot.json")
        (garment,) = shot.garments
        recipe = garment.recipe.model_copy(
            update={"tiers": [], "hem_mm": -350.0, "flare": 2.5, "spacing": garment.recipe.spacing.model_copy(
                update={"draft_mm": spacing})}
        )  # fmt: skip
        changed = shot.model_copy(update={"garments": [garment.model_copy(update={"recipe": recipe})]})
        plan = replace(assemble(changed, DEMO), run_in=RunIn(frames, 0), patience=FIRST_LOOK)
        (planned,) = plan.runs
        run = OutfitRun(plan, planned)
        first = plan.first_simulated
        *_, last = inspected(run, run.start(), first, first + frames - 1)
        mesh = plan.garments[0].source.mesh  # type: ignore[attr-defined]
        deepest = mesh.depth[mesh.course == mesh.course.max()].max()
        hem = last[0].positions[(mesh.course == mesh.course.max()) & (mesh.depth > deepest - 1e-9)]
        middle = hem.mean(axis=0)
        radius = np.linalg.norm((hem - middle)[:, [0, 2]], axis=1).mean()
        low, mean, high = hem[:, 1].min(), hem[:, 1].mean(), hem[:, 1].max()
        lines.append(
            f"| {spacing:g} mm | {len(mesh.course):,} | {1e3 * low:.0f}, {1e3 * mean:.0f}, {1e3 * high:.0f} "
            f"| {1e3 * radius:.0f} |"
        )
    return "\n".join(lines) + "\n"
