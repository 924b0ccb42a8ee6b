"""A stiff collar, a loose back and a heavy hem painted on the demo's smock, measured region by region as a
textile laboratory would: specimens cut from it, and the smock itself under load.
"""

from __future__ import annotations

from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
import pytest
from scipy.linalg import eigh

from patient_needle.core.craft.garments.surface import GarmentSurface
from patient_needle.core.craft.maps.drawing import factors
from patient_needle.core.geometry.topology import border_loops
from patient_needle.core.geometry.triangles import vertex_areas
from patient_needle.core.model.fabric import Fabric, Multipliers
from patient_needle.core.model.maps import ChalkMap, Stroke
from patient_needle.core.model.tolerances import FINAL
from patient_needle.formats.obj import read_obj

from ...sheets import TIGHT, cloth_of, free_engine, halved_squares, run_free, still
from .test_statics import GRAVITY, bending_length, strip_of

# Tight enough for a garment: strains are within 0.3 % of those of TIGHT.
FIRM = replace(TIGHT, newton_passes=4, cg_iterations=150, cg_tolerance=1e-3, step_tolerance=1e-4)

(MESH,) = read_obj(Path(__file__).parents[3] / "demo" / "lamplighter" / "smock.obj")
GROUND = GarmentSurface.of(MESH)
POINTS, NORMALS = MESH.vertices, GROUND.normals
LOOPS = sorted(border_loops(GROUND.topology), key=lambda loop: POINTS[loop, 1].mean())
HEM, NECK = LOOPS[0], LOOPS[-1]
AREAS = vertex_areas(POINTS, GROUND.triangles)
STIFF, LOOSE, HEAVY = 8.0, 0.25, (4 / 3) ** 3  # of them the roots are whole edges of a strip
PLAIN = 0.040  # m, the fabric's own bending length
DENSITY = 0.18


def drawn_along(loop: np.ndarray, radius: float) -> Stroke:
    hits = np.column_stack([POINTS[loop], NORMALS[loop], np.ones(len(loop))])
    return Stroke(hits, radius, softness=0.3, mode="set")


def over_the_back() -> Stroke:
    """To and fro, from the hem to the yoke."""
    before = np.array(
        [(x, y, -0.14) for y in np.arange(0.98, 1.44, 0.04) for x in np.linspace(-0.22, 0.22, 23)]
    )
    facing = np.broadcast_to([0.0, 0, -1.0], before.shape)
    triangle, barycentric = GROUND.places(before, facing)
    places = np.einsum("ik,ikj->ij", barycentric, POINTS[GROUND.triangles[triangle]])
    return Stroke(np.column_stack([places, facing, np.ones(len(places))]), 0.05, softness=0.3, mode="set")


@cache
def painted(*names: str) -> Multipliers:
    """What the named maps make of the fabric at the smock's vertices."""
    maps = {
        "collar": ChalkMap("collar", "bend", (drawn_along(NECK, 0.12),), (1.0, STIFF)),
        "back": ChalkMap("back", "stretch", (over_the_back(),), (1.0, LOOSE)),
        "hem": ChalkMap("hem", "weight", (drawn_along(HEM, 0.12),), (1.0, HEAVY)),
    }
    return factors([maps[name] for name in names], GROUND)


def at(places: np.ndarray, facing: np.ndarray) -> Multipliers:
    """The painted smock's factors at its places nearest to (k, 3) m that face as (k, 3) says."""
    every = painted("collar", "back", "hem")
    triangle, barycentric = GROUND.places(places, facing)
    of = lambda name: np.einsum(  # noqa: E731
        "ik,ik->i", barycentric, every.of(name, len(POINTS))[GROUND.triangles[triangle]]
    )
    return Multipliers(bend=of("bend"), stretch=of("stretch"), density=of("density"))


def beside(loop: np.ndarray, way: float):
    """A strip along a border loop, 2 mm from it; `way`: 1 when the cloth lies above it, else -1."""
    ring = np.append(loop, loop[0])
    along = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(POINTS[ring], axis=0), axis=1))])

    def varied(flat: np.ndarray) -> Multipliers:
        on = lambda values: np.stack([np.interp(flat[:, 0], along, values[ring, k]) for k in range(3)], 1)  # noqa: E731
        facing = on(NORMALS)
        up = np.array([0, way, 0.0])
        inwards = up - facing * (facing @ up)[:, None]
        inwards /= np.linalg.norm(inwards, axis=1)[:, None]
        return at(on(POINTS) + (flat[:, 1:] + 0.002) * inwards, facing)

    return varied


def across_the_back(flat: np.ndarray) -> Multipliers:
    places = np.column_stack([flat[:, 0] - 0.08, 1.2 + flat[:, 1], np.full(len(flat), -0.12)])
    return at(places, np.broadcast_to([0.0, 0, -1.0], places.shape))


class TestBendingLength:
    """Peirce's cantilever on a strip of 60 mm cut from each region. Truth: c = (B / w)^(1/3) with the region's
    own rigidity and weight, beside a strip of the fabric as it is. 3 %: with six edges over its 60 mm, an even
    strip of the hem's bending length shows it 2 % too long.
    """

    @pytest.mark.parametrize(
        ("varied", "times"),
        [(beside(NECK, -1), STIFF ** (1 / 3)), (across_the_back, 1.0), (beside(HEM, 1), HEAVY ** (-1 / 3))],
        ids=["collar", "back", "hem"],
    )
    def test_of_each_region(self, varied, times):
        fabric = strip_of(DENSITY * GRAVITY * PLAIN**3, DENSITY)
        assert bending_length(fabric, 0.010, PLAIN) == pytest.approx(PLAIN, rel=0.02)
        assert bending_length(fabric, 0.010, times * PLAIN, varied) == pytest.approx(times * PLAIN, rel=0.03)


class TestStretchUnderLoad:
    """The smock hung by its yoke in twenty times its weight, of a fabric too stiff to wrinkle: folds that come
    and go with what is painted would else be taken for stretch.
    """

    @staticmethod
    @cache
    def strains(*names: str) -> dict[str, float]:
        """Mean vertical stretch of the front, the back and the strip above the hem."""
        fabric = Fabric(
            "poplin", stretch_warp=1500, stretch_weft=1200, shear=300, bend_warp=1e-3, bend_weft=1e-3,
            areal_density=DENSITY, stretch_damping=0.004, bend_damping=0.02,
        )  # fmt: skip
        cloth = cloth_of(POINTS, GROUND.triangles, fabric, POINTS[:, 1] > 1.4, multipliers=painted(*names))
        engine = free_engine(cloth, FIRM, gravity=(0, -20 * GRAVITY, 0), air_drag=3.0)
        hung = run_free(engine, still(cloth), 1.5, 1 / 48).positions  # further steps change nothing
        ends = GROUND.topology.edges
        middle, way = POINTS[ends].mean(axis=1), POINTS[ends[:, 1]] - POINTS[ends[:, 0]]
        long = np.linalg.norm(way, axis=1)
        stretch = np.linalg.norm(hung[ends[:, 1]] - hung[ends[:, 0]], axis=1) / long - 1
        torso = (np.abs(way[:, 1]) > 0.8 * long) & (np.abs(middle[:, 0]) < 0.15)
        torso &= (middle[:, 1] > 1.06) & (middle[:, 1] < 1.3)
        to = NORMALS[ends].mean(axis=1)[:, 2]
        return {
            "front": float(stretch[torso & (to > 0.6)].mean()),
            "back": float(stretch[torso & (to < -0.6)].mean()),
        }

    def test_a_loose_back_gives_by_as_much_as_it_is_looser(self):
        """Hooke: each panel hangs beside the other and bears its own weight, so the back stretches four times
        as far; the side seams let the front bear a little of it.
        """
        plain, loose = self.strains(), self.strains("back")
        assert loose["back"] / plain["back"] == pytest.approx(1 / LOOSE, rel=0.05)
        assert 0.95 < loose["front"] / plain["front"] < 1.25

    def test_a_heavy_hem_stretches_what_bears_it(self):
        """Hooke: by as much as what hangs below each place has grown, weighed from map and areas."""
        times = painted("hem").of("density", len(POINTS))
        hangs = np.abs(POINTS[:, 0]) < 0.3  # the sleeves hang beside it
        heights = np.linspace(1.06, 1.3, 13)
        below = [hangs & (POINTS[:, 1] < height) for height in heights]
        grown = sum((AREAS * times)[low].sum() for low in below) / sum(AREAS[low].sum() for low in below)
        plain, heavy = self.strains(), self.strains("hem")
        for side in ("front", "back"):
            assert heavy[side] / plain[side] == pytest.approx(grown, rel=0.1)

    def test_a_stiff_collar_changes_neither(self):
        """By a tenth at most, through the folds that begin at it."""
        plain, stiff = self.strains(), self.strains("collar")
        assert stiff["front"] == pytest.approx(plain["front"], rel=0.1)
        assert stiff["back"] == pytest.approx(plain["back"], rel=0.1)


def chain(mass: np.ndarray, length: float) -> tuple[float, np.ndarray]:
    """Period in s and shape of the slowest swing of a hung chain of n equal links, mass (n + 1,) kg from its
    held end down: the eigenproblem of its lumped masses and its tensions.
    """
    tension = GRAVITY * (mass.sum() - np.cumsum(mass))[:-1]
    pull = tension / (length / len(tension))
    stiffness = np.diag(np.append(pull, 0) + np.insert(pull, 0, 0)) - np.diag(pull, 1) - np.diag(pull, -1)
    values, shapes = eigh(stiffness[1:, 1:], np.diag(mass[1:]))
    return float(2 * np.pi / np.sqrt(values[0])), np.insert(shapes[:, 0] / shapes[-1, 0], 0, 0)


class TestSwing:
    """A strip cut from the yoke to the hem down the front, swinging by a small angle without air. Truth: the
    hung chain of the same masses; without a heavy hem that is Bernoulli's, 5.226 sqrt(L / g).
    """

    LENGTH, SPACING, TOP = 0.42, 0.02, 1.395

    def period(self, *, heavy: bool) -> tuple[float, float]:
        """Measured, and the chain's."""
        flat, triangles = halved_squares(0.06, self.LENGTH, self.SPACING)
        hung = flat - [0.03, self.LENGTH, 0]
        front = hung + [0, self.TOP, 0.14]
        more = {"multipliers": at(front, np.broadcast_to([0.0, 0, 1.0], front.shape))} if heavy else {}
        fabric = Fabric(
            "strip", stretch_warp=2e4, stretch_weft=2e4, shear=2e3, bend_warp=1e-8, bend_weft=1e-8,
            areal_density=DENSITY,
        )  # fmt: skip
        cloth = cloth_of(hung, triangles, fabric, hung[:, 1] > -1e-9, **more)
        row = np.rint(-hung[:, 1] / self.SPACING).astype(int)
        truth, shape = chain(np.bincount(row, cloth.mass), self.LENGTH)
        start = hung + np.outer(0.01 * shape[row], [0, 0, 1])
        seen = []
        engine = free_engine(cloth, FINAL)
        lowest = row == row.max()
        run_free(
            engine, still(cloth, start), 1.9 * truth, truth / 240,
            lambda time, state: seen.append((time, state.positions[lowest, 2].mean())),
        )  # fmt: skip
        times, places = np.array(seen).T
        turns = np.flatnonzero((places[:-1] > 0) & (places[1:] <= 0))
        share = places[turns] / (places[turns] - places[turns + 1])
        crossings = times[turns] + share * (times[1] - times[0])
        return float(np.diff(crossings)[0]), truth

    def test_as_it_is(self):
        measured, truth = self.period(heavy=False)
        assert truth == pytest.approx(5.226 * np.sqrt(self.LENGTH / GRAVITY), rel=0.005)
        assert measured == pytest.approx(truth, rel=0.01)

    def test_a_heavy_hem_swings_more_slowly(self):
        measured, truth = self.period(heavy=True)
        assert measured == pytest.approx(truth, rel=0.01)
        assert measured > 1.03 * self.period(heavy=False)[0]
