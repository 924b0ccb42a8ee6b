"""Cloths that are simulated together: one array of vertices, and each cloth's own terms over its part of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ..contact.rows import Skin
from ..model.fabric import Fabric
from ..model.typed import Flags, Indices, Points, Scalars, Triangles, Vectors
from .air import AirFlow, Pressure
from .bending import Bending
from .cloth import Cloth
from .diagnostics import Energies, beyond_limit, energies
from .inertia import Calm, Timing
from .linear import Factored, Factors, Term
from .membrane import membrane_of
from .state import ClothState, Forces, Inflation
from .stiffness import Blocks, pattern_of


@dataclass(frozen=True, eq=False)
class Outfit:
    """c cloths of n vertices and m triangles altogether, innermost first.

    spans (c,) slices of the vertices; triangles (m, 3); placed (n, 3) m; mass (n,) kg; held (n,) bool;
    spacing m, the finest; skin, what they ask of contact with each other.
    one (n,): vertices of one number are basted together and do not meet; None where none are.
    """

    cloths: tuple[Cloth, ...]
    spans: tuple[slice, ...]
    triangles: Triangles
    placed: Points
    mass: Scalars
    held: Flags
    spacing: float
    stiffness: float
    skin: Skin
    one: Indices | None = None

    @property
    def count(self) -> int:
        """N."""
        return len(self.placed)

    def as_one(self, points: Points) -> tuple[Points, Triangles]:
        """Points (n, 3) m and triangles in which what is basted together is one vertex, at its middle."""
        if self.one is None:
            return points, self.triangles
        _, first, label = np.unique(self.one, return_index=True, return_inverse=True)
        many = np.bincount(label)
        out = points.copy()
        for axis in range(3):
            out[first, axis] = np.bincount(label, points[:, axis]) / many
        return out, first[label][self.triangles].astype(np.int32)


def spans_of(cloths: Sequence[Cloth]) -> tuple[slice, ...]:
    """Each cloth's slice of the vertices of all."""
    ends = np.cumsum([cloth.count for cloth in cloths])
    return tuple(slice(int(end) - cloth.count, int(end)) for cloth, end in zip(cloths, ends, strict=True))


def outfit(cloths: tuple[Cloth, ...]) -> Outfit:
    """The cloths in one; stiffness N/m is half of the stiffest one's, as contact wants it."""
    spans = spans_of(cloths)

    def joined(pieces: list[np.ndarray]) -> np.ndarray:
        return pieces[0] if len(pieces) == 1 else np.concatenate(pieces)

    triangles = joined([c.triangles + s.start for c, s in zip(cloths, spans, strict=True)]).astype(np.int32)
    placed = joined([c.placed for c in cloths])
    return Outfit(
        cloths,
        spans,
        triangles,
        placed,
        joined([c.mass for c in cloths]),
        joined([c.held for c in cloths]),
        min(c.spacing for c in cloths),
        0.5 * max(max(f.stretch_warp, f.stretch_weft) for c in cloths for f in fabrics_in(c)),
        Skin(
            triangles,
            _allowed(cloths),
            joined([c.thickness for c in cloths]),
            joined([c.clearance for c in cloths]),
            np.repeat(np.arange(len(cloths)), [len(c.triangles) for c in cloths]).astype(np.int32),
            joined([np.sqrt(c.fabric.friction) * c.friction for c in cloths]),
        ),
        _as_one(cloths),
    )


def _as_one(cloths: tuple[Cloth, ...]) -> Indices | None:
    """The numbers (n,) by which vertices are basted together in all cloths; None where none are."""
    if all(cloth.one is None for cloth in cloths):
        return None
    each = [np.arange(c.count) if c.one is None else c.one for c in cloths]
    before = np.cumsum([0, *(int(one.max(initial=-1)) + 1 for one in each)])
    return np.concatenate([one + start for one, start in zip(each, before, strict=False)]).astype(np.int32)


def fabrics_in(cloth: Cloth) -> tuple[Fabric, ...]:
    """What a cloth is of, its main fabric first."""
    return (cloth.fabric, *(part.fabric for part in cloth.parts))


def _allowed(cloths: tuple[Cloth, ...]) -> Points:
    """The poses (n, 3) m whose nearness the cloths may keep; NaN, which allows nothing, for those without."""
    poses = [np.full((c.count, 3), np.nan) if c.near is None else c.near for c in cloths]
    return poses[0] if len(poses) == 1 else np.concatenate(poses)


@dataclass(frozen=True, eq=False)
class Wearing:
    """Prescribed vertices of one cloth in a substep, besides its held ones.

    spin (3,) rad/s, how what it is fastened to turns; inflation: what fills a closed cloth; calm, the share of
    its calm that counts; damping, that of its fabric's damping.
    """

    spin: Vectors | None = None
    inflation: Inflation | None = None
    calm: float = 1.0
    damping: float = 1.0


PLAIN = Wearing()


class Wear:
    """One cloth's own energy terms: buffers and factors kept between substeps."""

    def __init__(self, cloth: Cloth, span: slice, forces: Forces, index: int = 0) -> None:
        self.cloth, self.span, self._index = cloth, span, index
        self._factors = Factors(cloth)
        self.pattern = pattern_of(cloth.count, cloth.triangles, cloth.hinges)
        self.membrane, self.bending = membrane_of(cloth, self.pattern), Bending(cloth, self.pattern)
        self._forces = forces
        self._air = AirFlow(cloth)
        self._calm = Calm(cloth, forces.calm) if forces.calm > 0 else None
        self._pressure = Pressure(cloth)

    def terms(
        self, state: ClothState, time: Timing, wind: Vectors | None, wearing: Wearing, now: Forces | None
    ) -> tuple[Term, ...]:
        """The cloth's terms in the substep `time` that starts at the whole outfit's state; now: the forces of
        the substep, None for the cloth's own.
        """
        forces = self._felt(now)
        x, v = state.positions[self.span], state.velocities[self.span]
        own = replace(time, base=time.base[self.span], base_velocity=time.base_velocity[self.span])
        self.membrane.begin(x, time.step, wearing.damping)
        self.bending.begin(x, time.step, wearing.damping)
        terms: list[Term] = [self.membrane, self.bending]
        if self._air.is_felt(forces):
            terms.append(self._air.around(x, v, None if wind is None else wind[self.span], own, forces))
        if self._calm is not None and wearing.calm > 0:
            self._calm.begin(own, wearing.spin, wearing.calm)
            terms.append(self._calm)
        if wearing.inflation is not None:
            self._pressure.begin(wearing.inflation)
            terms.append(self._pressure)
        if self.cloth.count == len(state.positions):
            return tuple(terms)
        return tuple(_Part(term, self.span, self._index) for term in terms)

    def factor(self, step: float, held: Flags, fixing: Scalars | None, now: Forces | None) -> Factored:
        """The factors for a substep, as `Factors.for_step` has it."""
        return self._factors.for_step(step, held, fixing, self._felt(now).air_drag)

    def _felt(self, now: Forces | None) -> Forces:
        """Gravity and air of the substep; shelter and calm are always the cloth's own."""
        own = self._forces
        return own if now is None else replace(now, shelter=own.shelter, calm=own.calm)

    def energies(self, state: ClothState) -> Energies:
        """Energy by kind, J; state is the whole outfit's."""
        x, v = state.positions[self.span], state.velocities[self.span]
        return energies(self.cloth, self.membrane, self.bending, x, v, self._forces.gravity)

    def beyond_limit(self, state: ClothState) -> int:
        """Triangles stretched beyond the fabric's strain limit."""
        return beyond_limit(self.cloth, self.membrane, state.positions[self.span])


class _Part:
    """A cloth's term as one of the whole outfit."""

    def __init__(self, term: Term, span: slice, index: int) -> None:
        self._term, self._span, self._index = term, span, index
        self.lagged = term.lagged

    def gradient(self, x: Points, out: Vectors) -> float:
        return self._term.gradient(x[self._span], out[self._span])

    def energy(self, x: Points) -> float:
        return self._term.energy(x[self._span])

    def stiffen(self, stiffness: Blocks) -> None:
        self._term.stiffen(stiffness.part(self._index))

    def product(self, p: Vectors, out: Vectors) -> None:
        self._term.product(p[self._span], out[self._span])
