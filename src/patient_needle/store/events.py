"""Telling whoever is looking that something changed: a row, and a notification when it is committed."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session

from .models import Event

CHANNEL = "needle_events"


def tell(session: Session, kind: str, **ids: Any) -> None:
    """Say that something changed: its kind, such as "take", and the ids of what it belongs to."""
    event = Event(body={"kind": kind, **ids})
    session.add(event)
    session.flush()
    session.execute(
        text("select pg_notify(:channel, :body)"),
        {"channel": CHANNEL, "body": json.dumps({"id": event.id, **event.body})},
    )


def since(session: Session, last: int, limit: int = 500) -> Sequence[Event]:
    """Events after `last`, oldest first."""
    return session.scalars(select(Event).where(Event.id > last).order_by(Event.id).limit(limit)).all()


def prune(session: Session, minutes: int = 60) -> None:
    """Forget events older than `minutes`."""
    session.execute(delete(Event).where(Event.made_at < func.now() - text(f"interval '{minutes} minutes'")))
