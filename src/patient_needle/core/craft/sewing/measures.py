"""Measures of a figure for cutting clothes: girths and lengths, each with the line a tape would follow."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from ...geometry.level_lines import level_line
from ...model.errors import CastError
from ...model.typed import Flags, Points, Vectors
from .figure import Figure, Limb
from .pattern import length_of

STEP = 0.01  # m between levels that are looked at
BESIDE = 0.6  # of the way to a leg's joint, how far beside the middle the crotch loop is led
OWN = 0.5  # of a triangle's weights, from which on it belongs to a limb


@dataclass(frozen=True, eq=False)
class Measure:
    """value m; tape (k, 3) m, the line that it was taken along, in the figure's frame; closed: a girth."""

    name: str
    value: float
    tape: Points
    closed: bool = True


@dataclass(frozen=True, eq=False)
class Measures:
    """What was taken off a figure, by name, and the heights m that girths were taken at."""

    every: dict[str, Measure]
    heights: dict[str, float]

    def of(self, name: str) -> float:
        """A measure, m."""
        return self.every[name].value

    def corrected(self, values: dict[str, float]) -> Measures:
        """The same with some values, m, given by hand."""
        every = dict(self.every)
        for name, value in values.items():
            if name not in every:
                raise CastError(
                    f"there is no measure '{name}'", remedy=f"Correct one of {', '.join(sorted(every))}"
                )
            every[name] = Measure(name, value, every[name].tape, every[name].closed)
        return Measures(every, self.heights)


def measured(figure: Figure) -> Measures:
    """Take the measures. Girths are of a string drawn tight: the perimeter of the section's convex hull.
    `CastError` where a level cuts nothing.
    """
    taken = _Taking(figure)
    return Measures(taken.measures(), taken.heights)


class _Taking:
    def __init__(self, figure: Figure) -> None:
        self.figure = figure
        arms = figure.limbs["left arm"].share + figure.limbs["right arm"].share
        self.trunk = self._own(1.0 - arms)
        self.heights: dict[str, float] = {}

    def _own(self, share: Vectors) -> Flags:
        return np.asarray(share[self.figure.triangles].mean(axis=1) > OWN)

    def measures(self) -> dict[str, Measure]:
        figure, out = self.figure, []
        crotch = self._crotch()
        shoulder = figure.limbs["left arm"].root
        trunk = figure.neck[1] - crotch
        waist = self._extreme(crotch + 0.25 * trunk, figure.neck[1] - 0.35 * trunk, least=True)
        hip = self._extreme(crotch + 0.01, waist - 0.05 * trunk, least=False)
        chest = self._extreme(waist + 0.05 * trunk, shoulder[1] - 0.20 * trunk, least=False)
        self.heights = {"crotch": crotch, "waist": waist, "hip": hip, "chest": chest, "shoulder": shoulder[1]}
        for name, height in (("chest", chest), ("waist", waist), ("hip", hip)):
            out.append(self._girth(name, np.array([0.0, height, 0.0]), np.array([0.0, 1.0, 0.0]), self.trunk))
        neck = figure.neck + np.array([0.0, 0.25 * (figure.points[:, 1].max() - figure.neck[1]) * 0.4, 0.0])
        out.append(self._girth("neck", neck, np.array([0.0, 1.0, 0.0]), self.trunk))
        arm, leg = figure.limbs["left arm"], figure.limbs["left leg"]
        out += [
            self._round("upper arm", arm, 0.40),
            self._round("elbow", arm, 1.0),
            self._round("wrist", arm, 1.95),
            self._round("thigh", leg, 0.25),
            self._round("knee", leg, 1.0),
            self._round("ankle", leg, 1.90),
        ]
        top = figure.neck[1]
        out += [
            self._straight("arm length", arm.root, arm.middle, arm.end),
            self._straight("shoulder", figure.limbs["right arm"].root, figure.limbs["left arm"].root),
            self._straight("back length", np.array([0, top, 0.0]), np.array([0, waist, 0.0])),
            self._straight("inseam", np.array([0, crotch, 0.0]), np.array([0, 0.0, 0.0])),
            self._straight("waist height", np.array([0, waist, 0.0]), np.array([0, 0.0, 0.0])),
            self._rise(waist),
        ]
        return {one.name: one for one in out}

    def _crotch(self) -> float:
        """Height of the lowest place of the trunk in the middle, m."""
        line = self._middle_line()
        own = line[(line[:, 1] < self.figure.neck[1])]
        if len(own) == 0:
            raise CastError("the figure has no middle", where="its mesh")
        return float(own[:, 1].min())

    def _middle_line(self) -> Points:
        figure = self.figure
        line = level_line(figure.triangles[self.trunk], figure.points[:, 0])
        return line.of(figure.points)

    def _extreme(self, low: float, high: float, *, least: bool) -> float:
        levels = np.arange(low, max(high, low + STEP), STEP)
        girths = [self._at_level(height) for height in levels]
        return float(levels[int(np.argmin(girths) if least else np.argmax(girths))])

    def _at_level(self, height: float) -> float:
        up = np.array([0.0, 1.0, 0.0])
        return self._girth("", np.array([0.0, height, 0.0]), up, self.trunk).value

    def _round(self, name: str, limb: Limb, bones: float) -> Measure:
        """The girth of a limb, `bones` along it: 0 at its root, 1 at its middle, 2 at its end."""
        ends = (limb.root, limb.middle) if bones < 1 else (limb.middle, limb.end)
        share = bones if bones < 1 else bones - 1
        at = ends[0] + share * (ends[1] - ends[0])
        along = ends[1] - ends[0] if share > 0 else limb.end - limb.root
        return self._girth(name, at, along / np.linalg.norm(along), self._own(limb.share))

    def _girth(self, name: str, at: Vectors, along: Vectors, own: Flags) -> Measure:
        figure = self.figure
        line = level_line(figure.triangles[own], (figure.points - at) @ along)
        points = line.of(figure.points)
        if len(points) < 3:
            raise CastError(
                f"nothing of the figure is cut where the {name or 'trunk'} is measured", where="its mesh",
                remedy="Check the figure's skeleton and skin",
            )  # fmt: skip
        side = np.cross(along, [0.0, 0.0, 1.0])
        side /= np.linalg.norm(side)
        flat = np.stack([(points - at) @ side, (points - at) @ np.cross(along, side)], axis=1)
        try:
            hull = ConvexHull(flat)
        except QhullError:
            raise CastError(f"the {name} has no girth", where="its mesh") from None
        return Measure(name, float(hull.area), points[hull.vertices])

    def _straight(self, name: str, *points: Vectors) -> Measure:
        line = np.stack(points)
        return Measure(name, length_of(line), line, closed=False)

    def _rise(self, waist: float) -> Measure:
        """From the waist in front under the crotch to the waist behind: drawn tight over what stands out beside
        the middle, as a seam is.
        """
        figure, crotch = self.figure, self.heights["crotch"]
        beside = BESIDE * abs(float(figure.limbs["left leg"].root[0]))
        points = figure.points[np.unique(figure.triangles[self.trunk])]
        near = (np.abs(points[:, 0]) < beside) & (points[:, 1] >= crotch) & (points[:, 1] <= waist)
        ends = points[near][np.abs(points[near][:, 1] - waist) < 2 * STEP]
        low = np.array([[crotch, 0.0]]) if len(ends) == 0 else np.array([[crotch, ends[:, 2].mean()]])
        flat = np.concatenate([points[near][:, 1:], low])
        try:
            ring = flat[ConvexHull(flat).vertices]
        except QhullError:
            raise CastError("there is nothing between waist and crotch", where="its mesh") from None
        edges = np.linalg.norm(np.roll(ring, -1, axis=0) - ring, axis=1)
        level = np.minimum(ring[:, 0], np.roll(ring, -1, axis=0)[:, 0])
        top = int(np.argmax(level))  # the side of the hull that closes it, across the waist
        tape = np.concatenate([np.zeros((len(ring), 1)), ring], axis=1)
        return Measure(
            "crotch loop", float(edges.sum() - edges[top]), np.roll(tape, -top - 1, axis=0), closed=False
        )
