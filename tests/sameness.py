"""Checksums of short runs of every demo shot: a change of the code that is to change no result changes none.

The flags run to their caches, a delivery and a report. The larger shots run for a few frames of their run-in;
their checksum is over the state and the figures of each frame. The same bits come out on one type of processor
with the same packages, so each checksum is kept beside the processor's name, and beside places in metres that
hold anywhere. `pytest --keep-checksums` keeps them anew, for a change that is meant to change results.
"""

from __future__ import annotations

import hashlib
import json
import shutil
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from patient_needle.bootstrap import environment
from patient_needle.bootstrap.headless import Request, simulate_shot
from patient_needle.core.craft.inspect.frame import inspected
from patient_needle.core.craft.run.outfit_run import OutfitRun
from patient_needle.core.model.shot import RunIn
from patient_needle.core.model.tolerances import FIRST_LOOK
from patient_needle.formats.pc2 import read_pc2
from patient_needle.formats.report.records import frame_record
from patient_needle.formats.shot_file.assemble import assemble
from patient_needle.formats.shot_file.document import read_shot_file

CASES = ("flag", "finished flag", "shot", "from_file", "layers", "fastened", "gust", "smock")
DEMO = Path(__file__).parents[1] / "demo"
KEPT = Path(__file__).parent / "reference" / "checksums.json"
MOVE = 30  # frames of the larger shots' run-in


@dataclass(frozen=True)
class Found:
    """checksum: SHA-256; places: mean position of each garment in its last frame, m."""

    checksum: str
    places: dict[str, list[float]]


def of_case(name: str, folder: Path, frames: int = 2) -> Found:
    """Run one of CASES; frames: how many of a larger shot."""
    if "flag" in name:
        return of_flags(folder, worn=name != "flag")
    return of_frames(f"lamplighter/{name}.json", frames)


def of_flags(folder: Path, *, worn: bool) -> Found:
    """The flag through its frames; worn: then a second flag beside it, while it is worn as it was finished."""
    out = _headless(folder / "first", {"run_in": {"settle": 3, "move": 0}, "frames": [1001, 1012]})
    if worn:
        shutil.copy(out / "signal flag.pc2", folder)
        out = _headless(folder / "second", {}, folder / "signal flag.pc2")
    digest, places = hashlib.sha256(), {}
    for cache in sorted(out.glob("*.pc2")):
        digest.update(cache.read_bytes())
        places[cache.stem] = _place(read_pc2(cache).frames[-1])
    digest.update(json.dumps(list(_told(out / "report.json")), sort_keys=True).encode())
    return Found(digest.hexdigest(), places)


def of_frames(shot: str, frames: int) -> Found:
    """The first frames of a shot's run-in, from its start on."""
    path = DEMO / shot
    plan = assemble(read_shot_file(path), path.parent)
    plan = replace(plan, run_in=RunIn(0, MOVE), patience=FIRST_LOOK)
    digest, places = hashlib.sha256(), {}
    for planned in plan.runs:
        run = OutfitRun(plan, planned)
        for results in inspected(run, run.start(), plan.first_simulated, plan.first_simulated + frames):
            state = results[0].state
            for moved in (state.positions, state.velocities, state.anchors.coordinates, state.pushed):
                digest.update(np.ascontiguousarray(moved).tobytes())
            for result in results:
                digest.update(json.dumps(_lasting(frame_record(result)), sort_keys=True).encode())
                places[result.garment] = _place(result.positions)
    return Found(digest.hexdigest(), places)


def _headless(folder: Path, change: dict[str, Any], finished: Path | None = None) -> Path:
    shutil.copytree(DEMO / "flag", folder)
    path = folder / "shot.json"
    data = {**json.loads(path.read_text()), **change}
    if finished is not None:
        shutil.copy(finished, folder)
        first = data["garments"][0]
        beside = {**first["recipe"], "placed": {"move": [0.0, 0.0, 0.03]}}
        data["garments"].append({**first, "name": "second flag", "recipe": beside})
        first["finished"] = {"cache": finished.name, "starts_at": 1001, "take": "an earlier one"}
        data["run_in"], data["frames"] = {"settle": 0, "move": 0}, [1001, 1006]
    path.write_text(json.dumps(data))
    simulate_shot(Request(path, folder / "out"), lambda progress: None)
    return folder / "out"


def _told(report: Path) -> Iterator[Any]:
    for name, garment in sorted(json.loads(report.read_text())["garments"].items()):
        for record in garment["frames"]:
            yield name, _lasting(record)


def _lasting(record: dict[str, Any]) -> dict[str, Any]:
    """A frame's record without timings and what was added to it later."""
    return {key: value for key, value in record.items() if key not in ("milliseconds", "line_searches_failed")}


def _place(points: Any) -> list[float]:
    return [round(float(v), 7) for v in np.asarray(points, float).mean(axis=0)]


def kept() -> dict[str, Any]:
    """The record: checksums by processor and case, places by case and garment."""
    return dict(json.loads(KEPT.read_text())) if KEPT.exists() else {"checksums": {}, "places": {}}


def keep(name: str, found: Found) -> None:
    """Put a case into the record anew."""
    record = kept()
    record["checksums"].setdefault(processor(), {})[name] = found.checksum
    record["places"][name] = found.places
    KEPT.write_text(json.dumps(record, indent=1) + "\n")


def processor() -> str:
    """The processor's name and a digest of all it can do: under one name there are several."""
    try:
        lines = Path("/proc/cpuinfo").read_text().splitlines()
    except OSError:
        lines = []
    said = {line.split(":")[0].strip(): line for line in reversed(lines) if ":" in line}
    able = "".join(said.get(key, "") for key in ("cpu family", "model", "flags"))
    return f"{environment.processor()} {hashlib.sha256(able.encode()).hexdigest()[:8]}"
