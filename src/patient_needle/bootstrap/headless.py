"""A shot file in, caches and a report out, with no server and no database.

A stopped run leaves a valid cache of what is finished, and goes on later to the same bits. A run that ends has
read its caches back.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

from ..core.craft.inspect.checks import check_plan
from ..core.model.shot import ShotPlan
from ..core.model.tolerances import ALL
from ..formats.files import replacing
from ..formats.report.records import totals
from ..formats.shot_file.assemble import assemble, named_files
from ..formats.shot_file.document import read_shot_file
from ..session.cores import Cores
from ..session.folder import FolderSink, Progress
from ..session.run import Session, drive
from .engine_source import engine_hash
from .environment import processor, versions


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


def simulate_shot(request: Request, told: Callable[[Progress], None]) -> Path:
    """Run every garment of a shot and return the report's path.

    KeyboardInterrupt is passed on after a valid cache of the finished frames was written.
    """
    plan = _plan(request)
    check_plan(plan)
    mark = fingerprint(request, plan)
    opened: dict[str, Session] = {}
    if not request.resume:  # a start that is refused is refused before anything is written
        opened = {planned.lead: Session.open(plan, planned, None) for planned in plan.runs}
    sink = FolderSink(plan, request.out, request.cache_format, mark, told, resume=request.resume)
    try:
        with Cores(request.threads) as cores:
            drive(plan, sink, opened, cores)
    finally:
        sink.write_caches()
        report = _write_report(request, plan, sink)
    sink.check_caches()
    sink.clear()
    return report


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


def _write_report(request: Request, plan: ShotPlan, sink: FolderSink) -> Path:
    path = request.out / "report.json"
    garments = {}
    for name, folder in sink.garments.items():
        garments[name] = {"totals": totals(folder.records), "frames": folder.records}
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
