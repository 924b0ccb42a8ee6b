"""The frames before the shot: the character stands in its rest pose, then moves into the first frame."""

from __future__ import annotations

from dataclasses import dataclass

from ...geometry.curves import ease
from ...model.motion import Motion
from ...model.shot import RunIn
from ...model.typed import Points


@dataclass(frozen=True, eq=False)
class StagedMotion:
    """A motion with its run-in in front: rest pose, eased move, then the animation."""

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
        return motion.toward_first(self.first_frame, share)

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
