"""Maps made from what is near: body weights, the distance to a body, another garment; and what contact makes of
clearance and thickness.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
import trimesh

from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.garments.surface import GarmentSurface
from patient_needle.core.craft.maps.drawing import drawn, settled
from patient_needle.core.craft.maps.inputs import MapInputs
from patient_needle.core.geometry.motion import SkinnedMotion, Still
from patient_needle.core.geometry.placing import PlacedMotion
from patient_needle.core.geometry.skinning import Pose, Skeleton, Skin
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.errors import ShotError
from patient_needle.core.model.fabric import Fabric, Multipliers
from patient_needle.core.model.maps import Along, ChalkMap, Fill, FromDistance, FromGarment, FromWeights
from patient_needle.core.model.shot import CastMember, Garment
from patient_needle.core.model.tolerances import FINAL
from patient_needle.core.solver.diagnostics import FrameTally
from patient_needle.core.solver.outfit import outfit
from patient_needle.core.solver.state import Forces
from patient_needle.core.solver.step import Engine, Surround
from tests.sheets import NOTHING, box, cloth_of, polygons, sheet, still, surroundings

POINTS, FACES = sheet(0.6, 0.6, 0.03)
CLOTH = polygons("cloth", POINTS, FACES.tolist())
GROUND = GarmentSurface.of(CLOTH)


def member(name: str, points, faces, motion=None) -> CastMember:
    mesh = polygons(name, points, faces.tolist())
    none = np.zeros(len(faces), np.int32)
    return CastMember(
        name, "character", mesh, triangulated(mesh), motion or Still(mesh.vertices), none, ("all",),
        np.zeros(1, np.int32), np.ones(len(faces), bool), None,
    )  # fmt: skip


def arm() -> CastMember:
    """A tube up the y axis before the cloth, whose lower end goes with "hand", its upper with "upper"."""
    tube = trimesh.creation.cylinder(0.1, 0.8, sections=24).subdivide().subdivide()
    points = np.array(tube.vertices)[:, [0, 2, 1]] * [1, 1, -1] + [0.3, 0.3, -0.11]
    up = np.clip(points[:, 1] / 0.6, 0, 1)
    skin = Skin(np.tile(np.array([0, 1], np.int32), (len(points), 1)), np.column_stack([up, 1 - up]))
    pose = Pose(np.zeros((2, 3)), np.tile([0.0, 0, 0, 1], (2, 1)), np.ones((2, 3)))
    skeleton = Skeleton(
        ("upper", "hand"), np.array([-1, 0], np.int32), np.tile(np.eye(4), (2, 1, 1)), pose, np.eye(4)
    )
    motion = PlacedMotion(SkinnedMotion(points, skin, skeleton, (pose,), 0), np.eye(4))
    return member("figure", points, np.array(tube.faces, np.int32), motion)


def of(*steps, cast=(), garments=()) -> np.ndarray:
    near = MapInputs({one.name: one for one in cast}, {one.name: one for one in garments})
    return drawn(ChalkMap("m", "bend", steps), GROUND, None, near, garment="cloth")


class TestFromABody:
    def test_weights_of_the_nearest_place(self):
        """Truth: they fall evenly with height along the tube, between its rings at 0.1 and 0.5 m."""
        body = arm()
        before = (np.abs(POINTS[:, 0] - 0.3) < 0.05) & (np.abs(POINTS[:, 1] - 0.3) <= 0.2)
        low = np.clip(POINTS[:, 1] / 0.6, 0, 1)
        assert of(FromWeights("figure", ("hand",)), cast=[body])[before] == pytest.approx(
            1 - low[before], abs=1e-6
        )
        assert of(FromWeights("figure", ("upper", "hand")), cast=[body]) == pytest.approx(1.0)

    def test_distance_from_a_ball(self):
        """Truth: the distance from its middle, less its radius; 0 within it."""
        ball = trimesh.creation.icosphere(4, radius=0.2)
        body = member("ball", np.array(ball.vertices) + [0.3, 0.3, 0.1], np.array(ball.faces, np.int32))
        away = np.linalg.norm(POINTS - [0.3, 0.3, 0.1], axis=1) - 0.2
        expected = np.clip(1 - np.maximum(away, 0) / 0.15, 0, 1)
        assert of(FromDistance("ball", 0.15), cast=[body]) == pytest.approx(expected, abs=0.005)
        assert (away < -0.01).any()

    def test_who_has_no_weights_or_is_not_there(self):
        bare = replace(arm(), name="bare", motion=Still(arm().mesh.vertices))
        for step, says in (
            (FromWeights("bare", ("hand",)), "no skin weights"),
            (FromWeights("figure", ("foot",)), "no joint 'foot'"),
            (FromDistance("ghost", 0.1), "the cast has no 'ghost'"),
            (FromDistance("bare", 0.0), "reaches 0 mm"),
        ):
            with pytest.raises(ShotError, match=says) as raised:
                of(step, cast=[arm(), bare])
            assert "map 'm', step 1" in raised.value.where


class TestFromAnotherGarment:
    def lining(self, *steps, z: float = -0.003) -> Garment:
        """Cloth of another spacing close under the first."""
        points, faces = sheet(0.6, 0.3, 0.02, seed=3)
        mesh = polygons("lining", points + [0, 0, z], faces.tolist())
        return Garment(
            "lining", FromMesh(mesh), Fabric("f"), (), maps=(ChalkMap("its", "weight", steps, in_use=False),)
        )

    def test_is_taken_at_the_nearest_place(self):
        """Truth: a gradient is the same on both; cloth further off than the reach stays as it was."""
        across = Along((0, 0, 0), (0.6, 0, 0))
        found = of(Fill(0.25), FromGarment("lining", "its", 0.05), garments=[self.lining(across)])
        near, far = POINTS[:, 1] < 0.34, POINTS[:, 1] > 0.36
        assert found[near] == pytest.approx(np.clip(POINTS[near, 0] / 0.6, 0, 1), abs=1e-9)
        assert found[far] == pytest.approx(0.25)

    def test_two_that_are_made_from_each_other(self):
        own = ChalkMap("m", "bend", (FromGarment("lining", "its", 0.1),))
        mine = Garment("cloth", FromMesh(CLOTH), Fabric("f"), (), maps=(own,))
        with pytest.raises(ShotError, match="made from it"):
            of(FromGarment("lining", "its", 0.1), garments=[mine, self.lining(FromGarment("cloth", "m", 0.1))])
        with pytest.raises(ShotError, match="no garment 'ghost'"):
            of(FromGarment("ghost", "its", 0.1))

    def test_as_plain_values_they_stay_without_the_cast(self):
        ball = trimesh.creation.icosphere(3, radius=0.2)
        body = member("ball", np.array(ball.vertices) + [0.3, 0.3, 0.1], np.array(ball.faces, np.int32))
        own = ChalkMap("m", "bend", (FromDistance("ball", 0.2),))
        mine = Garment(
            "cloth", FromMesh(CLOTH), Fabric("f"), (), maps=(own, replace(own, name="b", in_use=False))
        )
        (kept,) = settled(mine, MapInputs({"ball": body}, {"cloth": mine}))
        assert drawn(kept, GROUND) == pytest.approx(drawn(own, GROUND, None, MapInputs({"ball": body}, {})))


class TestInContact:
    """Cloth let down on a table: how high it lies is what clearance and thickness say."""

    def lying(self, seconds: float = 0.5, **multipliers) -> tuple[np.ndarray, np.ndarray]:
        points, faces = sheet(0.4, 0.2, 0.02)
        flat = points[:, [0, 2, 1]] * [1, 1, -1] + [0, 0.004, 0]
        fabric = Fabric("f", areal_density=0.3, thickness=1e-3, bend_warp=1e-6, bend_weft=1e-6)
        given = {key: value(flat[:, 0]) for key, value in multipliers.items()}
        cloth = cloth_of(flat, faces, fabric, warp=(0, 0, 1.0), multipliers=Multipliers(**given))
        slab, top = box((-0.2, -0.2, -0.5), (0.6, 0.0, 0.3))
        around = surroundings(len(top), 2e-3)
        engine = Engine(
            cloth, slab, top, FINAL, Forces(np.array([0, -9.81, 0]), 0.5), 2.5e-3, widest=(5e-3, 8e-3)
        )
        state, step = still(cloth), 1 / 192
        for _ in range(round(seconds / step)):
            state = engine.step(state, Surround(slab, slab, NOTHING, around), step, FrameTally())
        return flat[:, 0], state.positions[:, 1]

    def test_clearance(self):
        """2 mm and half of 1 mm; three times the 2 mm on the right. Between them the cloth spans the step."""
        x, y = self.lying(clearance=lambda x: np.where(x > 0.2, 3.0, 1.0))
        assert y[x < 0.12] == pytest.approx(2.5e-3, abs=1.5e-4)
        assert y[x > 0.28] == pytest.approx(6.5e-3, abs=2.5e-4)

    def test_thickness(self):
        """Half of 1 mm and half of 5 mm over 2 mm."""
        x, y = self.lying(thickness=lambda x: np.where(x > 0.2, 5.0, 1.0))
        assert y[x < 0.12] == pytest.approx(2.5e-3, abs=1.5e-4)
        assert y[x > 0.28] == pytest.approx(4.5e-3, abs=2e-4)

    def test_thickness_between_two_garments(self):
        """The upper lies half of both thicknesses over the lower: 1 mm, and 2.5 mm where it is four times as
        thick; nowhere nearer, though its limp border may stand up a little.
        """
        points, faces = sheet(0.4, 0.2, 0.02)
        flat = points[:, [0, 2, 1]] * [1, 1, -1]
        fabric = Fabric("f", areal_density=0.3, thickness=1e-3, bend_warp=1e-6, bend_weft=1e-6)
        thick = Multipliers(thickness=np.where(flat[:, 0] > 0.2, 4.0, 1.0))
        lower = cloth_of(flat, faces, fabric, np.ones(len(flat), bool), warp=(0, 0, 1.0))
        upper = cloth_of(flat + [0, 2.6e-3, 0], faces, fabric, warp=(0, 0, 1.0), multipliers=thick)
        both = outfit((lower, upper))
        engine = Engine(
            both,
            NOTHING,
            np.zeros((0, 3), np.int32),
            FINAL,
            Forces(np.array([0, -9.81, 0]), 0.5),
            1e-3,
            widest=(4e-3, 0.0),
        )
        state, around = still(both, both.placed), surroundings(0, 0.0)
        for _ in range(96):
            state = engine.step(state, Surround(NOTHING, NOTHING, flat, around), 1 / 192, FrameTally())
        over = state.positions[len(flat) :, 1]
        for where, wanted in ((flat[:, 0] < 0.12, 1e-3), (flat[:, 0] > 0.28, 2.5e-3)):
            assert over[where].min() > 0.985 * wanted
            assert np.median(over[where]) == pytest.approx(wanted, rel=0.01)
