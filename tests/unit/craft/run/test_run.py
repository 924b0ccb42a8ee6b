"""A frame's inputs in other hands: tugs, parked cloth, other forces, prescriptions in part, growing bodies."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.craft.drape.hands import Grip, Pull
from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.craft.holds.acting import shares
from patient_needle.core.craft.inspect.frame import FrameResult, inspected
from patient_needle.core.craft.run.inputs import FrameInputs, grown, parked
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.geometry.motion import CachedMotion
from patient_needle.core.model.curve import Curve
from patient_needle.core.model.errors import ShotError
from patient_needle.core.model.garment import FREE, Prescription
from patient_needle.core.model.holds import Follow, Hold
from patient_needle.core.model.shot import Garment, RunIn
from patient_needle.core.model.tolerances import FINAL, PULL_MOST
from patient_needle.core.solver.state import Forces
from tests.reference.engine.test_holds import GRAVITY, RATE, cloth, keys, post, top
from tests.unit.craft.test_craft import plan

FRAMES = 12
NOTHING = np.zeros(3)


def driven(*garments: Garment, change, cast=(), gravity=NOTHING, frames=FRAMES, drag=0.0):
    """The run and its frames, each with `change` made of its inputs."""
    made = plan(
        garments=garments, cast=tuple(cast), frames=(0, frames), run_in=RunIn(0, 0),
        gravity=gravity, air_drag=drag, patience=FINAL,
    )  # fmt: skip
    run = OutfitRun(made, made.runs[0])
    results = [each for (each, *_) in inspected(run, run.start(), 0, frames, change=change)]
    return run, results


def fallen(run: OutfitRun, result: FrameResult) -> float:
    """How far the centre of mass has come down, m."""
    mass = run.outfit.mass
    return float(mass @ (run.outfit.placed - result.positions)[:, 1] / mass.sum())


@pytest.mark.parametrize("pull", [2.0, 10.0])
def test_a_pull_that_slips_pulls_with_its_force_and_no_more(pull):
    """The whole cloth is pulled to a place far away: it accelerates at force over mass (closed form)."""

    def change(inputs: FrameInputs) -> FrameInputs:
        far = np.array([5.0, 0, 0])
        return replace(inputs, links=lambda _: [Pull(grip, far, far).links()])

    made = plan(garments=(cloth(),), cast=(), frames=(0, FRAMES), gravity=NOTHING, patience=FINAL)
    run = OutfitRun(made, made.runs[0])
    mass, every = run.outfit.mass, np.arange(run.outfit.count, dtype=np.int32)
    reach = pull * mass.sum() / (2 * PULL_MOST)
    grip = Grip("cloth", every, mass, run.outfit.placed, reach, NOTHING, every[:3], np.full(3, 1 / 3))
    run, frames = driven(cloth(), change=change)
    went = (frames[-1].positions - run.outfit.placed)[:, 0].mean()
    assert went == pytest.approx(0.5 * pull * (FRAMES / RATE) ** 2, rel=0.02)


def test_parked_cloth_stays_and_the_rest_hangs_from_it():
    garment = cloth()
    upper = garment.mesh.vertices[:, 1] > 0.3
    run, frames = driven(garment, change=lambda inputs: parked(inputs, upper), gravity=GRAVITY)
    moved = frames[-1].positions - run.outfit.placed
    assert np.abs(moved[upper]).max() == 0.0
    assert -0.02 < moved[~upper, 1].min() < 0
    _, let_go = driven(garment, change=lambda inputs: inputs, gravity=GRAVITY)
    assert fallen(run, let_go[-1]) > 0.5


@pytest.mark.parametrize("gravity", [1.62, 24.8])
def test_gravity_and_air_of_a_frame_need_no_new_engine(gravity):
    """Free fall on other worlds, closed form; then air so thick that nothing falls to speak of."""
    forces = Forces(np.array([0, -gravity, 0]), 0.0)
    run, frames = driven(cloth(), change=lambda inputs: replace(inputs, forces=forces), gravity=GRAVITY)
    time = FRAMES / RATE
    assert fallen(run, frames[-1]) == pytest.approx(0.5 * gravity * time**2, rel=0.01)
    thick = Forces(np.array([0, -gravity, 0]), 50.0)
    _, slow = driven(cloth(), change=lambda inputs: replace(inputs, forces=thick), gravity=GRAVITY)
    density = run.dressed[0].cloth.mass.sum() / run.dressed[0].cloth.areas.sum()
    terminal = density * gravity / 50.0
    assert slow[-1].fastest_vertex == pytest.approx(terminal, rel=0.05)


def drifting(garment: Garment) -> CachedMotion:
    """An earlier take of a garment: it drifts sideways by 5 mm a frame."""
    points = garment.mesh.vertices
    frames = np.stack([points + [0.005 * k, 0, 0] for k in range(FRAMES + 1)])
    return CachedMotion(points, frames, 0)


def test_part_of_a_garment_follows_an_earlier_take_and_the_rest_is_simulated():
    garment = cloth()
    down = garment.mesh.vertices[:, 1]
    share = np.clip((down - 0.1) / 0.2, 0.0, 1.0)
    take = drifting(garment)
    told = replace(garment, prescription=Prescription(take, share))
    run, frames = driven(told, change=lambda inputs: inputs, gravity=GRAVITY)
    full, free = share == 1.0, share == 0.0
    last, there = frames[-1].positions, take.at(FRAMES)
    assert last[full] == pytest.approx(there[full], abs=1e-12)
    away = np.abs(last - there).max(axis=1)
    assert 1e-4 < away[free].max() < 0.05
    assert away[(share > 0.9) & ~full].max() < away[free].max()
    assert frames[-1].stretch.worst < 0.02
    assert run.dressed[0].cloth.held.tolist() == full.tolist()


def test_a_prescription_ends_in_time_and_the_cloth_flies_on():
    """Told for six frames, then let go: the centre of mass goes on at the take's speed and falls freely."""
    garment = cloth()
    during = keys((6.0, 1.0), (6.01, 0.0))
    told = replace(garment, prescription=Prescription(drifting(garment), None, during))
    run, frames = driven(told, change=lambda inputs: inputs, gravity=GRAVITY)
    mass = run.outfit.mass / run.outfit.mass.sum()
    assert frames[5].positions == pytest.approx(drifting(garment).at(6), abs=1e-12)
    went = mass @ (frames[-1].positions - frames[5].positions)
    time = 6 / RATE
    assert went[0] == pytest.approx(0.03, abs=1e-4)
    assert went[1] == pytest.approx(-0.5 * 9.81 * time**2, rel=0.02)


def test_holds_say_nothing_where_all_is_told_and_a_bad_prescription_is_refused():
    garment = cloth(Hold("top", top(cloth().mesh.vertices), Follow("post")))
    take = drifting(garment)
    all_told = replace(garment, prescription=Prescription(take))
    run, frames = driven(all_told, cloth(name="other", up=0.5), cast=[post()], change=lambda i: i)
    assert frames[-1].positions == pytest.approx(take.at(FRAMES), abs=1e-12)
    assert run.dressed[0].taken(0).triangle.max() == -1
    assert not FREE.is_all
    for share in (np.nan, -0.1, 1.5):
        wrong = np.where(np.arange(run.outfit.spans[0].stop) == 2, share, 0.5)
        with pytest.raises(ShotError, match="not from 0 to 1"):
            driven(replace(garment, prescription=Prescription(take, wrong)), cast=[post()], change=lambda i: i)
    with pytest.raises(ShotError, match="3 shares, the garment"):
        driven(replace(garment, prescription=Prescription(take, np.ones(3))), cast=[post()], change=lambda i: i)
    with pytest.raises(ShotError, match="finished from frame 0 to 12, but the run goes from 0 to 20"):
        driven(all_told, cast=[post()], change=lambda i: i, frames=20)


def test_a_body_that_grows_pushes_cloth_before_it_and_goes_through_none():
    """A box behind the cloth grows forwards by 12 cm in half a second."""
    body = post(collides=True)
    garment = cloth(spacing=0.03)
    full = body.motion.rest()
    grown_to = np.where(full[:, 2:] > -0.02, full + [0, 0, 0.12], full)
    share = lambda time: min(time / FRAMES, 1.0)  # noqa: E731

    def change(inputs: FrameInputs) -> FrameInputs:
        ahead = replace(inputs, bodies=lambda _: grown_to)
        return grown(ahead, full, share)

    _, frames = driven(garment, cast=[body], change=change, drag=1.0)
    last = frames[-1].positions
    assert all(frame.crossing_colliders == 0 for frame in frames)
    near = (np.abs(last[:, 0]) < 0.15) & (last[:, 1] < 0.4)
    assert last[near, 2].min() > 0.11


@pytest.mark.parametrize(("factor", "carried"), [(0.0, 0.0), (1.0, 0.048)])
def test_friction_of_a_frame_carries_cloth_or_leaves_it(factor, carried):
    """A cloth lies on a slab that slides sideways by 4 mm a frame."""
    points = cloth().mesh.vertices
    flat = np.column_stack([points[:, 0], np.full(len(points), 0.5035), -0.4 * points[:, 1] - 0.02])
    lying = replace(cloth(), source=FromMesh(cloth().mesh.with_vertices(flat)))

    def change(inputs: FrameInputs) -> FrameInputs:
        still = inputs.bodies
        return replace(inputs, friction=factor, bodies=lambda time: still(time) + [0.004 * time, 0, 0])

    _, frames = driven(lying, cast=[post(collides=True)], change=change, gravity=GRAVITY)
    assert (frames[-1].positions - flat)[:, 0].mean() == pytest.approx(carried, abs=4e-3)


def test_a_clearance_beyond_any_that_was_keyed_is_kept_without_a_new_engine():
    """The body asks for 40 mm in place of 2 from the first frame on: the cloth before it moves out that far."""
    garment = cloth(spacing=0.03)

    def change(inputs: FrameInputs) -> FrameInputs:
        keyed = inputs.around

        def wider(time: float):
            around = keyed(time)
            return replace(around, clearance=np.full_like(around.clearance, 0.002 + 0.038 * time / FRAMES))

        return replace(inputs, around=wider)

    _, frames = driven(garment, cast=[post(collides=True)], change=change, drag=1.0)
    inner = (np.abs(frames[-1].positions[:, 0]) < 0.1) & (frames[-1].positions[:, 1] < 0.38)
    gap = frames[-1].positions[inner, 2] + 0.01  # the body's face lies at -10 mm
    assert gap.min() > 0.036
    assert all(frame.crossing_colliders == 0 for frame in frames)


def test_a_keyed_curve_of_a_prescription_is_its_factor():
    told = Prescription(drifting(cloth()), np.array([0.0, 0.5, 1.0]), Curve.constant(0.5))
    assert shares(told, 3, 4.0).tolist() == [0.0, 0.25, 0.5]
    assert not told.always(3).any()
