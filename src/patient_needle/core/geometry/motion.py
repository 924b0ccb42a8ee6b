"""Where the points of a character, prop or set piece are at any time, between frames too."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from ..model.errors import CastError
from ..model.motion import Motion
from ..model.typed import Points, Triangles
from .between import Between
from .skinning import Pose, Skeleton, Skin, skinned

POSES_KEPT = 10  # of each motion: a frame's substeps, both its ends and its middle
POINTS_KEPT = 1_000_000  # in them all: a large body keeps fewer, at least the latest


class Frames(Protocol):
    """Frames (f, n, 3) by index: an array, or what reads them as they are asked for."""

    def __len__(self) -> int: ...

    def __getitem__(self, index: int, /) -> NDArray[Any]: ...


@dataclass(frozen=True, eq=False)
class Still:
    """A set piece that never moves."""

    points: Points

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self.points

    def at(self, frame: float) -> Points:  # noqa: ARG002
        """See `Motion.at`."""
        return self.points

    def toward_first(self, frame: float, share: float) -> Points:  # noqa: ARG002
        """See `Motion.toward_first`."""
        return self.points

    def span(self) -> tuple[float, float]:
        """All of time."""
        return -np.inf, np.inf

    def shaped(self, frame: float) -> Motion:  # noqa: ARG002
        """See `Motion.shaped`."""
        return self


@dataclass(frozen=True, eq=False)
class SkinnedMotion:
    """A mesh skinned to an animated skeleton.

    points (n, 3) m in the bind pose; poses[k] is the pose at frame first_frame + k. Between frames joints
    turn along the shorter arc, so that a limb keeps its length.
    """

    points: Points
    skin: Skin
    skeleton: Skeleton
    poses: tuple[Pose, ...]
    first_frame: int
    _posed: Callable[[float, float], Points] = field(init=False, repr=False)

    def __post_init__(self) -> None:
        # Colliders, holds and the count of what shows through ask for the same few moments.
        kept = max(1, min(POSES_KEPT, POINTS_KEPT // max(1, len(self.points))))
        object.__setattr__(self, "_posed", lru_cache(kept)(self._skinned))

    def _skinned(self, frame: float, share: float) -> Points:
        pose = self.skeleton.rest if share == 0.0 else self.pose_at(frame)
        if 0.0 < share < 1.0:
            pose = self.skeleton.rest.toward(pose, share)
        return skinned(self.points, self.skin, self.skeleton, pose)

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self._posed(0.0, 0.0)

    def pose_at(self, frame: float) -> Pose:
        """The pose at `frame`; `CastError` outside the animation."""
        low, high = self.span()
        _check_inside(frame, low, high)
        index = min(int(np.floor(frame)) - self.first_frame, len(self.poses) - 1)
        share = frame - self.first_frame - index
        if share <= 0:
            return self.poses[index]
        return self.poses[index].toward(self.poses[index + 1], share)

    def at(self, frame: float) -> Points:
        """See `Motion.at`."""
        return self._posed(frame, 1.0)

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`; joints are interpolated, not points."""
        return self._posed(frame, share)

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return float(self.first_frame), float(self.first_frame + len(self.poses) - 1)

    def shaped(self, frame: float) -> Motion:  # noqa: ARG002
        """See `Motion.shaped`."""
        return self


@dataclass(frozen=True, eq=False)
class CachedMotion:
    """A vertex cache beside a rest mesh.

    rest_points (n, 3) m; frames (f, n, 3) m, frames[k] at frame first_frame + k. Between frames each point
    follows a cubic through its four neighbours (E. Catmull and R. Rom, 1974), one-sided at the ends. triangles
    (m, 3): its surface, by which it keeps its shape on the way from the rest pose; without them points go
    straight.
    """

    rest_points: Points
    frames: Frames
    first_frame: int
    triangles: Triangles | None = None
    _ways: dict[float, Between] = field(default_factory=dict, init=False, repr=False)

    def rest(self) -> Points:
        """See `Motion.rest`."""
        return self.rest_points

    def at(self, frame: float) -> Points:
        """See `Motion.at`; `CastError` outside the cache."""
        low, high = self.span()
        _check_inside(frame, low, high)
        index = min(int(np.floor(frame)) - self.first_frame, len(self.frames) - 1)
        share = frame - self.first_frame - index
        if share <= 0:
            return np.asarray(self.frames[index], np.float64)
        return _cubic(self.frames, index, share)

    def toward_first(self, frame: float, share: float) -> Points:
        """See `Motion.toward_first`."""
        if self.triangles is None or not 0.0 < share < 1.0:
            return self.rest_points + share * (self.at(frame) - self.rest_points)
        way = self._ways.get(frame)
        if way is None:  # a shot has one first frame
            way = Between(self.rest_points, self.at(frame), self.triangles)
            self._ways.clear()
            self._ways[frame] = way
        return way.at(share)

    def span(self) -> tuple[float, float]:
        """See `Motion.span`."""
        return float(self.first_frame), float(self.first_frame + len(self.frames) - 1)

    def shaped(self, frame: float) -> Motion:  # noqa: ARG002
        """See `Motion.shaped`."""
        return self


def _cubic(frames: Frames, index: int, t: float) -> Points:
    last = len(frames) - 1
    p1, p2 = np.asarray(frames[index], np.float64), np.asarray(frames[index + 1], np.float64)
    p0 = np.asarray(frames[index - 1], np.float64) if index > 0 else 2 * p1 - p2
    p3 = np.asarray(frames[index + 2], np.float64) if index + 2 <= last else 2 * p2 - p1
    m1, m2 = (p2 - p0) / 2, (p3 - p1) / 2
    t2, t3 = t * t, t * t * t
    return (2 * t3 - 3 * t2 + 1) * p1 + (t3 - 2 * t2 + t) * m1 + (3 * t2 - 2 * t3) * p2 + (t3 - t2) * m2


def _check_inside(frame: float, low: float, high: float) -> None:
    if not low - 1e-9 <= frame <= high + 1e-9:
        raise CastError(
            f"frame {frame:g} lies outside the animation, which runs from {low:g} to {high:g}",
            remedy="Shorten the frame range or bring in a longer animation",
        )
