"""Mending without a page: caches in, mended caches and a report out."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from ..core.craft.inspect.checks import check_range
from ..core.craft.mend.footage import Footage
from ..core.craft.mend.mending import mend_all
from ..core.craft.mend.snags import find_marks, find_snags
from ..core.craft.run.outfit_run import OutfitRun
from ..core.model.errors import FileError, ShotError
from ..core.model.shot import ShotPlan
from ..formats.files import replacing
from ..formats.names import apart, file_name
from ..formats.registry import CacheTiming, cache_endings, write_cache
from ..formats.report.mending import counts_record, proof_record, snag_record
from ..formats.shot_file.assemble import assemble
from ..formats.shot_file.document import read_shot_file
from ..session.bringing import HowRead, bring_in, in_common
from ..session.serving import run_of
from .environment import processor, versions


@dataclass(frozen=True)
class MendRequest:
    """What to mend: the shot file; the caches, how they are read, and where to write. A cache is a file or a
    folder of OBJ files, as "NAME=PATH" or, for the only garment, the path alone; or a folder that holds a file
    named after each garment. mend False only lists snags.
    """

    shot: Path
    caches: tuple[str, ...]
    out: Path
    how: HowRead
    mend: bool = True
    cache_format: str = "pc2"


def mend_shot(request: MendRequest, told: Callable[[str], None]) -> dict[str, Any]:
    """Judge the caches of a shot, mend what can be mended, and write caches and `mend.json`, which is returned.

    Nothing is written when a cache is refused.
    """
    shot = read_shot_file(request.shot)
    plan = assemble(shot, request.shot.parent)
    if not plan.garments:
        raise ShotError("the shot has no garment", where=str(request.shot), remedy="Make one first")
    found = {}
    for garment in plan.garments:
        paths = _paths(request.caches, garment.name, [one.name for one in plan.garments])
        found[garment.name] = bring_in(paths, garment.mesh, request.how, plan.frames[0], plan.frame_rate)
    first, last = in_common(found.values())
    plan = replace(plan, frames=(first, last))
    for member in plan.cast:
        check_range(plan, member)
    points = np.concatenate(
        [one.points[first - one.first : last - one.first + 1] for one in found.values()], axis=1
    )
    footage = Footage(OutfitRun(plan, run_of(plan)), points, first, first)
    start = time.monotonic()
    marks = find_marks(footage, footage.judged)
    before = find_snags(footage, marks)
    told(f"{len(before)} snags in frames {first} to {last}, found in {time.monotonic() - start:.1f} s")
    report = _report(request, plan, footage) | {
        "snags_before": [snag_record(one) for one in before], "crossings_before": counts_record(marks),
    }  # fmt: skip
    steps: list[dict[str, Any]] = []
    left = [snag_record(one) for one in before]
    if request.mend:

        def each(said: str, share: float) -> None:
            if said:
                told(f"{said} ({share:.0%})")

        done = mend_all(footage, marks, told=each)
        steps = [
            {
                "verb": step.way.verb, "snag": snag_record(step.snag), "first": step.span.first,
                "last": step.span.last, "join": step.span.join, "vertices": len(step.region.vertices),
                "proof": proof_record(step.proof),
            }
            for step in done.steps
        ]  # fmt: skip
        left = [snag_record(one.snag, one.why) for one in done.left]
        report["crossings_after"] = counts_record(done.marks)
        _write_caches(request, plan, done.footage)
    report |= {"remedies": steps, "snags_left": left, "seconds": round(time.monotonic() - start, 2)}
    request.out.mkdir(parents=True, exist_ok=True)
    with replacing(request.out / "mend.json") as part:
        part.write_text(json.dumps(report, indent=1, ensure_ascii=False) + "\n")
    return report


def _paths(caches: tuple[str, ...], garment: str, garments: list[str]) -> list[Path]:
    """The files of a garment's cache; `ShotError` where none is given."""
    for given in caches:
        name, equals, at = given.partition("=")
        if equals and name == garment:
            return _files(Path(at))
    plain = [Path(given) for given in caches if "=" not in given]
    for path in plain:
        if path.is_dir():
            for ending in cache_endings():
                own = path / file_name(garment, ending)
                if own.exists():
                    return [own]
    if len(garments) == 1 and len(plain) == 1:
        return _files(plain[0])
    raise ShotError(
        f"no cache of the '{garment}' is given", where="--cache", remedy=f"Give --cache '{garment}=PATH'"
    )


def _files(path: Path) -> list[Path]:
    if not path.exists():
        raise FileError("there is no such file", where=str(path), remedy="Give the path of the cache")
    if not path.is_dir():
        return [path]
    files = sorted(path.glob("*.obj"))
    if not files:
        raise FileError("the folder holds no OBJ files", where=str(path), remedy="Give the cache itself")
    return files


def _write_caches(request: MendRequest, plan: ShotPlan, footage: Footage) -> None:
    request.out.mkdir(parents=True, exist_ok=True)
    taken: list[str] = []
    for garment, span in zip(plan.garments, footage.worn.spans, strict=True):
        taken.append(apart(file_name(garment.name, f".{request.cache_format}"), taken))
        mesh = replace(garment.mesh, name=garment.name.replace(" ", "_"))
        frames = [footage.points[frame - footage.first, span] for frame in footage.judged]
        timing = CacheTiming(footage.begins, plan.frame_rate)
        write_cache(request.out / taken[-1], mesh, (frame.astype(float) for frame in frames), timing)


def _report(request: MendRequest, plan: ShotPlan, footage: Footage) -> dict[str, Any]:
    return {
        "format": "patient-needle-mend-report", "version": 1, "shot": plan.name, "caches": list(request.caches),
        "frames": [footage.begins, footage.last], "garments": [one.name for one in plan.garments],
        "versions": versions(), "processor": processor(),
    }  # fmt: skip
