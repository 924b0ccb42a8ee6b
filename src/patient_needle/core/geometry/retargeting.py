"""Poses of one skeleton put onto another that has joints of the same names."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..model.errors import CastError
from .skinning import Pose, Skeleton

OTHER_LENGTH = 0.02  # of a bone, from which on two skeletons are called unlike


@dataclass(frozen=True)
class Matched:
    """joints of the receiving skeleton that a motion reaches, those it does not, and joints it has beside them;
    unlike: bones of another length, by name, with their ratio.
    """

    matched: tuple[str, ...]
    missing: tuple[str, ...]
    unused: tuple[str, ...]
    unlike: tuple[tuple[str, float], ...]

    def said(self) -> str:
        """The report in words."""
        parts = [f"{len(self.matched)} of {len(self.matched) + len(self.missing)} joints found by name"]
        if self.missing:
            parts.append(f"not found, so left at rest: {_listed(self.missing)}")
        if self.unused:
            parts.append(f"not used: {_listed(self.unused)}")
        if self.unlike:
            parts.append("of another length: " + _listed([f"{n} {r - 1:+.0%}" for n, r in self.unlike]))
        return "; ".join(parts)


def _listed(names: tuple[str, ...] | list[str], most: int = 6) -> str:
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def onto(skeleton: Skeleton, source: Skeleton, poses: tuple[Pose, ...]) -> tuple[tuple[Pose, ...], Matched]:
    """`poses` of `source` for `skeleton`, joint by joint of the same name; what has none stays at rest.

    Turns and scales are taken as they are. Of moves only what a joint is away from its own rest is taken, so
    that bones keep their length. `CastError` when no name is found.
    """
    place = {name: index for index, name in enumerate(source.names)}
    pairs = [(i, place[name]) for i, name in enumerate(skeleton.names) if name in place]
    if not pairs:
        raise CastError(
            f"none of its {len(source.names)} joints is called as one of the character's",
            remedy=f"The character has {_listed(skeleton.names)}; the motion has {_listed(source.names)}",
        )
    own, other = (np.array(side) for side in zip(*pairs, strict=True))
    out = []
    for pose in poses:
        translation, rotation = skeleton.rest.translation.copy(), skeleton.rest.rotation.copy()
        scale = skeleton.rest.scale.copy()
        away = pose.translation[other] - source.rest.translation[other]
        translation[own] = translation[own] + away
        rotation[own], scale[own] = pose.rotation[other], pose.scale[other]
        out.append(Pose(translation, rotation, scale))
    names = [skeleton.names[i] for i in own]
    matched = Matched(
        tuple(names), tuple(n for n in skeleton.names if n not in place),
        tuple(n for n in source.names if n not in skeleton.names), _unlike(skeleton, source, own, other),
    )  # fmt: skip
    return tuple(out), matched


def _unlike(
    skeleton: Skeleton, source: Skeleton, own: np.ndarray, other: np.ndarray
) -> tuple[tuple[str, float], ...]:
    mine = np.linalg.norm(skeleton.rest.translation[own], axis=1)
    theirs = np.linalg.norm(source.rest.translation[other], axis=1)
    inner = skeleton.parents[own] >= 0
    ratio = np.divide(theirs, mine, out=np.ones_like(mine), where=inner & (mine > 1e-9))
    off = np.flatnonzero(np.abs(ratio - 1) > OTHER_LENGTH)
    return tuple((skeleton.names[own[i]], float(ratio[i])) for i in off)
