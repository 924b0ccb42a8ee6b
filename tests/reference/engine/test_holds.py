"""Holds against what they must do by closed form: where they take cloth, what they give, how they let go."""

from __future__ import annotations

from dataclasses import dataclass, replace

import igl
import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.holds.acting import Moment
from patient_needle.core.craft.inspect.frame import FrameResult, inspected
from patient_needle.core.craft.inspect.pops import pops, wind_pops
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.topology import triangulated
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.holds import SAG, Choice, Elastic, Follow, Handle, Hold, Stick, Stitch, Tether
from patient_needle.core.model.shot import CastMember, ColliderSettings, Garment, RunIn, ShotPlan, Wind
from patient_needle.core.model.tolerances import FINAL, FIRST_LOOK
from tests.sheets import box, halved_squares, polygons, sheet

GRAVITY = np.array([0.0, -9.81, 0.0])
RATE = 24.0
CLOTH = Fabric("plain weave", areal_density=0.2)


@dataclass(frozen=True, eq=False)
class Moving:
    """A rigid motion: turned by `turn` (3,) rad and moved by `way` (3,) m times sin(2 pi frame / period)."""

    points: np.ndarray
    way: tuple[float, float, float] = (0.0, 0.0, 0.0)
    turn: tuple[float, float, float] = (0.0, 0.0, 0.0)
    period: float = 24.0

    def rest(self):
        return self.points

    def at(self, frame):
        share = np.sin(2 * np.pi * frame / self.period)
        return Rotation.from_rotvec(share * np.array(self.turn)).apply(self.points) + share * np.array(self.way)

    def toward_first(self, frame, share):
        return self.points + share * (self.at(frame) - self.points)

    def span(self):
        return -np.inf, np.inf

    def shaped(self, frame):
        return self


def post(motion: dict | None = None, *, collides: bool = False) -> CastMember:
    """A box behind the cloth, which may move."""
    points, triangles = box((-0.2, -0.1, -0.2), (0.2, 0.5, -0.01))
    mesh = polygons("post", points, triangles.tolist())
    cut = triangulated(mesh)
    count = len(cut.triangles)
    settings = ColliderSettings(Curve.constant(0.002), Curve.constant(0.3)) if collides else None
    return CastMember(
        "post", "character", mesh, cut, Moving(points, **(motion or {})), np.zeros(count, np.int32), ("whole",),
        np.array([50], np.int32), np.ones(count, bool), settings,
    )  # fmt: skip


def cloth(*holds: Hold, name="cloth", up=0.0, fabric=CLOTH, spacing=0.04) -> Garment:
    """A sheet of 0.3 by 0.4 m in the xy plane."""
    points, triangles = sheet(0.3, 0.4, spacing)
    return Garment(name, FromMesh(polygons(name, points + [-0.15, up, 0.0], triangles.tolist())), fabric, holds)


def run(
    *garments: Garment, cast=(), frames=12, patience=FIRST_LOOK, gravity=GRAVITY, drag=0.0
) -> tuple[OutfitRun, list[tuple[FrameResult, ...]]]:
    """The run, and every frame after the first."""
    plan = ShotPlan(
        "holds", RATE, (0, frames), RunIn(0, 0), tuple(cast), garments, gravity, drag, patience=patience
    )
    made = OutfitRun(plan, plan.runs[0])
    return made, list(inspected(made, made.start(), 0, frames))


def top(points: np.ndarray, row: float = 0.4) -> Choice:
    return Choice(vertices=tuple(np.flatnonzero(points[:, 1] > row - 1e-6).tolist()))


def keys(*pairs: tuple[float, float]) -> Curve:
    return Curve(np.array([p[0] for p in pairs], float), np.array([p[1] for p in pairs], float))


def still_handle(**changes) -> Handle:
    zero = Curve.constant(0.0)
    return replace(Handle((zero, zero, zero), (zero, zero, zero), Curve.constant(1.0), None), **changes)


EVERY = Choice(vertices=tuple(range(len(sheet(0.3, 0.4, 0.04)[0]))))
ROW = top(sheet(0.3, 0.4, 0.04)[0])
TURNING = {"turn": (0.3, 1.2, 0.0), "way": (0.2, 0.1, 0.0), "period": 20.0}


class TestPlaces:
    def test_a_welded_follow_is_the_worn_shape(self):
        """Truth: the cloth bound rigidly to a rigid body turns and moves with it."""
        member = post(TURNING)
        made, frames = run(cloth(Hold("row", ROW, Follow("post"))), cast=[member])
        held = np.array(ROW.vertices)
        for frame, (result,) in enumerate(frames, 1):
            share = np.sin(2 * np.pi * frame / 20)
            there = Rotation.from_rotvec(share * np.array(TURNING["turn"])).apply(
                made.outfit.placed[held]
            ) + share * np.array(TURNING["way"])
            assert np.abs(result.positions[held] - there).max() < 1e-9

    def test_it_binds_to_the_nearest_place_of_all(self):
        """Against libigl's closest points."""
        member = post()
        made, _ = run(cloth(Hold("row", ROW, Follow("post"))), cast=[member], frames=0)
        held = made.dressed[0].holds[0]
        taken = made.dressed[0].taken(0)
        points = made.outfit.placed[held.vertices]
        squared, _, nearest = igl.point_mesh_squared_distance(
            points, member.motion.rest(), member.cut.triangles.astype(np.int64)
        )
        at = np.einsum(
            "ik,ikj->ij", taken.place[:, :3], member.motion.rest()[member.cut.triangles[taken.triangle]]
        )
        assert at == pytest.approx(nearest, abs=1e-9)
        assert np.linalg.norm(points - at, axis=1) ** 2 == pytest.approx(squared, abs=1e-9)

    def test_a_welded_stick_stays_at_its_place_through_the_fastest_part(self):
        stick = Hold("row", ROW, Stick("post", 0.05))
        made, frames = run(cloth(stick), cast=[post(TURNING)])
        assert max(r.fastest_vertex for (r,) in frames) > 3.0
        for frame, (result,) in enumerate(frames, 1):
            held, taken = made.dressed[0].holds[0], result.state.taken
            there = held.places.at(taken.triangle, taken.place, frame)
            assert np.abs(result.positions[held.vertices] - there).max() < 1e-4

    def test_only_what_is_within_reach_sticks(self):
        made, _ = run(cloth(Hold("all", EVERY, Stick("post", 0.0105)), up=0.2), cast=[post()], frames=0)
        y = made.outfit.placed[:, 1]
        assert np.array_equal(
            made.start().taken.triangle >= 0, np.hypot(0.01, np.maximum(y - 0.5, 0)) <= 0.0105
        )

    def test_a_hand_takes_hold_where_the_cloth_has_got_to(self):
        """A stick that begins at frame 6 holds on to what is near then, at the distance it has then."""
        late = Hold("all", EVERY, Stick("post", 0.5), on=keys((5, 0), (6, 1)), ease_in=0)
        _, frames = run(cloth(late), cast=[post()])
        fallen = frames[4][0].positions
        assert fallen[:, 1].max() < 0.3
        assert frames[-1][0].positions == pytest.approx(fallen, abs=1e-9)

    def test_a_handle_places_turns_and_scales(self):
        move = still_handle(
            place=(keys((0, 0.0), (10, 0.2)), Curve.constant(0.4), Curve.constant(0.0)),
            turn=(Curve.constant(0.0), Curve.constant(0.0), keys((0, 0), (10, 90))),
            scale=keys((0, 1), (10, 0.5)),
        )
        made, frames = run(cloth(Hold("grip", ROW, move)))
        at = np.array(ROW.vertices)
        x = made.outfit.placed[at, 0]
        end = np.column_stack([np.full(len(x), 0.2), 0.4 + 0.5 * x, np.zeros(len(x))])
        assert frames[-1][0].positions[at] == pytest.approx(end, abs=1e-9)

    def test_a_handle_is_carried(self):
        carried = still_handle(member="post", part="whole")
        made, frames = run(cloth(Hold("grip", ROW, carried)), cast=[post(TURNING)])
        at, share = np.array(ROW.vertices), np.sin(2 * np.pi * 7 / 20)
        there = Rotation.from_rotvec(share * np.array(TURNING["turn"])).apply(
            made.outfit.placed[at]
        ) + share * np.array(TURNING["way"])
        assert frames[6][0].positions[at] == pytest.approx(there, abs=1e-9)


class TestGrip:
    @pytest.mark.parametrize("grip", [0.2, 0.5, 0.9])
    @pytest.mark.parametrize("choice", [EVERY, ROW])
    def test_it_sags_by_load_over_stiffness(self, grip, choice):
        """Hooke: what the held points give on average, by the stiffness each has, is weight over stiffness."""
        soft = Hold("soft", choice, Follow("post"), Curve.constant(grip))
        made, frames = run(cloth(soft), cast=[post()], frames=96, drag=3.0)
        held = made.dressed[0].holds[0]
        down = (made.outfit.placed - frames[-1][0].positions)[held.vertices, 1]
        assert held.of_weight @ down == pytest.approx(SAG * (1 - grip) / grip, rel=0.02)

    def test_it_fades_over_rings(self):
        made, _ = run(
            cloth(Hold("row", replace(ROW, fade=3), Follow("post"), Curve.constant(0.8))),
            cast=[post()],
            frames=0,
        )
        held = made.dressed[0].holds[0]
        inner = np.isin(held.vertices, ROW.vertices)
        assert set(held.grips[inner]) == {1.0}
        assert sorted(set(held.grips[~inner])) == pytest.approx([0.25, 0.5, 0.75])

    @pytest.mark.parametrize(
        "pairs",
        [
            ((20, 0.4), (32, 1.0)),
            ((17, 0.4), (26, 1.0), (31, 1.0), (41, 0.4)),
            ((14, 0.7), (19, 1.0)),
            ((14, 0.2), (29, 0.9)),
        ],
    )
    def test_a_keyed_grip_does_not_pop(self, pairs):
        """A grip that is not flagged before jerks at most twice as hard as the same run with an even grip."""

        def peak(grip: Curve) -> float:
            hold = Hold("row", ROW, Follow("post"), grip)
            assert pops(hold, RATE) == []
            _, frames = run(cloth(hold), cast=[post({"way": (0.1, 0, 0), "period": 24.0})], frames=48, drag=0.5)
            x = np.stack([r.positions for (r,) in frames[6:]])
            return float(np.linalg.norm(np.diff(x, 2, axis=0), axis=2).max()) * RATE**2

        assert peak(keys(*pairs)) <= 2 * peak(Curve.constant(pairs[0][1]))

    @pytest.mark.parametrize(
        ("density", "strength", "frames"), [(0.12, 4.0, 5), (0.3, 8.0, 8), (0.06, 14.0, 14)]
    )
    def test_a_gust_does_not_pop(self, density, strength, frames):
        """A wind that is not flagged before jerks cloth at most twice as hard as one that blows all along."""
        points, triangles = sheet(0.3, 0.8, 0.05)
        points += [-0.15, -0.4, 0.0]
        mesh = polygons("sheet", points, triangles.tolist())
        hold = Hold("row", top(points), Follow("post"))
        garment = Garment("sheet", FromMesh(mesh), Fabric("light", areal_density=density), (hold,))

        def peak(blows: Curve) -> float:
            wind = Wind("gust", blows, heading=Curve.constant(90.0), turbulence=0.2)
            plan = ShotPlan(
                "gust", RATE, (0, 48), RunIn(0, 0), (post(),), (garment,), GRAVITY, 0.2, 1.2, (wind,)
            )
            assert wind_pops(wind, plan) == []
            made = OutfitRun(plan, plan.runs[0])
            x = np.stack([r.positions for (r,) in inspected(made, made.start(), 0, 48)])
            return float(np.linalg.norm(np.diff(x[7:], 2, axis=0), axis=2).max())

        assert peak(keys((10, 0.0), (10 + frames, strength))) <= 2 * peak(Curve.constant(strength))

    def test_taking_hold_again_eases_in(self):
        """The worn shape is far when it takes hold again: it is drawn there over the span, without a jerk."""
        again = Hold("row", ROW, Follow("post"), on=keys((3, 1), (4, 0), (9, 0), (10, 1)), ease_in=8)
        made, frames = run(cloth(again), cast=[post()], frames=24)
        at = np.array(ROW.vertices)
        y = np.array([made.outfit.placed[at, 1].mean(), *(r.positions[at, 1].mean() for (r,) in frames)])
        assert y[9] < y[0] - 0.2
        assert y[18:] == pytest.approx(y[0], abs=1e-9)
        assert np.all(np.abs(np.diff(y)[9:]) < 0.12)


class TestSliding:
    """As if the garment's weight pressed the hold on: down a wall with g (1 - mu), not at all above mu = 1."""

    def test_it_slides_with_what_friction_leaves(self):
        stick = Hold("all", EVERY, Stick("post", 0.5, 0.5), Curve.constant(0.95))
        made, frames = run(cloth(stick, up=0.08), cast=[post()], frames=6, patience=FINAL)
        y = made.outfit.placed[:, 1].mean() - np.array([r.positions[:, 1].mean() for (r,) in frames])
        t = np.arange(1, 7) / RATE
        slope = np.polyfit(t[2:] ** 2, y[2:], 1)[0]
        assert 2 * slope == pytest.approx(9.81 * 0.5, rel=0.03)
        assert np.abs(frames[-1][0].positions[:, 2]).max() < 2e-3

    def test_it_sticks_above(self):
        stick = Hold("all", EVERY, Stick("post", 0.5, 1.2), Curve.constant(0.95))
        made, frames = run(cloth(stick, up=0.1), cast=[post()], frames=48)
        assert np.abs(frames[-1][0].positions - made.outfit.placed).max() < 2 * SAG * 0.05 / 0.95
        assert np.abs(frames[-1][0].positions - frames[23][0].positions).max() < 1e-4


class TestLettingGo:
    def test_a_released_cloth_falls_freely(self):
        """Its centre of mass, air off: 1/2 g t^2 within 0.1 %."""
        hold = Hold("all", EVERY, Follow("post"), on=keys((4, 1), (5, 0)))
        made, frames = run(cloth(hold), cast=[post()], frames=16)
        mass = made.outfit.mass[:, None] / made.outfit.mass.sum()
        start = (mass * made.outfit.placed).sum(axis=0)
        for frame in (8, 12, 16):
            fallen = (mass * frames[frame - 1][0].positions).sum(axis=0) - start
            assert fallen == pytest.approx(0.5 * GRAVITY * ((frame - 4) / RATE) ** 2, rel=1e-3, abs=1e-9)

    def test_it_keeps_its_velocity(self):
        """Thrown upwards by a handle that moves evenly: a parabola."""
        up = still_handle(
            place=(Curve.constant(0.0), Curve(np.arange(0.0, 9), np.arange(9) * 0.08), Curve.constant(0.0))
        )
        hold = Hold("all", EVERY, up, on=keys((5, 1), (6, 0)))
        _, frames = run(cloth(hold), frames=20)
        y = np.array([r.positions[:, 1].mean() for (r,) in frames])
        t = (np.arange(6, 21) - 5) / RATE
        speed = 0.08 * RATE
        assert y[5:] - y[4] == pytest.approx(speed * t - 0.5 * 9.81 * t**2, abs=0.002)


class TestBetween:
    def test_a_tether_is_free_within_its_length(self):
        tether = Hold("line", ROW, Tether(None, 0.15), Curve.constant(0.99))
        made, frames = run(cloth(tether), frames=72, drag=3.0)
        at = np.array(ROW.vertices)
        away = np.linalg.norm(frames[-1][0].positions[at] - made.outfit.placed[at], axis=1)
        early = np.linalg.norm(frames[2][0].positions[at] - made.outfit.placed[at], axis=1)
        speed, t = 0.2 * 9.81 / 3.0, 3 / RATE
        slow = speed / 9.81
        assert early == pytest.approx(speed * (t - slow * (1 - np.exp(-t / slow))), rel=0.01)
        assert away.max() < 0.15 + 2e-3
        assert away.mean() > 0.14

    def test_stitches_join_two_cloths_and_push_neither(self):
        """Without weight the middle of both stays where it was; the gap is what was asked for."""
        one = Hold("seam", ROW, Stitch("other", None, 0.005, 0.05), Curve.constant(0.9))
        lower, upper = cloth(one), cloth(name="other", up=0.42)
        made, frames = run(lower, upper, frames=60, gravity=np.zeros(3), drag=2.0, patience=FINAL)
        x, mass = frames[-1][0].state.positions, made.outfit.mass[:, None]
        assert (mass * x).sum(axis=0) / mass.sum() == pytest.approx(
            (mass * made.outfit.placed).sum(axis=0) / mass.sum(), abs=1e-4
        )
        (seam,) = made.driver.seams
        far = x[seam.vertex] - np.einsum("ik,ikj->ij", seam.weights, x[seam.others])
        assert np.linalg.norm(far, axis=1) == pytest.approx(0.005, abs=2e-4)

    def test_elastic_draws_a_row_to_its_factor(self):
        """A row comes to where band and cloth balance; here the band is far stronger."""
        soft = replace(CLOTH, stretch_warp=1.0, stretch_weft=1.0, shear=1.0, bend_warp=1e-7, bend_weft=1e-7)
        points, triangles = halved_squares(0.3, 0.1, 0.02)
        mesh = polygons("band", points, triangles.tolist())
        row = np.flatnonzero(np.abs(points[:, 1] - 0.1) < 1e-9)
        hold = Hold("band", Choice(vertices=tuple(row.tolist())), Elastic(Curve.constant(0.7), 20.0))
        _, frames = run(
            Garment("band", FromMesh(mesh), soft, (hold,)),
            frames=60,
            gravity=np.zeros(3),
            drag=1.0,
            patience=FINAL,
        )
        x = frames[-1][0].positions[row]
        length = np.linalg.norm(np.diff(x[np.argsort(points[row, 0])], axis=0), axis=1).sum()
        assert length == pytest.approx(0.7 * 0.3, rel=0.02)


def test_what_takes_hold_is_kept_for_going_on():
    """The same bits whether a run went through or was taken up from the middle."""
    late = Hold("all", EVERY, Stick("post", 0.5), Curve.constant(0.7), on=keys((5, 0), (6, 1)))
    made, frames = run(cloth(late), cast=[post(TURNING)])
    again = OutfitRun(made.plan, made.plan.runs[0])
    *_, (last,) = inspected(again, frames[7][0].state, 8, 12)
    assert np.array_equal(last.positions, frames[-1][0].positions)


def test_the_later_of_two_welds_wins():
    zero = Curve.constant(0.0)
    aside = still_handle(place=(keys((0, 0), (6, 0.1)), zero, zero))
    made, frames = run(cloth(Hold("first", ROW, Follow("post")), Hold("second", ROW, aside)), cast=[post()])
    at = np.array(ROW.vertices)
    moved = frames[-1][0].positions[at] - made.outfit.placed[at]
    assert moved == pytest.approx(np.tile([0.1, 0, 0], (len(at), 1)), abs=1e-9)
    grasp = made.dressed[0].grasp(made.start().taken, Moment(3, 3, 3, 0, RATE))
    assert grasp.held.sum() == len(at)
