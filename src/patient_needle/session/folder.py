"""A folder as a sink: finished frames as files, a cache and a report made of them in the end.

While a garment runs, its finished frames stand in OUT/.work/<its number in the dressing order>: positions as
float32, one file per frame, numbered from the first delivered one; a line of the report each; and with the
first garment of a run its latest state in full. A stopped run leaves a valid cache of what is finished, and
`resume` goes on from the latest state to the same bits as a run that was never stopped.
"""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import takewhile
from pathlib import Path

import numpy as np

from ..core.craft.inspect.frame import FrameResult
from ..core.model.errors import FileError, ResumeError
from ..core.model.mesh import Mesh
from ..core.model.shot import Garment, PlannedRun, ShotPlan
from ..core.model.typed import Points
from ..formats.files import replacing
from ..formats.names import apart, file_name
from ..formats.registry import CacheTiming, read_cache, write_cache
from ..formats.report.records import Record, frame_record
from .run import Saved

WORK = ".work"


@dataclass(frozen=True)
class Progress:
    """One finished frame: the garment, how far its run is, and the frame."""

    garment: str
    done: int
    total: int
    result: FrameResult


class FolderSink:
    """Keeps a shot's frames below `out`; mark: of the inputs, which a resumed run must share."""

    def __init__(
        self, plan: ShotPlan, out: Path, cache_format: str, mark: str, told: Callable[[Progress], None], *,
        resume: bool,
    ) -> None:  # fmt: skip
        self._plan, self._told = plan, told
        self.garments: dict[str, GarmentFolder] = {}
        taken: list[str] = []
        out.mkdir(parents=True, exist_ok=True)
        for number, garment in enumerate(plan.garments):
            taken.append(apart(file_name(garment.name, f".{cache_format}"), taken))
            work = out / WORK / f"{number:04d}"
            self.garments[garment.name] = GarmentFolder(
                work, out / taken[-1], plan.frames[0], mark, resume=resume
            )

    def latest(self, run: PlannedRun) -> Saved | None:
        """The last state of a run, which its first garment's folder keeps."""
        kept = self.garments[run.lead].latest()
        if kept is not None:
            for garment in run.reported:
                self.garments[garment.name].forget_after(kept.frame)
        return kept

    def begin(self, run: PlannedRun) -> None:
        """Nothing to say."""

    def keep(self, run: PlannedRun, results: tuple[FrameResult, ...], at: Saved) -> None:
        """Keep positions and report of each garment, then the state, which commits the frame.

        The start of a run is no frame of it: only where it is delivered, its positions are kept.
        """
        begun = at.frame == self._plan.first_simulated
        total = self._plan.frames[1] - self._plan.first_simulated
        try:
            for result in results:
                folder = self.garments[result.garment]
                if begun:
                    folder.keep_start(result)
                else:
                    folder.keep(result)
            if not begun:
                self.garments[run.lead].keep_state(at)
        except OSError as error:
            raise FileError(
                f"frame {at.frame} could not be kept ({error.strerror or error})",
                where=str(error.filename or ""),
                remedy="Free space there, then run the same command with --resume",
            ) from error
        if not begun:
            for result in results:
                done = result.frame - self._plan.first_simulated
                self._told(Progress(result.garment, done, total, result))

    def pause(self) -> None:
        """Ctrl-C ends a headless run by itself."""

    def write_caches(self) -> None:
        """The caches of all that is finished."""
        for garment in self._plan.garments:
            self.garments[garment.name].write_cache(self._plan, garment)

    def check_caches(self) -> None:
        """Read the caches of runs that have ended back; `FileError` when one is not as planned."""
        for garment in self._plan.garments:
            self.garments[garment.name].check_cache(self._plan, garment)

    def clear(self) -> None:
        """Remove the working folders."""
        for folder in self.garments.values():
            folder.clear()


class GarmentFolder:
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

    def latest(self) -> Saved | None:
        """The latest state, or None when nothing is finished."""
        path = self._folder / "state.npz"
        return Saved.read(path.read_bytes()) if path.exists() else None

    def forget_after(self, frame: int) -> None:
        """Take the report's lines up to `frame`; what was kept of later frames is made again."""
        lines = (self._folder / "frames.jsonl").read_text().splitlines()
        self.records = [r for r in map(json.loads, lines) if r["frame"] <= frame]
        _write_lines(self._folder / "frames.jsonl", self.records)

    def keep_start(self, result: FrameResult) -> None:
        """The start itself is the first frame when there is no run-in."""
        if result.delivered:
            self._save_positions(result.frame, result.positions)

    def keep(self, result: FrameResult) -> None:
        """Keep one frame's positions and report; `keep_state` of the run commits it."""
        record = frame_record(result)
        self.records.append(record)
        if result.delivered:
            self._save_positions(result.frame, result.positions)
        with (self._folder / "frames.jsonl").open("a") as stream:
            stream.write(json.dumps(record) + "\n")

    def keep_state(self, at: Saved) -> None:
        """Commit a frame of all garments of the run: on disk before this returns."""
        with replacing(self._folder / "state.npz") as part, part.open("wb") as stream:
            stream.write(at.written())
            stream.flush()
            os.fsync(stream.fileno())

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
