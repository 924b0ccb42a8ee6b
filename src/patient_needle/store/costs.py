"""How long frames took: what a run is likely to cost, from those that there were."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import text
from sqlalchemy.orm import Session

ENOUGH = 20  # frames that a take must have, so that its pace is one
MOST = 40  # takes that are looked at, the latest
MEASURED = text(
    """
    select takes.shot_id, takes.patience,
      takes.seconds_per_frame * takes.total / (takes.last - takes.first_simulated + 1) as seconds,
      (select sum((one.value ->> 'vertices')::int) from jsonb_each(readings.body -> 'garments') as one)
        as vertices
    from takes join readings using (shot_id, number)
    where takes.seconds_per_frame is not null and takes.done >= :enough
    order by takes.id desc limit :most
    """
)


@dataclass(frozen=True)
class Measured:
    """A take's pace: seconds for each frame of the shot, with so many vertices of cloth at a patience."""

    shot: int
    patience: str
    seconds: float
    vertices: int


def measured(session: Session) -> list[Measured]:
    """The pace of the latest takes, newest first."""
    rows = session.execute(MEASURED, {"enough": ENOUGH, "most": MOST})
    return [Measured(row.shot_id, row.patience, row.seconds, row.vertices) for row in rows if row.vertices]
