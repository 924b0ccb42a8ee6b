"""What the desk read from a revision's files: made once, kept with the revision."""

from __future__ import annotations

from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from .models import Reading


def get(session: Session, shot_id: int, number: int) -> dict[str, Any] | None:
    """The reading of a revision, or None when there is none yet."""
    found = session.get(Reading, (shot_id, number))
    return None if found is None else found.body


def keep(session: Session, shot_id: int, number: int, body: dict[str, Any]) -> None:
    """Keep a reading; the first one stays."""
    session.execute(insert(Reading).values(shot_id=shot_id, number=number, body=body).on_conflict_do_nothing())
