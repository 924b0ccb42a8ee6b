"""One substep: from one state to the next, through nothing.

predict  ->  search  ->  solve  ->  accept or solve again  ->  filter  ->  let friction slip
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from ..contact.anchors import after_slip, anchor_points, with_newcomers
from ..contact.easing import easing_rows
from ..contact.filter import Filtered, PathFilter
from ..contact.pairs import PairFinder, Pairs
from ..contact.rows import SIDES, Rows, Surroundings, armed, build_rows, misses, nearest_carriers, with_sides
from ..geometry.tree import Tree, build_tree, refit
from ..geometry.triangles import lengths, vertex_normals
from ..model.tolerances import (
    ACCEPT_ROUNDS,
    DEFAULT,
    REST_ROOM,
    ROUGH_SHARE,
    STIFFEN_FROM,
    SUBSTEP_HALVINGS,
    UNREST,
    UNREST_ITERATIONS,
    UNREST_TOLERANCE,
    Patience,
    Tolerances,
)
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .cholesky import Cholesky
from .cloth import Cloth
from .contact_force import Contact, Grips
from .diagnostics import FrameTally
from .elimination import Dissection
from .first_guess import Friction, first_guess, staying
from .inertia import Inertia, Timing, timing
from .linear import Exact, Hessian, Preconditioner, Summed, Term, Together, conjugate_gradients, together
from .links import Links, LinkTerm
from .newton import minimise
from .outfit import PLAIN, Outfit, Wear, Wearing, outfit
from .state import ClothState, Forces, at_rest
from .stiffness import Stiffness
from .sums import inner, largest

MOST_TOGETHER = 4  # sets of factors kept ready
MOST_FACTORS = 3  # of the matrix kept room for, each with other vertices prescribed
LOOK_EVERY = 24  # steps between two looks at how far from rest it is


@dataclass(frozen=True, eq=False)
class Surround:
    """Where everything prescribed goes during one substep.

    colliders_from, colliders_to (k, 3) m; held_to (h, 3) m of the held vertices; around: what contact wants;
    wind (n, 3) m/s at each vertex, None in still air; worn, of each cloth, none when nothing is prescribed;
    held (n,) which vertices are prescribed, None for those that the cloths always hold; links: what draws some;
    forces: gravity and air of this substep, None for those that the engine was made with (shelter and calm stay
    each cloth's own); friction: factor on all friction of cloth.
    """

    colliders_from: Points
    colliders_to: Points
    held_to: Points
    around: Surroundings
    wind: Vectors | None = None
    worn: tuple[Wearing, ...] = ()
    held: Flags | None = None
    links: Links | None = None
    forces: Forces | None = None
    friction: float = 1.0


@dataclass(eq=False)
class Scene:
    """One substep on its way through the stages. Points of cloth (n) come first, then those of colliders (k).

    start     (n + k, 3) m, where the substep begins
    goal      (n + k, 3) m, where it is thought to end; each stage brings the cloth's part nearer to the truth
    terms     the cloths' own energy
    normals   (n, 3) of the cloth at the start
    rows      what touches along the way; easing, what comes out of a collider
    nearest   (SIDES n,) what carries the pair nearest to each vertex on each of its sides
    friction  what is held on to; hint, which way from the first guess what hardly moves would stay
    contact   as it was solved last; accepted, whether the solution misses nothing
    """

    state: ClothState
    time: Timing
    surround: Surround
    tally: FrameTally
    terms: tuple[Term, ...]
    start: Points
    goal: Points
    normals: Vectors = field(init=False)
    rows: Rows = field(init=False)
    easing: Rows | None = field(init=False)
    nearest: Indices = field(init=False)
    friction: Friction = field(init=False)
    hint: Vectors | None = field(init=False)
    contact: Contact = field(init=False)
    accepted: bool = field(init=False)


class Engine:
    """Cloths among merged colliders: buffers and factors kept between substeps.

    collider_triangles (m, 3) index the colliders' own points; rest_colliders (k, 3) m; forces of all cloths or
    of each; gap m, a typical soft gap, and widest m, the largest of cloth on cloth and of cloth on colliders
    anywhere at any time, from which search radii come; against_itself: whether cloth may not pass through
    cloth, always so between several.
    """

    def __init__(
        self,
        cloth: Cloth | Outfit,
        rest_colliders: Points,
        collider_triangles: Triangles,
        patience: Patience,
        forces: Forces | tuple[Forces, ...],
        gap: float,
        *,
        widest: tuple[float, float] = (0.0, 0.0),
        against_itself: bool = False,
        tolerances: Tolerances = DEFAULT,
    ) -> None:
        worn = cloth if isinstance(cloth, Outfit) else outfit((cloth,))
        each = forces if isinstance(forces, tuple) else (forces,) * len(worn.cloths)
        self.cloth = worn
        self.patience = patience
        self.collider_triangles = (collider_triangles + worn.count).astype(np.int32)
        self.wear = tuple(
            Wear(c, s, f, i) for i, (c, s, f) in enumerate(zip(worn.cloths, worn.spans, each, strict=True))
        )
        self._together: dict[tuple[int, ...], Together] = {}
        self._factors: dict[bytes, Cholesky] = {}
        self._matrix = Stiffness([wear.pattern for wear in self.wear])
        self._gravity = each[0].gravity
        self._tolerances = tolerances
        self.gap, self.widest = gap, widest
        self._stiffness = worn.stiffness
        self._collider_count = len(rest_colliders)
        self._missable = max(tolerances.accept_share * gap, tolerances.accept_spacing * worn.spacing)
        self._slack = max(1.5 * gap, REST_ROOM * widest[0], 0.12 * worn.spacing)
        self._wider = max(0.0, REST_ROOM * widest[1] - self._slack)
        self._finder: PairFinder | None = None
        against_itself = against_itself or len(worn.cloths) > 1
        if len(collider_triangles) or against_itself:
            scene = np.concatenate([worn.placed, rest_colliders])
            self._finder = PairFinder(
                scene, worn.triangles, self.collider_triangles, worn.count, 2 * self._slack,
                against_itself=against_itself, wider=self._wider, one=worn.one,
            )  # fmt: skip
            self._filter = PathFilter(
                self._finder,
                worn.triangles,
                self._inverse_mass(worn.held),
                0.5 * self._slack,
                worn.skin,
                tolerances,
            )

    def step(
        self,
        state: ClothState,
        surround: Surround,
        step: float,
        tally: FrameTally,
        halvings: int = SUBSTEP_HALVINGS,
    ) -> ClothState:
        """The state `step` s later; in two halves where contact asks for it, each up to `halvings - 1` more."""
        tally.substeps += 1
        scene = self._predict(state, surround, step, tally)
        if self._finder is None:
            passes = self.patience.newton_passes
            x = self._solve(scene.terms, scene.goal, step, passes, tally, surround)
            return _advanced(state, x, scene.time)
        self._search(self._finder, scene)
        self._guess(scene)
        self._solve_and_accept(scene)
        if not scene.accepted and halvings > 0:
            return self._in_halves(state, surround, step, tally, halvings - 1)
        filtered = self._filtered(scene)
        return self._slipped(self._finder, scene, filtered)

    def _in_halves(
        self, state: ClothState, surround: Surround, step: float, tally: FrameTally, halvings: int
    ) -> ClothState:
        """The same step as two, what is prescribed going straight."""
        links = surround.links
        middle = replace(
            surround,
            colliders_to=0.5 * (surround.colliders_from + surround.colliders_to),
            held_to=0.5 * (state.positions[self._held(surround)] + surround.held_to),
            links=links and links.first_half(),
        )
        tally.substeps -= 1
        state = self.step(state, middle, 0.5 * step, tally, halvings)
        rest = replace(surround, colliders_from=middle.colliders_to, links=links and links.second_half())
        return self.step(state, rest, 0.5 * step, tally, halvings)

    def _predict(self, state: ClothState, surround: Surround, step: float, tally: FrameTally) -> Scene:
        """The scene with the cloth where it would go by itself, held vertices where their hold takes them.

        That is the inertia's own target, so that free motion needs no solving and keeps no error of it.
        """
        time = timing(state, step)
        terms = self._own_terms(state, time, surround)
        predicted = terms[0].target.copy()
        predicted[self._held(surround)] = surround.held_to
        if self._finder is None:
            return Scene(state, time, surround, tally, terms, state.positions, predicted)
        start = np.concatenate([state.positions, surround.colliders_from])
        goal = np.concatenate([predicted, surround.colliders_to])
        return Scene(state, time, surround, tally, terms, start, goal)

    def _search(self, finder: PairFinder, scene: Scene) -> None:
        """Find what could touch along the way."""
        state, around = scene.state, scene.surround.around
        with scene.tally.stage("search"):
            finder.wider = max(self._wider, REST_ROOM * self._widest(scene.surround) - self._slack)
            finder.begin(scene.start, scene.goal)
            scene.normals = vertex_normals(state.positions, self.cloth.triangles)
            pairs = self._pairs(scene.goal, state.released, around)
            scene.rows = self._rows(pairs, scene.goal, scene.normals, scene.surround, scene.tally)
            scene.nearest = nearest_carriers(pairs, finder.carriers, finder.foreign, scene.normals)
            scene.easing = self._easing(finder.colliders, scene.start, scene.goal, state.eased, around)

    def _widest(self, surround: Surround) -> float:
        """The largest gap that cloth may keep from a collider in this substep, m."""
        around, skin = surround.around, self.cloth.skin
        if around.count == 0:
            return 0.0
        thickness = float(around.thickness.max()) + float(skin.thickness.max())
        return float(around.clearance.max()) * float(skin.clearance.max()) + 0.5 * thickness

    def _guess(self, scene: Scene) -> None:
        """Take hold with friction, and let what touches rest on what it touches."""
        count, time, goal, surround = self.cloth.count, scene.time, scene.goal, scene.surround
        with scene.tally.stage("friction"):
            scene.friction = self._friction(scene.state, scene.start, goal, scene.nearest, surround)
            softness = np.zeros(len(goal))
            softness[:count] = np.where(self._held(surround), 0.0, time.reach**2 / self.cloth.mass)
            goal[:count] = first_guess(scene.state, scene.start, goal, scene.rows, scene.friction, softness)
        scene.hint = self._hint(scene.state, goal[:count], scene.friction, time, surround)

    def _solve_and_accept(self, scene: Scene) -> None:
        """Solve with contact; solve again while the true motion brings rows that the solution misses.

        Accepted is what misses none by more than may be left to the filter.
        """
        count, surround = self.cloth.count, scene.surround
        passes = self.patience.newton_passes
        goal, rows, hint = scene.goal, scene.rows, scene.hint
        pushed, drag = lengths(scene.state.pushed), scene.friction.drag
        for accept in range(ACCEPT_ROUNDS):
            scene.contact = contact = Contact(
                rows.joined(scene.easing), goal, scene.friction.grips, pushed, drag
            )
            goal[:count] = self._solve(
                (*scene.terms, contact), goal[:count], scene.time.step, passes, scene.tally, surround, hint
            )
            with scene.tally.stage("search"):
                pairs = self._pairs(goal, scene.state.released, surround.around)
                rows = self._rows(pairs, goal, scene.normals, surround, scene.tally)
                missing, _ = misses(goal, rows)
            scene.tally.accept_rounds += 1
            contact.settle(goal[:count])
            pushed, drag = contact.strength(), contact.drag
            scene.accepted = bool(missing.max(initial=0.0) <= self._missable)
            if scene.accepted:
                return
            if accept + 1 >= STIFFEN_FROM:
                rows = rows.stiffer(4.0 ** (accept + 2 - STIFFEN_FROM))
            passes, hint = 1, None

    def _filtered(self, scene: Scene) -> Filtered:
        """The solution, moved so that no straight way passes through anything."""
        surround = scene.surround
        with scene.tally.stage("filter"):
            self._filter.weigh(self._inverse_mass(self._held(surround)))
            filtered = self._filter.run(scene.start, scene.goal, surround.around, scene.state.released)
        _note(scene.tally, filtered, scene.contact)
        return filtered

    def _slipped(self, finder: PairFinder, scene: Scene, filtered: Filtered) -> ClothState:
        """The state at the end, friction's anchors moved along where they slip."""
        contact = scene.contact
        with scene.tally.stage("friction"):
            anchors = after_slip(
                scene.friction.anchors, scene.nearest, filtered.points, finder.carriers,
                contact.push, contact.slip_limit(), self.cloth.count,
            )  # fmt: skip
        x = filtered.points[: self.cloth.count]
        return _advanced(scene.state, x, scene.time).replace(
            anchors=anchors, pushed=contact.push, released=filtered.released
        )

    def _own_terms(
        self, state: ClothState, time: Timing, surround: Surround
    ) -> tuple[Inertia, *tuple[Term, ...]]:
        """The cloths' own energy terms; the inertia first."""
        worn, forces = surround.worn or (PLAIN,) * len(self.wear), surround.forces
        terms = [
            term
            for wear, wearing in zip(self.wear, worn, strict=True)
            if not wear.cloth.held.all()
            for term in wear.terms(state, time, surround.wind, wearing, forces)
        ]
        if surround.links is not None:
            terms.append(LinkTerm(surround.links, state.positions, time.step))
        return (Inertia(self.cloth.mass, time, self._falling(surround)), *terms)

    def _hint(
        self, state: ClothState, guess: Points, friction: Friction, time: Timing, surround: Surround
    ) -> Vectors | None:
        """Which way (n, 3) m from the first guess the solution lies if what hardly moves stays.

        None without weight, and none in a pinch, where cloth is to come out slowly.
        """
        fall = float(np.linalg.norm(self._falling(surround))) * time.reach**2
        if fall == 0.0 or state.released.any():
            return None
        hint = staying(state, guess, friction, fall, time.step)
        hint[self._held(surround)] = 0.0
        return hint

    def _falling(self, surround: Surround) -> Vectors:
        """Gravity (3,) m/s2 in a substep."""
        return self._gravity if surround.forces is None else surround.forces.gravity

    def _held(self, surround: Surround) -> Flags:
        return self.cloth.held if surround.held is None else surround.held

    def _inverse_mass(self, held: Flags) -> Scalars:
        """1/kg of all points of the scene, 0 where the position is prescribed."""
        return np.concatenate([np.where(held, 0.0, 1 / self.cloth.mass), np.zeros(self._collider_count)])

    def _pairs(self, goal: Points, released: Flags, around: Surroundings) -> Pairs:
        """Pairs along the way to `goal`, without those that are released."""
        assert self._finder is not None
        return armed(self._finder.along(goal, self._slack), around, released, self.cloth.count)

    def _easing(
        self, colliders: Tree | None, start: Points, goal: Points, eased: Flags, around: Surroundings
    ) -> Rows | None:
        """What eases cloth out of those colliders that are on."""
        if colliders is None or not eased.any():
            return None
        if around.on.all():
            refit(colliders, start)
        else:
            colliders = build_tree(start, colliders.triangles[around.on])
        return easing_rows(
            colliders, self.cloth.triangles, start, goal, eased, around.at_work(), self._stiffness
        )

    def _rows(
        self, pairs: Pairs, goal: Points, normals: Vectors, surround: Surround, tally: FrameTally
    ) -> Rows:
        """Rows of the pairs along the way to `goal`."""
        assert self._finder is not None
        rows = build_rows(
            pairs,
            self._finder.start,
            goal,
            self._finder.carriers,
            surround.around,
            np.concatenate([self._held(surround), np.ones(self._collider_count, bool)]),
            self._stiffness,
            self._slack,
            self.cloth.skin,
            self._tolerances,
        )
        tally.rows += len(rows)
        return with_sides(rows, normals, self._finder.foreign)

    def _friction(
        self, state: ClothState, start: Points, goal: Points, nearest: Indices, surround: Surround
    ) -> Friction:
        """Anchors of what touches, and how firmly each holds: sqrt(mu1 mu2) times the substep's factor."""
        assert self._finder is not None
        around, skin = surround.around, np.sqrt(surround.friction) * self.cloth.skin.friction
        carriers, foreign, count = self._finder.carriers, self._finder.foreign, self.cloth.count
        anchors = with_newcomers(state.anchors, nearest, start, carriers, count)
        points = anchor_points(anchors, goal, carriers)
        before = anchor_points(anchors, start, carriers)
        carried = points[:count] - before[:count]
        drawn = np.tile(start[:count], (SIDES, 1)) - before
        drag = self._stiffness * np.where((anchors.triangle >= 0)[:, None], drawn, 0.0)
        at = np.maximum(anchors.triangle, 0)
        on_cloth = anchors.triangle >= foreign
        on_collider = (anchors.triangle >= 0) & ~on_cloth
        coefficient = np.zeros(len(at))
        own = np.tile(skin, SIDES)
        coefficient[on_collider] = (
            np.sqrt(surround.friction) * around.friction[at[on_collider]] * own[on_collider]
        )
        corners = np.full((len(at), 3), -1, np.int32)
        corners[on_cloth] = carriers[at[on_cloth]]
        # Both layers of a contact hold on to each other: each takes half of the friction between them.
        coefficient[on_cloth] = 0.5 * own[on_cloth] * skin[corners[on_cloth]].mean(axis=1)
        weights = np.where(on_cloth[:, None], anchors.coordinates[:, :3], 0.0)
        offset = points.copy()
        offset[on_cloth] -= np.einsum("ik,ikj->ij", weights[on_cloth], goal[corners[on_cloth]])
        grips = Grips(corners, weights, offset, coefficient, self._stiffness)
        return Friction(anchors, points, carried, grips, drag)

    def drawn(self, x: Points, rows: Rows, tangled: Flags, surround: Surround, step: float) -> Points:
        """Where cloth that stands still at x (n, 3) m goes in `step` s, without weight, when rows draw it.

        Contact holds for what lies as it should, soft: tangled (n,) vertices go through anything.
        """
        state = at_rest(x, 0)
        time = Timing(step, step, x, np.zeros_like(x))
        terms = self._own_terms(state, time, surround)[1:]
        scene = np.concatenate([x, surround.colliders_to])
        if self._finder is not None:
            self._finder.begin(scene, scene)
            normals = vertex_normals(x, self.cloth.triangles)
            nothing_let_go = np.zeros((self.cloth.count, len(surround.around.rank)), bool)
            pairs = self._pairs(scene, nothing_let_go, surround.around)
            touched = np.concatenate([tangled, np.zeros(self._collider_count, bool)])
            apart = pairs.only(np.asarray(~touched[pairs.vertices].any(axis=1)))
            rows = rows.joined(self._rows(apart, scene, normals, surround, FrameTally()))
        anchors = SIDES * self.cloth.count
        nothing = Grips(
            np.full((anchors, 3), -1, np.int32), np.zeros((anchors, 3)), np.zeros((anchors, 3)),
            np.zeros(anchors), self._stiffness,
        )  # fmt: skip
        drawing = Contact(rows, scene, nothing, np.zeros(anchors), np.zeros((anchors, 3)))
        still = Inertia(self.cloth.mass, time, np.zeros(3))
        return self._solve(
            (still, *terms, drawing), x, step, self.patience.newton_passes, FrameTally(), surround
        )

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
            normals = vertex_normals(x, self.cloth.triangles)
            pairs = self._pairs(scene, state.released, surround.around)
            rows = self._rows(pairs, scene, normals, surround, FrameTally())
            nearest = nearest_carriers(pairs, self._finder.carriers, self._finder.foreign, normals)
            friction = self._friction(state, scene, scene, nearest, surround)
            pushed, drag = lengths(state.pushed), np.zeros_like(state.pushed)
            terms = (*terms, Contact(rows, scene, friction.grips, pushed, drag))
        gradient = np.zeros_like(x)
        for term in terms:
            term.gradient(x, gradient)
        held = self._held(surround)
        gradient[held] = 0.0
        preconditioner = self._exact(held)
        hessian = Hessian(terms, self._matrix)
        hessian.refresh()
        preconditioner.refresh(hessian)
        towards = conjugate_gradients(
            hessian, gradient, preconditioner, held, UNREST_ITERATIONS, UNREST_TOLERANCE
        ).step
        v = np.where(held[:, None], 0.0, state.velocities)
        mass, stiffness = inner(v, self.cloth.mass[:, None] * v), hessian.product(v, held, np.zeros_like(x))
        carried = largest(v) * np.sqrt(mass / stiffness) if stiffness > 0 else 0.0
        return float(largest(towards[:count]) + carried)

    def _exact(self, held: Flags) -> Exact:
        """With the factor of all that is not held (n,), whose room is kept."""

        def factor() -> Cholesky:
            key, worn = held.tobytes(), self.cloth
            found = self._factors.pop(key, None)
            if found is None:
                found = Cholesky(Dissection(self._matrix.ends, worn.placed, ~held, worn.spans))
            self._factors[key] = found
            if len(self._factors) > MOST_FACTORS:
                del self._factors[next(iter(self._factors))]
            return found

        return Exact(factor)

    def _summed(self, step: float, x: Points, surround: Surround) -> Summed:
        held, links = self._held(surround), surround.links
        fixing = None if links is None else links.fixing(x, step)
        factors = [
            (span, wear.factor(step, held[span], None if fixing is None else fixing[span], surround.forces))
            for wear in self.wear
            for span in (wear.span,)
        ]
        key = tuple(id(factor) for _, factor in factors)
        ready = self._together.pop(key, None) or together(factors)
        self._together[key] = ready
        if len(self._together) > MOST_TOGETHER:
            del self._together[next(iter(self._together))]
        return Summed(ready, vertex_normals(x, self.cloth.triangles), held)

    def _solve(
        self, terms: tuple[Term, ...], start: Points, step: float, passes: int, tally: FrameTally,
        surround: Surround, hint: Vectors | None = None,
    ) -> Points:  # fmt: skip
        with tally.stage("solve"):
            held, patience = self._held(surround), self.patience
            if tally.hard_solves:
                patience, passes = patience.with_exact(), passes + (passes > 1)
            preconditioners: list[Preconditioner] = [self._exact(held)]
            if not patience.exact:
                preconditioners.insert(0, self._summed(step, start, surround))
            found = minimise(
                terms, self._matrix, start, held, preconditioners, patience, passes,
                self.patience.step_tolerance * self.cloth.spacing, ROUGH_SHARE * self.cloth.spacing, hint,
            )  # fmt: skip
        tally.newton_passes += found.passes
        tally.cg_iterations += found.iterations
        tally.line_searches_failed += found.stuck
        tally.hard_solves += found.hard
        return found.x


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


@dataclass(frozen=True, eq=False)
class Settled:
    """unrest in m: how far from rest the cloth is as far as one can see, `Engine.unrest`; steps it took."""

    state: ClothState
    unrest: float
    steps: int


def settle(
    engine: Engine, state: ClothState, surround: Surround, *, to: float, step: float = 1 / 96, most: int = 600
) -> Settled:
    """Steps of `step` s until the cloth is within `to` m of rest, or `most` steps are done: see `unrest`
    which.
    """
    unrest = np.inf
    for done in range(1, most + 1):
        state = engine.step(state, surround, step, FrameTally())
        if done % LOOK_EVERY == 0 or done == most:
            unrest = engine.unrest(state, surround)
            if unrest <= to:
                return Settled(state, unrest, done)
    return Settled(state, unrest, most)
