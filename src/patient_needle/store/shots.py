"""Shots and their revisions: every edit is a new one, undo and redo move the head."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from ..core.model.references import named_files
from . import blobs
from .errors import ConflictError, MissingError
from .events import tell
from .models import Picture, Revision, RevisionFile, Shot

LONGEST_NAME = 80  # letters, as the shot file has it
Document = dict[str, Any]
Files = dict[str, str]  # name in the document -> SHA-256 of a blob


def listed(session: Session) -> Sequence[Shot]:
    """Every shot, oldest first."""
    return session.scalars(select(Shot).order_by(Shot.id)).all()


def get(session: Session, shot_id: int, *, lock: bool = False) -> Shot:
    """One shot; `MissingError` when there is none."""
    query = select(Shot).where(Shot.id == shot_id)
    shot = session.scalar(query.with_for_update() if lock else query)
    if shot is None:
        raise MissingError(f"there is no shot {shot_id}", remedy="Choose one from the list of shots")
    return shot


def revision(session: Session, shot_id: int, number: int | None = None) -> Revision:
    """One revision, the head's without a number."""
    number = get(session, shot_id).head if number is None else number
    found = session.get(Revision, (shot_id, number))
    if found is None:
        raise MissingError(f"shot {shot_id} has no revision {number}", remedy="Open the shot again")
    return found


def files(session: Session, shot_id: int, number: int) -> Files:
    """A revision's files by name."""
    rows = session.execute(
        select(RevisionFile.name, RevisionFile.sha).where(
            RevisionFile.shot_id == shot_id, RevisionFile.number == number
        )
    )
    return {row.name: row.sha for row in rows}


def contents(
    session: Session, shot_id: int, number: int | None = None
) -> tuple[Document, dict[str, Iterator[bytes]]]:
    """A revision's document, and its files in pieces; to be read within the session."""
    found = revision(session, shot_id, number)
    named = files(session, shot_id, found.number)
    return found.document, {name: blobs.chunks(session, sha) for name, sha in named.items()}


def create(session: Session, document: Document, named: Files) -> Shot:
    """A new shot whose first revision is `document` with files `named`.

    No two shots have one name: a number is added where it is taken.
    """
    document = {**document, "name": _free(session, document["name"])}
    shot = Shot(name=document["name"], head=1)
    session.add(shot)
    session.flush()
    _add(session, shot, 1, None, "Made", document, named)
    tell(session, "shots", shot=shot.id)
    return shot


def _free(session: Session, wanted: str) -> str:
    """A name that no shot has: the wanted one, or the same with a number after it."""
    name, number = wanted, 1
    while _is_taken(session, name):
        number += 1
        end = f" {number}"
        name = f"{wanted[: LONGEST_NAME - len(end)]}{end}"
    return name


def _is_taken(session: Session, name: str) -> bool:
    return session.scalar(select(Shot.id).where(Shot.name == name).limit(1)) is not None


def edit(session: Session, shot_id: int, seen: int, document: Document, named: Files, said: str) -> Revision:
    """A new revision after the head; `ConflictError` when the head is not the one that was `seen`.

    Files of the head stay; `named` adds or replaces, and what the document no longer names is dropped.
    """
    shot = _unchanged(session, shot_id, seen)
    if document["name"] != shot.name and _is_taken(session, document["name"]):
        raise ConflictError(
            f"another shot is called '{document['name']}'", where=shot.name, remedy="Give it another name"
        )
    kept = files(session, shot_id, shot.head) | named
    used = set(named_files(document))
    number = 1 + (session.scalar(select(func.max(Revision.number)).where(Revision.shot_id == shot_id)) or 0)
    added = _add(
        session, shot, number, shot.head, said, document,
        {name: sha for name, sha in kept.items() if name in used},
    )  # fmt: skip
    shot.head, shot.name = number, document["name"]
    tell(session, "shot", shot=shot_id, revision=number)
    return added


def unchanged(session: Session, shot_id: int, seen: int) -> Document:
    """The head's document; `ConflictError` when the head is not the one that was `seen`."""
    return revision(session, shot_id, _unchanged(session, shot_id, seen).head).document


def undo(session: Session, shot_id: int, seen: int) -> Revision:
    """Back to the revision the head was made from."""
    shot = _unchanged(session, shot_id, seen)
    before = revision(session, shot_id, shot.head).before
    if before is None:
        raise ConflictError("there is nothing to undo", where=shot.name)
    return _moved(session, shot, before)


def redo(session: Session, shot_id: int, seen: int) -> Revision:
    """Forward to the latest revision that was made from the head."""
    shot = _unchanged(session, shot_id, seen)
    after = following(session, shot)
    if after is None:
        raise ConflictError("there is nothing to redo", where=shot.name)
    return _moved(session, shot, after)


def following(session: Session, shot: Shot) -> int | None:
    """The revision that redo would go to."""
    return session.scalar(
        select(func.max(Revision.number)).where(Revision.shot_id == shot.id, Revision.before == shot.head)
    )


def remove(session: Session, shot_id: int) -> None:
    """Delete a shot with its takes; blobs that nothing else uses go too."""
    session.delete(get(session, shot_id, lock=True))
    session.flush()
    blobs.sweep(session)
    tell(session, "shots", shot=shot_id)


def picture(session: Session, shot_id: int) -> bytes | None:
    """What the shot's stage looked like last, JPEG; None when nobody has looked yet."""
    found = session.get(Picture, shot_id)
    return None if found is None else found.data


def keep_picture(session: Session, shot_id: int, data: bytes) -> None:
    """Keep a picture of the shot's stage in place of the one before."""
    get(session, shot_id)
    put = insert(Picture).values(shot_id=shot_id, data=data)
    session.execute(put.on_conflict_do_update(index_elements=[Picture.shot_id], set_={"data": data}))


def _unchanged(session: Session, shot_id: int, seen: int) -> Shot:
    shot = get(session, shot_id, lock=True)
    if shot.head != seen:
        raise ConflictError(
            "the shot was changed in another window meanwhile",
            where=shot.name,
            remedy="The newer version is shown now: make the change again there",
        )
    return shot


def _moved(session: Session, shot: Shot, number: int) -> Revision:
    found = revision(session, shot.id, number)
    shot.head, shot.name = number, found.document["name"]
    tell(session, "shot", shot=shot.id, revision=number)
    return found


def _add(
    session: Session, shot: Shot, number: int, before: int | None, said: str, document: Document, named: Files
) -> Revision:
    missing = [name for name in named_files(document) if name not in named]
    if missing:
        raise MissingError(
            f"the shot names '{missing[0]}', which was not brought in", remedy="Bring it in first"
        )
    added = Revision(shot_id=shot.id, number=number, before=before, said=said, document=document)
    session.add(added)
    session.flush()
    session.add_all(RevisionFile(shot_id=shot.id, number=number, name=n, sha=s) for n, s in named.items())
    session.flush()
    return added
