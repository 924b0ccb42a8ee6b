"""Sewing: from the lay to a garment that is worn. Nothing is drawn through anything on the way.

The welded garment starts flat round a thin figure, which an exact count has proven clear. The figure grows to
its full thickness under contact, so that cloth is pushed out and never pulled in. Then the limbs return to the
rest pose, and the garment gets its weight and falls, as any fitting does.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ...contact.intersections import crossing_pairs, self_crossing_pairs
from ...geometry.topology import edge_codes
from ...geometry.tree import build_tree, closest_points
from ...model.errors import ShotError, StartError
from ...model.shot import Garment, PlannedRun, ShotPlan
from ...model.tolerances import SEW_BACK, SEW_GROW, SEW_STILL
from ...model.typed import Flags, Points, Scalars, Triangles, Vectors
from ...solver.diagnostics import edge_strains
from ...solver.state import ClothState, at_rest
from ..cast.colliders import Colliders, merged_colliders
from ..holds.acting import together
from ..run.outfit_run import OutfitRun
from ..run.start import begun, crossing_cloth, put_off
from ..sewing.cutting import SewnMesh, held_pairs
from ..sewing.figure import Figure
from ..sewing.laying import Lay, laid
from ..sewing.source import FromPieces
from .growing import Growth
from .live import Fitting

PRESENT_STRETCH = 1.5  # times its length at most, 99 in 100 edges of cloth that goes on from how it was worn
PRESENT_TANGLED = 0.01  # of its triangles, crossings at most that are drawn out of such cloth
STAGES = ("laid round the figure", "the figure grows", "the limbs go back")


@dataclass(frozen=True)
class SeamStrain:
    """How far a seam is stretched: the mean of its edges, a share, and by how many m it is too short; where:
    the edge that it begins with.
    """

    number: int
    strain: float
    short: float
    where: str


@dataclass(frozen=True)
class Sewn:
    """How a sewn garment is: strain against its flat pieces away from gathers, 99 in 100 and the greatest; the
    seams, the most stretched first; open: by how many m what is basted gapes at most; through: parts of the
    cast that do not collide and that it goes through, each with the number of places.
    """

    p99: float
    worst: float
    seams: tuple[SeamStrain, ...]
    open: float = 0.0
    through: tuple[tuple[str, int], ...] = ()


def unsewn(plan: ShotPlan) -> tuple[str, ...]:
    """Garments of a shot that are made of pieces and not sewn yet."""
    return tuple(
        one.name for one in plan.garments if isinstance(one.source, FromPieces) and not one.source.is_sewn
    )


def sewing_plan(plan: ShotPlan, name: str) -> ShotPlan:
    """The shot with the garments that are on, and the one to sew over them; without holds, which come with the
    first fitting. `ShotError` for a garment that is not made of pieces.

    A garment whose pieces or spacing were changed keeps where it begins, as it was worn; any other is laid.
    """
    at = next((k for k, one in enumerate(plan.garments) if one.name == name), None)
    if at is None:
        raise ShotError(f"the shot has no garment '{name}'", remedy="Open the shot again")
    waiting = set(unsewn(plan))
    source = plan.garments[at].source
    if not isinstance(source, FromPieces):
        raise ShotError(f"'{name}' is not made of pieces", remedy="Choose a garment that is sewn")
    begins = plan.garments[at].begins
    if source.lay is None:  # it is worn as it is cut, and sewn once more from the beginning
        source, begins = _laid(source), None
    own = replace(plan.garments[at], source=source, begins=begins)
    garments = [*(one for one in plan.garments[:at] if one.name not in waiting), own]
    return replace(plan, garments=tuple(replace(one, holds=()) for one in garments))


def _laid(source: FromPieces) -> FromPieces:
    lay = laid(source.pattern, source.mesh, source.figure)
    placed = source.figure.to_world(lay.points)
    return replace(source, surface=source.surface.with_vertices(placed), lay=lay)


def sewing_of(plan: ShotPlan, name: str) -> Fitting:
    """A fitting in which a garment of `sewing_plan` is being sewn: as the figure grows, or from where it
    begins, if it can hang there.

    `StartError` where it is laid through what is on already, before anything is simulated.
    """
    own = next(one for one in plan.garments if one.name == name)
    source = own.source
    assert isinstance(source, FromPieces)
    if own.begins is not None and _is_like(source.mesh, own.begins):
        try:
            return _from_present(plan, own, own.begins)
        except StartError:
            pass  # it is laid anew
    own = replace(own, begins=None)
    run = _run_of(replace(plan, garments=(*plan.garments[:-1], own)))
    span, on = _own_part(run)
    growth = _growth(run.colliders, source, run.outfit.placed, on)
    start = growth.worn(0)
    start[span] = run.outfit.placed[span]
    _check(run, growth, start, own)
    taken = together([one.taken(run.plan.first_simulated) for one in run.dressed])
    fitting = _fitting(run, at_rest(start, len(run.colliders.rank), taken), on)
    fitting.growth = growth
    return fitting


def _is_like(mesh: SewnMesh, pose: Points) -> bool:
    """Whether a pose (n, 3) m is of a mesh, and nowhere drawn far."""
    if pose.shape != (mesh.count, 3):
        return False
    ends = np.stack([pose[mesh.triangles], np.roll(pose[mesh.triangles], -1, axis=1)])
    rest = np.linalg.norm(mesh.corners - np.roll(mesh.corners, -1, axis=1), axis=2)
    drawn = np.linalg.norm(ends[1] - ends[0], axis=2) / rest
    return bool(np.percentile(drawn, 99) < PRESENT_STRETCH and np.percentile(drawn, 1) > 1 / PRESENT_STRETCH)


def _from_present(plan: ShotPlan, own: Garment, pose: Points) -> Fitting:
    """Sewing that goes on from a pose (n, 3) m: put off bodies where a finer mesh cuts into them, and drawn out
    of itself. `StartError` where it goes too deep, or through too much.
    """
    colliders = merged_colliders(plan)
    assert isinstance(own.source, FromPieces)
    triangles = own.source.mesh.triangles
    clear = put_off(pose, triangles, colliders, colliders.rest_points(), plan.first_simulated)
    run = _run_of(replace(plan, garments=(*plan.garments[:-1], replace(own, begins=clear))))
    _, on = _own_part(run)
    tangled = len(crossing_cloth(run.outfit, run.outfit.placed))
    if tangled > PRESENT_TANGLED * len(run.outfit.triangles):
        raise StartError(f"'{own.name}' would begin through itself in {tangled} places")
    fitting = _fitting(run, begun(run.constants, run.plan, run.outfit.placed, lambda: None, easing=False), on)
    fitting.strained = True
    return fitting


def _run_of(plan: ShotPlan) -> OutfitRun:
    return OutfitRun(plan, PlannedRun(plan.garments, plan.garments))


def _own_part(run: OutfitRun) -> tuple[slice, Flags]:
    """The vertices of the garment that is sewn, which is the last one, and which (n,) are on already."""
    span = run.outfit.spans[-1]
    on = np.ones(run.outfit.count, bool)
    on[span] = False
    return span, on


def _fitting(run: OutfitRun, state: ClothState, on: Flags) -> Fitting:
    """A fitting in which what is on (n,) stays where it is."""
    fitting = Fitting(run, state)
    fitting.hands = replace(fitting.hands, parked=on)
    return fitting


def _check(run: OutfitRun, growth: Growth, start: Points, own: Garment) -> None:
    """`StartError` for a lay that crosses anything. What is on already is told where to go, and may cross."""
    triangles = run.outfit.triangles
    mine = ~growth.on[triangles[:, 0]]
    itself = self_crossing_pairs(*run.outfit.as_one(start))
    itself = itself[mine[itself].any(axis=1)]
    colliders = run.colliders.without(growth.off)
    bodies = crossing_pairs(start, triangles, growth.bodies(0), colliders.triangles)
    bodies = bodies[mine[bodies[:, 0]]]
    for pairs, what in ((itself, "other cloth or itself"), (bodies, "the figure")):
        if len(pairs):
            x, y, z = start[run.outfit.triangles[pairs[0, 0]]].mean(axis=0)
            raise StartError(
                f"'{own.name}' is laid through {what} in {len(pairs)} places, so it is not sewn",
                where=f"({x:.3f}, {y:.3f}, {z:.3f}) m",
                remedy="Give it more ease, or hang its pieces elsewhere",
            )


def _growth(colliders: Colliders, source: FromPieces, placed: Points, on: Flags) -> Growth:
    """The figure from thin to full, and what is on (n,) of the cloth at placed (n, 3) m with it."""
    figure, lay = source.figure, source.lay
    assert lay is not None
    mine = np.zeros(len(colliders.members), bool)
    for index, member in enumerate(colliders.members):
        mine[index] = source.around in (member.name, member.stands_in_for)
    if not mine.any():
        raise ShotError(
            f"'{source.around}' does not meet cloth, so nothing can be sewn round it", where="the cast",
            remedy="Let it collide, on the Cast bench",
        )  # fmt: skip
    full = colliders.rest_points()
    which = np.zeros(len(full), bool)
    for index, part in enumerate(colliders.spans):
        which[part] = mine[index]
    body, cloth = _Follows(figure, full[which]), _Follows(figure, placed[on])

    def bodies(steps: float) -> Points:
        out = full.copy()
        out[which] = body.at(*_stance(steps, lay))
        return out

    def worn(steps: float) -> Points:
        out = placed.copy()
        out[on] = cloth.at(*_stance(steps, lay))
        return out

    back = SEW_BACK if lay.arms != 0.0 or lay.legs != 0.0 else 0
    ends = (SEW_STILL, SEW_STILL + SEW_GROW, SEW_STILL + SEW_GROW + back)
    stages = tuple(zip(STAGES, ends, strict=True))
    off = ~mine[colliders.member_of_part]
    return Growth(bodies, worn, on, off, stages if back else stages[:2])


def _stance(steps: float, lay: Lay) -> tuple[float, float, float]:
    """How far the figure is grown, 0 to 1, and the degrees of its arms and legs, after so many steps."""
    grown = min(max((steps - SEW_STILL) / SEW_GROW, 0.0), 1.0)
    back = 1.0 - min(max((steps - SEW_STILL - SEW_GROW) / SEW_BACK, 0.0), 1.0)
    return grown, lay.arms * back, lay.legs * back


class _Follows:
    """Points (k, 3) m of the shot that go with a figure, as its nearest surface does."""

    def __init__(self, figure: Figure, points: Points) -> None:
        self._figure = figure
        self._points = figure.from_world(points)
        self._axis: Points = np.zeros((0, 3))
        self._shares: Vectors = np.zeros((len(figure.limbs), 0))
        if len(points) == 0:
            return
        tree = build_tree(figure.points, figure.triangles)
        on, weights, _ = closest_points(tree, figure.points, self._points)
        corners = figure.triangles[on]
        self._axis = np.einsum("ik,ikj->ij", weights, figure.axis[corners])
        self._shares = np.einsum("ik,sik->si", weights, figure.shares[:, corners])

    def at(self, grown: float, arms: float, legs: float) -> Points:
        """Where they are."""
        figure = self._figure
        shape = figure.shaped(self._points, self._axis, self._shares, grown, arms, legs)
        return figure.to_world(shape)


def judged(fitting: Fitting, source: FromPieces, name: str) -> Sewn:
    """How a garment sits, as it hangs now."""
    index = fitting.cloth.index(name)
    cloth, span = fitting.cloth.outfit.cloths[index], fitting.cloth.outfit.spans[index]
    points = fitting.state.positions[span]
    strain, _ = edge_strains(cloth, points)
    edges = cloth.topology.edges
    gathered = np.zeros(cloth.count, bool)
    gathered[source.mesh.triangles[source.mesh.gathered]] = True
    plain: Scalars = strain[~gathered[edges].any(axis=1)]
    code = edge_codes(edges, cloth.count)
    seams = []
    for (number, seam), vertices in zip(source.pattern.numbered(), source.mesh.seams, strict=True):
        ends = np.stack([vertices[:-1], vertices[1:]], axis=1)
        at = np.searchsorted(code, edge_codes(ends, cloth.count))
        rest = cloth.rest_lengths[at]
        over = float((strain[at] * rest).sum())
        seams.append(SeamStrain(number, over / float(rest.sum()), over, ", ".join(seam.one[0])))
    seams.sort(key=lambda one: -one.strain)
    held = points[held_pairs(source.mesh, source.pattern)]
    gaping = float(np.linalg.norm(held[:, 1] - held[:, 0], axis=1).max(initial=0.0))
    tight = (float(np.percentile(plain, 99)), float(plain.max())) if len(plain) else (0.0, 0.0)
    return Sewn(*tight, tuple(seams), gaping, _through(fitting, points, source.mesh.triangles))


def _through(fitting: Fitting, points: Points, triangles: Triangles) -> tuple[tuple[str, int], ...]:
    """Parts that are left out of their member's collider, and how often a garment at points (n, 3) m crosses
    each.
    """
    bodies, found = fitting.bodies(), []
    for member, span in zip(fitting.colliders.members, fitting.colliders.spans, strict=True):
        pairs = crossing_pairs(points, triangles, bodies[span], member.cut.triangles[~member.chosen])
        which, counts = np.unique(member.part[~member.chosen][pairs[:, 1]], return_counts=True)
        for part, count in zip(which, counts, strict=True):
            found.append((f"{member.part_names[part]} of {member.name}", int(count)))
    return tuple(sorted(found, key=lambda one: -one[1]))
