"""Mending in a worker: looking for a take's snags, doing remedies, bringing caches in."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import structlog
from sqlalchemy.orm import Session

from ..core.craft.inspect.checks import check_range
from ..core.craft.mend.footage import Footage, Patch, Span
from ..core.craft.mend.mending import mend_all, mend_one
from ..core.craft.mend.proof import prove
from ..core.craft.mend.remedies import CALM, Settings, apply, around, around_snag, fitting, whole
from ..core.craft.mend.snags import Marks, TakeSnag, find_marks, find_snags
from ..core.craft.run.outfit_run import OutfitRun
from ..core.model.errors import NeedleError, ShotError
from ..core.model.swatch_book import BOOK
from ..formats.report.marks import read_marks, read_patch, write_marks, write_patch
from ..formats.report.mending import (
    accepted_by,
    counts_record,
    plain_record,
    proof_record,
    snag_key,
    snag_record,
)
from ..session.bringing import HowRead, bring_in, in_common
from ..session.cores import Cores
from ..session.footage import footage_of, laid, marked, plan_of_take, write_frames
from ..session.serving import run_of
from ..store import blobs, mending, takes
from ..store.errors import FencedError
from ..store.models import Remedy, Take, TakeState
from ..store.session import Store
from .queue import queue_remedy, queue_snags

log = structlog.get_logger()
TELL_EVERY = 0.4  # s between two words of how far it is
ALL = "mend all"


class _TakenAway(Exception):
    """The remedy was taken back while it was worked on."""


def _fault(error: Exception) -> dict[str, Any]:
    if isinstance(error, NeedleError):
        return {"what": error.what, "where": error.where, "remedy": error.remedy}
    return {
        "what": f"it stopped unexpectedly ({type(error).__name__}: {error})", "where": "the worker",
        "remedy": "The take is as it was; the worker's log says more",
    }  # fmt: skip


def _paced(tell: Callable[[float], None], cores: Cores) -> Callable[[float], None]:
    """The same, now and then only; it leaves cores to others, too."""
    last = time.monotonic()

    def told(share: float) -> None:
        nonlocal last
        cores.adapt()
        if time.monotonic() - last >= TELL_EVERY:
            last = time.monotonic()
            tell(share)

    return told


# Snags.


def look_for_snags(store: Store, take_id: int) -> None:
    """Find the snags of a take and keep them."""
    with store.begin() as session:
        lease = mending.claim_snags(session, take_id)
        if lease is None:
            return
        take = takes.get(session, take_id)

    def tell(share: float) -> None:
        with store.begin() as session:
            mending.looked(session, take_id, lease, share)

    try:
        with Cores() as cores:
            footage = footage_of(store, take)
            marks = marked(footage, _paced(tell, cores))
            snags = find_snags(footage, marks)
        with store.begin() as session:
            if take.origin is not None and take.origin["kind"] == "brought in":
                write_frames(session, take, footage, marks, list(footage.judged))
            mending.keep_snags(
                session, take_id, [snag_record(one) for one in snags], counts_record(marks), write_marks(marks),
                lease=lease,
            )  # fmt: skip
    except FencedError as error:
        log.warning(error.line(), action="snags_fenced", take=take_id)
    except Exception as error:  # the edge of a job: whatever it was, the artist must see it
        log.exception("looking for snags failed", action="snags_failed", take=take_id)
        with store.begin() as session:
            mending.fail_snags(session, take_id, lease, _fault(error))
    else:
        log.info("snags found", action="snags_found", take=take_id, snags=len(snags))


# Remedies.


@dataclass(frozen=True, eq=False)
class _Bench:
    """A mended take on the bench: what it is now, its marks, and what was accepted."""

    take: Take
    footage: Footage
    marks: Marks
    accepted: list[dict[str, Any]]


def do_remedy(store: Store, remedy_id: int) -> None:
    """Do one remedy, or all that help; prove it, and lay it over its take where it is better for that."""
    with store.begin() as session:
        claimed = mending.claim_remedy(session, remedy_id)
        if claimed is None:
            return
        remedy, lease = claimed
        take = takes.get(session, remedy.take_id)

    def tell(share: float) -> None:
        with store.begin() as session:
            if not mending.remedied(session, remedy_id, lease, share):
                raise _TakenAway

    try:
        with Cores() as cores:
            told = _paced(tell, cores)
            bench = _bench(store, take, told)
            if remedy.verb == ALL:
                _mend_all(store, bench, remedy, lease, told)
            else:
                _mend(store, bench, remedy, lease, told)
    except (_TakenAway, FencedError):
        log.info("remedy taken back", action="remedy_taken_back", remedy=remedy_id)
    except Exception as error:  # the edge of a job: whatever it was, the artist must see it
        if not isinstance(error, NeedleError):
            log.exception("remedy failed", action="remedy_failed", remedy=remedy_id)
        try:
            with store.begin() as session:
                mending.end_remedy(session, remedy_id, lease, "failed", fault=_fault(error))
        except FencedError:
            log.info("remedy taken back", action="remedy_taken_back", remedy=remedy_id)


def _bench(store: Store, take: Take, told: Callable[[float], None]) -> _Bench:
    footage = footage_of(store, take)
    with store.begin() as session:
        kept = mending.snag_list(session, take.id)
        data = (
            None if kept is None or kept.sha is None or kept.state != "ready" else blobs.get(session, kept.sha)
        )
        accepted = [] if kept is None else list(kept.accepted)
    marks = marked(footage, told) if data is None else read_marks(data)
    return _Bench(take, footage, marks, accepted)


def _mend(store: Store, bench: _Bench, remedy: Remedy, lease: int, told: Callable[[float], None]) -> None:
    asked, footage = remedy.asked, bench.footage
    snag = _asked_snag(bench, asked.get("snag"))
    if remedy.verb == "choose for me":
        assert snag is not None
        done, why = mend_one(footage, bench.marks, snag, told)
        if done is None:
            raise ShotError(
                f"nothing helped: {why}", where=remedy.said, remedy="Try a wider region or a longer span"
            )
        step, proven = done
        patch = step.patch
    else:
        span = Span(asked["first"], asked["last"], asked["join"])
        settings = fitting(remedy.verb, snag, _settings(asked))
        patch = apply(remedy.verb, footage, _region(footage, asked, snag, remedy.verb), span, settings, told)
        proven = prove(footage, bench.marks, patch, snag)
    told(1.0)
    kept = proven.proof.accepted
    with store.begin() as session:
        mending.end_remedy(
            session, remedy.id, lease, "kept" if kept else "proposal", proof=proof_record(proven.proof),
            patch=write_patch(patch),
        )  # fmt: skip
        if kept:
            _write(session, bench.take, proven.footage, proven.marks, list(patch.frames))


def _mend_all(store: Store, bench: _Bench, remedy: Remedy, lease: int, told: Callable[[float], None]) -> None:
    def skip(snag: TakeSnag) -> bool:
        return accepted_by(snag_record(snag), bench.accepted) is not None

    done = mend_all(bench.footage, bench.marks, skip, lambda said, share: told(share))  # noqa: ARG005
    frames = sorted({frame for step in done.steps for frame in step.patch.frames})
    with store.begin() as session:
        if not mending.remedied(session, remedy.id, lease, 1.0):
            raise _TakenAway
        for step in done.steps:
            asked = {
                "snag": snag_key(step.snag), "first": step.span.first, "last": step.span.last,
                "join": step.span.join, "grip": step.way.settings.grip,
            }  # fmt: skip
            said = f"{step.snag.kind}{f' at the {step.snag.where}' if step.snag.where else ''}"
            made = mending.add_remedy(session, bench.take.id, step.way.verb, said, asked)
            claimed = mending.claim_remedy(session, made.id)
            assert claimed is not None
            mending.end_remedy(
                session,
                made.id,
                claimed[1],
                "kept",
                proof=proof_record(step.proof),
                patch=write_patch(step.patch),
            )
        mending.forget_remedy(session, remedy.id)
        write_frames(session, bench.take, done.footage, done.marks, frames)
        left = {snag_key(one.snag): one.why for one in done.left}
        snags = [snag_record(one, left.get(snag_key(one), "")) for one in find_snags(done.footage, done.marks)]
        mending.keep_snags(session, bench.take.id, snags, counts_record(done.marks), write_marks(done.marks))


def _asked_snag(bench: _Bench, key: str | None) -> TakeSnag | None:
    if key is None:
        return None
    snags = find_snags(bench.footage, bench.marks)
    for snag in snags:
        if snag_key(snag) == key:
            return snag
    # What was mended since may have changed a frame or two of it.
    kind, garment, other, first, last, _ = key.rsplit("|", 5)
    for snag in snags:
        near = abs(snag.frames[0] - int(first)) <= 2 and abs(snag.frames[1] - int(last)) <= 2
        if (snag.kind, snag.garment, snag.other) == (kind, garment, other) and near:
            return snag
    raise ShotError(
        "that snag is not there any more", where=f"'{bench.take.name}'", remedy="Choose one from the list"
    )


def _region(footage: Footage, asked: dict[str, Any], snag: TakeSnag | None, verb: str) -> Any:
    wider = float(asked.get("wider", 1.0))
    if asked.get("garment") is not None and asked.get("vertices") is not None:
        names = [cloth.name for cloth in footage.worn.cloths]
        if asked["garment"] not in names:
            raise ShotError(f"there is no garment '{asked['garment']}'", remedy=f"There is {', '.join(names)}")
        span = footage.worn.spans[names.index(asked["garment"])]
        own = np.array(asked["vertices"], np.int64)
        if len(own) == 0 or own.min() < 0 or own.max() >= span.stop - span.start:
            raise ShotError(
                f"the region names vertices that the {asked['garment']} does not have", remedy="Draw it again"
            )
        chosen = np.zeros(footage.worn.count, bool)
        chosen[own + span.start] = True
        return around(footage, chosen, wider=wider)
    if snag is not None:
        return around_snag(footage, snag, wider=wider)
    if verb == CALM:
        return whole(footage, asked.get("garment"))
    raise ShotError("no place was chosen", remedy="Choose a snag, or draw around a place")


def _settings(asked: dict[str, Any]) -> Settings:
    fabric = None
    if asked.get("fabric"):
        fabric = next((one.fabric for one in BOOK if one.fabric.name == asked["fabric"]), None)
        if fabric is None:
            raise ShotError(f"the swatch book has no '{asked['fabric']}'", remedy="Choose one that it has")
    plain = Settings()
    room = asked.get("room_mm")
    return replace(
        plain, grip=float(asked.get("grip", plain.grip)), patience=asked.get("patience"),
        clearance=float(asked.get("clearance", 1.0)), friction=float(asked.get("friction", 1.0)), fabric=fabric,
        without=tuple(asked.get("without", ())), drawn_in=1e-3 * float(asked.get("drawn_in_mm", 4.0)),
        room=plain.room if room is None else 1e-3 * float(room), strength=float(asked.get("strength", 1.0)),
        amount=float(asked.get("amount", 0.5)), leave_out=tuple(asked.get("leave_out", ())),
    )  # fmt: skip


def _write(session: Session, take: Take, footage: Footage, marks: Marks, frames: list[int]) -> None:
    """Write changed frames of a take, and its snags anew."""
    write_frames(session, take, footage, marks, frames)
    snags = [snag_record(one) for one in find_snags(footage, marks)]
    mending.keep_snags(session, take.id, snags, counts_record(marks), write_marks(marks))


def compose(store: Store, take_id: int, again: int) -> None:
    """Lay the remedies of a mended take over what it mends anew, after one was turned on or off or taken back.

    again: a remedy, and those after it that touch what it touches are done anew; 0 for none.
    """
    with store.begin() as session:
        take = takes.get(session, take_id)
        if take.mends is None:
            return
        base = takes.get(session, take.mends)
        steps = [
            one for one in mending.remedies(session, take_id) if one.state == "kept" and one.sha is not None
        ]
        patches = {one.id: read_patch(blobs.get(session, one.sha or "")) for one in steps}
    with Cores():
        plan = plan_of_take(store, base)
        run = OutfitRun(plan, run_of(plan))
        before, now = footage_of(store, base, run), footage_of(store, take, run)
        on = [one for one in steps if one.is_on]
        stale: list[Remedy] = []
        touched = [patches[one.id] for one in steps if one.id == again]
        for one in on:
            if one.id > again > 0 and any(_meet(patches[one.id], other) for other in touched):
                stale.append(one)
                touched.append(patches[one.id])
        after = laid(before, [patches[one.id] for one in on if one not in stale])
        changed = (after.points != now.points).any(axis=(1, 2))
        frames = [frame for frame in after.judged if changed[frame - after.first]]
        marks = _remarked(store, take, after, now)
    with store.begin() as session:
        for one in stale:
            again_row = mending.remedy(session, one.id)
            again_row.state, again_row.proof, again_row.sha = "waiting", None, None
            queue_remedy(session, one.id)
        _write(session, take, after, marks, frames)


def _meet(one: Patch, other: Patch) -> bool:
    """Whether two remedies change the same vertices at the same time."""
    frames = set(one.frames) & set(other.frames)
    return bool(frames) and len(np.intersect1d(one.vertices, other.vertices)) > 0


def _remarked(store: Store, take: Take, after: Footage, now: Footage) -> Marks:
    """The marks of a footage: those of the take as it was, with what changed looked at again."""
    with store.begin() as session:
        kept = mending.snag_list(session, take.id)
        data = None if kept is None or kept.sha is None else blobs.get(session, kept.sha)
    if data is None:
        return marked(after, lambda share: None)  # noqa: ARG005
    changed = np.flatnonzero((after.points != now.points).any(axis=(1, 2))) + after.first
    near = {int(frame) + step for frame in changed for step in range(-16, 17)}
    marks = read_marks(data)
    return {**marks, **find_marks(after, [frame for frame in after.judged if frame in near])}


# Caches from elsewhere.


def bring_take_in(store: Store, take_id: int) -> None:
    """Read the caches of a take that waits to be brought in, and keep their frames, or say what is wrong."""
    with store.begin() as session:
        claimed = takes.claim(session, take_id, {})
        if claimed is None:
            return
        take, lease = claimed
    try:
        plan = plan_of_take(store, take)
        brought = {}
        with TemporaryDirectory(prefix="needle-brought-") as folder:
            for number, asked in enumerate((take.origin or {})["caches"]):
                garment = next((one for one in plan.garments if one.name == asked["garment"]), None)
                if garment is None:
                    raise ShotError(
                        f"the shot has no garment '{asked['garment']}'", remedy="Choose one that it has"
                    )
                own = Path(folder) / str(number)
                own.mkdir()
                paths = _unpacked(store, own, asked["files"])
                how = HowRead(asked["unit"], asked["up"], asked.get("starts_at"))
                brought[garment.name] = bring_in(paths, garment.mesh, how, plan.frames[0], plan.frame_rate)
        _keep_brought(store, take, lease, plan, brought)
    except FencedError as error:
        log.warning(error.line(), action="bring_in_fenced", take=take_id)
    except Exception as error:  # the edge of a job: whatever it was, the artist must see it
        if not isinstance(error, NeedleError):
            log.exception("bringing in failed", action="bring_in_failed", take=take_id)
        with store.begin() as session:
            takes.finish(session, lease, TakeState.FAILED, _fault(error))


def _unpacked(store: Store, folder: Path, files: dict[str, str]) -> list[Path]:
    paths = []
    for name, sha in files.items():
        path = folder / Path(name).name
        with store.begin() as session, path.open("wb") as stream:
            for chunk in blobs.chunks(session, sha):
                stream.write(chunk)
        paths.append(path)
    return paths


def _keep_brought(store: Store, take: Take, lease: takes.Lease, plan: Any, brought: dict[str, Any]) -> None:
    missing = [one.name for one in plan.garments if one.name not in brought]
    if missing:
        raise ShotError(
            f"no cache of the {missing[0]} was brought in", where=f"'{take.name}'",
            remedy="Bring in a cache of every garment: they are judged together",
        )  # fmt: skip
    first, last = in_common(brought.values())
    moved = replace(plan, frames=(first, last))
    for member in moved.cast:
        check_range(moved, member)
    rows: list[dict[str, Any]] = []
    for name, one in brought.items():
        for frame in range(first, last + 1):
            data = np.ascontiguousarray(one.points[frame - one.first], "<f4").tobytes()
            rows.append({"garment": name, "frame": frame, "data": data, "record": plain_record(frame)})
    with store.begin() as session:
        for row in rows:
            row["sha"] = blobs.put(session, row.pop("data"))
        mending.put_frames(session, take.id, rows)
        kept = takes.get(session, take.id)
        kept.first_simulated = kept.first = first
        kept.last = last
        kept.done = kept.total = len(rows)
        takes.finish(session, lease, TakeState.FINISHED)
        mending.ask_for_snags(session, take.id)
        queue_snags(session, take.id)
