"""A fitting without a page: a shot file in, garments that have come to rest out."""

from __future__ import annotations

import io
import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from ..core.craft.drape.live import Fitting
from ..core.craft.inspect.checks import check_plan
from ..core.craft.run.outfit_run import OutfitRun
from ..core.model.errors import ShotError
from ..core.model.tolerances import FITTING_STEP
from ..formats.files import replacing
from ..formats.fitting.written import read_fitting, write_fitting
from ..formats.names import apart, file_name
from ..formats.registry import write_model
from ..formats.shot_file.assemble import assemble
from ..formats.shot_file.document import read_shot_file
from ..session.cores import Cores
from ..session.live import Live, Logged, replayed
from ..session.serving import run_of
from .environment import processor, versions

TELL_EVERY = 24  # steps


@dataclass(frozen=True)
class DrapeRequest:
    """What to settle: shot file, the name and folder of the fitting; until: mm that may be left; seconds of
    cloth time at most; begin: a kept fitting of the shot to begin from; log: what was done by hand, to be done
    again first.
    """

    shot: Path
    fitting: str
    out: Path
    until: float = 0.2
    seconds: float = 60.0
    begin: str | None = None
    log: Path | None = None
    threads: int = 1


def drape_shot(request: DrapeRequest, told: Callable[[int, float | None], None]) -> dict[str, Any]:
    """Settle a shot's garments and write them: `NAME.fitting`, a mesh of each garment (OBJ, m, Y up), and
    `NAME.json`, which is returned. Nothing is written when the start is refused. told: steps, and m left.
    """
    shot = read_shot_file(request.shot)
    plan = assemble(shot, request.shot.parent)
    check_plan(plan)
    run = OutfitRun(plan, run_of(plan))
    if request.begin is None:
        live = Live(Fitting(run, run.start()))
    else:
        record = next((one for one in shot.fittings if one.name == request.begin), None)
        if record is None:
            known = ", ".join(one.name for one in shot.fittings) or "none"
            raise ShotError(
                f"the shot keeps no fitting '{request.begin}'", where="--begin", remedy=f"It has {known}"
            )
        data = (request.shot.parent / record.file).read_bytes()
        live = Live.resumed(run, read_fitting(io.BytesIO(data), record.file, run.colliders.triangles))
    with Cores(request.threads) as cores:
        if request.log is not None:
            log = [Logged.read(line) for line in request.log.read_text().splitlines()]
            replayed(live, log, max((one.step for one in log), default=0))
        fitting = live.fitting
        fitting.let_go()
        fitting.smoothed()
        fitting.rest(request.until / 1e3, max(1, round(request.seconds / FITTING_STEP)))
        while fitting.resting is not None:
            live.step(cores.adapt)
            if fitting.step_number % TELL_EVERY == 0:
                told(fitting.step_number, fitting.unrest)
    return _written(request, live)


def _written(request: DrapeRequest, live: Live) -> dict[str, Any]:
    fitting = live.fitting
    names: list[str] = []
    request.out.mkdir(parents=True, exist_ok=True)
    with replacing(request.out / file_name(request.fitting, ".fitting")) as part, part.open("wb") as stream:
        write_fitting(stream, live.written())
    for source, name, span in zip(
        fitting.sources, fitting.cloth.names, fitting.cloth.outfit.spans, strict=True
    ):
        names.append(apart(file_name(f"{request.fitting}, {name}", ".obj"), names))
        mesh = replace(source.surface.with_vertices(fitting.state.positions[span]), name=name)
        write_model(request.out / names[-1], mesh, 1.0, "y")
    crossings = fitting.crossings()
    report = {
        "format": "patient-needle-fitting-report", "version": 1, "fitting": request.fitting,
        "shot": fitting.plan.name, "steps": fitting.step_number,
        "seconds": fitting.step_number * FITTING_STEP,
        "unrest_mm": None if fitting.unrest is None else fitting.unrest * 1e3, "until_mm": request.until,
        "at_rest": fitting.at_rest(request.until / 1e3),
        "intersections": {
            "in_the_body": len(crossings.colliders), "through_itself": len(crossings.itself),
            "through_another": len(crossings.garments),
        },
        "meshes": names, "versions": versions(), "processor": processor(),
    }  # fmt: skip
    with replacing(request.out / file_name(request.fitting, ".json")) as part:
        part.write_text(json.dumps(report, indent=1, ensure_ascii=False) + "\n")
    return report
