"""Holds between cloth and cloth: stitches from garment to garment, and elastic within one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from ...geometry.curves import value_at
from ...geometry.tree import build_tree, closest_points
from ...model.errors import NeedleError, ShotError
from ...model.holds import Choice, Elastic, Stitch, firmness
from ...model.tolerances import BASTED_FIRMNESS, FIRMEST_SEAM
from ...model.typed import Indices, Points, Scalars, Vectors
from ...solver.links import NOBODY, Links, between, joined
from ..garments.choosing import chosen
from .acting import HeldPoints, Moment
from .dressing import Dressed


@dataclass(frozen=True, eq=False)
class Seam:
    """q links of one hold, over all garments of the run. stitched: how many of its vertices found something to
    be stitched to within reach.
    """

    held: HeldPoints
    weight: float
    vertex: Indices
    others: Indices
    weights: Vectors
    length: Scalars
    of_weight: Scalars

    def links(self, moment: Moment) -> Links | None:
        """What they do in a substep; None while the hold is off."""
        grip = self.held.grip_at(moment)
        if grip <= 0.0 or len(self.vertex) == 0:
            return None
        how = self.held.hold.how
        if isinstance(how, Elastic):
            length = value_at(how.factor, moment.time) * self.length
            return between(
                self.vertex, self.others, self.weights, length, grip * how.tension / length, pulls=True
            )
        stiffness = self.of_weight * firmness(np.minimum(grip * self.held.grips, FIRMEST_SEAM), self.weight)
        return between(self.vertex, self.others, self.weights, self.length, stiffness, pulls=False)


def basting_of(worn: Sequence[Dressed], spans: Sequence[slice]) -> Links | None:
    """Links of no length that hold what is basted together, over all garments of a run; None for none.

    As stiff as a few times the cloth beside them, so that a basting is shut before the cloth gives.
    """
    out = []
    for dressed, span in zip(worn, spans, strict=True):
        pairs = dressed.shape.basted
        if pairs is None or len(pairs) == 0:
            continue
        others = np.full((len(pairs), 3), NOBODY, np.int32)
        others[:, 0] = pairs[:, 1] + span.start
        fabric = dressed.cloth.fabric
        stiff = np.full(len(pairs), BASTED_FIRMNESS * max(fabric.stretch_warp, fabric.stretch_weft))
        out.append(
            between(
                pairs[:, 0] + span.start, others, np.tile([1.0, 0.0, 0.0], (len(pairs), 1)),
                np.zeros(len(pairs)), stiff, pulls=False,
            )
        )  # fmt: skip
    return joined(out)


def seams_of(
    worn: Sequence[Dressed], spans: Sequence[slice], starts: Sequence[Points], of: Sequence[str] | None = None
) -> tuple[Seam, ...]:
    """All of a run's, or those of the garments called `of`; starts: where each (n, 3) m lies when it begins.

    A stitch to a garment that is not in the run holds nothing. `ShotError` for one to its own vertices.
    """
    out = []
    for index, dressed in enumerate(worn):
        if of is not None and dressed.cloth.name not in of:
            continue
        for held in dressed.holds:
            try:
                if isinstance(held.hold.how, Stitch):
                    out += _stitched(worn, spans, starts, index, held, held.hold.how)
                elif isinstance(held.hold.how, Elastic):
                    out.append(_elastic(dressed, spans[index], held))
            except NeedleError as error:
                raise error.at(f"garment '{dressed.cloth.name}', hold '{held.hold.name}'") from None
    return tuple(out)


def _elastic(dressed: Dressed, span: slice, held: HeldPoints) -> Seam:
    edges = dressed.cloth.topology.edges
    within = np.isin(edges, held.vertices).all(axis=1)
    if not within.any():
        raise ShotError(
            "no edge lies between its vertices", remedy="Choose a loop or rows, not single vertices"
        )
    chosen_edges = edges[within] + span.start
    others = np.full((len(chosen_edges), 3), NOBODY, np.int32)
    others[:, 0] = chosen_edges[:, 1]
    weights = np.tile([1.0, 0.0, 0.0], (len(chosen_edges), 1))
    lengths = dressed.cloth.rest_lengths[within]
    return Seam(held, dressed.weight, chosen_edges[:, 0], others, weights, lengths, np.ones(len(lengths)))


def _stitched(
    worn: Sequence[Dressed], spans: Sequence[slice], starts: Sequence[Points], index: int, held: HeldPoints,
    stitch: Stitch,
) -> list[Seam]:  # fmt: skip
    names = [one.cloth.name for one in worn]
    if stitch.garment not in names:
        return []
    to = names.index(stitch.garment)
    cloth = worn[to].cloth
    triangles = _within(worn[to], held, stitch.to, own=to == index)
    points = starts[index][held.vertices]
    tree = build_tree(starts[to], triangles)
    triangle, weights, _ = closest_points(tree, starts[to], points, stitch.reach)
    near = np.flatnonzero(triangle >= 0)
    thickness = 0.5 * (worn[index].cloth.fabric.thickness + cloth.fabric.thickness)
    kept = HeldPoints(held.hold, held.vertices[near], held.grips[near], held.of_weight[near], None)
    return [
        Seam(
            kept, worn[index].weight, held.vertices[near] + spans[index].start,
            triangles[triangle[near]] + spans[to].start, weights[near],
            np.full(len(near), max(stitch.gap, thickness)), kept.of_weight,
        )
    ]  # fmt: skip


def _within(to: Dressed, held: HeldPoints, choice: Choice | None, *, own: bool) -> Indices:
    """Triangles (m, 3) that a stitch may go to."""
    triangles = to.cloth.triangles
    if choice is None and own:
        raise ShotError(
            "it stitches the garment to itself, and does not say where", remedy="Choose what it is stitched to"
        )
    if choice is None:
        return triangles
    vertices, _ = chosen(to.shape.surface, to.cloth.topology, to.shape.source_face, choice)
    if own and np.isin(vertices, held.vertices).any():
        vertex = int(vertices[np.isin(vertices, held.vertices)][0])
        raise ShotError(
            f"it stitches vertex {vertex} to itself", remedy="Choose two places that do not overlap"
        )
    within = np.isin(triangles, vertices).any(axis=1)
    if own:
        within &= ~np.isin(triangles, held.vertices).any(axis=1)
    if not within.any():
        raise ShotError("there is no face to stitch to", remedy="Choose more of what it is stitched to")
    return triangles[within]
