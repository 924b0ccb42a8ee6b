"""Second shapes of a body: blended in over time, wherever its motion takes it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..model.curve import Curve
from ..model.tolerances import DEFAULT
from ..model.typed import Points, Scalars, Triangles, Vectors
from .binding import Binding, bind, follow
from .curves import value_at
from .motion import Motion, SkinnedMotion, Still
from .normals import vertex_normals

ANY_REACH = replace(DEFAULT, hold_reach=np.inf)  # a shape may lie anywhere


@dataclass(frozen=True, eq=False)
class Blend:
    """offsets (n, 3) in the motion's own units, from its points as made; amount: share of them over frames."""

    offsets: Vectors
    amount: Curve


@dataclass(frozen=True, eq=False)
class ShapedMotion:
    """A motion whose points are changed by blends. Skinned points are changed before the skin moves them; those
    of a cache ride on the cache's own surface.
    """

    motion: Motion
    triangles: Triangles
    blends: tuple[Blend, ...]

    def rest(self) -> Points:
        """See `Motion.rest`: the shape as made."""
        return self.motion.rest()

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return self.shaped(frame).at(frame)

    def toward_first(self, frame: int, share: float) -> Points:
        """See `Motion.toward_first`: in the shape it has at `frame`."""
        return self.shaped(frame).toward_first(frame, share)

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return self.motion.span()

    def shaped(self, frame: float) -> Motion:
        """See `Motion.shaped`."""
        amounts = [value_at(blend.amount, frame) for blend in self.blends]
        if not any(amounts):
            return self.motion
        if isinstance(self.motion, (SkinnedMotion, Still)):
            offsets = sum(a * blend.offsets for a, blend in zip(amounts, self.blends, strict=True))
            return replace(self.motion, points=self.motion.points + offsets)
        return _Riding(self.motion, tuple(zip(self._bindings, amounts, strict=True)))

    @cached_property
    def _bindings(self) -> tuple[Binding, ...]:
        """Where each blend, taken whole, rides on the surface as made."""
        rest = self.motion.rest()
        return tuple(
            bind(rest, self.triangles, rest + b.offsets, name="a shape", tolerances=ANY_REACH)
            for b in self.blends
        )


@dataclass(frozen=True, eq=False)
class _Riding:
    """A motion's points, each part of the way to where bound points are: pairs of a binding and how far."""

    motion: Motion
    ways: tuple[tuple[Binding, float], ...]

    def rest(self) -> Points:
        return self._on(self.motion.rest())

    def at(self, frame: float) -> Points:
        return self._on(self.motion.at(frame))

    def toward_first(self, frame: int, share: float) -> Points:
        return self._on(self.motion.toward_first(frame, share))

    def _on(self, points: Points) -> Points:
        return points + sum(amount * (follow(binding, points) - points) for binding, amount in self.ways)

    def span(self) -> tuple[float, float]:
        return self.motion.span()

    def shaped(self, frame: float) -> Motion:  # noqa: ARG002
        return self


def drawn_in(points: Points, triangles: Triangles, share: Scalars, depth: float) -> Vectors:
    """Offsets (n, 3) that draw a surface inwards by `depth` (in its own unit), each vertex by its share (n,).

    Inwards is against the smooth normal, evened over neighbours so that creases do not turn inside out. A limb
    drawn in by more than its radius comes out on its other side: the caller bounds the depth.
    """
    normals = vertex_normals(points, triangles)
    for _ in range(10):
        around = np.zeros_like(normals)
        for corner in range(3):
            np.add.at(around, triangles[:, corner], normals[triangles].sum(axis=1))
        length = np.linalg.norm(around, axis=1, keepdims=True)
        normals = np.where(length > 0, around / np.maximum(length, 1e-30), normals)
    return -depth * np.asarray(share)[:, None] * normals
