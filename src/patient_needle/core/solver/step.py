"""One substep: from one state to the next, through nothing.

predict  ->  search  ->  solve  ->  accept or solve again  ->  filter  ->  let friction slip
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..contact.anchors import Anchors, after_slip, anchor_points, with_newcomers
from ..contact.easing import easing_rows
from ..contact.filter import Filtered, PathFilter
from ..contact.pairs import PairFinder
from ..contact.rows import Rows, Surroundings, armed, build_rows, misses, nearest_carriers
from ..geometry.normals import unit, vertex_normals
from ..model.patience import Patience
from ..model.tolerances import DEFAULT, Tolerances
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .air import AirFlow
from .bending import Bending
from .calm import Calm
from .cloth import Cloth
from .contact_force import Contact
from .diagnostics import Energies, FrameTally, beyond_limit, energies
from .forces import Forces, Inflation
from .gather import inner, largest
from .inertia import Inertia, Timing, timing
from .linear import Factors, Preconditioner, Term, conjugate_gradients
from .membrane import Membrane
from .newton import minimise
from .pressure import Pressure
from .state import ClothState

ACCEPT_ROUNDS = 5
ROUGH = 0.25  # of the spacing: a solution that still moves further deserves more passes
# A step so long that inertia hardly counts next to weight and tension, s, and how well it is solved.
UNREST, UNREST_ITERATIONS, UNREST_TOLERANCE = 4.0, 200, 1e-2
STIFFEN_FROM = 3  # from this round on the rows push four times as hard each round


@dataclass(frozen=True, eq=False)
class Surround:
    """Where everything prescribed goes during one substep.

    colliders_from, colliders_to (k, 3) m; held_to (h, 3) m of the held vertices; around: what contact wants;
    wind (n, 3) m/s at each vertex, None in still air; spin (3,) rad/s, how what the cloth is fastened to turns;
    inflation: what fills a closed cloth.
    """

    colliders_from: Points
    colliders_to: Points
    held_to: Points
    around: Surroundings
    wind: Vectors | None = None
    spin: Vectors | None = None
    inflation: Inflation | None = None


class Engine:
    """One cloth among merged colliders: buffers and factors kept between substeps.

    collider_triangles (m, 3) index the colliders' own points; rest_colliders (k, 3) m; gap m, a typical soft
    gap, from which search radii come.
    """

    def __init__(
        self,
        cloth: Cloth,
        rest_colliders: Points,
        collider_triangles: Triangles,
        patience: Patience,
        forces: Forces,
        gap: float,
        tolerances: Tolerances = DEFAULT,
    ) -> None:
        self.cloth = cloth
        self.patience = patience
        self.forces = forces
        self.collider_triangles = (collider_triangles + cloth.count).astype(np.int32)
        self._tolerances = tolerances
        self._gap = gap
        self._stiffness = 0.5 * max(cloth.fabric.stretch_warp, cloth.fabric.stretch_weft)
        self._factors = Factors(cloth, forces.air_drag)
        self._membrane, self._bending = Membrane(cloth), Bending(cloth)
        self._air = AirFlow(cloth, forces)
        self._calm = Calm(cloth, forces.calm) if forces.calm > 0 else None
        self._pressure = Pressure(cloth)
        self._prescribed = np.concatenate([cloth.held, np.ones(len(rest_colliders), bool)])
        self._slack = max(1.5 * gap, 0.3 * cloth.spacing)
        self._finder: PairFinder | None = None
        if len(collider_triangles):
            scene = np.concatenate([cloth.rest_points, rest_colliders])
            self._finder = PairFinder(
                scene, cloth.triangles, self.collider_triangles, cloth.count, 2 * self._slack
            )
            inverse_mass = np.where(
                self._prescribed, 0.0, np.concatenate([1 / cloth.mass, np.ones(len(rest_colliders))])
            )
            self._filter = PathFilter(
                self._finder, cloth.triangles, inverse_mass, 0.5 * self._slack, tolerances
            )

    def step(self, state: ClothState, surround: Surround, step: float, tally: FrameTally) -> ClothState:
        """The state `step` s later."""
        time = timing(state, step)
        terms = self._own_terms(state, time, surround)
        predicted = self._predict(terms[0], surround)
        tally.substeps += 1
        if self._finder is None:
            x = self._solve(terms, predicted, step, self.patience.newton_passes, tally)
            return _advanced(state, x, time)
        return self._step_among(self._finder, terms, predicted, state, time, surround, tally)

    def _step_among(
        self,
        finder: PairFinder,
        terms: tuple[Term, ...],
        predicted: Points,
        state: ClothState,
        time: Timing,
        surround: Surround,
        tally: FrameTally,
    ) -> ClothState:
        """The rest of a step when there are colliders: search, solve and accept, filter, let friction slip."""
        start = np.concatenate([state.positions, surround.colliders_from])
        goal = np.concatenate([predicted, surround.colliders_to])
        with tally.stage("search"):
            finder.begin(start, goal)
            rows, nearest = self._rows(goal, state.released, surround.around, tally)
            easing = easing_rows(
                finder.colliders, start, goal, state.released, surround.around, self._stiffness
            )
        friction = self._friction(state, start, goal, nearest, surround.around)
        slowing = friction.coefficient * np.linalg.norm(state.pushed, axis=1) * time.reach**2 / self.cloth.mass
        goal[: self.cloth.count] = _resting(state, goal, friction, slowing)
        goal, contact = self._touching(terms, rows, easing, goal, friction, state, surround, time.step, tally)
        with tally.stage("filter"):
            filtered = self._filter.run(start, goal, surround.around, state.released)
        _note(tally, filtered, contact)
        with tally.stage("friction"):
            anchors = after_slip(
                friction.anchors, nearest, filtered.points, self.collider_triangles,
                contact.push, contact.slip_limit(),
            )  # fmt: skip
        x = filtered.points[: self.cloth.count]
        return _advanced(state, x, time).replace(
            anchors=anchors, pushed=contact.push, released=filtered.released
        )

    def _own_terms(
        self, state: ClothState, time: Timing, surround: Surround
    ) -> tuple[Inertia, *tuple[Term, ...]]:
        """The cloth's own energy terms, one builder per kind; the inertia first."""
        self._membrane.begin(state.positions, time.step)
        self._bending.begin(state.positions, time.step)
        terms: list[Term] = [self._membrane, self._bending]
        if self._air.is_felt:
            terms.append(self._air.around(state.positions, state.velocities, surround.wind, time))
        if self._calm is not None:
            self._calm.begin(time, surround.spin)
            terms.append(self._calm)
        if surround.inflation is not None:
            self._pressure.begin(surround.inflation)
            terms.append(self._pressure)
        return (Inertia(self.cloth, time, self.forces.gravity), *terms)

    def _predict(self, inertia: Inertia, surround: Surround) -> Points:
        """Where the cloth would go by itself; held vertices where their hold takes them.

        The inertia's own target, so that free motion needs no solving and keeps no error of it.
        """
        out = inertia.target.copy()
        out[self.cloth.held] = surround.held_to
        return out

    def _rows(
        self, goal: Points, released: Flags, around: Surroundings, tally: FrameTally
    ) -> tuple[Rows, Indices]:
        assert self._finder is not None
        pairs = armed(self._finder.along(goal, self._slack), around, released, self.cloth.count)
        rows = build_rows(
            pairs,
            self._finder.start,
            self.collider_triangles,
            around,
            self._prescribed,
            self._stiffness,
            self._tolerances,
        )
        tally.rows += len(rows)
        return rows, nearest_carriers(pairs, self.cloth.count)

    def _friction(
        self, state: ClothState, start: Points, goal: Points, nearest: Indices, around: Surroundings
    ) -> _Friction:
        anchors = with_newcomers(state.anchors, nearest, start, self.collider_triangles, self.cloth.count)
        held_on = anchors.triangle >= 0
        coefficient = np.where(held_on, around.friction[np.maximum(anchors.triangle, 0)], 0.0)
        coefficient *= self.cloth.friction
        points = anchor_points(anchors, goal, self.collider_triangles)
        carried = points - anchor_points(anchors, start, self.collider_triangles)
        return _Friction(anchors, points, carried, coefficient)

    def _touching(
        self,
        terms: tuple[Term, ...],
        rows: Rows,
        easing: Rows | None,
        goal: Points,
        friction: _Friction,
        state: ClothState,
        surround: Surround,
        step: float,
        tally: FrameTally,
    ) -> tuple[Points, Contact]:
        """Solve with contact; solve again while the true motion brings rows that the solution misses."""
        passes, count = self.patience.newton_passes, self.cloth.count
        pushed = np.linalg.norm(state.pushed, axis=1)
        for accept in range(ACCEPT_ROUNDS):
            contact = Contact(
                rows.joined(easing), goal, friction.points, friction.coefficient, pushed, self._stiffness
            )
            goal[:count] = self._solve((*terms, contact), goal[:count], step, passes, tally)
            with tally.stage("search"):
                rows, _ = self._rows(goal, state.released, surround.around, tally)
                missing, _ = misses(goal, rows)
            tally.accept_rounds += 1
            contact.settle(goal[:count])
            pushed = contact.strength()
            if missing.max(initial=0.0) <= self._tolerances.accept_share * self._gap:
                break
            if accept + 1 >= STIFFEN_FROM:
                rows = rows.stiffer(4.0 ** (accept + 2 - STIFFEN_FROM))
            passes = 1
        return goal, contact

    def energies(self, state: ClothState) -> Energies:
        """Energy by kind, J."""
        return energies(self.cloth, self._membrane, self._bending, state, self.forces.gravity)

    def beyond_limit(self, state: ClothState) -> int:
        """Triangles stretched beyond the fabric's strain limit."""
        return beyond_limit(self.cloth, self._membrane, state.positions)

    def unrest(self, state: ClothState, surround: Surround) -> float:
        """How far the cloth is from rest, m: the furthest any vertex still has to go as far as one can see.

        The step of Newton's method to where all forces balance, contact and friction with them, inertia left
        out; and how far the present velocity would still carry it, as a swing of the frequency that velocity
        has (Lord Rayleigh's quotient).
        """
        x, count = state.positions, self.cloth.count
        slow = Timing(UNREST, UNREST, x, np.zeros_like(x))
        terms: tuple[Term, ...] = self._own_terms(state.replace(velocities=np.zeros_like(x)), slow, surround)
        if self._finder is not None:
            scene = np.concatenate([x, surround.colliders_to])
            self._finder.begin(scene, scene)
            rows, nearest = self._rows(scene, state.released, surround.around, FrameTally())
            friction = self._friction(state, scene, scene, nearest, surround.around)
            pushed = np.linalg.norm(state.pushed, axis=1)
            terms = (
                *terms,
                Contact(rows, scene, friction.points, friction.coefficient, pushed, self._stiffness),
            )
        gradient = np.zeros_like(x)
        for term in terms:
            term.gradient(x, gradient)
        gradient[self.cloth.held] = 0.0
        preconditioner = Preconditioner(
            self._factors.for_step(UNREST), vertex_normals(x, self.cloth.triangles), self.cloth.held
        )
        preconditioner.refresh(terms)
        towards, _ = conjugate_gradients(
            terms, gradient, preconditioner, self.cloth.held, UNREST_ITERATIONS, UNREST_TOLERANCE
        )
        v = np.where(self.cloth.held[:, None], 0.0, state.velocities)
        stiff = np.zeros_like(x)
        for term in terms:
            term.product(v, stiff)
        mass, stiffness = inner(v, self.cloth.mass[:, None] * v), inner(v, stiff)
        carried = largest(v) * np.sqrt(mass / stiffness) if stiffness > 0 else 0.0
        return float(largest(towards[:count]) + carried)

    def _solve(
        self, terms: tuple[Term, ...], start: Points, step: float, passes: int, tally: FrameTally
    ) -> Points:
        with tally.stage("solve"):
            normals = vertex_normals(start, self.cloth.triangles)
            preconditioner = Preconditioner(self._factors.for_step(step), normals, self.cloth.held)
            found = minimise(
                terms, start, self.cloth.held, preconditioner, self.patience, passes,
                self.patience.step_tolerance * self.cloth.spacing, ROUGH * self.cloth.spacing,
            )  # fmt: skip
        tally.newton_passes += found.passes
        tally.cg_iterations += found.iterations
        return found.x


@dataclass(frozen=True, eq=False)
class _Friction:
    """Friction's data of one substep.

    anchors, where they end (n, 3) m, how the colliders carry them (n, 3) m, and coefficients (n,), 0 without.
    """

    anchors: Anchors
    points: Points
    carried: Vectors
    coefficient: Scalars


def _resting(state: ClothState, predicted: Points, friction: _Friction, slowing: Scalars) -> Points:
    """A first guess (n, 3) m for the solve: what was pushed goes no further into what pushed it.

    The predicted motion sinks into the collider by a whole substep's fall; from there a solve would start with
    a push far too large. Along the surface each vertex slides as far from its anchor as it would go by itself,
    less `slowing` (n,) m, what friction takes off in a substep under the last push; what would not move stays.
    """
    x = predicted[: len(state.positions)]
    normal, held = unit(state.pushed), friction.anchors.triangle >= 0
    ride = state.positions + np.where(held[:, None], friction.carried, 0.0)
    closing = np.minimum(_dot(x - ride, normal), 0.0)
    free = x - closing[:, None] * normal
    offset = free - friction.points
    offset -= _dot(offset, normal)[:, None] * normal
    length = np.linalg.norm(offset, axis=1)
    pressed = held & (_dot(normal, normal) > 0)
    share = np.minimum(slowing / np.maximum(length, 1e-300), 1.0)
    slowed = free - share[:, None] * offset
    return np.where(pressed[:, None], np.where((share < 1.0)[:, None], slowed, ride), free)


def _dot(a: Vectors, b: Vectors) -> Scalars:
    return np.einsum("ij,ij->i", a, b)


def _advanced(state: ClothState, x: Points, time: Timing) -> ClothState:
    return state.replace(
        positions=x.copy(),
        velocities=time.velocity(x),
        positions_before=state.positions,
        velocities_before=state.velocities,
        last_step=time.step,
    )


def _note(tally: FrameTally, filtered: Filtered, contact: Contact) -> None:
    tally.active_rows += contact.active_count
    tally.filter_moves.append(filtered.moved)
    tally.filter_moved = max(tally.filter_moved, filtered.moved)
    tally.cuts += filtered.cuts
    tally.let_go += filtered.let_go
