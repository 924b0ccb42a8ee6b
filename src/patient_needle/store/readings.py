"""What the desk read from a revision's files: made once, kept with the revision."""

from __future__ import annotations

from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from .models import Reading

MADE_AS = "made_as"  # the key under which a reading says what it was made as


def get(session: Session, shot_id: int, number: int, made_as: str) -> dict[str, Any] | None:
    """The reading of a revision; None when there is none yet, or one that was made as another version does."""
    found = session.get(Reading, (shot_id, number))
    if found is None or found.body.get(MADE_AS) != made_as:
        return None
    return {key: value for key, value in found.body.items() if key != MADE_AS}


def keep(session: Session, shot_id: int, number: int, body: dict[str, Any], made_as: str) -> None:
    """Keep a reading, in place of one that was made as another version does."""
    made = insert(Reading).values(shot_id=shot_id, number=number, body={**body, MADE_AS: made_as})
    newer = made.on_conflict_do_update(
        index_elements=[Reading.shot_id, Reading.number], set_={"body": made.excluded.body}
    )
    session.execute(newer)
