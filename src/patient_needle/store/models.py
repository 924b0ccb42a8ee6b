"""The tables. What must always hold stands here as a constraint, not only in the code above.

shots ─< revisions ─< revision_files >─ blobs ─< blob_chunks
  └────< takes ─< frames >─ blobs
           ├────< checkpoints
           ├─── snag_lists >─ blobs, ────< remedies >─ blobs (of a take that mends another)
           └────< deliveries >─ blobs
uploads >─ blobs (brought in, not yet part of a revision)
readings (what was read from a revision's files)      events (what changed, for whoever is looking)
"""

from __future__ import annotations

import enum
from datetime import datetime
from typing import Any

from sqlalchemy import (
    BigInteger,
    CheckConstraint,
    DateTime,
    Enum,
    ForeignKey,
    ForeignKeyConstraint,
    Index,
    LargeBinary,
    MetaData,
    String,
    func,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

NAMING = {
    "pk": "pk_%(table_name)s",
    "fk": "fk_%(table_name)s_%(column_0_N_name)s",
    "uq": "uq_%(table_name)s_%(column_0_N_name)s",
    "ck": "ck_%(table_name)s_%(constraint_name)s",
    "ix": "ix_%(table_name)s_%(column_0_N_name)s",
}
SHA = String(64)


class Base(DeclarativeBase):
    """Root of the tables."""

    metadata = MetaData(naming_convention=NAMING)
    type_annotation_map = {  # noqa: RUF012
        dict[str, Any]: JSONB,
        list[Any]: JSONB,
        datetime: DateTime(timezone=True),
    }


class TakeState(enum.StrEnum):
    """waiting -> running -> finished | stopped | failed; from each of those back to waiting when it goes on."""

    WAITING = "waiting"
    RUNNING = "running"
    FINISHED = "finished"
    STOPPED = "stopped"
    FAILED = "failed"


class DeliveryState(enum.StrEnum):
    """waiting -> writing -> ready | refused (a check failed) | failed (it could not be written)."""

    WAITING = "waiting"
    WRITING = "writing"
    READY = "ready"
    REFUSED = "refused"
    FAILED = "failed"


def _states(kind: type[enum.StrEnum]) -> Enum:
    return Enum(
        kind,
        native_enum=False,
        create_constraint=True,
        length=16,
        values_callable=lambda e: [member.value for member in e],
    )


class Blob(Base):
    """Bytes by what they are: sha is the SHA-256 of the whole, in hexadecimal."""

    __tablename__ = "blobs"
    sha: Mapped[str] = mapped_column(SHA, primary_key=True)
    size: Mapped[int] = mapped_column(BigInteger)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class BlobChunk(Base):
    """One piece of a blob, in order."""

    __tablename__ = "blob_chunks"
    sha: Mapped[str] = mapped_column(SHA, ForeignKey("blobs.sha", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Upload(Base):
    """A file that was brought in and is not yet part of a revision; kept for a day."""

    __tablename__ = "uploads"
    sha: Mapped[str] = mapped_column(SHA, ForeignKey("blobs.sha"), primary_key=True)
    name: Mapped[str] = mapped_column(String(120), primary_key=True)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Shot(Base):
    """head is the revision in force; undo moves it back, an edit makes a new one after it."""

    __tablename__ = "shots"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    head: Mapped[int]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Revision(Base):
    """One state of a shot: its document as in the shot file, and what the edit did, in words."""

    __tablename__ = "revisions"
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    before: Mapped[int | None]
    said: Mapped[str] = mapped_column(String(200))
    document: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    __table_args__ = (
        ForeignKeyConstraint(["shot_id", "before"], ["revisions.shot_id", "revisions.number"]),
        CheckConstraint("before < number", name="after_the_one_before"),
    )


class RevisionFile(Base):
    """A geometry file of a revision by the name its document uses."""

    __tablename__ = "revision_files"
    shot_id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), primary_key=True)
    sha: Mapped[str] = mapped_column(SHA, ForeignKey("blobs.sha"), index=True)
    __table_args__ = (
        ForeignKeyConstraint(
            ["shot_id", "number"], ["revisions.shot_id", "revisions.number"], ondelete="CASCADE"
        ),
    )


class Reading(Base):
    """What the desk read from a revision's files; made once per revision."""

    __tablename__ = "readings"
    shot_id: Mapped[int] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(primary_key=True)
    body: Mapped[dict[str, Any]]
    __table_args__ = (
        ForeignKeyConstraint(
            ["shot_id", "number"], ["revisions.shot_id", "revisions.number"], ondelete="CASCADE"
        ),
    )


LARGEST_PICTURE = 400_000  # bytes


class Picture(Base):
    """A small picture of a shot's stage, as it was seen last: JPEG."""

    __tablename__ = "pictures"
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), primary_key=True)
    data: Mapped[bytes]
    __table_args__ = (CheckConstraint(f"octet_length(data) <= {LARGEST_PICTURE}", name="small"),)


class Take(Base):
    """One simulated result. first and last are delivered frames, both in; first_simulated starts the run-in.

    lease: raised by every worker that takes it up; only the holder of the latest may write. wanted: "run" or
    "stop". done of total frames, over all garments. fault: what, where, remedy. made_with: versions,
    processor and engine of the worker that began it. origin: None for a take that was simulated; how it was
    brought in or mended; mends: the take that this one mends.
    """

    __tablename__ = "takes"
    id: Mapped[int] = mapped_column(primary_key=True)
    shot_id: Mapped[int] = mapped_column(ForeignKey("shots.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(80))
    patience: Mapped[str] = mapped_column(String(16))
    first_simulated: Mapped[int]
    first: Mapped[int]
    last: Mapped[int]
    state: Mapped[TakeState] = mapped_column(_states(TakeState))
    wanted: Mapped[str] = mapped_column(String(8), default="run")
    phase: Mapped[str] = mapped_column(String(60), default="")
    lease: Mapped[int] = mapped_column(default=0)
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int]
    seconds_per_frame: Mapped[float | None]
    fault: Mapped[dict[str, Any] | None]
    made_with: Mapped[dict[str, Any] | None]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    seen_at: Mapped[datetime | None]
    origin: Mapped[dict[str, Any] | None]
    mends: Mapped[int | None] = mapped_column(ForeignKey("takes.id"), index=True)
    __table_args__ = (
        ForeignKeyConstraint(
            ["shot_id", "number"], ["revisions.shot_id", "revisions.number"], ondelete="CASCADE"
        ),
        CheckConstraint("first <= last", name="range"),
        CheckConstraint("first_simulated <= first", name="run_in"),
        CheckConstraint("wanted in ('run', 'stop')", name="wanted"),
        CheckConstraint("done >= 0 and done <= total", name="progress"),
    )


class Frame(Base):
    """One finished frame of a garment: float32 positions, and its record as in the report."""

    __tablename__ = "frames"
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"), primary_key=True)
    garment: Mapped[str] = mapped_column(String(80), primary_key=True)
    frame: Mapped[int] = mapped_column(primary_key=True)
    sha: Mapped[str] = mapped_column(SHA, ForeignKey("blobs.sha"), index=True)
    record: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class Checkpoint(Base):
    """What a run goes on from to the same bits: the latest, and every tenth frame."""

    __tablename__ = "checkpoints"
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"), primary_key=True)
    garment: Mapped[str] = mapped_column(String(80), primary_key=True)
    frame: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class Delivery(Base):
    """A file for the next department, with what was asked and what the checks found.

    asked: format, unit, up, frame_rate, first, last, handles. checks: list of {name, said, good}.
    """

    __tablename__ = "deliveries"
    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"), index=True)
    garment: Mapped[str] = mapped_column(String(80))
    asked: Mapped[dict[str, Any]]
    state: Mapped[DeliveryState] = mapped_column(_states(DeliveryState))
    lease: Mapped[int] = mapped_column(default=0)
    checks: Mapped[list[Any]] = mapped_column(default=list)
    fault: Mapped[dict[str, Any] | None]
    file_name: Mapped[str] = mapped_column(String(160))
    sha: Mapped[str | None] = mapped_column(SHA, ForeignKey("blobs.sha"), index=True)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())


class SnagList(Base):
    """The snags of a take as they were found last.

    state: waiting -> looking -> ready | failed; share: how far looking is. counts: by frame, pairs that cross.
    accepted: snags that somebody accepted, each with a word. sha: the marks of all frames.
    """

    __tablename__ = "snag_lists"
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"), primary_key=True)
    state: Mapped[str] = mapped_column(String(16), default="waiting")
    lease: Mapped[int] = mapped_column(default=0)
    share: Mapped[float] = mapped_column(default=0.0)
    snags: Mapped[list[Any]] = mapped_column(default=list)
    counts: Mapped[list[Any]] = mapped_column(default=list)
    accepted: Mapped[list[Any]] = mapped_column(default=list)
    fault: Mapped[dict[str, Any] | None]
    sha: Mapped[str | None] = mapped_column(SHA, ForeignKey("blobs.sha"), index=True)
    __table_args__ = (CheckConstraint("state in ('waiting', 'looking', 'ready', 'failed')", name="state"),)


class Remedy(Base):
    """One step of a mended take, in the order of its id.

    asked: snag or region, span and settings; state: waiting -> working -> kept | proposal (no better,
    laid over only when somebody takes it) | failed. sha: what it changes. is_on: whether it is laid over.
    """

    __tablename__ = "remedies"
    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"), index=True)
    verb: Mapped[str] = mapped_column(String(24))
    said: Mapped[str] = mapped_column(String(200))
    asked: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(16), default="waiting")
    is_on: Mapped[bool] = mapped_column(default=True)
    lease: Mapped[int] = mapped_column(default=0)
    share: Mapped[float] = mapped_column(default=0.0)
    proof: Mapped[dict[str, Any] | None]
    fault: Mapped[dict[str, Any] | None]
    sha: Mapped[str | None] = mapped_column(SHA, ForeignKey("blobs.sha"), index=True)
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    __table_args__ = (
        CheckConstraint("state in ('waiting', 'working', 'kept', 'proposal', 'failed')", name="state"),
    )


class Event(Base):
    """Something that changed: kind and ids. Kept for an hour, so that a page that was away can catch up."""

    __tablename__ = "events"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    body: Mapped[dict[str, Any]]
    made_at: Mapped[datetime] = mapped_column(server_default=func.now())
    __table_args__ = (Index(None, "made_at"),)
