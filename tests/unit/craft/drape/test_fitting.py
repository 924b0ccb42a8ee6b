"""Hands on cloth: what a pull, a pin, parking, a brush and a set piece do, and what they are refused."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.craft.drape.rest import Rest
from patient_needle.core.craft.garments.sources import FromMesh
from patient_needle.core.geometry.motion import CachedMotion
from patient_needle.core.model.errors import ShotError, StartError
from patient_needle.core.model.shot import Garment
from patient_needle.core.model.tolerances import (
    FITTING_STEP,
    PULL_FIRMNESS,
    PULL_MOST,
    REST_AIR,
    REST_DAMPING,
    REST_STICTION,
)
from tests.fitted import COTTON, block, crossings, curtain, fitted, open_sheet, pillar, post, shot, spot, tube
from tests.sheets import polygons, sheet


def test_a_hem_pulled_too_hard_stretches_as_hooke_says_and_slips_by_the_rest():
    """F = PULL_MOST 2 reach at most; strain F / (Y 2 pi r) of a tube of radius r, stiffness Y N/m (Hooke)."""
    fitting = fitted(shot(post(), garment=tube()))
    fitting.weight(0.0)
    corners, weights = spot(fitting, (0, 0.7, 0.1))
    fitting.pull("tube", corners, weights, 0.05, hem=True)
    fitting.draw(fitting.hands.pulls[0].grip.at + [0, -0.5, 0])
    for _ in range(96):
        fitting.step()
    (pull,) = fitting.hands.pulls
    assert pull.most == pytest.approx(PULL_MOST * 0.1)
    assert pull.slips(fitting.state.positions) > 0.5 - 0.05
    fabric = fitting.plan.garments[0].fabric
    low = fitting.state.positions[:, 1].min()
    strain = (0.7 - low) / 0.3
    bottom = fitting.cloth.outfit.placed[:, 1] < 0.71
    assert low == pytest.approx(fitting.state.positions[bottom, 1].mean(), abs=0.004)
    around = 2 * np.pi * 0.1
    # What is drawn above the hem pulls it in part from within: between all of the force and most of it.
    assert (
        0.6 * pull.most / (fabric.stretch_warp * around)
        < strain
        < 1.3 * pull.most / (fabric.stretch_warp * around)
    )


def test_a_pull_lifts_no_more_than_its_softness():
    """A free end under weight w hangs w / PULL_FIRMNESS below the pointer."""
    fitting = fitted(shot(post(), garment=tube()))
    corners, weights = spot(fitting, (0, 0.7, 0.1))
    fitting.pull("tube", corners, weights, 0.06)
    at = fitting.hands.pulls[0].grip.at
    fitting.draw(at + [0, 0.05, 0.05])
    for _ in range(96):
        fitting.step()
    (pull,) = fitting.hands.pulls
    part = pull.grip.share / pull.grip.share.sum()
    away = np.linalg.norm(
        part @ fitting.state.positions[pull.grip.vertices] - part @ (pull.grip.was + pull.goal)
    )
    weight = 9.81 * fitting.cloth.outfit.mass.sum()
    assert away < 2.0 * weight / PULL_FIRMNESS + 0.002
    assert pull.slips(fitting.state.positions) == 0.0


def test_cloth_is_never_drawn_through_a_body():
    fitting = fitted(shot(pillar(), garment=curtain()))
    corners, weights = spot(fitting, (0, 0.4, 0.11))
    fitting.pull("curtain", corners, weights, 0.1)
    for step in range(40):
        fitting.draw(np.array([0, 0.4, 0.11 - 0.02 * step]))
        fitting.step()
        assert crossings(fitting) == 0
    grip = fitting.hands.pulls[0].grip
    assert fitting.state.positions[grip.vertices, 2].min() > 0.1
    assert fitting.hands.pulls[0].slips(fitting.state.positions) > 0.1


def test_a_mirrored_pull_goes_the_other_way():
    fitting = fitted(shot(post(), garment=tube()))
    corners, weights = spot(fitting, (0.1, 0.8, 0))
    fitting.pull("tube", corners, weights, 0.05, mirrored=True)
    fitting.draw(fitting.hands.pulls[0].grip.at + [0.04, 0.0, 0.0])
    one, other = fitting.hands.pulls
    assert other.grip.at == pytest.approx(one.grip.at * [-1, 1, 1], abs=0.02)
    assert other.goal == pytest.approx([-0.04, 0, 0])


def test_welded_and_parked_cloth_and_nothing_are_refused_in_words():
    fitting = fitted(shot(post(), garment=tube()))
    held = np.flatnonzero(fitting.cloth.outfit.held)
    triangles = fitting.cloth.surfaces[0].triangles
    corners = triangles[np.isin(triangles, held).sum(axis=1) == 2][0]
    with pytest.raises(ShotError, match="welded"):
        fitting.pull("tube", corners, np.isin(corners, held) / 2.0, 0.01)
    with pytest.raises(ShotError, match="no cloth with the corners 0, 1, 2"):
        fitting.pull("tube", np.array([0, 1, 2]), np.array([1.0, 0, 0]), 0.05)
    with pytest.raises(ShotError, match="no garment 'cape'"):
        fitting.pull("cape", corners, np.array([1.0, 0, 0]), 0.05)
    fitting.park("tube", None)
    free, weights = spot(fitting, (0, 0.8, 0.1))
    with pytest.raises(ShotError, match="parked"):
        fitting.pull("tube", free, weights, 0.05)
    assert fitting.hands.pulls == ()


def test_parked_cloth_stays_to_the_bit_and_its_rim_holds_the_rest():
    fitting = fitted(shot(post(), garment=tube()))
    chosen = fitting.state.positions[:, 1] > 0.85
    fitting.park("tube", chosen)
    before = fitting.state.positions.copy()
    for _ in range(24):
        fitting.step()
    assert np.array_equal(fitting.state.positions[chosen], before[chosen])
    moved = np.linalg.norm(fitting.state.positions - before, axis=1)[~chosen]
    assert 1e-5 < moved.max() < 0.05
    fitting.park("tube", chosen, parked=False)
    for _ in range(6):
        fitting.step()
    free = chosen & ~fitting.cloth.outfit.held
    assert not np.array_equal(fitting.state.positions[free], before[free])
    with pytest.raises(ShotError, match="7 vertices were named"):
        fitting.park("tube", np.ones(7, bool))


def test_a_pin_holds_is_moved_and_taken_out():
    fitting = fitted(shot(post(), garment=tube()))
    corners, weights = spot(fitting, (0, 0.7, 0.1))
    with pytest.raises(ShotError, match="nothing is pulled"):
        fitting.pin(in_body=False)
    fitting.pull("tube", corners, weights, 0.06)
    fitting.draw(fitting.hands.pulls[0].grip.at + [0, 0.08, 0.06])
    for _ in range(48):
        fitting.step()
    assert fitting.pin(in_body=False) == [1]
    assert fitting.hands.pulls == ()
    where = fitting.pin_place(1)
    for _ in range(48):
        fitting.step()
    pin = fitting.hands.pins[0]
    assert np.linalg.norm(fitting.state.positions[pin.grip.vertices] - pin.places, axis=1).max() < 0.004
    with pytest.raises(StartError, match="pin 1 would be inside a body"):
        fitting.move_pin(1, np.array([0.0, 0.5, 0.0]))
    fitting.move_pin(1, where + [0.02, 0, 0])
    assert fitting.pin_place(1) == pytest.approx(where + [0.02, 0, 0])
    with pytest.raises(ShotError, match="no pin 4"):
        fitting.free_pin(4)
    fitting.free_pin()
    assert fitting.hands.pins == ()


def test_a_pin_in_a_body_goes_with_it():
    points = block("post", (-0.05, 0.0, -0.05), (0.05, 1.1, 0.05)).mesh.vertices
    frames = np.stack([points + [0.01 * k, 0, 0] for k in range(12)])
    moving = block(
        "post", (-0.05, 0.0, -0.05), (0.05, 1.1, 0.05), "character", CachedMotion(points, frames, 1001)
    )
    fitting = fitted(shot(moving, garment=tube()))
    corners, weights = spot(fitting, (0, 0.75, 0.1))
    fitting.pull("tube", corners, weights, 0.06)
    fitting.pin(in_body=True)
    assert fitting.hands.pins[0].on == "post"
    before = fitting.pin_place(1)
    with pytest.raises(ShotError, match="cannot be taken to frame 2000"):
        fitting.walk(2000)
    fitting.walk(1006)
    steps = 0
    while fitting.stance.walks:
        fitting.step()
        steps += 1
    assert steps == round((1006 - 995) / (24 * FITTING_STEP))
    assert fitting.stance.time == 1006
    assert fitting.pin_place(1) == pytest.approx(before + [0.05, 0, 0], abs=1e-6)
    cloth = fitting.state.positions[fitting.hands.pins[0].grip.vertices].mean(axis=0)
    assert np.linalg.norm(cloth - fitting.pin_place(1)) < 0.015
    assert crossings(fitting) == 0


def test_a_set_piece_grows_in_and_pushes_cloth_aside():
    step = block("step", (-0.3, 0.0, 0.14), (0.3, 0.5, 0.4))
    fitting = fitted(shot(pillar(), step, garment=curtain(before=0.012)))
    fitting.piece("step", comes=False)
    for _ in range(3):
        fitting.step()
    fitting.piece("step", comes=True)
    seen = []
    while fitting.stance.coming:
        assert fitting.step_number < 200
        seen.append(float(fitting.bodies()[8:, 1].max()))
        fitting.step()
        assert crossings(fitting) == 0
    assert seen == sorted(seen)
    assert fitting.bodies()[8:] == pytest.approx(step.mesh.vertices)
    with pytest.raises(ShotError, match="character and stays"):
        fitting.piece("pillar", comes=False)
    with pytest.raises(ShotError, match="no collider"):
        fitting.piece("lamp", comes=True)


def arriving(member, aside):
    """The same member, `aside` (3,) m away until frame 1001, and in its place from there on."""
    points = member.mesh.vertices
    return replace(member, motion=CachedMotion(points + aside, np.stack([points] * 12), 1001))


def until_in(fitting):
    """Step until no piece is on its way."""
    while fitting.stance.coming:
        assert fitting.step_number < 400
        fitting.step()


def test_a_piece_that_catches_cloth_goes_out_again_and_all_is_as_before():
    clamp = arriving(block("clamp", (-0.3, 0.2, 0.05), (0.3, 0.8, 0.4)), [0, 0, 3.0])
    fitting = fitted(shot(pillar(), clamp, garment=curtain(before=0.03)))
    fitting.piece("clamp", comes=False)
    fitting.walk(1002)
    while fitting.stance.walks:
        fitting.step()
    before = fitting.state
    fitting.piece("clamp", comes=True)
    with pytest.raises(StartError, match="cloth is caught between 'clamp' and something else"):
        until_in(fitting)
    assert fitting.state is before
    assert "clamp" in fitting.stance.out


def test_an_open_piece_slides_in_from_the_nearest_clear_place():
    shelf = arriving(open_sheet("shelf", 0.72), [0, -0.3, 0])
    fitting = fitted(shot(post(), shelf, garment=tube()))
    fitting.piece("shelf", comes=False)
    fitting.walk(1002)
    while fitting.stance.walks:
        fitting.step()
    fitting.piece("shelf", comes=True)
    ((_, coming),) = fitting.stance.coming
    assert coming.centre is None
    assert 0.02 < np.linalg.norm(coming.aside) < 0.15  # the tube ends 20 mm below the shelf's place
    try:
        until_in(fitting)
    except StartError as error:
        assert "went out again" in str(error)  # noqa: PT017 - either way cloth crosses nothing
    assert crossings(fitting) == 0


def test_clearance_by_hand_moves_cloth_off_and_only_there():
    fitting = fitted(shot(pillar(), garment=curtain(before=0.004)))
    fitting.clearance("pillar", 0.02)
    for _ in range(48):
        fitting.step()
    near = np.abs(fitting.state.positions[:, 0]) < 0.08
    near &= (fitting.state.positions[:, 1] < 0.75) & ~fitting.cloth.outfit.held
    assert fitting.state.positions[near, 2].min() > 0.1 + 0.018
    with pytest.raises(ShotError, match="no collider"):
        fitting.friction("lamp", 0.2)
    fitting.clearance("pillar", None)
    assert np.isnan(fitting.stance.clearance).all()


def test_a_brush_takes_a_crease_out():
    fitting = fitted(shot(pillar(), garment=curtain(before=0.06)))
    fitting.weight(0.0)
    x = fitting.state.positions.copy()
    middle = int(np.argmin(np.linalg.norm(x - [0, 0.5, x[0, 2]], axis=1)))
    x[middle, 2] += 0.02
    fitting.state = fitting.state.replace(positions=x, positions_before=x)
    corners, weights = spot(fitting, x[middle])
    plain = [abs(fitting.state.positions[middle, 2] - 0.16)]
    fitting.smooth("curtain", corners[None], weights[None], 0.1)
    for _ in range(4):
        fitting.step()
        plain.append(abs(fitting.state.positions[middle, 2] - 0.16))
    assert plain[-1] < 0.35 * plain[0]
    fitting.smoothed()
    assert fitting.hands.smoothing is None


def test_without_weight_nothing_falls_and_back_undoes_it():
    fitting = fitted(shot(post(), garment=tube()))
    fitting.keep("weight")
    fitting.weight(0.0)
    before = fitting.state.positions.copy()
    for _ in range(12):
        fitting.step()
    assert np.abs(fitting.state.positions - before).max() < 1e-6
    assert fitting.back() == "weight"
    assert fitting.hands.weight == 1.0
    with pytest.raises(ShotError, match="nothing to go back to"):
        fitting.back()


def test_rest_is_told_by_how_far_it_goes():
    """Ways that shrink by half in each span add up to as much again: sum of 2^-k."""
    rest = Rest()
    place = np.zeros((1, 3))
    for step in range(1, 61):
        place = place + [[0.001 * 0.5 ** (step / 24), 0, 0]]
        rest = rest.after(step, place)
        if step == 18:
            assert rest.left() is None
    left = sum(0.001 * 0.5 ** (step / 24) for step in range(61, 2000))
    assert rest.left() == pytest.approx(left, rel=0.05)


def test_rest_of_a_share_leaves_out_the_loosest():
    rest, away = Rest(), np.zeros((100, 3))
    away[0] = 1.0
    for step in range(6, 55, 6):
        rest = rest.after(step, away * 0.5 ** (step / 24))
    assert rest.left(0.99) == 0.0
    assert rest.left() > 0.1


def test_a_fitting_comes_to_rest_and_says_so_truly():
    fitting = fitted(shot(post(), garment=tube()))
    fitting.rest(0.0005, 2000)
    while fitting.resting is not None:
        fitting.step()
    assert fitting.at_rest(0.0005)
    assert fitting.step_number < 1500
    there = fitting.state.positions.copy()
    for _ in range(96):
        fitting.step()
    assert np.linalg.norm(fitting.state.positions - there, axis=1).max() < 0.0015


@pytest.mark.parametrize("mass", [0.1, 0.4])
def test_on_the_way_to_rest_cloth_falls_no_faster_than_its_air_lets_it(mass):
    """Terminal speed in air that drags by speed: m g / c, whatever the cloth weighs, since c goes by mass."""
    falling = replace(curtain(before=0.3), holds=(), fabric=replace(COTTON, areal_density=mass))
    fitting = fitted(shot(pillar(), garment=falling))
    fitting.rest(0.0005, 60)
    for _ in range(40):
        fitting.step()
    speed = -fitting.state.velocities[:, 1]
    assert speed == pytest.approx(np.full(len(speed), 9.81 / REST_AIR), rel=0.01)
    fitting.resting = None
    for _ in range(12):
        fitting.step()
    assert (-fitting.state.velocities[:, 1] > 1.5 * 9.81 / REST_AIR).all()


def test_on_the_way_to_rest_viscous_cloth_creeps_the_sooner_to_its_length():
    """Creep of a Kelvin-Voigt solid under a steady load: what is left of its strain falls as exp(-t / tau)."""
    tau, steps = 1.0, 12
    plan = shot(pillar(), garment=replace(curtain(before=0.1), fabric=replace(COTTON, stretch_damping=tau)))

    def longer(rests: bool, steps: int) -> float:
        fitting = fitted(plan)
        begins = fitting.state.positions[:, 1]
        if rests:
            fitting.rest(0.0, 10_000)
        for _ in range(steps):
            fitting.step()
        return float((begins - fitting.state.positions[:, 1]).max())

    at_rest, seconds = longer(rests=True, steps=60), steps * FITTING_STEP
    for rests, time in ((False, tau), (True, tau * REST_DAMPING)):
        expected = at_rest * (1 - np.exp(-seconds / time))
        assert longer(rests, steps) == pytest.approx(expected, rel=0.03)


def test_on_the_way_to_rest_what_lies_still_sticks_firmer_than_what_slides():
    """On a slope a little steeper than friction holds, cloth at rest stays; else it slides as Coulomb says."""
    points, triangles = sheet(0.2, 0.2, 0.05)
    level = np.stack([points[:, 0], np.full(len(points), 0.1025), -points[:, 1]], axis=1)
    garment = Garment("cloth", FromMesh(polygons("cloth", level, triangles.tolist())), COTTON, ())
    floor, friction, steps = block("floor", (-2.0, 0.0, -2.0), (2.0, 0.1, 2.0)), 0.3, 48
    angle = np.arctan(friction * (1 + REST_STICTION) / 2)
    down = 9.81 * np.array([np.sin(angle), -np.cos(angle), 0.0])
    plan = shot(floor, garment=garment, gravity=down, air_drag=0.0)

    def gone(rests: bool) -> float:
        fitting = fitted(plan)
        if rests:
            fitting.rest(0.0, 10 * steps)
        for _ in range(steps):
            fitting.step()
        return float((fitting.state.positions - level)[:, 0].mean())

    slides = 0.5 * 9.81 * (np.sin(angle) - friction * np.cos(angle)) * (steps * FITTING_STEP) ** 2
    assert gone(rests=False) == pytest.approx(slides, rel=0.1)
    assert abs(gone(rests=True)) < 0.002


def test_the_same_hands_give_the_same_bits():
    def run():
        fitting = fitted(shot(pillar(), garment=curtain()))
        for step in range(30):
            if step == 4:
                fitting.pull("curtain", *spot(fitting, (0.1, 0.4, 0.11)), 0.08)
            if 4 < step < 20:
                fitting.draw(np.array([0.1, 0.4, 0.11]) + 0.01 * step)
            if step == 20:
                fitting.pin(in_body=False)
            fitting.step()
        return fitting.state

    one, other = run(), run()
    assert one.positions.tobytes() == other.positions.tobytes()
    assert one.velocities.tobytes() == other.velocities.tobytes()
