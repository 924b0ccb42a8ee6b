"""Painted maps, against closed forms, an independent geodesic library, and themselves on finer meshes."""

from __future__ import annotations

from dataclasses import replace

import igl
import numpy as np
import pytest
import trimesh
from scipy.spatial import Delaunay

from patient_needle.core.craft.garments.surface import GarmentSurface
from patient_needle.core.craft.maps.drawing import coverage, drawn
from patient_needle.core.geometry.geodesics import Walk
from patient_needle.core.model.errors import ShotError
from patient_needle.core.model.holds import Choice
from patient_needle.core.model.maps import (
    Along,
    ChalkMap,
    Change,
    Fill,
    FromChoice,
    Mirror,
    Stroke,
    Values,
    With,
    in_use,
)
from tests.sheets import polygons, sheet

RADIUS = 0.15


def uneven(count: int = 40, spacing: float = 0.02) -> tuple[np.ndarray, np.ndarray]:
    """A square sheet whose inner vertices are moved about, in the plane: (n, 2), (m, 3)."""
    grid = np.stack(np.meshgrid(np.arange(count), np.arange(count), indexing="ij"), -1).reshape(-1, 2) * spacing
    inner = ((grid > 0) & (grid < (count - 1.5) * spacing)).all(axis=1)
    moved = np.random.default_rng(4).uniform(-0.25, 0.25, grid.shape) * spacing
    grid = grid + inner[:, None] * moved
    return grid, Delaunay(grid).simplices.astype(np.int32)


FLAT, CUT = uneven()
SOMEWHERE = len(CUT) // 2 + 7
PLACE = np.array([0.2, 0.5, 0.3])


def flat() -> np.ndarray:
    return np.column_stack([FLAT, np.zeros(len(FLAT))])


def rolled() -> np.ndarray:
    x, y = FLAT.T
    return np.column_stack([RADIUS * np.cos(x / RADIUS), y, RADIUS * np.sin(x / RADIUS)])


def rumpled() -> np.ndarray:
    x, y = FLAT.T
    return np.column_stack([x, y, 0.03 * np.sin(25 * x) * np.cos(18 * y)])


def exact(points: np.ndarray, triangles: np.ndarray, source: int) -> np.ndarray:
    """J. S. B. Mitchell, D. M. Mount, C. H. Papadimitriou, The discrete geodesic problem (1987), by libigl."""
    none, every = np.zeros(0, int), np.arange(len(points))
    return np.asarray(
        igl.exact_geodesic(points, triangles.astype(int), np.array([source]), none, every, none)
    ).ravel()


def off(found: np.ndarray, truth: np.ndarray, beyond: float = 0.02) -> float:
    far = truth > beyond
    return float(np.max(np.abs(found[far] - truth[far]) / truth[far]))


class TestDistances:
    def test_on_a_plane(self):
        found = Walk.on(flat(), CUT).from_point(SOMEWHERE, PLACE)
        assert off(found, np.linalg.norm(FLAT - PLACE @ FLAT[CUT[SOMEWHERE]], axis=1)) < 1e-9

    def test_on_a_cylinder(self):
        """Truth: the sheet before it was rolled up; the mesh's chords are a little shorter."""
        found = Walk.on(rolled(), CUT).from_point(SOMEWHERE, PLACE)
        assert off(found, np.linalg.norm(FLAT - PLACE @ FLAT[CUT[SOMEWHERE]], axis=1)) < 0.002

    def test_on_a_sphere(self):
        ball = trimesh.creation.icosphere(4, radius=0.2)
        points, triangles = np.array(ball.vertices), np.array(ball.faces, np.int32)
        found = Walk.on(points, triangles).from_point(5, np.array([1.0, 0, 0]))
        around = 0.2 * np.arccos(np.clip(points @ points[triangles[5][0]] / 0.04, -1, 1))
        assert off(found, around) < 0.02

    @pytest.mark.parametrize("points", [rolled(), rumpled()], ids=["rolled", "rumpled"])
    def test_as_an_exact_algorithm_has_it(self, points):
        found = Walk.on(points, CUT).from_point(SOMEWHERE, np.array([1.0, 0, 0]))
        assert off(found, exact(points, CUT, int(CUT[SOMEWHERE][0]))) < 0.02

    def test_from_a_line(self):
        row = np.flatnonzero(FLAT[:, 1] < 1e-9)
        assert off(Walk.on(flat(), CUT).from_line(row), FLAT[:, 1], 0.005) < 1e-9
        assert off(Walk.on(rolled(), CUT).from_line(row), FLAT[:, 1], 0.005) < 0.002

    def test_it_ends_where_it_is_told_and_at_a_gap(self):
        two = np.concatenate([flat(), flat() + [0, 0, 0.004]])
        both = np.concatenate([CUT, CUT + len(FLAT)])
        found = Walk.on(two, both).from_point(SOMEWHERE, PLACE, 0.1)
        near = np.linalg.norm(FLAT - PLACE @ FLAT[CUT[SOMEWHERE]], axis=1) <= 0.1
        assert np.array_equal(np.isfinite(found), np.concatenate([near, np.zeros(len(FLAT), bool)]))


def surface(points: np.ndarray, triangles: np.ndarray) -> GarmentSurface:
    mesh = polygons("cloth", points, triangles.tolist())
    return GarmentSurface.of(mesh)


def stroke(*places: tuple[float, float, float], facing=(0.0, 0.0, 1.0), size=0.05, **more) -> Stroke:
    hits = np.array([[*place, *facing, 1.0] for place in places])
    return Stroke(hits, size, **more)


def between(start, end, steps: int = 12) -> list[tuple[float, float, float]]:
    return [tuple(np.add(start, share * np.subtract(end, start))) for share in np.linspace(0, 1, steps)]


def worn(spacing: float) -> tuple[np.ndarray, np.ndarray]:
    """A sheet of 0.3 by 0.4 m rolled to half a sleeve."""
    points, triangles = sheet(0.3, 0.4, spacing)
    x = points[:, 0] - 0.15
    return np.column_stack([0.1 * np.sin(x / 0.1), points[:, 1], 0.1 * np.cos(x / 0.1)]), triangles


class TestStrokes:
    def test_the_back_of_a_double_layer_stays_bare(self):
        """Two sheets of 4 mm distance, joined at a border, as a hem is."""
        points, triangles = sheet(0.3, 0.3, 0.01, jitter=0.0)
        fold = 0.004
        around = np.where(points[:, 1] < 0.15, 0.0, fold)
        y = np.where(points[:, 1] < 0.15, points[:, 1], 0.3 - points[:, 1])
        hem = surface(np.column_stack([points[:, 0], y, around]), triangles)
        chalk = ChalkMap("m", "bend", (stroke(*between((0.05, 0.05, 0.0), (0.25, 0.05, 0.0))),))
        values = drawn(chalk, hem)
        assert values[around == 0.0].max() == 1.0
        assert np.all(values[around > 0] == 0.0)
        through = drawn(replace(chalk, steps=(replace(chalk.steps[0], through=True),)), hem)
        assert through[around > 0].max() > 0.9

    def test_the_side_that_was_painted_is_found_again(self):
        """The path lies between two layers, nearer to the one that faces away."""
        points, triangles = sheet(0.2, 0.2, 0.01)
        turned = triangles[:, ::-1]
        two = surface(
            np.concatenate([points, points - [0, 0, 0.004]]), np.concatenate([triangles, turned + len(points)])
        )
        up = coverage(stroke((0.1, 0.1, -0.003), facing=(0, 0, 1.0)), two)
        down = coverage(stroke((0.1, 0.1, -0.001), facing=(0, 0, -1.0)), two)
        front, back = slice(0, len(points)), slice(len(points), None)
        assert up[front].max() == pytest.approx(1, abs=0.02)
        assert np.all(up[back] == 0)
        assert down[back].max() == pytest.approx(1, abs=0.02)
        assert np.all(down[front] == 0)

    def test_modes(self):
        cloth = surface(flat(), CUT)
        middle = (0.4, 0.4, 0.0)
        under = np.linalg.norm(FLAT - 0.4, axis=1) < 0.02
        beside = np.linalg.norm(FLAT - 0.4, axis=1) > 0.051

        def after(mode, amount=0.5, **more):
            step = stroke(middle, mode=mode, amount=amount, **more)
            return drawn(ChalkMap("m", "bend", (Fill(0.4), step)), cloth)

        assert after("add")[under] == pytest.approx(0.9)
        assert after("lift")[under] == pytest.approx(0.0)  # and no lower
        assert after("set")[under] == pytest.approx(0.5)
        assert after("add", strength=0.2)[under] == pytest.approx(0.5)
        for mode in ("add", "lift", "set", "blend"):
            assert after(mode)[beside] == pytest.approx(0.4)
        step = drawn(ChalkMap("m", "bend", (Values((FLAT[:, 0] > 0.4).astype(float)),)), cloth)
        blended = drawn(ChalkMap("m", "bend", (Values(step), stroke(middle, mode="blend", size=0.1))), cloth)
        assert np.ptp(blended[under]) < 0.6
        assert np.array_equal(
            blended[~(np.linalg.norm(FLAT - 0.4, axis=1) < 0.1)],
            step[~(np.linalg.norm(FLAT - 0.4, axis=1) < 0.1)],
        )

    def test_how_close_the_hits_are_hardly_matters(self):
        """Half way between hits of 12.5 mm a place 45 mm away is 6.25^2 / 90 mm further off, where the edge is
        steepest: 1.5 in its 30 mm. That makes 0.022.
        """
        cloth = surface(flat(), CUT)
        coarse = coverage(stroke(*between((0.2, 0.4, 0), (0.6, 0.4, 0), 33), size=0.06), cloth)
        fine = coverage(stroke(*between((0.2, 0.4, 0), (0.6, 0.4, 0), 65), size=0.06), cloth)
        assert np.abs(coarse - fine).max() < 0.022

    def test_a_mirrored_map_is_the_same_on_both_sides(self):
        half = sheet(0.2, 0.3, 0.012)[0]
        x = half[:, 0]
        points, triangles = sheet(0.2, 0.3, 0.012)
        count = len(points)
        seam = x < 1e-9
        other = np.where(seam, np.arange(count), count + np.cumsum(~seam) - 1)
        both = np.concatenate([points, points[~seam] * [-1, 1, 1]])
        cloth = surface(both, np.concatenate([triangles, other[triangles][:, ::-1]]))
        painted = stroke(*between((0.03, 0.1, 0), (0.15, 0.2, 0)), mirrored=True)
        for steps in ((painted,), (replace(painted, mirrored=False), Mirror(1))):
            values = drawn(ChalkMap("m", "bend", steps), cloth)
            assert values.max() > 0.9
            assert np.abs(values[other] - values[np.arange(count)]).max() < 1e-6

    def test_where_there_is_no_cloth_on_the_other_side_nothing_is_mirrored(self):
        cloth = surface(flat() + [0.1, 0, 0], CUT)
        plain = stroke((0.3, 0.4, 0))
        before = ChalkMap("m", "bend", (Fill(0.2), plain))
        after = ChalkMap("m", "bend", (Fill(0.2), replace(plain, mirrored=True), Mirror(-1)))
        assert np.array_equal(drawn(before, cloth), drawn(after, cloth))

    def test_it_is_done_again_on_a_finer_mesh(self):
        """The steps of a map drawn at 15 mm spacing, on the same sleeve at 5 mm."""
        coarse, fine = (surface(*worn(spacing)) for spacing in (0.015, 0.005))
        path = [(0.1 * np.sin(a), 0.1 + 0.1 * a, 0.1 * np.cos(a)) for a in np.linspace(-0.8, 0.8, 30)]
        hits = np.array([[*p, p[0] / 0.1, 0.0, p[2] / 0.1, 1.0] for p in path])
        chalk = ChalkMap(
            "m", "bend", (Along((0, 0.3, 0), (0, 0.4, 0), (0.0, 0.3)), Stroke(hits, 0.06, 0.8, 0.7))
        )
        before, after = drawn(chalk, coarse), drawn(chalk, fine)
        at, barycentric = coarse.places(fine.mesh.vertices, fine.mesh.vertices * [10, 0, 10])
        carried = np.einsum("ik,ik->i", barycentric, before[coarse.triangles[at]])
        assert np.sqrt(np.mean((carried - after) ** 2)) < 0.03
        assert after.max() > 0.75


class TestRules:
    cloth = surface(flat(), CUT)

    def of(self, *steps, others=None) -> np.ndarray:
        return drawn(ChalkMap("m", "bend", steps), self.cloth, others)

    def test_along_a_line(self):
        values = self.of(Along((0.2, 0, 0), (0.6, 0, 0), (0.0, 0.8)))
        assert values == pytest.approx(0.8 * np.clip((FLAT[:, 0] - 0.2) / 0.4, 0, 1))

    def test_by_distance_from_a_row(self):
        """Truth: the height above the lowest row, along the cloth."""
        row = Choice(vertices=tuple(np.flatnonzero(FLAT[:, 1] < 1e-9).tolist()))
        assert self.of(FromChoice(row, 0.2)) == pytest.approx(np.clip(1 - FLAT[:, 1] / 0.2, 0, 1), abs=1e-6)

    def test_changes(self):
        values = np.clip(FLAT[:, 0], 0, 1)
        given = Values(values)
        assert self.of(given, Change("invert")) == pytest.approx(1 - values)
        assert self.of(given, Change("scale", 2.0)) == pytest.approx(np.minimum(2 * values, 1))
        assert self.of(given, Change("clamp", 0.2, 0.5)) == pytest.approx(np.clip(values, 0.2, 0.5))
        spike = np.zeros(len(FLAT))
        spike[820] = 1.0
        smooth = self.of(Values(spike), Change("smooth", 0.04))
        assert 0 < smooth.max() < 0.3
        assert self.of(Fill(0.3), Change("smooth", 0.1)) == pytest.approx(0.3)

    def test_put_together_with_another(self):
        half = ChalkMap("half", "bend", (Fill(0.5),))
        given = Values(np.clip(FLAT[:, 0], 0, 1))
        others = {"half": half}
        assert self.of(given, With("half", "multiply"), others=others) == pytest.approx(given.values / 2)
        assert self.of(given, With("half", "least"), others=others) == pytest.approx(
            np.minimum(given.values, 0.5)
        )
        assert self.of(given, With("half", "most"), others=others) == pytest.approx(
            np.maximum(given.values, 0.5)
        )

    def test_what_cannot_be_done_is_said(self):
        ring = ChalkMap("ring", "bend", (With("m", "most"),))
        for steps, others, says in (
            ((Values(np.zeros(3)),), {}, "3 values, the garment has 1600"),
            ((Values(np.full(len(FLAT), np.nan)),), {}, "vertex 0 has the value nan"),
            ((Fill(0.1), With("ghost", "most")), {}, "no map 'ghost'"),
            (
                (With("ring", "most"),),
                {"ring": ring, "m": ChalkMap("m", "bend", (With("ring", "most"),))},
                "made from it",
            ),
            ((Along((0, 0, 0), (0, 0, 0)),), {}, "no length"),
            ((Change("clamp", 0.5, 0.2),), {}, "lower one first"),
            ((stroke((0, 0, 0), size=0.0),), {}, "size above 0"),
            ((stroke((np.nan, 0, 0)),), {}, "not made of numbers"),
            ((stroke((0.4, 0.4, 0.12)),), {}, "lies 120 mm off the garment"),
        ):
            with pytest.raises(ShotError, match=says) as raised:
                drawn(ChalkMap("m", "bend", steps), self.cloth, others)
            assert "map 'm', step" in raised.value.where or "map 'ring'" in raised.value.where

    def test_what_values_mean(self):
        ends = np.array([0.0, 0.5, 1.0])
        assert ChalkMap("m", "bend", span=(0.5, 8.0)).means(ends) == pytest.approx([0.5, 2.0, 8.0])
        assert ChalkMap("m", "hold").means(ends) == pytest.approx(ends)

    def test_one_map_for_each_role(self):
        a, b = ChalkMap("a", "bend"), ChalkMap("b", "bend")
        with pytest.raises(ShotError, match="both in use for bend"):
            in_use([a, b])
        assert in_use([a, replace(b, in_use=False)])["bend"] is a
