"""Deliveries: asked for, written and checked by a worker, kept with what the checks found."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from . import blobs, takes
from .errors import FencedError, MissingError
from .events import tell
from .models import Delivery, DeliveryState, Take


def get(session: Session, delivery_id: int) -> Delivery:
    """One delivery; `MissingError` when there is none."""
    found = session.get(Delivery, delivery_id)
    if found is None:
        raise MissingError(f"there is no delivery {delivery_id}", remedy="Choose one from the list")
    return found


def listed(session: Session, shot_id: int) -> Sequence[Delivery]:
    """Deliveries of a shot's takes, newest first."""
    return session.scalars(
        select(Delivery)
        .join(Take, Take.id == Delivery.take_id)
        .where(Take.shot_id == shot_id)
        .order_by(Delivery.id.desc())
    ).all()


def create(session: Session, take_id: int, garment: str, asked: dict[str, Any], file_name: str) -> Delivery:
    """A waiting delivery."""
    take = takes.get(session, take_id)
    made = Delivery(
        take_id=take_id, garment=garment, asked=asked, state=DeliveryState.WAITING, checks=[],
        file_name=file_name,
    )  # fmt: skip
    session.add(made)
    session.flush()
    tell(session, "delivery", shot=take.shot_id, take=take_id, delivery=made.id)
    return made


def claim(session: Session, delivery_id: int) -> tuple[Delivery, int] | None:
    """Take a waiting or abandoned delivery over; None when it wants no work."""
    lease = session.execute(
        update(Delivery)
        .where(
            Delivery.id == delivery_id, Delivery.state.in_((DeliveryState.WAITING, DeliveryState.WRITING))
        )
        .values(lease=Delivery.lease + 1, state=DeliveryState.WRITING)
        .returning(Delivery.lease)
    ).scalar()  # fmt: skip
    if lease is None:
        return None
    found = get(session, delivery_id)
    session.refresh(found)
    _told(session, found)
    return found, lease


def finish(
    session: Session, delivery_id: int, lease: int, state: DeliveryState, *, checks: list[Any],
    path: Path | None = None, fault: dict[str, Any] | None = None,
) -> None:  # fmt: skip
    """Keep what was written at `path` and what the checks found; `FencedError` without the lease."""
    found = session.execute(
        update(Delivery)
        .where(
            Delivery.id == delivery_id, Delivery.lease == lease, Delivery.state == DeliveryState.WRITING
        )
        .values(
            state=state, checks=checks, fault=fault,
            sha=None if path is None else blobs.put_path(session, path),
        )
        .returning(Delivery.id)
    ).scalar()  # fmt: skip
    if found is None:
        raise FencedError("another worker has taken this delivery over", where=f"delivery {delivery_id}")
    _told(session, get(session, delivery_id))


def remove(session: Session, delivery_id: int) -> None:
    """Delete a delivery and its file."""
    found = get(session, delivery_id)
    session.execute(delete(Delivery).where(Delivery.id == delivery_id))
    session.flush()
    blobs.sweep(session)
    _told(session, found)


def _told(session: Session, found: Delivery) -> None:
    shot_id = takes.get(session, found.take_id).shot_id
    tell(session, "delivery", shot=shot_id, take=found.take_id, delivery=found.id)
