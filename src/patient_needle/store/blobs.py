"""Bytes by their SHA-256, in chunks, so that no single value is large."""

from __future__ import annotations

import hashlib
import io
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import BinaryIO

from sqlalchemy import ColumnElement, delete, exists, func, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from .errors import MissingError
from .models import Blob, BlobChunk, Delivery, Frame, Remedy, RevisionFile, SnagList, Upload

CHUNK = 1 << 20  # bytes


def put(session: Session, data: bytes) -> str:
    """Keep `data`, once however often it is put; returns its SHA-256."""
    return put_file(session, io.BytesIO(data), hashlib.sha256(data).hexdigest(), len(data))


def put_file(session: Session, stream: BinaryIO, sha: str, size: int) -> str:
    """Keep what `stream` holds from here on, whose SHA-256 and size are known; returns the SHA-256."""
    made = insert(Blob).values(sha=sha, size=size).on_conflict_do_nothing().returning(Blob.sha)
    if session.execute(made).first() is not None:
        for number in range(max(1, -(-size // CHUNK))):
            session.execute(insert(BlobChunk), {"sha": sha, "number": number, "data": stream.read(CHUNK)})
    return sha


def put_path(session: Session, path: Path) -> str:
    """Keep what a file holds; returns its SHA-256."""
    with path.open("rb") as stream:
        sha = hashlib.file_digest(stream, "sha256").hexdigest()
        stream.seek(0)
        return put_file(session, stream, sha, path.stat().st_size)


def keep_upload(session: Session, sha: str, name: str) -> None:
    """Remember that a file was brought in, so that it stays until a revision uses it."""
    session.execute(insert(Upload).values(sha=sha, name=name).on_conflict_do_nothing())


def uploaded(session: Session, sha: str, name: str) -> bool:
    """Whether such a file was brought in lately."""
    return session.get(Upload, (sha, name)) is not None


def forget_upload(session: Session, sha: str, name: str) -> None:
    """Forget a file that was brought in; its bytes go unless something else uses them."""
    session.execute(delete(Upload).where(Upload.sha == sha, Upload.name == name))
    session.execute(delete(Blob).where(Blob.sha == sha, *_unused()))


def forget_uploads(session: Session, hours: int = 24) -> None:
    """Forget what was brought in and not used for `hours`, with its bytes."""
    old = delete(Upload).where(Upload.made_at < func.now() - text(f"interval '{hours} hours'"))
    if session.execute(old.returning(Upload.sha)).first() is not None:
        sweep(session)


def chunks(session: Session, sha: str) -> Iterator[bytes]:
    """The pieces of a blob in order; `MissingError` when there is none."""
    count = session.scalar(select(func.count()).where(BlobChunk.sha == sha)) or 0
    if count == 0:
        raise MissingError(
            "the bytes are not in the database", where=sha[:12], remedy="Bring the file in again"
        )
    for number in range(count):
        yield session.scalars(
            select(BlobChunk.data).where(BlobChunk.sha == sha, BlobChunk.number == number)
        ).one()


def get(session: Session, sha: str) -> bytes:
    """A whole blob."""
    return b"".join(chunks(session, sha))


def many(session: Session, shas: Iterable[str]) -> dict[str, bytes]:
    """Several blobs in one query; those that are missing are left out."""
    rows = session.execute(
        select(BlobChunk.sha, BlobChunk.data)
        .where(BlobChunk.sha.in_(set(shas)))
        .order_by(BlobChunk.sha, BlobChunk.number)
    )
    out: dict[str, bytes] = {}
    for sha, data in rows:
        out[sha] = out.get(sha, b"") + data
    return out


def sweep(session: Session) -> int:
    """Delete every blob that nothing refers to any more; returns how many bytes that frees."""
    gone = session.execute(delete(Blob).where(*_unused()).returning(Blob.size))
    return sum(size for (size,) in gone)


def _unused() -> list[ColumnElement[bool]]:
    """What must hold of a blob that nothing refers to."""
    return [
        ~exists().where(table.sha == Blob.sha)
        for table in (RevisionFile, Frame, Delivery, Upload, SnagList, Remedy)
    ]
