"""The skinned body within a motion."""

from __future__ import annotations

from .motion import Motion, SkinnedMotion
from .placing import PlacedMotion, RetimedMotion
from .shapes import ShapedMotion
from .skinning import Skeleton, Skin


def skin_of(motion: Motion) -> tuple[Skin, Skeleton] | None:
    """Of what a motion places, shapes or retimes, if that is a skinned body with all its points."""
    while isinstance(motion, (PlacedMotion, RetimedMotion, ShapedMotion)):
        motion = motion.motion
    return (motion.skin, motion.skeleton) if isinstance(motion, SkinnedMotion) else None
