"""The frames before the shot: the character stands in its rest pose, then moves into the first frame."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ...geometry.curves import ease
from ...model.motion import Motion
from ...model.shot import RunIn
from ...model.typed import Points, Scalars, Vectors

SHORTEST_START, LONGEST_START = 4.0, 8.0  # frames over which a point takes up the speed of the shot
FURTHEST_ASIDE = 0.05  # m that a point may leave the plain way for that
ASIDE = 4.0 / 27.0  # of speed times frames: how far the polynomial below goes aside at most


@dataclass(frozen=True, eq=False)
class StagedMotion:
    """A motion with its run-in in front: rest pose, eased move, then the animation.

    The eased move alone stands still at the shot's first frame. Over the last frames before it, each point
    therefore takes up the speed that it has there. It does so on the backward continuation of its first
    frames, over LONGEST_START frames, or over so many fewer that it leaves the eased way by no more than
    FURTHEST_ASIDE. Where SHORTEST_START are still too many, it takes up a part of its speed only.
    """

    motion: Motion
    run_in: RunIn
    first_frame: int

    def at(self, frame: float) -> Points:
        """Positions (n, 3) m at any frame from the run-in's start on."""
        motion = self.motion.shaped(frame)
        if frame >= self.first_frame:
            return motion.at(frame)
        share = run_in_share(self.run_in, self.first_frame, frame)
        if share <= 0.0:
            return motion.rest()
        return motion.toward_first(self.first_frame, share) + self._aside(self.first_frame - frame)

    def _aside(self, before: float) -> Vectors | float:
        """What a point adds to the eased way `before` frames before the shot, (n, 3) m."""
        velocity, frames = self._start_of_shot
        if before >= min(LONGEST_START, self.run_in.move) or len(velocity) == 0:
            return 0.0
        rest = np.maximum(1.0 - before / frames, 0.0)
        return -(before * rest * rest)[:, None] * velocity

    @cached_property
    def _start_of_shot(self) -> tuple[Vectors, Scalars]:
        """Of each point the velocity (n, 3) in m a frame that it takes up, and the frames (n,) it takes to
        get there; both empty for what stands or cannot be told.
        """
        first, (low, high) = self.first_frame, self.motion.span()
        if not np.isfinite(low) or not low <= first <= high - 1 or self.run_in.move == 0:
            return np.zeros((0, 3)), np.zeros(0)
        velocity = self.motion.at(first + 1) - self.motion.at(first)
        speed = np.maximum(np.linalg.norm(velocity, axis=1), 1e-12)
        longest = min(LONGEST_START, float(self.run_in.move))
        frames = np.clip(FURTHEST_ASIDE / (ASIDE * speed), min(SHORTEST_START, longest), longest)
        part = np.minimum(1.0, FURTHEST_ASIDE / (ASIDE * speed * frames))
        return velocity * part[:, None], frames

    def start(self) -> Points:
        """Positions (n, 3) m where the run begins: the rest pose, in the shape the body has then."""
        return self.motion.shaped(self.first_frame - self.run_in.length).rest()

    def shown_at(self, frame: float) -> Points:
        """Positions (n, 3) m at any frame at all, to look at before the shot is right.

        Past the animation's end it stays as at the end; an animation that does not reach the shot's first
        frame leaves the rest pose.
        """
        low, high = self.motion.span()
        if not low <= self.first_frame <= high:
            return self.motion.rest()
        return self.at(min(frame, high))


def run_in_share(run_in: RunIn, first_frame: int, frame: float) -> float:
    """How far from the rest pose (0) to the first frame (1) the run-in is at `frame`, eased at both ends."""
    if frame >= first_frame:
        return 1.0
    if run_in.move == 0:
        return 0.0
    return ease(1.0 - (first_frame - frame) / run_in.move)
