"""Animations of a GLB: a pose for each frame, and how far each shape is taken on."""

from __future__ import annotations

from typing import Any

import numpy as np

from ...core.geometry.rotations import normalised, slerp
from ...core.geometry.skinning import Pose
from ...core.model.errors import CastError, FileError
from ...core.model.typed import Scalars
from .accessors import Container

MOST_POSES = 100_000
MOST_JOINT_POSES = 2_000_000  # poses times joints, and for each 8 bytes of the file one more


class Animation:
    """The tracks of one animation; `place` gives each node's place among the joints."""

    def __init__(self, container: Container, source: Any, place: dict[int, int]) -> None:
        tracks = [_Track(container, source, channel, place) for channel in source.channels]
        self._tracks = [track for track in tracks if track.path in ("translation", "rotation", "scale")]
        self._shapes = {track.joint: track for track in tracks if track.path == "weights"}
        if not tracks:
            raise CastError(
                f"the animation '{source.name or 'unnamed'}' moves nothing",
                where=str(container.path),
                remedy="Export the joints' keys with it",
            )
        self._where = str(container.path)
        self._most = MOST_JOINT_POSES + container.size // 8
        self._all = tracks
        self.end = max(float(track.times[-1]) for track in tracks)  # s

    @property
    def rate(self) -> float:
        """Keys a second, from the closest two of its busiest track; 24 when there are no two."""
        times = max((track.times for track in self._all), key=len)
        return float(1.0 / np.diff(times).min()) if len(times) > 1 else 24.0

    def poses(self, rest: Pose, rate: float) -> tuple[Pose, ...]:
        """A pose for each frame at `rate` a second; what has no track stays at rest."""
        seconds = np.arange(self._count(rate)) / rate
        if len(seconds) * len(rest.translation) > self._most:
            raise CastError(
                f"the animation has {len(seconds)} frames of {len(rest.translation)} joints",
                where=self._where,
                remedy="Cut its range, or take out joints that move nothing",
            )
        values = {
            name: np.repeat(still[None], len(seconds), axis=0)
            for name, still in (
                ("translation", rest.translation), ("rotation", rest.rotation), ("scale", rest.scale)
            )
        }  # fmt: skip
        for track in self._tracks:
            values[track.path][:, track.joint] = track.at(seconds)
        return tuple(map(Pose, values["translation"], values["rotation"], values["scale"]))

    def amounts(self, joint: int, shapes: int, rate: float) -> np.ndarray | None:
        """How far the node that is `joint` takes on each of its shapes, (f, shapes); None without keys."""
        track = self._shapes.get(joint)
        if track is None:
            return None
        out = track.at(np.arange(self._count(rate)) / rate)
        if out.shape[1] != shapes or not np.isfinite(out).all():
            raise FileError(
                f"the animation has {out.shape[1]} amounts for {shapes} shapes",
                where=self._where,
                remedy="Export it again",
            )
        return out

    def moves(self, joint: int) -> bool:
        """Whether it changes the shape of the node that is `joint`."""
        return joint in self._shapes

    def _count(self, rate: float) -> int:
        count = int(np.floor(self.end * rate + 1e-4)) + 1
        if not 0 < count <= MOST_POSES:
            raise CastError(
                f"the animation lasts {self.end:g} s, which is {count} frames",
                where=self._where,
                remedy="Check the times of its keys",
            )
        return count


def chosen_animation(container: Container, name: str | None, place: dict[int, int]) -> Animation | None:
    """The animation called `name`, or the first; None when the file has none and none is asked for."""
    found = container.document.animations
    named = [a for a in found if name is None or a.name == name]
    if not named and name is None:
        return None
    if not named:
        held = ", ".join(a.name or "unnamed" for a in found) or "none"
        raise CastError(
            f"no animation is called '{name}'", where=str(container.path), remedy=f"It holds: {held}"
        )
    return Animation(container, named[0], place)


class _Track:
    """One animated property of one node."""

    def __init__(self, container: Container, animation: Any, channel: Any, place: dict[int, int]) -> None:
        if not 0 <= channel.sampler < len(animation.samplers) or channel.target.node not in place:
            raise FileError(
                "an animation names a sampler or node that does not exist",
                where=str(container.path),
                remedy="Export it again",
            )
        sampler = animation.samplers[channel.sampler]
        self.path = channel.target.path
        self.joint = place[channel.target.node]
        self.times = container.array(sampler.input, "an animation's times").ravel().astype(float)
        self.values = container.array(sampler.output, "an animation's values").astype(float)
        self.way = sampler.interpolation or "LINEAR"
        where = f"{container.path}, node '{container.document.nodes[channel.target.node].name}'"
        if len(self.times) == 0 or not np.isfinite(self.times).all() or np.any(np.diff(self.times) <= 0):
            raise CastError(
                "an animation's keys are not in order of time", where=where, remedy="Export the animation again"
            )
        expected = len(self.times) * (3 if self.way == "CUBICSPLINE" else 1)
        if self.path == "weights" and self.values.size % expected == 0:
            self.values = self.values.reshape(expected, -1)
        if len(self.values) != expected:
            raise CastError(
                f"an animation has {len(self.values)} values for {len(self.times)} keys",
                where=where,
                remedy="Export the animation again",
            )

    def at(self, seconds: Scalars) -> np.ndarray:
        """Values (f, w) at times (f,) s, held beyond the first and last key (glTF 2.0, appendix C)."""
        t = np.clip(seconds, self.times[0], self.times[-1])
        last = len(self.times) - 1
        i = np.clip(np.searchsorted(self.times, t, side="right") - 1, 0, max(last - 1, 0))
        if self.way == "CUBICSPLINE":
            return self._cubic(i, np.minimum(i + 1, last), t)
        if last == 0:
            return np.repeat(self.values, len(t), axis=0)
        share = (t - self.times[i]) / (self.times[i + 1] - self.times[i])
        if self.way == "STEP":
            share = np.where(t < self.times[i + 1], 0.0, share)
        key = np.abs(share - np.round(share)) < 1e-4
        one, other, part = self.values[i], self.values[i + 1], share[:, None]
        between = slerp(one, other, part) if self.path == "rotation" else (1 - part) * one + part * other
        return np.where(key[:, None], self.values[i + np.round(share).astype(int)], between)

    def _cubic(self, i: np.ndarray, j: np.ndarray, t: Scalars) -> np.ndarray:
        points = self.values.reshape(len(self.times), 3, -1)
        span = (self.times[j] - self.times[i])[:, None]
        s = (t - self.times[i])[:, None] / np.where(span == 0, 1.0, span)
        out = (
            (2 * s**3 - 3 * s**2 + 1) * points[i, 1]
            + span * (s**3 - 2 * s**2 + s) * points[i, 2]
            + (-2 * s**3 + 3 * s**2) * points[j, 1]
            + span * (s**3 - s**2) * points[j, 0]
        )
        return np.where(span == 0, points[i, 1], normalised(out) if self.path == "rotation" else out)
