"""Snag lists and remedies: kept beside their takes, worked on by one worker at a time."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from . import blobs, takes
from .errors import ConflictError, FencedError, MissingError
from .events import tell
from .models import Frame, Remedy, SnagList, Take, TakeState

MOST_REMEDIES = 500  # of one take


def snag_list(session: Session, take_id: int) -> SnagList | None:
    """The snags of a take, None when nobody looked for them yet."""
    takes.get(session, take_id)
    return session.get(SnagList, take_id)


def ask_for_snags(session: Session, take_id: int) -> SnagList:
    """A list that waits to be made; what was accepted stays."""
    found = session.get(SnagList, take_id)
    if found is None:
        found = SnagList(take_id=take_id, state="waiting", snags=[], counts=[], accepted=[])
        session.add(found)
    else:
        found.state, found.share, found.fault = "waiting", 0.0, None
    session.flush()
    _told(session, take_id)
    return found


def claim_snags(session: Session, take_id: int) -> int | None:
    """The lease to look for snags; None when there is nothing to do."""
    lease = session.execute(
        update(SnagList)
        .where(SnagList.take_id == take_id, SnagList.state.in_(("waiting", "looking")))
        .values(lease=SnagList.lease + 1, state="looking", share=0.0)
        .returning(SnagList.lease)
    ).scalar()
    if lease is not None:
        _told(session, take_id)
    return lease


def looked(session: Session, take_id: int, lease: int, share: float) -> None:
    """How far looking is; `FencedError` without the lease."""
    _held(
        session.execute(
            update(SnagList)
            .where(SnagList.take_id == take_id, SnagList.lease == lease, SnagList.state == "looking")
            .values(share=share)
            .returning(SnagList.take_id)
        ).scalar(),
        f"the snags of take {take_id}",
    )
    tell(session, "mending", shot=takes.get(session, take_id).shot_id, take=take_id)


def keep_snags(
    session: Session,
    take_id: int,
    snags: list[Any],
    counts: list[Any],
    marks: bytes,
    *,
    lease: int | None = None,
) -> None:
    """Keep what was found. With a lease, as the end of looking."""
    found = session.get(SnagList, take_id, with_for_update=True)
    if found is None:
        found = SnagList(take_id=take_id, snags=[], counts=[], accepted=[])
        session.add(found)
    elif lease is not None and found.lease != lease:
        raise FencedError("another worker looks for them", where=f"the snags of take {take_id}")
    found.snags, found.counts, found.sha = snags, counts, blobs.put(session, marks)
    found.state, found.share, found.fault = "ready", 1.0, None
    session.flush()
    _told(session, take_id)


def fail_snags(session: Session, take_id: int, lease: int, fault: dict[str, Any]) -> None:
    """Looking failed, and why."""
    session.execute(
        update(SnagList)
        .where(SnagList.take_id == take_id, SnagList.lease == lease)
        .values(state="failed", fault=fault)
    )
    _told(session, take_id)


def accept(session: Session, take_id: int, snag: dict[str, Any], word: str) -> SnagList:
    """Accept a snag with a word; accepted again, the later word counts."""
    found = session.get(SnagList, take_id, with_for_update=True)
    if found is None:
        raise MissingError("nobody looked for snags yet", remedy="Look for snags first")
    kept = [one for one in found.accepted if one["snag"]["key"] != snag["key"]]
    found.accepted = [*kept, {"snag": snag, "word": word}]
    session.flush()
    _told(session, take_id)
    return found


def take_back(session: Session, take_id: int, key: str) -> SnagList:
    """A snag is accepted no more."""
    found = session.get(SnagList, take_id, with_for_update=True)
    if found is None or all(one["snag"]["key"] != key for one in found.accepted):
        raise MissingError("that snag is not accepted", remedy="Look at the list again")
    found.accepted = [one for one in found.accepted if one["snag"]["key"] != key]
    session.flush()
    _told(session, take_id)
    return found


# Mended takes.


def mended_of(session: Session, take_id: int) -> Take:
    """A new take that mends another: the same frames, to the bit, until a remedy changes some."""
    take = takes.get(session, take_id)
    if take.state is TakeState.RUNNING or take.state is TakeState.WAITING:
        raise ConflictError(f"'{take.name}' is not finished", remedy="Wait for it, or stop it")
    if take.mends is not None:
        return take
    count = session.scalar(select(func.count()).where(Take.mends == take_id)) or 0
    made = Take(
        shot_id=take.shot_id, number=take.number, patience=take.patience, first=take.first, last=take.last,
        name=f"{take.name[:60]}, mended{f' {count + 1}' if count else ''}", made_with=take.made_with,
        first_simulated=take.first_simulated, state=TakeState.FINISHED, wanted="run", phase="",
        total=take.total, done=take.done, origin={"kind": "mended", "take": take.name}, mends=take.id,
    )  # fmt: skip
    session.add(made)
    session.flush()
    rows = session.scalars(select(Frame).where(Frame.take_id == take_id)).all()
    for row in rows:
        session.add(
            Frame(take_id=made.id, garment=row.garment, frame=row.frame, sha=row.sha, record=row.record)
        )
    before = session.get(SnagList, take_id)
    if before is not None and before.state == "ready":
        session.add(
            SnagList(
                take_id=made.id, state="ready", share=1.0, snags=before.snags, counts=before.counts,
                accepted=before.accepted, sha=before.sha,
            )
        )  # fmt: skip
    session.flush()
    tell(session, "take", shot=made.shot_id, take=made.id)
    return made


def remedies(session: Session, take_id: int) -> Sequence[Remedy]:
    """The steps of a mended take, in order."""
    return session.scalars(select(Remedy).where(Remedy.take_id == take_id).order_by(Remedy.id)).all()


def remedy(session: Session, remedy_id: int) -> Remedy:
    """One remedy; `MissingError` when there is none."""
    found = session.get(Remedy, remedy_id)
    if found is None:
        raise MissingError(f"there is no remedy {remedy_id}", remedy="Choose one from the list")
    return found


def add_remedy(session: Session, take_id: int, verb: str, said: str, asked: dict[str, Any]) -> Remedy:
    """A waiting remedy of a mended take."""
    take = takes.get(session, take_id)
    if take.mends is None:
        raise ConflictError(f"'{take.name}' is no mended take", remedy="Mend it: a new take is made for that")
    if (session.scalar(select(func.count()).where(Remedy.take_id == take_id)) or 0) >= MOST_REMEDIES:
        raise ConflictError(f"'{take.name}' has {MOST_REMEDIES} remedies", remedy="Mend another take")
    made = Remedy(take_id=take_id, verb=verb, said=said[:200], asked=asked, state="waiting")
    session.add(made)
    session.flush()
    _told(session, take_id)
    return made


def claim_remedy(session: Session, remedy_id: int) -> tuple[Remedy, int] | None:
    """A remedy and the lease to do it; None when it wants no work."""
    lease = session.execute(
        update(Remedy)
        .where(Remedy.id == remedy_id, Remedy.state.in_(("waiting", "working")))
        .values(lease=Remedy.lease + 1, state="working", share=0.0)
        .returning(Remedy.lease)
    ).scalar()
    if lease is None:
        return None
    found = remedy(session, remedy_id)
    session.refresh(found)
    _told(session, found.take_id)
    return found, lease


def remedied(session: Session, remedy_id: int, lease: int, share: float) -> bool:
    """How far a remedy is, and whether it is still wanted."""
    take_id = session.execute(
        update(Remedy)
        .where(Remedy.id == remedy_id, Remedy.lease == lease, Remedy.state == "working")
        .values(share=share)
        .returning(Remedy.take_id)
    ).scalar()
    if take_id is not None:
        tell(session, "mending", shot=takes.get(session, take_id).shot_id, take=take_id)
    return take_id is not None


def end_remedy(
    session: Session, remedy_id: int, lease: int, state: str, *, proof: dict[str, Any] | None = None,
    patch: bytes | None = None, fault: dict[str, Any] | None = None,
) -> None:  # fmt: skip
    """Keep what a remedy made; `FencedError` when it was taken away meanwhile."""
    found = session.get(Remedy, remedy_id, with_for_update=True)
    if found is None or found.lease != lease or found.state != "working":
        raise FencedError("it was taken back meanwhile", where=f"remedy {remedy_id}")
    found.state, found.proof, found.fault, found.share = state, proof, fault, 1.0
    found.sha = None if patch is None else blobs.put(session, patch)
    session.flush()
    _told(session, found.take_id)


def forget_remedy(session: Session, remedy_id: int) -> Remedy:
    """Take a remedy out of its take. What is under way ends without a trace."""
    found = remedy(session, remedy_id)
    session.execute(delete(Remedy).where(Remedy.id == remedy_id))
    session.flush()
    _told(session, found.take_id)
    return found


def put_frames(session: Session, take_id: int, rows: Sequence[dict[str, Any]]) -> None:
    """Write frames of a mended or brought-in take: garment, frame, sha, record each."""
    for row in rows:
        values = {"sha": row["sha"], "record": row["record"]}
        session.execute(
            insert(Frame)
            .values(take_id=take_id, garment=row["garment"], frame=row["frame"], **values)
            .on_conflict_do_update(index_elements=["take_id", "garment", "frame"], set_=values)
        )
    take = takes.get(session, take_id)
    if rows and take.state is TakeState.FINISHED:
        take.lease += 1  # whoever shows its frames has to fetch them again
    session.flush()
    tell(session, "take", shot=take.shot_id, take=take_id)


def _held(found: object, what: str) -> None:
    if found is None:
        raise FencedError("another worker has taken this over, or it was deleted", where=what)


def _told(session: Session, take_id: int) -> None:
    tell(session, "mending", shot=takes.get(session, take_id).shot_id, take=take_id)
