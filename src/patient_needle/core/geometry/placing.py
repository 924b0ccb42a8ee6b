"""A motion put somewhere else: in other units, turned, moved, or played at another rate."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from ..model.typed import Matrices, Points
from .motion import Motion, SkinnedMotion
from .skinning import Pose, joint_matrices


@dataclass(frozen=True, eq=False)
class PlacedMotion:
    """Another motion under one affine transform (4, 4), at every frame alike."""

    motion: Motion
    transform: Matrices

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return moved(self.motion.rest(), self.transform)

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return moved(self.motion.at(frame), self.transform)

    def toward_first(self, frame: int, share: float) -> Points:
        """See `Motion.toward_first`."""
        return moved(self.motion.toward_first(frame, share), self.transform)

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

    def toward_first(self, frame: int, share: float) -> Points:
        """See `Motion.toward_first`; points move straight."""
        rest = self.motion.rest()
        return rest + share * (self.at(frame) - rest)

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

    def toward_first(self, frame: int, share: float) -> Points:
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


def placement(metres: float, up: str, scale: float, turn: float, move: tuple[float, float, float]) -> Matrices:
    """From file units and axes to the shot's metres, Y up, (4, 4): first the unit and axis, then `scale`, then
    a turn by `turn` degrees about the upward axis, left is positive, then a move in m.
    """
    out = np.eye(4)
    axes = Z_UP_TO_Y_UP if up == "z" else np.eye(3)
    cos, sin = np.cos(np.radians(turn)), np.sin(np.radians(turn))
    if turn % 90 == 0:  # a quarter turn leaves no dust of pi
        cos, sin = np.round(cos), np.round(sin)
    about = np.array([[cos, 0, sin], [0, 1, 0], [-sin, 0, cos]])
    out[:3, :3] = metres * scale * about @ axes
    out[:3, 3] = move
    return out


Z_UP_TO_Y_UP = np.array([[1.0, 0, 0], [0, 0, 1], [0, -1, 0]])
