"""A motion in another place, unit, rate or shape, and the skinned body within one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from ..model.curve import Curve
from ..model.motion import Motion
from ..model.tolerances import DEFAULT
from ..model.typed import Matrices, Points, Scalars, Triangles, Vectors
from .binding import Binding, bind, follow
from .curves import value_at
from .motion import SkinnedMotion, Still
from .skinning import Pose, Skeleton, Skin, joint_matrices
from .triangles import vertex_normals

TO_Y_UP = {
    "x": np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]]),
    "y": np.eye(3),
    "z": np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]]),
}  # turns: nothing is mirrored
GRID = 1e9  # steps of a metre that decimal numbers are kept to
ANY_REACH = replace(DEFAULT, hold_reach=np.inf)  # a shape may lie anywhere


@dataclass(frozen=True, eq=False)
class PlacedMotion:
    """Another motion under one affine transform (4, 4), at every frame alike. decimal: metres to a unit of its
    points, of a file that writes decimal numbers; None for one that does not. See `in_metres`.
    """

    motion: Motion
    transform: Matrices
    decimal: float | None = None

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self._put(self.motion.rest())

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return self._put(self.motion.at(frame))

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`."""
        return self._put(self.motion.toward_first(frame, share))

    def _put(self, points: Points) -> Points:
        return moved(points if self.decimal is None else in_metres(points, self.decimal), self.transform)

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return self.motion.span()

    def shaped(self, frame: float) -> Motion:
        """See `Motion.shaped`."""
        return replace(self, motion=self.motion.shaped(frame))


@dataclass(frozen=True, eq=False)
class RetimedMotion:
    """A motion whose frame 0 stands at frame `first`, and which goes `speed` of its frames on in one."""

    motion: Motion
    first: int
    speed: float

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self.motion.rest()

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return self.motion.at(self._own(frame))

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`."""
        return self.motion.toward_first(self._own(frame), share)

    def span(self) -> tuple[float, float]:
        """See `Motion.span`: only whole frames that the motion reaches."""
        low, high = self.motion.span()
        return float(self.first + np.ceil(low / self.speed)), float(
            self.first + np.floor(high / self.speed + 1e-6)
        )

    def shaped(self, frame: float) -> Motion:  # noqa: ARG002
        """See `Motion.shaped`."""
        return self

    def _own(self, frame: float) -> float:
        low, high = self.motion.span()
        own = (frame - self.first) * self.speed
        near = round(own)
        # A frame that both have is taken as it is, not as a cubic through float dust.
        own = float(near) if abs(own - near) < 1e-6 else own
        return min(own, high) if own <= high + 1e-6 else max(own, low)


@dataclass(frozen=True, eq=False)
class RoutedMotion:
    """A motion that is turned by `turn` degrees about the upward axis, left is positive, and then moved by
    `move` (3,) m, while its rest pose stays. On the way from the rest pose it is turned and moved in part.
    """

    motion: Motion
    turn: float
    move: tuple[float, float, float]

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self.motion.rest()

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return self._put(self.motion.at(frame), 1.0)

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`."""
        return self._put(self.motion.toward_first(frame, share), share)

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return self.motion.span()

    def shaped(self, frame: float) -> Motion:
        """See `Motion.shaped`."""
        return replace(self, motion=self.motion.shaped(frame))

    def _put(self, points: Points, share: float) -> Points:
        x, y, z = (share * value for value in self.move)
        return moved(points, placement(1.0, "y", 1.0, share * self.turn, (x, y, z)))


@dataclass(frozen=True, eq=False)
class ParentedMotion:
    """Points (n, 3) m that a joint of a character carries; they stand as given when the character is at rest.

    placement (4, 4): that of the character.
    """

    points: Points
    carrier: SkinnedMotion
    joint: int
    placement: Matrices

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self.points

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return self._under(self.carrier.pose_at(frame))

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`."""
        return self._under(self.carrier.skeleton.rest.toward(self.carrier.pose_at(frame), share))

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return self.carrier.span()

    def shaped(self, frame: float) -> Motion:  # noqa: ARG002
        """See `Motion.shaped`."""
        return self

    def _under(self, pose: Pose) -> Points:
        skeleton = self.carrier.skeleton
        before = self.placement @ joint_matrices(skeleton, skeleton.rest)[self.joint]
        now = self.placement @ joint_matrices(skeleton, pose)[self.joint]
        return moved(self.points, now @ np.linalg.inv(before))


def moved(points: Points, transform: Matrices) -> Points:
    """Points (n, 3) under an affine transform (4, 4)."""
    return points @ transform[:3, :3].T + transform[:3, 3]


def in_metres(points: Points, metres: float) -> Points:
    """Points (n, 3) of a file with decimal numbers, in metres on a grid of a nanometre.

    Each number becomes the double that its decimal in metres stands for. A length written in metres,
    centimetres or millimetres, with up to nine decimals of a metre, is thus the same bits.
    """
    return np.asarray(np.rint(points * (metres * GRID)) / GRID)


def placement(
    metres: float,
    up: str,
    scale: float,
    turn: float,
    move: tuple[float, float, float],
    *,
    mirrored: bool = False,
) -> Matrices:
    """From file units and axes to the shot's metres, Y up, (4, 4): first the unit and axis, then left and right
    exchanged if `mirrored`, then `scale`, then a turn by `turn` degrees about the upward axis, left is
    positive, then a move in m.
    """
    out = np.eye(4)
    axes = np.diag([-1.0, 1.0, 1.0]) @ TO_Y_UP[up] if mirrored else TO_Y_UP[up]
    cos, sin = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    if turn % 90 == 0:  # a quarter turn leaves no dust of pi
        cos, sin = np.round(cos), np.round(sin)
    about = np.array([[cos, 0, sin], [0, 1, 0], [-sin, 0, cos]])
    out[:3, :3] = metres * scale * about @ axes
    out[:3, 3] = move
    return out


@dataclass(frozen=True)
class Placing:
    """How a garment's file is read: unit, axis, and the rest of its placement."""

    unit: str
    up: str
    scale: float = 1.0
    turn: float = 0.0
    move: tuple[float, float, float] = (0.0, 0.0, 0.0)
    mirrored: bool = False

    def of(self, points: Points, metres: float) -> Points:
        """Points (n, 3) of the file in m, Y up; metres: length of its unit."""
        return moved(points, self.matrix(metres))

    def matrix(self, metres: float) -> Matrices:
        """From the file to the shot, (4, 4)."""
        return placement(metres, self.up, self.scale, self.turn, self.move, mirrored=self.mirrored)


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

    def toward_first(self, frame: float, share: float) -> Points:
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

    def toward_first(self, frame: float, share: float) -> Points:
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


def skin_of(motion: Motion) -> tuple[Skin, Skeleton] | None:
    """Of what a motion places, shapes or retimes, if that is a skinned body with all its points."""
    while isinstance(motion, (PlacedMotion, RetimedMotion, RoutedMotion, ShapedMotion)):
        motion = motion.motion
    return (motion.skin, motion.skeleton) if isinstance(motion, SkinnedMotion) else None
