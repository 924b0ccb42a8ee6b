"""Footage of a take: its frames out of the database, beside the run that they belong to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from sqlalchemy.orm import Session

from ..core.craft.inspect.checks import check_plan
from ..core.craft.mend.footage import Footage, Patch
from ..core.craft.mend.snags import Marks, find_marks
from ..core.craft.run.outfit_run import OutfitRun
from ..core.model.errors import ShotError
from ..core.model.shot import ShotPlan
from ..core.model.tolerances import ALL
from ..core.solver.diagnostics import stretch
from ..formats.report.mending import marked_record, plain_record
from ..formats.shot_file.assemble import assemble
from ..store import blobs, mending, takes
from ..store.models import Take
from ..store.session import Store
from .opened import opened
from .serving import run_of


def plan_of_take(store: Store, take: Take) -> ShotPlan:
    """The plan that a take belongs to, over the take's own range and patience."""
    with opened(store, take.shot_id, take.number) as (shot, folder):
        plan = assemble(shot, folder)
    plan = replace(plan, frames=(take.first, take.last), patience=ALL.get(take.patience, plan.patience))
    if plan.garments and not all(garment.is_finished for garment in plan.garments):
        check_plan(plan)
    return plan


def footage_of(store: Store, take: Take, run: OutfitRun | None = None) -> Footage:
    """A take's frames; `ShotError` when one of its delivered frames is missing."""
    if run is None:
        plan = plan_of_take(store, take)
        run = OutfitRun(plan, run_of(plan))
    pieces, firsts = [], []
    with store.begin() as session:
        for garment in run.run.garments:
            rows = takes.frames(session, take.id, garment.name)
            numbers = [row.frame for row in rows]
            whole = numbers == list(range(numbers[0], take.last + 1)) if numbers else False
            if not whole or numbers[0] > take.first:
                raise ShotError(
                    f"it does not have all frames of the {garment.name} from {take.first} to {take.last}",
                    where=f"'{take.name}'",
                    remedy="Let it go on to its end, or bring in the missing frames",
                )
            data = blobs.many(session, [row.sha for row in rows])
            count = garment.mesh.vertex_count
            frames = [np.frombuffer(data[row.sha], "<f4").reshape(-1, 3) for row in rows]
            if any(len(frame) != count for frame in frames):
                raise ShotError(
                    f"its frames of the {garment.name} are not of its {count:,} vertices",
                    where=f"'{take.name}'", remedy="Make a new take",
                )  # fmt: skip
            pieces.append(np.stack(frames))
            firsts.append(numbers[0])
    first = max(firsts)
    points = np.concatenate(
        [piece[first - begins :] for piece, begins in zip(pieces, firsts, strict=True)], axis=1
    )
    return Footage(run, points, first, take.first)


def write_frames(session: Session, take: Take, footage: Footage, marks: Marks, frames: list[int]) -> None:
    """Write some frames of a take, positions and records of each garment, in the caller's transaction."""
    rows: list[dict[str, object]] = []
    for index, (cloth, span) in enumerate(zip(footage.worn.cloths, footage.worn.spans, strict=True)):
        old = {row.frame: row.record for row in takes.frames(session, take.id, cloth.name)}
        for frame in frames:
            points = footage.points[frame - footage.first]
            own = [mark for mark in marks.get(frame, []) if mark.garment == index]
            stretched = stretch(cloth, points[span].astype(float))
            record = marked_record(old.get(frame, plain_record(frame)), own, stretched, points)
            sha = blobs.put(session, np.ascontiguousarray(points[span], "<f4").tobytes())
            rows.append({"garment": cloth.name, "frame": frame, "sha": sha, "record": record})
    mending.put_frames(session, take.id, rows)


def laid(footage: Footage, patches: list[Patch]) -> Footage:
    """A footage with patches laid over it, the later over the earlier."""
    for patch in patches:
        footage = footage.with_patch(patch)
    return footage


def marked(footage: Footage, told: Callable[[float], None]) -> Marks:
    """The marks of all judged frames."""
    count = len(footage.judged)

    def each(frame: float) -> None:
        told((frame - footage.begins + 1) / count)

    return find_marks(footage, footage.judged, each)
