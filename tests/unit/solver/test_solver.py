"""Energy terms, time, linear solves and effort."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from patient_needle.core.contact.rows import Rows
from patient_needle.core.geometry.triangles import vertex_normals
from patient_needle.core.model.fabric import Fabric
from patient_needle.core.model.tolerances import FINAL, FIRST_LOOK, LADDER
from patient_needle.core.solver.air import AirFlow, Pressure
from patient_needle.core.solver.bending import Bending
from patient_needle.core.solver.cholesky import Cholesky
from patient_needle.core.solver.cloth import STRIP
from patient_needle.core.solver.contact_force import Contact, Grips
from patient_needle.core.solver.diagnostics import FrameTally, furthest, stretch, substeps_for
from patient_needle.core.solver.elimination import Dissection
from patient_needle.core.solver.inertia import Calm, Inertia, timing
from patient_needle.core.solver.linear import Exact, Factors, Hessian, Summed, conjugate_gradients, together
from patient_needle.core.solver.membrane import Membrane
from patient_needle.core.solver.newton import minimise
from patient_needle.core.solver.state import Forces, Inflation
from patient_needle.core.solver.step import Surround, settle
from patient_needle.core.solver.stiffness import Stiffness, pattern_of
from patient_needle.core.solver.sums import Gather, inner, largest
from tests.balloon import two_discs
from tests.sheets import NOTHING, cloth_of, free_engine, run_free, sheet, still, surroundings

FABRIC = Fabric(
    "worsted", stretch_warp=900, stretch_weft=600, shear=90, bend_warp=2e-5, bend_weft=1e-5,
    stretch_damping=0.01, bend_damping=0.02,
)  # fmt: skip


def cloth(held=None, **options):
    points, triangles = sheet(0.2, 0.2, 0.04)
    return cloth_of(points, triangles, FABRIC, None if held is None else held(points), **options)


def crumpled(made, seed=0, size=0.004):
    return made.placed + np.random.default_rng(seed).normal(size=made.placed.shape) * size


def touching(made):
    """Rows between cloth and a fixed point and of the cloth with itself; anchors on both."""
    count = made.count
    rows = Rows(
        np.array([[0, count], [count, 5], [2, 7]], np.int32),
        np.array([[0, 0, 1.0], [0, 0.6, 0.8], [0.8, 0, 0.6]]),
        np.array([300.0, 200.0, 250.0]), np.array([0.01, 0.5, 0.6]), np.array([0.01, 0.02, 0.02]), np.zeros(3),
        np.array([0, 0, 1], np.int32), np.array([[0, 0], [0, 0], [1, 2]], np.int32),
    )  # fmt: skip
    scene = np.concatenate([made.placed, [[0.1, 0.1, 0.0]]])
    corners = np.full((3 * count, 3), -1, np.int32)
    corners[[count + 2, 2 * count + 7]] = [[6, 7, 8], [1, 2, 3]]
    weights = np.where(corners >= 0, [0.5, 0.7, -0.2], 0.0)
    offset = np.where(corners >= 0, 0.002, np.tile(made.placed, (3, 1)) - 0.001)
    grips = Grips(corners, weights, offset, np.full(3 * count, 0.4), 400.0)
    drag = np.random.default_rng(8).normal(size=(3 * count, 3)) * 0.2
    return Contact(rows, scene, grips, np.full(3 * count, 0.5), drag)


def terms_of(made):
    start = crumpled(made, 1)
    pattern = pattern_of(made.count, made.triangles, made.hinges)
    membrane, bending = Membrane(made, pattern), Bending(made, pattern)
    membrane.begin(start, 0.01)
    bending.begin(start, 0.01)
    inertia = Inertia(made.mass, timing(still(made), 0.01), np.array([0, -9.81, 0]))
    contact = touching(made)
    when = timing(still(made).replace(velocities=crumpled(made, 5, 2.0)), 0.01)
    forces = Forces(air_drag=0.1, air_density=1.2, shelter=0.5)
    air = AirFlow(made).around(start, crumpled(made, 6, 2.0), crumpled(made, 7, 3.0), when, forces)
    calm = Calm(made, 0.7)
    calm.begin(when, np.array([0.5, -1.0, 2.0]))
    pressure, kept = Pressure(made), Pressure(made)
    pressure.begin(Inflation(False, 50.0, 0.0))
    kept.begin(Inflation(True, 1.4, 3000.0))
    return {
        "inertia": inertia, "membrane": membrane, "bending": bending, "contact": contact, "air": air,
        "calm": calm, "pressure": pressure, "volume": kept,
    }  # fmt: skip


def room(made):
    return Stiffness([pattern_of(made.count, made.triangles, made.hinges)])


def hessian_of(made, *terms):
    """The terms' linearised Hessian, as they linearised last."""
    hessian = Hessian(terms, room(made))
    hessian.refresh()
    return hessian


def cushion():
    points, triangles = two_discs(0.1, 3)
    return cloth_of(points * [1, 1, 60], triangles, FABRIC, warp=(1.0, 0.3, 0))


TERMS = ["inertia", "membrane", "bending", "contact", "air", "calm", "pressure", "volume"]


@pytest.mark.parametrize("name", TERMS)
def test_gradient_is_the_slope_of_the_energy(name):
    """Central differences of the energy along random directions."""
    made = cushion() if name in ("pressure", "volume") else cloth()
    term, x = terms_of(made)[name], crumpled(made, 2)
    gradient = np.zeros_like(x)
    energy = term.gradient(x, gradient)
    assert term.energy(x) == pytest.approx(energy, rel=1e-12)
    direction = np.random.default_rng(3).normal(size=x.shape)
    step = 1e-7
    slope = (term.energy(x + step * direction) - term.energy(x - step * direction)) / (2 * step)
    assert inner(gradient, direction) == pytest.approx(slope, rel=1e-5)


@pytest.mark.parametrize("name", TERMS)
def test_linearised_hessian_is_symmetric_and_never_negative(name):
    made = cloth()
    made = cushion() if name in ("pressure", "volume") else made
    term, x = terms_of(made)[name], crumpled(made, 2, 0.01)
    term.gradient(x, np.zeros_like(x))
    hessian, free, columns = hessian_of(made, term), np.zeros(made.count, bool), []
    for k in range(0, x.size, 7):
        unit = np.zeros(x.size)
        unit[k] = 1
        out = np.zeros_like(x)
        hessian.product(unit.reshape(x.shape), free, out)
        columns.append(out.ravel())
    matrix = np.array(columns)[:, ::7]
    for axis in np.eye(3) if name != "calm" else ():  # calm gives an estimate
        own = [matrix[i, i] for i, k in enumerate(range(0, x.size, 7)) if axis[k % 3]]
        at = [k // 3 for k in range(0, x.size, 7) if axis[k % 3]]
        assert hessian.along(np.tile(axis, (made.count, 1)))[at] == pytest.approx(own, rel=1e-9, abs=1e-9)
    assert matrix == pytest.approx(matrix.T, rel=1e-9, abs=1e-9)
    assert np.linalg.eigvalsh(matrix).min() >= -1e-9 * np.abs(matrix).max()


def test_rest_shape_is_stress_free():
    """As made: folds that were modelled in carry no moment; flat: they do."""
    flat = cloth()
    x = flat.placed + np.outer(np.abs(flat.placed[:, 0] - 0.1), [0, 0, 1.0])
    for options, quiet in (({"flat_rest_angles": False}, True), ({"flat_rest_angles": True}, False)):
        made = cloth_of(x, flat.triangles, FABRIC, **options)
        bending = Bending(made)
        bending.begin(x, 0.01)
        gradient = np.zeros_like(x)
        bending.gradient(x, gradient)
        assert bool(np.abs(gradient).max() < 1e-12) is quiet


def test_rigid_motion_costs_nothing():
    from scipy.spatial.transform import Rotation

    made = cloth()
    turned = Rotation.from_euler("xyz", [30, 80, 10], degrees=True).apply(made.placed) + 3
    terms = terms_of(made)
    for name in ("membrane", "bending"):
        terms[name].begin(turned, 0.01)
        assert terms[name].energy(turned) == pytest.approx(0, abs=1e-18)


def test_bending_energy_of_a_cylinder():
    """Plate theory (closed form): a sheet rolled to radius R stores D / (2 R^2) per area, D being the rigidity
    of what cannot curl across, for these hinges STRIP times the fabric's; a free strip shows 8/9 of it. The
    fabric's own lies midway, within 6.1 %.
    """
    from tests.sheets import halved_squares

    rigidity, radius = 3e-5, 0.15
    points, triangles = halved_squares(0.3, 0.2, 0.01)
    made = cloth_of(points, triangles, Fabric("plate", bend_warp=rigidity, bend_weft=rigidity))
    angle = points[:, 0] / radius
    rolled = np.stack([radius * np.sin(angle), points[:, 1], radius * (1 - np.cos(angle))], 1)
    bending = Bending(made)
    bending.begin(points, 1.0)
    # The outermost half cell on either side has no hinge to bend.
    area = (0.3 - 0.01) * 0.2
    assert bending.energy(rolled) == pytest.approx(STRIP * rigidity / (2 * radius**2) * area, rel=0.01)
    assert pytest.approx(1.0, abs=0.061) == STRIP
    assert pytest.approx(1.0, abs=0.061) == STRIP * 8 / 9


def test_backward_difference_is_second_order():
    """A mass on a spring (closed form): halving the step divides the error by about four (BDF2)."""

    def error(steps):
        points, triangles = sheet(0.1, 0.1, 0.1)
        made = cloth_of(points, triangles, Fabric("heavy"))
        state, omega, end = still(made), 6.0, 0.8
        step = end / steps
        # A spring to the origin of acceleration -w^2 x, integrated by the same rule, per vertex.
        x = state.positions + 0.1
        state = state.replace(positions=x, positions_before=x.copy())
        for _ in range(steps):
            time = timing(state, step)
            r = time.reach
            new = (time.base + r * time.base_velocity) / (1 + (omega * r) ** 2)
            state = state.replace(
                positions=new, velocities=time.velocity(new), positions_before=state.positions,
                velocities_before=state.velocities, last_step=step,
            )  # fmt: skip
        return np.abs(state.positions - x * np.cos(omega * end)).max()

    assert error(200) / error(400) == pytest.approx(4, rel=0.3)


def test_steps_of_unequal_length_keep_constant_speed_exact():
    made = cloth()
    speed = np.tile([1.0, 2, 3], (made.count, 1))
    state = still(made).replace(
        velocities=speed,
        velocities_before=speed,
        positions_before=made.placed - 0.02 * speed,
        last_step=0.02,
    )
    for step in (0.02, 0.01, 0.04):
        time = timing(state, step)
        assert time.base + time.reach * time.base_velocity == pytest.approx(state.positions + step * speed)
        assert time.base_velocity == pytest.approx(speed)


def summed(made, x):
    return Summed(
        together([(slice(0, made.count), Factors(made).for_step(0.01, made.held))]),
        vertex_normals(x, made.triangles),
        made.held,
    )


def exact(made, _):
    return Exact(
        lambda: Cholesky(Dissection(room(made).ends, made.placed, ~made.held, (slice(0, made.count),)))
    )


@pytest.mark.parametrize(("make", "most"), [(summed, 300), (exact, 6)])
def test_conjugate_gradients_solve_the_linearised_system(make, most):
    made = cloth(lambda points: points[:, 1] > 0.2 - 1e-9)
    terms = tuple(terms_of(made)[name] for name in ("inertia", "membrane", "bending"))
    x = crumpled(made, 4, 0.002)
    gradient = np.zeros_like(x)
    for term in terms:
        term.gradient(x, gradient)
    gradient[made.held] = 0
    preconditioner = make(made, x)
    hessian = hessian_of(made, *terms)
    preconditioner.refresh(hessian)
    step, used, converged = conjugate_gradients(hessian, gradient, preconditioner, made.held, 300, 1e-9)
    assert converged
    assert not conjugate_gradients(hessian, gradient, preconditioner, made.held, 1, 1e-9).converged
    product = np.zeros_like(x)
    work = hessian.product(step, made.held, product)
    assert work == pytest.approx(inner(step, product))
    assert product == pytest.approx(-gradient, abs=1e-6 * np.abs(gradient).max())
    assert np.all(step[made.held] == 0)
    assert used < most
    hinted, _, _ = conjugate_gradients(hessian, gradient, preconditioner, made.held, 300, 1e-9, hint=0.9 * step)
    assert hinted == pytest.approx(step, abs=1e-6 * np.abs(step).max())
    # As far along a hint as serves: all of what falls short, half of twice as far, nothing of the wrong way.
    for share, taken in ((0.9, 0.9), (2.0, 1.0), (-1.0, 0.0)):
        only, count, _ = conjugate_gradients(
            hessian, gradient, preconditioner, made.held, 0, 1e-9, hint=share * step
        )
        assert only == pytest.approx(taken * step, abs=1e-6 * np.abs(step).max())
        assert count == 1


def test_gather_adds_every_corner():
    elements = np.array([(0, 1, 2), (2, 1, 3)], np.int32)
    gather = Gather(elements, 5)
    gather.shares[:] = np.arange(18).reshape(6, 3)
    out = np.ones((5, 3))
    gather.add_to(out)
    expected = np.ones((5, 3))
    np.add.at(expected, elements.ravel(), gather.shares)
    assert out == pytest.approx(expected)
    assert largest(out) == pytest.approx(np.linalg.norm(out, axis=1).max())


@pytest.mark.parametrize(("travel", "expected"), [(0.0, 4), (0.10, 4), (0.2, 8), (0.7, 16), (50.0, LADDER[-1])])
def test_effort_follows_the_fastest_point(travel, expected):
    points = np.zeros((3, 3))
    moved = points.copy()
    moved[1, 2] = travel
    assert substeps_for(FIRST_LOOK, furthest(points, moved)) == expected


def test_effort_has_a_floor_and_stretches_with_time():
    assert substeps_for(FIRST_LOOK, 0.0, 1.0, 10.0) == 16
    assert substeps_for(FIRST_LOOK, 0.0, 3.0) == 12
    assert substeps_for(FIRST_LOOK, 0.2, 2.0) == 8
    assert substeps_for(FIRST_LOOK, 0.0, 0.5) == 4


def test_rest_is_told_from_unrest():
    """A sheet lifted by 1 mm has 1 mm to go; one that hangs has nothing; one that swings through rest at v
    would go on by about v over its frequency.
    """
    made = cloth(lambda points: points[:, 1] > 0.2 - 1e-9)
    engine = free_engine(made, FINAL, air_drag=1.0)
    around = Surround(NOTHING, NOTHING, made.placed[made.held], surroundings(0, 1e-3))
    hung = settle(engine, still(made), around, to=1e-5)
    assert hung.unrest <= 1e-5
    raised = hung.state.positions + np.outer(~made.held * 1e-3, [0, 1, 0])
    assert engine.unrest(still(made, raised), around) == pytest.approx(1e-3, rel=0.3)
    free = (~made.held).astype(float)
    swung = still(made, hung.state.positions).replace(velocities=np.outer(0.1 * free, [0, 0, 1]))
    assert 0.1 / 30 < engine.unrest(swung, around) < 0.1 / 3


def test_effort_without_colliders():
    assert furthest(np.zeros((0, 3)), np.zeros((0, 3))) == 0.0


def test_held_vertices_stay_and_the_sheet_comes_to_rest():
    made = cloth(lambda points: points[:, 1] > 0.2 - 1e-9)
    state = run_free(free_engine(made, FINAL, air_drag=1.0), still(made), 1.5, 1 / 48)
    assert state.positions[made.held] == pytest.approx(made.placed[made.held])
    assert np.abs(state.velocities).max() < 1e-3
    assert 0 < stretch(made, state.positions).worst < 0.01


def test_stretch_leaves_out_what_the_animation_stretches():
    made = cloth(lambda points: points[:, 1] > 0.15)
    pulled = made.placed.copy()
    pulled[made.held, 0] *= 1.2
    found = stretch(made, pulled)
    assert found.held == pytest.approx(0.2, abs=0.01)
    assert not made.held[list(found.worst_edge)].all()


class Misleading:
    """A term whose gradient points uphill: no step along it lowers the energy."""

    lagged = False

    def gradient(self, x, out):
        out -= x
        return float((x**2).sum() / 2)

    def energy(self, x):
        return float((x**2).sum() / 2)

    def stiffen(self, stiffness):
        stiffness.diagonal[:, :3] += 1.0

    def product(self, p, out):
        pass


def test_a_line_search_that_fails_is_told():
    made = cloth_of(*sheet(0.2, 0.2, 0.1), FABRIC)
    start = crumpled(made, 3)
    found = minimise((Misleading(),), room(made), start, made.held, [summed(made, start)], FINAL, 2, 1e-9, 1.0)
    assert found.stuck
    assert np.array_equal(found.x, start)
    engine, tally = free_engine(made, FINAL), FrameTally()
    engine.step(still(made), Surround(NOTHING, NOTHING, NOTHING, surroundings(0, 1e-3)), 0.01, tally)
    assert tally.line_searches_failed == 0


PUSH, STICK, FRICTION = 300.0 * 0.005**2 / 0.01, 400.0, 0.3  # N of a row half as deep as it may be; N/m


def pressed(made, on_cloth, drag):
    """Every vertex pressed from below by PUSH, anchored where it was placed: in space or to three held ones."""
    count = made.count
    rows = Rows(
        np.stack([np.arange(count), count + np.arange(count)], axis=1).astype(np.int32),
        np.tile([0, 0, 1.0], (count, 1)),
        np.full(count, 300.0), np.full(count, 0.01), np.full(count, 0.01), np.zeros(count),
        np.zeros((count, 2), np.int32), np.zeros((count, 2), np.int32),
    )  # fmt: skip
    anchors = np.tile(made.placed, (3, 1))
    corners, weights = np.full((3 * count, 3), -1, np.int32), np.zeros((3 * count, 3))
    if on_cloth:
        corners[:], weights[:] = np.flatnonzero(made.held)[:3], [0.5, 0.7, -0.2]
        anchors -= weights[0] @ made.placed[corners[0]]
    grips = Grips(corners, weights, anchors, np.full(3 * count, FRICTION), STICK)
    scene = np.concatenate([made.placed, made.placed - [0, 0, 0.005]])
    return Contact(rows, scene, grips, np.full(3 * count, PUSH), drag)


def held_above(points):
    return points[:, 1] > 0.2 - 1e-9


@pytest.mark.parametrize("turns", [False, True])
def test_three_passes_tell_what_slips_and_how_far(turns):
    """Closed form: pushed by N and drawn along by f, a mass m moves by h^2 (f - mu N) / m in a substep, or to
    where its spring balances f if that takes less; 1 % of the furthest. From where it holds, and (turns) from a
    slide of 2 cm the other way.
    """
    made, step, limit = cloth(), 0.01, FRICTION * PUSH
    contact = pressed(made, False, np.zeros((3 * made.count, 3)))
    inertia, drawn = made.mass / step**2, np.linspace(0.1, 6.0, made.count) * limit
    speed = np.stack([drawn, 0 * drawn, np.full(made.count, -PUSH)], axis=1) / (inertia * step)[:, None]
    when = timing(still(made).replace(velocities=speed), step)
    terms, start = (Inertia(made.mass, when, np.zeros(3)), contact), made.placed - [0.02 * turns, 0, 0]
    three = replace(FINAL, newton_passes=3, cg_tolerance=1e-9)
    found = minimise(terms, room(made), start, made.held, [exact(made, start)], three, 3, 1e-9, 1.0)
    sticks = drawn / (inertia + STICK)
    exactly = np.where(sticks * STICK <= limit, sticks, (drawn - limit) / inertia)
    assert np.abs((found.x - made.placed)[:, 0] - exactly).max() < 0.01 * exactly.max()


def test_what_is_pressed_far_too_deep_or_hardly_at_all_comes_to_its_depth_in_four_passes():
    """Closed form: a load of 2 PUSH, from a twentieth to ten times as deep as a row bears it; 1 %. Plain Newton
    halves what is too deep, and from hardly any depth first goes ten times too deep. Along the surface friction
    takes mu times the load meanwhile, not the many times that it would take at such depths; 6 %.
    """
    made, step, load = cloth(), 0.01, 2.0 * PUSH
    contact = pressed(made, False, np.zeros((3 * made.count, 3)))
    inertia, drawn = made.mass / step**2, 2.0 * FRICTION * load
    speed = np.tile([drawn, 0.0, -load], (made.count, 1)) / (inertia * step)[:, None]
    when = timing(still(made).replace(velocities=speed), step)
    stiff = 300.0 / 0.01  # N/m2 of a row: stiff * depth^2 = load + inertia * (0.005 - depth)
    right = load + inertia * 0.005
    depth = (np.sqrt(inertia**2 + 4 * stiff * right) - inertia) / (2 * stiff)
    start = made.placed + np.outer(0.005 - depth * np.geomspace(0.05, 10.0, made.count), [0, 0, 1.0])
    four = replace(FINAL, newton_passes=4, cg_tolerance=1e-9)
    terms = (Inertia(made.mass, when, np.zeros(3)), contact)
    found = minimise(terms, room(made), start, made.held, [exact(made, start)], four, 4, 1e-9, 1.0)
    assert 0.005 - (found.x - made.placed)[:, 2] == pytest.approx(depth, rel=0.01)
    slid = (drawn - FRICTION * stiff * depth**2) / inertia
    assert (found.x - made.placed)[:, 0] == pytest.approx(slid, rel=0.06)


def test_what_slips_on_cloth_that_is_held_is_as_stiff_as_on_a_collider():
    """A product with any motion, where drag goes with the slide, against it and aside."""
    made, random = cloth(held_above), np.random.default_rng(4)
    drag = random.normal(size=(3 * made.count, 3)) * FRICTION * PUSH
    x = made.placed + random.normal(size=made.placed.shape) * [0.01, 0.01, 0] * ~made.held[:, None]
    p, found = random.normal(size=x.shape) * ~made.held[:, None], []
    for on_cloth in (False, True):
        term = pressed(made, on_cloth, drag)
        term.gradient(x, np.zeros_like(x))
        found.append(np.zeros_like(x))
        hessian_of(made, term).product(p, made.held, found[-1])
    assert found[1][~made.held] == pytest.approx(found[0][~made.held], rel=1e-9)


def test_forces_of_a_substep_leave_shelter_and_calm_to_the_cloth():
    made = cloth_of(*sheet(0.2, 0.2, 0.05), FABRIC)
    acting = Forces(np.array([0, -9.81, 0]), 0.1, 1.2, shelter=0.8, calm=0.5)
    wind = np.tile([0.0, 0.5, 6.0], (made.count, 1))
    ends = []
    for forces in (None, Forces(acting.gravity, acting.air_drag, acting.air_density)):
        engine = free_engine(made, FIRST_LOOK, acting.gravity, 0.1, air_density=1.2, shelter=0.8, calm=0.5)
        ends.append(run_free(engine, still(made, crumpled(made, 4)), 0.1, 0.01, wind=wind, forces=forces))
    assert np.array_equal(ends[0].positions, ends[1].positions)
