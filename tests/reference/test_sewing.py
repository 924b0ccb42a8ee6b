"""Sewn pieces against closed forms: a tube hangs as a cylinder, a sector of a ring as a cone."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest
from numpy.testing import assert_allclose

from patient_needle.core.contact.intersections import self_crossing_pairs
from patient_needle.core.contact.rows import Surroundings
from patient_needle.core.craft.holds.seams import basting_of
from patient_needle.core.craft.sewing.cutting import SewnMesh, held_pairs, metric_of, sewn, topology_of
from patient_needle.core.craft.sewing.pattern import Pattern, Piece, Run, Seam
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.garment import GarmentShape
from patient_needle.core.model.mesh import Mesh
from patient_needle.core.model.tolerances import BASTED_FIRMNESS, FINAL
from patient_needle.core.solver.cloth import build_cloth
from patient_needle.core.solver.diagnostics import FrameTally
from patient_needle.core.solver.outfit import outfit
from patient_needle.core.solver.state import Forces, at_rest
from patient_needle.core.solver.step import Engine, Surround
from tests.sewing import rectangle

OFF = 0.01  # of its size, that a hanging piece may be off its closed form
NOTHING = np.zeros((0, 3))


def hung(pattern: Pattern, mesh: SewnMesh, points: np.ndarray, top: np.ndarray, bend: float) -> np.ndarray:
    """Where a sewn pattern comes to rest that begins at points (n, 3) m, held along its top; bend N m."""
    stiff = Fabric("stiff", 20_000, 20_000, 8_000, bend, bend, 0.2, stretch_damping=0.01, bend_damping=0.05)
    topology = topology_of(mesh, "it")
    faces = np.full(len(mesh.triangles), 3, np.int32)
    surface = Mesh("it", points, faces, mesh.triangles.ravel())
    shape = GarmentShape(
        "it", topology, metric_of(mesh, topology, pattern), points, None, surface, np.arange(len(faces)), "cut"
    )
    held = np.zeros(mesh.count, bool)
    held[top] = True
    engine = Engine(
        build_cloth(shape, stiff, held), NOTHING, np.zeros((0, 3), np.int32), FINAL,
        Forces(np.array([0.0, -9.81, 0.0]), air_drag=4.0), 0.001,
    )  # fmt: skip
    none = np.zeros(0)
    around = Surroundings(none, none, none, np.zeros(0, np.int32), np.zeros(0, np.int32))
    state = at_rest(points, 0)
    for _ in range(60):
        state = engine.step(state, Surround(NOTHING, NOTHING, points[held], around), 1 / 48, FrameTally())
    return state.positions


def shaken(points: np.ndarray, held: np.ndarray) -> np.ndarray:
    """Points (n, 3) m up to 3 mm beside, but for those that are held."""
    off = np.random.default_rng(3).uniform(-0.003, 0.003, points.shape)
    off[held] = 0.0
    return points + off


def welded(mesh: SewnMesh, places: np.ndarray) -> np.ndarray:
    """Places (k, 3) of the vertices as cut, at the welded ones, (n, 3)."""
    out = np.zeros((mesh.count, 3))
    out[mesh.welded] = places
    return out


def test_a_sewn_tube_hangs_as_a_cylinder():
    # A tube 0.6 m round has a radius of 0.6 / 2 pi.
    pattern = Pattern((rectangle("p", 0.6, 0.3),), (Seam((("p", "right"),), (("p", "left"),)),))
    mesh, radius = sewn(pattern, 0.02), 0.6 / (2 * np.pi)
    turn = 2 * np.pi * mesh.cut.points[:, 0] / 0.6
    x, y = radius * np.sin(turn), mesh.cut.points[:, 1]
    points = welded(mesh, np.stack([x, y, radius * np.cos(turn)], axis=1))
    top = np.unique(mesh.welded[mesh.cut.runs["p", "top"]])
    rest = hung(pattern, mesh, shaken(points, top), top, 1e-3)
    low = np.unique(mesh.welded[mesh.cut.runs["p", "low"]])
    assert_allclose(np.hypot(rest[low, 0], rest[low, 2]).mean(), radius, rtol=OFF)
    assert_allclose(rest[top, 1].mean() - rest[low, 1].mean(), 0.3, rtol=OFF)


@pytest.mark.parametrize("degrees", [120.0, 240.0])
def test_a_sewn_sector_hangs_as_a_cone(degrees):
    # A sector of the angle a between radii r and R makes a cone whose radius at slant s is s a / 2 pi, and its
    # height between the two is (R - r) sqrt(1 - (a / 2 pi)^2).
    inner, outer, angle = 0.2, 0.45, np.radians(degrees)

    def arc(radius: float, start: float, end: float) -> tuple:
        turn = np.linspace(start, end, 25)
        return tuple(zip(radius * np.sin(turn), -radius * np.cos(turn), strict=True))

    half = angle / 2
    runs = (
        Run("hem", arc(outer, -half, half)[:-1], smooth=True), Run("right", (arc(outer, half, half)[0],)),
        Run("top", arc(inner, half, -half)[:-1], smooth=True), Run("left", (arc(inner, -half, -half)[0],)),
    )  # fmt: skip
    pattern = Pattern((Piece("p", runs),), (Seam((("p", "right"),), (("p", "left"),)),))
    mesh = sewn(pattern, 0.02)
    flat = mesh.cut.points
    slant, turn = np.hypot(*flat.T), np.arctan2(flat[:, 0], -flat[:, 1]) * 2 * np.pi / angle
    share = angle / (2 * np.pi)
    down = slant * np.sqrt(1 - share**2)
    round_it = slant * share
    points = welded(mesh, np.stack([round_it * np.sin(turn), -down, round_it * np.cos(turn)], axis=1))
    top = np.unique(mesh.welded[mesh.cut.runs["p", "top"]])
    # So stiff to bend that the cone does not fold under its weight w: (B / w)^(1/3) is 0.6 m.
    rest = hung(pattern, mesh, shaken(points, top), top, 0.4)
    hem = np.unique(mesh.welded[mesh.cut.runs["p", "hem"]])
    assert_allclose(np.hypot(rest[hem, 0], rest[hem, 2]).mean(), outer * share, rtol=OFF)
    height = (outer - inner) * np.sqrt(1 - share**2)
    assert_allclose(rest[top, 1].mean() - rest[hem, 1].mean(), height, rtol=OFF)
    assert_allclose(mesh.cut_areas.sum(), angle / 2 * (outer**2 - inner**2), rtol=1e-3)


def test_a_basting_opens_by_the_weight_below_it_over_its_firmness():
    """Hooke: W / (q k) for q links of k N/m; and no contact keeps its sides apart."""
    upper, lower = rectangle("upper", 0.3, 0.1), rectangle("lower", 0.3, 0.2)
    pattern = Pattern((upper, lower), (Seam((("upper", "low"),), (("lower", "top"),), basted=True),))
    mesh = sewn(pattern, 0.02)
    topology, held = topology_of(mesh, "it"), held_pairs(mesh, pattern)
    of = mesh.cut.of_point  # nothing is welded
    points = np.column_stack([mesh.cut.points, np.zeros(len(of))])
    points[of == 1, 1] -= 0.2 + 0.001
    points[:, 2] += np.random.default_rng(5).uniform(-2e-4, 2e-4, len(points))
    near = points.copy()
    near[held] = points[held].mean(axis=1)[:, None]
    surface = Mesh("it", points, np.full(len(mesh.triangles), 3, np.int32), mesh.triangles.ravel())
    shape = GarmentShape(
        "it", topology, metric_of(mesh, topology, pattern), points, near, surface,
        np.arange(len(mesh.triangles)), "cut", basted=held,
    )  # fmt: skip
    heavy = Fabric(
        "heavy", 400, 400, 200, 1e-4, 1e-4, 2.0, thickness=0.002, stretch_damping=0.02, bend_damping=0.05
    )
    fixed = np.zeros(mesh.count, bool)
    fixed[np.unique(mesh.cut.runs["upper", "top"])] = True
    cloth = build_cloth(shape, heavy, fixed)
    engine = Engine(
        cloth, NOTHING, np.zeros((0, 3), np.int32), FINAL,
        Forces(np.array([0.0, -9.81, 0.0]), air_drag=8.0), 0.002,
        widest=(0.002, 0.0), against_itself=True,
    )  # fmt: skip
    links = basting_of([SimpleNamespace(shape=shape, cloth=cloth)], [slice(0, mesh.count)])
    none = np.zeros(0)
    around = Surroundings(none, none, none, np.zeros(0, np.int32), np.zeros(0, np.int32))
    state = at_rest(points, 0)
    for _ in range(120):
        surround = Surround(NOTHING, NOTHING, points[fixed], around, links=links)
        state = engine.step(state, surround, 1 / 48, FrameTally())
    gap = np.linalg.norm(np.diff(state.positions[held], axis=1)[:, 0], axis=1)
    weight = 9.81 * cloth.mass[of == 1].sum()
    assert_allclose(gap.mean(), weight / (len(held) * BASTED_FIRMNESS * 400), rtol=0.05)
    assert gap.max() < 5e-4
    assert len(self_crossing_pairs(*outfit((cloth,)).as_one(state.positions))) == 0
