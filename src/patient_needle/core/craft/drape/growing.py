"""A figure that grows inside cloth: what a fitting does before it goes on as any other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from ...model.tolerances import FITTING_STEP, FITTING_SUBSTEPS, SEW_DRAG
from ...model.typed import Flags, Points
from ...solver.state import Forces
from ..cast.colliders import Colliders
from ..holds.acting import Moment
from ..run.inputs import FrameInputs
from .parking import Moving


@dataclass(frozen=True, eq=False)
class Growth:
    """bodies   steps -> (k, 3) m of all colliders, after so many steps of growing, parts of one among them
    worn     the same -> (n, 3) m of the run's cloth; what `on` (n,) says goes there, the rest is free
    off      (p,) parts that are not there meanwhile
    stages   the name of each stage and the step that it ends with
    done     steps that were taken
    """

    bodies: Callable[[float], Points]
    worn: Callable[[float], Points]
    on: Flags
    off: Flags
    stages: tuple[tuple[str, int], ...]
    done: int = 0

    @property
    def steps(self) -> int:
        """All of them."""
        return self.stages[-1][1]

    @property
    def stage(self) -> str:
        """What is under way."""
        return next((name for name, end in self.stages if self.done < end), self.stages[-1][0])

    @property
    def finished(self) -> bool:
        """Whether the figure is as it is."""
        return self.done >= self.steps

    def further(self) -> Growth:
        """A step later."""
        return replace(self, done=self.done + 1)

    def times(self, time: float) -> dict[float, float]:
        """The times of a step's substeps, which differ by a hair, and how many steps of growing those are."""
        shares = self.done + np.arange(FITTING_SUBSTEPS + 1) / FITTING_SUBSTEPS
        return {time + NUDGE * index: float(share) for index, share in enumerate(shares)}

    def alone(self, whole: FrameInputs, part: Moving, colliders: Colliders, time: float) -> FrameInputs:
        """The same as what is free meets it, what is on being a collider that grows."""
        at = self.times(time)
        beside = {key: self.worn(share)[part.outer] for key, share in at.items()}
        bare = replace(whole, parked=None, aside=None)
        return replace(
            part.inputs(bare, colliders),
            bodies=lambda key: np.concatenate([whole.bodies(key), beside[key]]),
        )

    def inputs(self, plain: FrameInputs, colliders: Colliders, time: float, rate: float) -> FrameInputs:
        """What acts in the next step: no weight and no friction, but air that calms the cloth."""
        at = self.times(time)
        keys = list(at)
        bodies = {key: self.bodies(share) for key, share in at.items()}
        frame = plain.frame
        moments = tuple(Moment(a, b, frame, frame, rate) for a, b in pairwise(keys))
        return replace(
            plain,
            moments=moments,
            step=FITTING_STEP / FITTING_SUBSTEPS,
            colliders=colliders.without(self.off),
            bodies=bodies.__getitem__,
            around=lambda _: replace(plain.around(time), off=self.off),
            forces=Forces(np.zeros(3), SEW_DRAG),
            wind=None,
            parked=self.on if self.on.any() else None,
            aside=(lambda key: self.worn(at[key])) if self.on.any() else None,
            friction=0.0,
            begins=False,
        )


NUDGE = 1e-7  # frames, by which substeps of a figure that stands are told apart
