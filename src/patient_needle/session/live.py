"""A live fitting without its socket: commands take effect between steps, are logged, and can be replayed."""

from __future__ import annotations

import base64
import json
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from ..core.craft.drape.live import Fitting
from ..core.craft.holds.acting import together
from ..core.craft.run.outfit_run import OutfitRun
from ..core.model.errors import NeedleError, ShotError
from ..core.model.tolerances import FITTING_STEP, SEW_MOST, SEW_REST, SEW_SHARE
from ..core.model.typed import Flags
from ..core.solver.state import ClothState, at_rest
from ..formats.fitting.written import WrittenFitting
from . import commands as asked

PACE = 48.0  # steps in a second at most: as fast as time goes


@dataclass(frozen=True)
class Logged:
    """A command and the number of the step before which it took effect."""

    step: int
    command: asked.Command

    def line(self) -> str:
        """As a line of a log."""
        return json.dumps({"step": self.step, **self.command.model_dump(mode="json")}, ensure_ascii=False)

    @staticmethod
    def read(line: str) -> Logged:
        """What `line` wrote."""
        body = json.loads(line)
        step = int(body.pop("step"))
        return Logged(step, asked.command_of(json.dumps(body).encode()))


class Live:
    """A fitting that runs or is held still, and the log of what was done to it."""

    def __init__(self, fitting: Fitting) -> None:
        self.fitting = fitting
        self.running = False
        self.once = False
        self.pace = PACE
        self.keep_as: str | None = None  # the name to keep it under, once it has come to rest
        self.sewing: str | None = None  # the garment that is being sewn
        self.paused = False  # whether a sewing waits
        self.enough = False  # whether it is kept as it hangs
        self.log: list[Logged] = []
        self.known = 0  # lines of the log that stand in its file already

    @staticmethod
    def resumed(run: OutfitRun, kept: WrittenFitting) -> Live:
        """Where a fitting was kept. `ShotError` when it is of other garments."""
        own = tuple((one.name, one.mesh.vertex_count) for one in run.run.garments)
        if own != kept.garments:
            raise ShotError(
                "that fitting is of other garments than the shot has now", where=_named(kept.garments),
                remedy="Begin anew, or let the garments start from its pose",
            )  # fmt: skip
        if len(kept.stance.clearance) != len(run.colliders.triangles):
            raise ShotError(
                "the figure was replaced since that fitting was kept",
                remedy="Begin anew, or let the garments start from its pose",
            )
        if not run.plan.first_simulated <= kept.stance.time <= run.plan.frames[1]:
            raise ShotError(
                f"that fitting stands at frame {kept.stance.time:g}, which the shot has not",
                remedy="Begin anew",
            )
        taken = together([one.taken(run.plan.first_simulated) for one in run.dressed])
        start = at_rest(run.outfit.placed, len(run.colliders.rank), taken)  # its shapes are asked for, no more
        if not _fits(kept.state, start, len(run.colliders.triangles) + len(run.outfit.triangles)):
            raise ShotError(
                "that fitting is not whole, or of another figure", remedy="Begin anew, or choose another"
            )
        fitting = Fitting(run, kept.state, kept.stance.time)
        fitting.hands, fitting.stance = kept.hands, kept.stance
        fitting.step_number, fitting.hard = kept.step, kept.hard
        return Live(fitting)

    def written(self) -> WrittenFitting:
        """All that is needed to go on from here."""
        fitting = self.fitting
        cloth = fitting.cloth
        sizes = tuple(
            (name, span.stop - span.start) for name, span in zip(cloth.names, cloth.outfit.spans, strict=True)
        )
        return WrittenFitting(
            sizes, fitting.state, fitting.hands, fitting.stance, fitting.step_number, fitting.hard
        )

    def begin_log(self, command: asked.Open) -> None:
        """The log begins with what was opened."""
        self.log = [Logged(self.fitting.step_number, command)]

    def remember(self, path: Path) -> None:
        """Go on with a log that was written down; what was done after its state was written is forgotten."""
        if path.exists():
            lines = path.read_text(encoding="utf-8").splitlines()
            self.log = [Logged.read(line) for line in lines]
            self.known = len(self.log)

    @property
    def moves(self) -> bool:
        """Whether a step is wanted: it falls, or somebody or something is at work on it."""
        fitting = self.fitting
        if self.sewing is not None:
            return not self.paused
        at_work = fitting.hands.pulls or fitting.hands.smoothing is not None or fitting.stance.coming
        return bool(self.running or self.once or fitting.resting or at_work or fitting.stance.walks)

    def do(self, command: asked.Command) -> None:
        """Carry a command out, before the next step. A `NeedleError` says why not; nothing has changed then."""
        self._do(command)
        self.log.append(Logged(self.fitting.step_number, command))

    def step(self, between: Callable[[], None] = lambda: None) -> None:
        """One step, and hold still where that was asked for."""
        was = self.fitting.resting
        try:
            self.fitting.step(between)
        except BaseException:
            self.once = False
            raise
        self.once = False
        if self.sewing is not None and self.fitting.growth is None and was is None and not self.enough:
            self.fitting.rest(SEW_REST, SEW_MOST, SEW_SHARE)
        if was is not None and self.fitting.resting is None:
            self.running = False

    @property
    def settles(self) -> bool:
        """Whether it goes on by itself until it is kept."""
        return self.keep_as is not None or self.sewing is not None

    @property
    def is_sewn(self) -> bool:
        """Whether what was being sewn hangs as it will be worn."""
        fitting = self.fitting
        hangs = fitting.growth is None and fitting.resting is None
        return self.sewing is not None and hangs and (self.enough or fitting.unrest is not None)

    def _do(self, command: asked.Command) -> None:
        fitting = self.fitting
        if self.sewing is not None:
            self._while_sewing(command)
            return
        match command:
            case asked.Fall():
                self.running, fitting.resting, self.keep_as = True, None, None
            case asked.Hold():
                self.running, self.once, fitting.resting, self.keep_as = False, False, None, None
                fitting.stand()
            case asked.One():
                self.once = True
            case asked.Pace():
                self.pace = command.steps
            case asked.Rest():
                self.keep_as = command.keep
                fitting.rest(command.until_mm / 1e3, max(1, round(command.seconds / FITTING_STEP)))
            case asked.Take():
                corners, weights = _spot(command)
                reach = command.reach_mm / 1e3
                fitting.pull(
                    command.garment, corners, weights, reach, mirrored=command.mirrored, hem=command.hem
                )
            case asked.Draw():
                fitting.draw(np.array(command.to))
            case asked.ReachOut():
                fitting.reach(command.reach_mm / 1e3)
            case asked.LetGo():
                fitting.let_go()
            case asked.PinDown():
                fitting.pin(in_body=command.on == "body")
            case asked.MovePin():
                fitting.move_pin(command.number, np.array(command.to))
            case asked.FreePin():
                fitting.free_pin(command.number)
            case asked.Park():
                fitting.park(command.garment, _flags(command, fitting), parked=command.parked)
            case asked.Walk():
                fitting.walk(command.to)
            case asked.Stand():
                fitting.stand()
            case asked.Piece():
                fitting.piece(command.name, comes=command.comes)
            case asked.Clearance():
                places = None if command.places is None else np.array(command.places).reshape(-1, 3)
                value = None if command.mm is None else command.mm / 1e3
                fitting.clearance(command.member, value, places, command.radius_mm / 1e3)
            case asked.Friction():
                fitting.friction(command.member, command.value)
            case asked.Smooth():
                spots = [_spot(spot) for spot in command.spots]
                fitting.smooth(
                    command.garment, np.array([c for c, _ in spots]), np.array([w for _, w in spots]),
                    command.radius_mm / 1e3,
                )  # fmt: skip
            case asked.Smoothed():
                fitting.smoothed()
            case asked.Weight():
                fitting.weight(command.share)
            case asked.Back():
                fitting.back()
            case _:
                raise asked.BadCommandError(
                    "a fitting is open already", remedy="Close the page that has it, or load this one again"
                )

    def _while_sewing(self, command: asked.Command) -> None:
        """What may be asked of a sewing: to wait, to go on, and to be kept as it hangs."""
        match command:
            case asked.Enough():
                if self.fitting.growth is not None:
                    raise ShotError(
                        f"'{self.sewing}' is not on the figure yet",
                        remedy="Wait until it falls, and keep it then",
                    )
                self.enough, self.paused, self.fitting.resting = True, False, None
            case asked.Fall():
                self.paused = False
            case asked.Hold():
                self.paused = True
            case asked.Pace():
                self.pace = command.steps
            case asked.LetGo() | asked.Smoothed():
                pass
            case _:
                raise ShotError(
                    f"'{self.sewing}' is being sewn", remedy="Wait until it is sewn, or give the sewing up"
                )

    def _sewing_said(self) -> dict[str, Any] | None:
        """How far a sewing is, None without one."""
        if self.sewing is None:
            return None
        growth, resting = self.fitting.growth, self.fitting.resting
        if growth is not None:
            stage, share = growth.stage, 0.6 * growth.done / growth.steps
        else:
            left = 0 if resting is None else resting.steps
            stage, share = "it falls", 1.0 - 0.4 * left / SEW_MOST
        return {"garment": self.sewing, "stage": stage, "share": round(share, 3), "paused": self.paused}

    def said(self) -> dict[str, Any]:
        """How everything is, for a page."""
        fitting, stance, hands = self.fitting, self.fitting.stance, self.fitting.hands
        points = fitting.state.positions
        cloth = fitting.cloth
        coming = dict(stance.coming)
        return {
            "running": self.running or fitting.resting is not None,
            "to_rest": fitting.resting is not None,
            "keep_as": self.keep_as,
            "sewing": self._sewing_said(),
            "pace": self.pace,
            "time": stance.time,
            "goal": stance.goal,
            "unrest_mm": None if fitting.unrest is None else round(fitting.unrest * 1e3, 3),
            "weight": hands.weight,
            "pulls": [
                {
                    "garment": pull.grip.garment, "vertices": len(pull.grip.vertices),
                    "at": _middle(pull.grip.share, points[pull.grip.vertices]).tolist(),
                    "to": (pull.grip.at + pull.goal).tolist(), "reach_mm": pull.grip.reach * 1e3,
                    "slips_mm": round(pull.slips(points) * 1e3, 1),
                }
                for pull in hands.pulls
            ],
            "pins": [
                {
                    "number": pin.number, "garment": pin.grip.garment, "on": pin.on,
                    "at": fitting.pin_place(pin.number).tolist(),
                    "cloth": _middle(pin.grip.share, points[pin.grip.vertices]).tolist(),
                }
                for pin in hands.pins
            ],
            "garments": [
                {"name": name, "vertices": s.stop - s.start, "parked": int(hands.parked[s].sum())}
                for name, s in zip(cloth.names, cloth.outfit.spans, strict=True)
            ],
            "pieces": [
                {
                    "name": member.name,
                    "is": "out" if member.name in stance.out else "coming" if member.name in coming else "in",
                }
                for member in fitting.colliders.members
                if member.kind != "character"
            ],
            "pinched": [
                {"garment": name, "vertices": int(caught.sum()), "at": points[s][caught].mean(axis=0).tolist()}
                for name, s in zip(cloth.names, cloth.outfit.spans, strict=True)
                if (caught := fitting.state.released[s].any(axis=1)).any()
            ],
            "back": fitting.kept[-1].said if fitting.kept else None,
        }  # fmt: skip


def replayed(live: Live, log: Iterable[Logged], steps: int) -> None:
    """Do all of a log again up to so many steps: the same start gives the same bits."""
    waiting = list(log)
    while live.fitting.step_number < steps:
        while waiting and waiting[0].step <= live.fitting.step_number:
            one = waiting.pop(0)
            if not isinstance(one.command, asked.Open):
                live.do(one.command)
        with suppress(NeedleError):  # as it went then: what was caught went out again
            live.step()


def _fits(state: ClothState, start: ClothState, carriers: int) -> bool:
    """Whether a state that was read has the shapes of a run's own start, and names only what is there: kernels
    do not look.
    """
    pairs = [
        (state.positions, start.positions), (state.velocities, start.velocities),
        (state.positions_before, start.positions), (state.velocities_before, start.velocities),
        (state.pushed, start.pushed), (state.released, start.released), (state.eased, start.eased),
        (state.anchors.triangle, start.anchors.triangle),
        (state.anchors.coordinates, start.anchors.coordinates), (state.taken.triangle, start.taken.triangle),
        (state.taken.place, start.taken.place), (state.taken.offset, start.taken.offset),
        (state.taken.drift, start.taken.drift),
    ]  # fmt: skip
    if any(one.shape != other.shape or one.dtype != other.dtype for one, other in pairs):
        return False
    numbers = all(np.isfinite(one).all() for one, _ in pairs if one.dtype.kind == "f")
    named = state.anchors.triangle
    holds = (state.taken.triangle == start.taken.triangle) | (state.taken.triangle == -1)
    return bool(numbers and named.min(initial=0) >= -1 and named.max(initial=-1) < carriers and holds.all())


def _middle(share: np.ndarray, points: np.ndarray) -> np.ndarray:
    return np.asarray(share @ points / share.sum())


def _spot(spot: asked.Spot) -> tuple[np.ndarray, np.ndarray]:
    weights = np.clip(np.array(spot.weights), 0.0, 1.0)
    if weights.sum() <= 0:
        raise asked.BadCommandError(
            "a place has no weights", where="weights", remedy="Press on the cloth again"
        )
    return np.array(spot.corners, np.int32), weights / weights.sum()


def _flags(command: asked.Park, fitting: Fitting) -> Flags | None:
    if command.bits is None:
        return None
    span = fitting.cloth.outfit.spans[fitting.cloth.index(command.garment)]
    count = span.stop - span.start
    try:
        data = np.frombuffer(base64.b64decode(command.bits, validate=True), np.uint8)
    except ValueError as error:
        raise asked.BadCommandError(
            f"what is to be parked is not base64 ({error})", where="bits", remedy="Draw around the cloth again"
        ) from None
    if len(data) != (count + 7) // 8:
        raise asked.BadCommandError(
            f"{len(data)} bytes name vertices of '{command.garment}', which has {count}", where="bits",
            remedy="Draw around the cloth again",
        )  # fmt: skip
    return np.unpackbits(data)[:count].astype(bool)


def _named(garments: tuple[tuple[str, int], ...]) -> str:
    return ", ".join(f"{name} ({count} vertices)" for name, count in garments)
