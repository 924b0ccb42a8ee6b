"""Sewing: from the lay to a garment that is worn. Nothing is drawn through anything on the way.

The welded garment starts flat round a thin figure, which an exact count has proven clear. The figure grows to
its full thickness under contact, so that cloth is pushed out and never pulled in. Then the limbs return to the
rest pose, and the garment gets its weight and falls, as any fitting does.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ...contact.intersections import crossing_pairs, self_crossing_pairs
from ...geometry.topology import edge_codes, triangulated
from ...geometry.tree import build_tree, closest_points
from ...model.errors import ShotError, StartError
from ...model.shot import Garment, PlannedRun, ShotPlan
from ...model.tolerances import SEW_BACK, SEW_GROW, SEW_STILL
from ...model.typed import Flags, Points, Scalars, Vectors
from ...solver.diagnostics import edge_strains
from ...solver.state import at_rest
from ..cast.colliders import Colliders, merged_colliders
from ..holds.acting import together
from ..run.outfit_run import OutfitRun
from ..sewing.cutting import held_pairs, shut
from ..sewing.figure import Figure
from ..sewing.laying import Lay, laid
from ..sewing.source import FromPieces
from .growing import Growth
from .live import Fitting

PRESENT_STRETCH = 1.5  # times its length at most, 99 in 100 edges of cloth that goes on from how it was worn
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
    seams, the most stretched first; open: by how many m what is basted gapes at most.
    """

    p99: float
    worst: float
    seams: tuple[SeamStrain, ...]
    open: float = 0.0


def unsewn(plan: ShotPlan) -> tuple[str, ...]:
    """Garments of a shot that are made of pieces and not sewn yet."""
    return tuple(
        one.name for one in plan.garments if isinstance(one.source, FromPieces) and not one.source.is_sewn
    )


def sewing_plan(plan: ShotPlan, name: str) -> ShotPlan:
    """The shot with the garments that are on, and the one to sew over them; without holds, which come with the
    first fitting. `ShotError` for a garment that is not made of pieces.

    A garment whose pieces were changed goes on from how it was worn, if that is clear for the new pieces too;
    any other is laid anew.
    """
    at = next((k for k, one in enumerate(plan.garments) if one.name == name), None)
    if at is None:
        raise ShotError(f"the shot has no garment '{name}'", remedy="Open the shot again")
    waiting = set(unsewn(plan))
    source = plan.garments[at].source
    if not isinstance(source, FromPieces):
        raise ShotError(f"'{name}' is not made of pieces", remedy="Choose a garment that is sewn")
    beneath = [one for one in plan.garments[:at] if one.name not in waiting]
    if source.lay is not None and _is_clear(plan, source, plan.garments[at].begins, beneath):
        placed = np.asarray(plan.garments[at].begins)
        source = replace(source, surface=source.surface.with_vertices(placed), lay=None)
    elif source.lay is None:
        lay = laid(source.pattern, source.mesh, source.figure)
        placed = source.figure.to_world(lay.points)
        source = replace(source, surface=source.surface.with_vertices(placed), lay=lay)
    own = replace(plan.garments[at], source=source)
    garments = [*beneath, own]
    bare = tuple(replace(one, holds=(), begins=None if one is own else one.begins) for one in garments)
    return replace(plan, garments=bare)


def _is_clear(plan: ShotPlan, source: FromPieces, pose: Points | None, beneath: list[Garment]) -> bool:
    """Whether a sewn garment may begin at a pose (n, 3) m: it crosses nothing, and is nowhere drawn far."""
    mesh = source.mesh
    if pose is None or pose.shape != (mesh.count, 3):
        return False
    ends = np.stack([pose[mesh.triangles], np.roll(pose[mesh.triangles], -1, axis=1)])
    rest = np.linalg.norm(mesh.corners - np.roll(mesh.corners, -1, axis=1), axis=2)
    drawn = np.linalg.norm(ends[1] - ends[0], axis=2) / rest
    if np.percentile(drawn, 99) > PRESENT_STRETCH or np.percentile(drawn, 1) < 1 / PRESENT_STRETCH:
        return False
    closed, place = shut(mesh)
    points = np.zeros((closed.count, 3))
    points[place] = pose
    colliders = merged_colliders(plan)
    others = [
        (one.mesh.vertices if one.begins is None else one.begins, triangulated(one.mesh).triangles)
        for one in beneath
    ]
    others.append((colliders.rest_points(), colliders.triangles))
    if len(self_crossing_pairs(points, closed.triangles)):
        return False
    return all(len(crossing_pairs(pose, mesh.triangles, *other)) == 0 for other in others)


def sewing_of(plan: ShotPlan, name: str) -> Fitting:
    """A fitting in which a garment of `sewing_plan` is being sewn: as the figure grows, or as it hangs already.

    `StartError` where it is laid through what is on already, before anything is simulated.
    """
    run = OutfitRun(plan, PlannedRun(plan.garments, plan.garments))
    own = next(one for one in plan.garments if one.name == name)
    source = own.source
    assert isinstance(source, FromPieces)
    span = run.outfit.spans[[one.name for one in plan.garments].index(name)]
    on = np.ones(run.outfit.count, bool)
    on[span] = False
    if source.lay is None:
        return _begun(run, run.outfit.placed, on)
    growth = _growth(run.colliders, source, run.outfit.placed, on)
    start = growth.worn(0)
    start[span] = run.outfit.placed[span]
    _check(run, growth, start, own)
    fitting = _begun(run, start, on)
    fitting.growth = growth
    return fitting


def _begun(run: OutfitRun, start: Points, on: Flags) -> Fitting:
    """A fitting with the cloth at start (n, 3) m, of which what is on (n,) stays where it is."""
    taken = together([one.taken(run.plan.first_simulated) for one in run.dressed])
    fitting = Fitting(run, at_rest(start, len(run.colliders.rank), taken))
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
    if len(plain) == 0:
        return Sewn(0.0, 0.0, tuple(seams), gaping)
    return Sewn(float(np.percentile(plain, 99)), float(plain.max()), tuple(seams), gaping)
