"""Takes: made, claimed by one worker at a time, filled frame by frame, never overwritten."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from . import blobs
from .errors import ConflictError, FencedError, MissingError
from .events import tell
from .models import Blob, Checkpoint, Frame, Take, TakeState

KEEP_EVERY = 10  # frames between checkpoints that stay
GOES_ON = (TakeState.STOPPED, TakeState.FAILED, TakeState.FINISHED)


@dataclass(frozen=True)
class Lease:
    """One worker's right to write a take."""

    take_id: int
    number: int


@dataclass(frozen=True)
class Progress:
    """What a worker says with each frame."""

    done: int
    seconds_per_frame: float | None
    phase: str


def get(session: Session, take_id: int) -> Take:
    """One take; `MissingError` when there is none."""
    take = session.get(Take, take_id)
    if take is None:
        raise MissingError(f"there is no take {take_id}", remedy="Choose one from the list of takes")
    return take


def listed(session: Session, shot_id: int) -> Sequence[Take]:
    """A shot's takes, newest first."""
    return session.scalars(select(Take).where(Take.shot_id == shot_id).order_by(Take.id.desc())).all()


def create(
    session: Session, shot_id: int, number: int, *, name: str | None, patience: str, first_simulated: int,
    first: int, last: int, garments: int,
) -> Take:  # fmt: skip
    """A waiting take of a shot's revision."""
    take = Take(
        shot_id=shot_id, number=number, name=name or "", patience=patience, first_simulated=first_simulated,
        first=first, last=last, state=TakeState.WAITING, wanted="run",
        total=garments * (last - first_simulated + 1), phase="waiting for a worker",
    )  # fmt: skip
    session.add(take)
    session.flush()
    if not name:
        count = session.scalar(select(func.count()).where(Take.shot_id == shot_id)) or 0
        take.name = f"Take {count}"
    tell(session, "take", shot=shot_id, take=take.id)
    return take


def claim(session: Session, take_id: int, made_with: dict[str, Any]) -> tuple[Take, Lease] | None:
    """Take a waiting or abandoned take over; None when it wants no work. Earlier leases become void."""
    found = session.execute(
        update(Take)
        .where(Take.id == take_id, Take.state.in_((TakeState.WAITING, TakeState.RUNNING)))
        .values(lease=Take.lease + 1, state=TakeState.RUNNING, seen_at=func.now(), phase="reading the shot")
        .returning(Take.lease)
    ).scalar()
    if found is None:
        return None
    take = get(session, take_id)
    session.refresh(take)
    if take.made_with is None:
        take.made_with = made_with
    tell(session, "take", shot=take.shot_id, take=take.id)
    return take, Lease(take_id, found)


def beat(session: Session, lease: Lease, progress: Progress) -> str:
    """Say that the work goes on; returns what is wanted, "run" or "stop". `FencedError` without the lease."""
    row = session.execute(
        update(Take)
        .where(Take.id == lease.take_id, Take.lease == lease.number, Take.state == TakeState.RUNNING)
        .values(
            done=progress.done, seconds_per_frame=progress.seconds_per_frame, phase=progress.phase,
            seen_at=func.now(),
        )
        .returning(Take.wanted, Take.shot_id)
    ).first()  # fmt: skip
    if row is None:
        raise FencedError(
            "another worker has taken this take over, or it was deleted", where=f"take {lease.take_id}"
        )
    tell(session, "progress", shot=row.shot_id, take=lease.take_id, done=progress.done)
    return str(row.wanted)


def commit_frame(
    session: Session, lease: Lease, progress: Progress, *, garment: str, frame: int, positions: bytes,
    record: dict[str, Any], checkpoint: bytes | None,
) -> str:  # fmt: skip
    """Keep a finished frame and what to go on from; returns what is wanted. `FencedError` without the lease.

    checkpoint None: another garment of the same run keeps it.
    """
    wanted = beat(session, lease, progress)
    take_id = lease.take_id
    row = {"sha": blobs.put(session, positions), "record": record}
    session.execute(
        insert(Frame)
        .values(take_id=take_id, garment=garment, frame=frame, **row)
        .on_conflict_do_update(index_elements=["take_id", "garment", "frame"], set_=row)
    )
    if checkpoint is None:
        return wanted
    session.execute(
        delete(Checkpoint).where(
            Checkpoint.take_id == take_id, Checkpoint.garment == garment,
            (Checkpoint.frame % KEEP_EVERY != 0) | (Checkpoint.frame >= frame),
        )
    )  # fmt: skip
    session.add(Checkpoint(take_id=take_id, garment=garment, frame=frame, data=checkpoint))
    session.flush()
    return wanted


def latest_checkpoint(session: Session, take_id: int, garment: str) -> tuple[int, bytes] | None:
    """The frame and bytes to go on from, or None when nothing is finished."""
    row = session.execute(
        select(Checkpoint.frame, Checkpoint.data)
        .where(Checkpoint.take_id == take_id, Checkpoint.garment == garment)
        .order_by(Checkpoint.frame.desc())
        .limit(1)
    ).first()
    return None if row is None else (row.frame, row.data)


def finish(session: Session, lease: Lease, state: TakeState, fault: dict[str, Any] | None = None) -> None:
    """End a run in `state`; `FencedError` without the lease."""
    shot_id = session.execute(
        update(Take)
        .where(Take.id == lease.take_id, Take.lease == lease.number, Take.state == TakeState.RUNNING)
        .values(state=state, fault=fault, phase="", seen_at=func.now())
        .returning(Take.shot_id)
    ).scalar()
    if shot_id is None:
        raise FencedError(
            "another worker has taken this take over, or it was deleted", where=f"take {lease.take_id}"
        )
    tell(session, "take", shot=shot_id, take=lease.take_id)


def give_back(session: Session, lease: Lease) -> None:
    """Leave a take for the next worker, at its latest frame."""
    session.execute(
        update(Take)
        .where(Take.id == lease.take_id, Take.lease == lease.number, Take.state == TakeState.RUNNING)
        .values(state=TakeState.WAITING, phase="waiting for a worker")
    )


def stop(session: Session, take_id: int) -> Take:
    """Ask the worker to stop; it leaves the frame under way. A waiting take stops at once."""
    take = _locked(session, take_id)
    if take.state not in (TakeState.WAITING, TakeState.RUNNING):
        raise ConflictError(f"'{take.name}' is not running", remedy="Nothing needs to be stopped")
    take.wanted = "stop"
    if take.state is TakeState.WAITING:
        take.state, take.phase = TakeState.STOPPED, ""
    tell(session, "take", shot=take.shot_id, take=take.id)
    return take


def go_on(session: Session, take_id: int, last: int | None, garments: int) -> Take:
    """Let a take that ended go on, to a later `last` frame if given."""
    take = _locked(session, take_id)
    if take.state not in GOES_ON:
        raise ConflictError(f"'{take.name}' is already running", remedy="Wait for it, or stop it first")
    if last is not None and last < take.last:
        raise ConflictError(
            f"'{take.name}' already goes to frame {take.last}", remedy="Give a later frame, or make a new take"
        )
    if take.origin is not None:
        raise ConflictError(
            f"'{take.name}' was not simulated, so that it cannot go on", remedy="Make a new take"
        )
    if take.state is TakeState.FINISHED and (last is None or last == take.last):
        raise ConflictError(f"'{take.name}' is finished", remedy="Give a later last frame to extend it")
    take.last = take.last if last is None else last
    take.total = garments * (take.last - take.first_simulated + 1)
    take.wanted, take.state, take.fault, take.phase = "run", TakeState.WAITING, None, "waiting for a worker"
    tell(session, "take", shot=take.shot_id, take=take.id)
    return take


def rename(session: Session, take_id: int, name: str) -> Take:
    """Give a take another name."""
    take = _locked(session, take_id)
    take.name = name
    tell(session, "take", shot=take.shot_id, take=take.id)
    return take


def remove(session: Session, take_id: int) -> None:
    """Delete a take that is not running; blobs that nothing else uses go too."""
    take = _locked(session, take_id)
    if take.state is TakeState.RUNNING:
        raise ConflictError(f"'{take.name}' is running", remedy="Stop it first")
    mended = session.scalar(select(Take.name).where(Take.mends == take_id).limit(1))
    if mended is not None:
        raise ConflictError(f"'{mended}' mends '{take.name}'", remedy="Delete that take first")
    session.delete(take)
    session.flush()
    blobs.sweep(session)
    tell(session, "take", shot=take.shot_id, take=take_id)


def frames(
    session: Session, take_id: int, garment: str, first: int | None = None, last: int | None = None
) -> Sequence[Frame]:
    """Finished frames of a garment, in order, within first and last if given."""
    query = select(Frame).where(Frame.take_id == take_id, Frame.garment == garment)
    if first is not None:
        query = query.where(Frame.frame >= first)
    if last is not None:
        query = query.where(Frame.frame <= last)
    return session.scalars(query.order_by(Frame.frame)).all()


def frame_sizes(session: Session, take_id: int, garment: str) -> dict[int, int]:
    """Bytes of each finished frame's positions, by frame."""
    query = select(Frame.frame, Blob.size).join(Blob, Blob.sha == Frame.sha)
    rows = session.execute(query.where(Frame.take_id == take_id, Frame.garment == garment))
    return {row.frame: row.size for row in rows}


def records(session: Session, take_id: int) -> dict[str, list[dict[str, Any]]]:
    """Per garment the records of its finished frames, in order."""
    rows = session.execute(
        select(Frame.garment, Frame.record).where(Frame.take_id == take_id).order_by(Frame.garment, Frame.frame)
    )
    out: dict[str, list[dict[str, Any]]] = {}
    for garment, record in rows:
        out.setdefault(garment, []).append(record)
    return out


def _locked(session: Session, take_id: int) -> Take:
    take = session.scalar(select(Take).where(Take.id == take_id).with_for_update())
    if take is None:
        raise MissingError(f"there is no take {take_id}", remedy="Choose one from the list of takes")
    return take
