"""A shot file in, caches and a report out, with no server and no database.

While a garment runs, its finished frames stand in OUT/.work/<its number in the dressing order>: positions as
float32, one file per frame, numbered from the first delivered one; a line of the report each; and the latest
state in full. A stopped run leaves a valid cache of what is finished, and `resume` goes on from the latest
state to the same bits as a run that was never stopped. A run that ends has read its caches back.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import takewhile
from pathlib import Path

import numpy as np

from ..core.craft.checks import check_plan
from ..core.craft.inspection import FrameResult
from ..core.craft.plan import Garment, ShotPlan
from ..core.craft.simulate import OutfitRun
from ..core.model.errors import FileError, ResumeError
from ..core.model.mesh import Mesh
from ..core.model.patience import ALL
from ..core.model.typed import Points
from ..core.solver.state import ClothState
from ..formats.checkpoint.state import read_checkpoint, write_checkpoint
from ..formats.file_names import apart, file_name
from ..formats.registry import CacheTiming, read_cache, write_cache
from ..formats.report.records import Record, frame_record, totals
from ..formats.shot_file.assemble import assemble, named_files
from ..formats.shot_file.document import read_shot_file
from ..formats.whole_file import replacing
from .engine_source import engine_hash
from .environment import processor, versions

WORK = ".work"


@dataclass(frozen=True)
class Request:
    """What to run: shot file, output folder, and what replaces the shot's own frames or patience."""

    shot: Path
    out: Path
    frames: tuple[int, int] | None = None
    patience: str | None = None
    cache_format: str = "pc2"
    resume: bool = False
    threads: int = 1


@dataclass(frozen=True)
class Progress:
    """One finished frame: the garment, how far its run is, and the frame."""

    garment: str
    done: int
    total: int
    result: FrameResult


def simulate_shot(request: Request, told: Callable[[Progress], None]) -> Path:
    """Run every garment of a shot and return the report's path.

    KeyboardInterrupt is passed on after a valid cache of the finished frames was written.
    """
    plan = _plan(request)
    check_plan(plan)
    mark = fingerprint(request, plan)
    runs = [OutfitRun(plan, planned) for planned in plan.runs]
    if not request.resume:
        for run in runs:
            run.start()  # a start that is refused is refused before anything is written
    request.out.mkdir(parents=True, exist_ok=True)
    desks = _desks(request, plan, mark)
    try:
        for run in runs:
            _run_outfit(plan, run, [desks[garment.name] for garment in run.run.reported], told)
    finally:
        for garment in plan.garments:
            desks[garment.name].write_cache(plan, garment)
        report = _write_report(request, plan, desks)
    for garment in plan.garments:
        desks[garment.name].check_cache(plan, garment)
    for desk in desks.values():
        desk.clear()
    return report


def _desks(request: Request, plan: ShotPlan, mark: str) -> dict[str, _Desk]:
    """A working folder for each garment, and a cache under a name of its own."""
    desks: dict[str, _Desk] = {}
    taken: list[str] = []
    for number, garment in enumerate(plan.garments):
        taken.append(apart(file_name(garment.name, f".{request.cache_format}"), taken))
        work = request.out / WORK / f"{number:04d}"
        desks[garment.name] = _Desk(work, request.out / taken[-1], plan.frames[0], mark, resume=request.resume)
    return desks


def _plan(request: Request) -> ShotPlan:
    plan = assemble(read_shot_file(request.shot), request.shot.parent)
    if request.frames is not None:
        first, last = request.frames
        plan = replace(plan, frames=(plan.frames[0], last) if first <= plan.frames[0] else (first, last))
    if request.patience is not None:
        plan = replace(plan, patience=ALL[request.patience])
    return plan


def fingerprint(request: Request, plan: ShotPlan) -> str:
    """SHA-256 over everything that determines the result: inputs, options, versions. Not threads, not the last
    frame, so that a run may be extended.
    """
    digest = hashlib.sha256()
    digest.update(request.shot.read_bytes())
    for path in named_files(read_shot_file(request.shot), request.shot.parent):
        digest.update(path.read_bytes())
    settings = {
        "first": plan.frames[0],
        "patience": plan.patience.name,
        "versions": versions(),
        "processor": processor(),
        "engine": engine_hash(),
    }
    digest.update(json.dumps(settings, sort_keys=True).encode())
    return digest.hexdigest()


def _run_outfit(plan: ShotPlan, run: OutfitRun, desks: list[_Desk], told: Callable[[Progress], None]) -> None:
    state, last_done = _resumed(desks) or (run.start(), plan.first_simulated)
    total = plan.frames[1] - plan.first_simulated
    if last_done == plan.first_simulated and plan.run_in.length == 0:
        for desk, first in zip(desks, run.first(), strict=True):
            desk.keep_first(first.positions)
    for results in run.frames(state, last_done, plan.frames[1]):
        for desk, result in zip(desks, results, strict=True):
            desk.keep(result)
        desks[0].keep_state(results[0])
        for result in results:
            told(Progress(result.garment, result.frame - plan.first_simulated, total, result))


def _resumed(desks: list[_Desk]) -> tuple[ClothState, int] | None:
    """The last state of a run and its frame, which the first garment's desk keeps; None when there is none."""
    kept = desks[0].latest()
    if kept is not None:
        for desk in desks:
            desk.forget_after(kept[1])
    return kept


class _Desk:
    """The working folder of one garment's run, and the cache that is made of it."""

    def __init__(self, folder: Path, cache: Path, first: int, mark: str, *, resume: bool) -> None:
        self._folder = folder
        self._cache = cache
        self._first = first
        self.records: list[Record] = []
        known = self._folder / "fingerprint"
        if resume:
            if not known.exists():
                raise ResumeError(
                    "there is no stopped run to go on from",
                    where=str(self._folder),
                    remedy="Start it without --resume",
                )
            if known.read_text() != mark:
                raise ResumeError(
                    "the stopped run was made from other inputs",
                    where=str(self._folder),
                    remedy="Put the inputs back, or start again without --resume",
                )
        else:
            shutil.rmtree(self._folder, ignore_errors=True)
            self._folder.mkdir(parents=True)
            known.write_text(mark)

    def latest(self) -> tuple[ClothState, int] | None:
        """The latest state and its frame, or None when nothing is finished."""
        path = self._folder / "state.npz"
        if not path.exists():
            return None
        with path.open("rb") as stream:
            return read_checkpoint(stream)

    def forget_after(self, frame: int) -> None:
        """Take the report's lines up to `frame`; what was kept of later frames is made again."""
        lines = (self._folder / "frames.jsonl").read_text().splitlines()
        self.records = [r for r in map(json.loads, lines) if r["frame"] <= frame]
        _write_lines(self._folder / "frames.jsonl", self.records)

    def keep_first(self, positions: Points) -> None:
        """The start itself is the first frame when there is no run-in."""
        self._save_positions(self._first, positions)

    def keep(self, result: FrameResult) -> None:
        """Keep one frame's positions and report; `keep_state` of the run commits it."""
        record = frame_record(result)
        self.records.append(record)
        if result.delivered:
            self._save_positions(result.frame, result.positions)
        with (self._folder / "frames.jsonl").open("a") as stream:
            stream.write(json.dumps(record) + "\n")

    def keep_state(self, result: FrameResult) -> None:
        """Commit a frame of all garments of the run."""
        save_state(self._folder / "state.npz", result.state, result.frame)

    def _save_positions(self, frame: int, positions: Points) -> None:
        with replacing(self._path(frame)) as part, part.open("wb") as stream:
            np.save(stream, positions.astype(np.float32))

    def _path(self, frame: int) -> Path:
        return self._folder / f"{frame - self._first:08d}.npy"

    def _finished(self, plan: ShotPlan) -> list[Path]:
        """The kept frames from the first delivered one on, without a gap."""
        first, last = plan.frames
        return list(takewhile(Path.exists, (self._path(frame) for frame in range(first, last + 1))))

    def write_cache(self, plan: ShotPlan, garment: Garment) -> None:
        """The cache of every finished frame, if there is one."""
        paths = self._finished(plan)
        if not paths:
            return
        timing = CacheTiming(self._first, plan.frame_rate)
        write_cache(self._cache, _named(garment), _frames(paths), timing)

    def check_cache(self, plan: ShotPlan, garment: Garment) -> None:
        """Read the cache of a run that has ended back, and hold it against the plan and its last frame."""
        first, last = plan.frames
        written, kept = read_cache(self._cache), np.load(self._path(last))
        found = (len(written.frames), written.frames.shape[1])
        if found != (last - first + 1, garment.mesh.vertex_count):
            fault = f"it holds {found[0]} frames of {found[1]} vertices"
        elif written.first_frame is not None and round(written.first_frame) != first:
            fault = f"it begins at frame {written.first_frame:g}"
        elif not np.array_equal(written.frames[-1], kept):
            fault = f"frame {last} is not where the run has it"
        else:
            return
        raise FileError(
            f"the cache was not written as planned: {fault}; frames {first} to {last} of "
            f"{garment.mesh.vertex_count} vertices were planned",
            where=str(self._cache),
            remedy="What was simulated is kept: run the same command with --resume",
        )

    def clear(self) -> None:
        """Remove the working folder of a finished run."""
        shutil.rmtree(self._folder)
        if not any(self._folder.parent.iterdir()):
            self._folder.parent.rmdir()


def _named(garment: Garment) -> Mesh:
    return replace(garment.mesh, name=garment.name.replace(" ", "_"))


def _frames(paths: list[Path]) -> Iterator[np.ndarray]:
    for path in paths:
        yield np.load(path)


def _write_lines(path: Path, records: list[Record]) -> None:
    with replacing(path) as part:
        part.write_text("".join(json.dumps(record) + "\n" for record in records))


def save_state(path: Path, state: ClothState, frame: int) -> None:
    """Everything a run needs to go on to the same bits, on disk before this returns."""
    with replacing(path) as part, part.open("wb") as stream:
        write_checkpoint(stream, state, frame)
        stream.flush()
        os.fsync(stream.fileno())


def _write_report(request: Request, plan: ShotPlan, desks: dict[str, _Desk]) -> Path:
    path = request.out / "report.json"
    garments = {}
    for name, desk in desks.items():
        garments[name] = {"totals": totals(desk.records), "frames": desk.records}
    report = {
        "format": "patient-needle-report",
        "version": 1,
        "shot": plan.name,
        "frames": list(plan.frames),
        "patience": plan.patience.name,
        "threads": request.threads,
        "seeds": {},
        "versions": versions(),
        "processor": processor(),
        "engine": engine_hash(),
        "garments": garments,
    }
    with replacing(path) as part:
        part.write_text(json.dumps(report, indent=1) + "\n")
    return path
