"""Handing work to the workers: a job is queued in the transaction that asks for it, or not at all."""

from __future__ import annotations

import procrastinate
from procrastinate import SyncPsycopgConnector
from sqlalchemy import text
from sqlalchemy.orm import Session

from ..store.session import Store

RUNS, SHORT = "runs", "short"
RUN_TAKE, WRITE_DELIVERY = "run_take", "write_delivery"
LOOK_FOR_SNAGS, DO_REMEDY, COMPOSE, BRING_IN = "look_for_snags", "do_remedy", "compose", "bring_in"

_app = procrastinate.App(connector=SyncPsycopgConnector())


def queue_take(session: Session, take_id: int) -> None:
    """Let a worker run a take."""
    _defer(session, RUN_TAKE, RUNS, take_id=take_id)


def queue_delivery(session: Session, delivery_id: int) -> None:
    """Let a worker write and check a delivery."""
    _defer(session, WRITE_DELIVERY, SHORT, delivery_id=delivery_id)


def queue_snags(session: Session, take_id: int) -> None:
    """Let a worker look for the snags of a take."""
    _defer(session, LOOK_FOR_SNAGS, SHORT, take_id=take_id)


def queue_remedy(session: Session, remedy_id: int) -> None:
    """Let a worker do a remedy, after those of its take that were asked for before."""
    take_id = session.scalar(text("select take_id from remedies where id = :id"), {"id": remedy_id})
    _defer(session, DO_REMEDY, SHORT, lock=_bench(take_id), remedy_id=remedy_id)


def queue_compose(session: Session, take_id: int, again: int) -> None:
    """Let a worker lay a take's remedies over each other anew; again: the remedy that was changed."""
    _defer(session, COMPOSE, SHORT, lock=_bench(take_id), take_id=take_id, again=again)


def queue_bring_in(session: Session, take_id: int) -> None:
    """Let a worker read the caches of a take that is brought in."""
    _defer(session, BRING_IN, SHORT, take_id=take_id)


def _bench(take_id: int | None) -> str:
    """What only one job at a time may have: a remedy writes whole frames of its take."""
    return f"bench of take {take_id}"


def _defer(session: Session, task: str, queue: str, *, lock: str | None = None, **arguments: int) -> None:
    raw = session.connection().connection.driver_connection
    _app.configure_task(task, queue=queue, lock=lock, connection=raw).defer(**arguments)


def requeue_lost(session: Session) -> list[tuple[str, int]]:
    """Queue takes and deliveries that want work and have no job, as after a job that failed with the database.

    One sweep at a time: whoever finds another at it does nothing.
    """
    if not session.scalar(text("select pg_try_advisory_xact_lock(7302213)")):
        return []
    lost: list[tuple[str, int]] = []
    for table, states, task, key, queue in (
        ("takes", ("waiting", "running"), RUN_TAKE, "take_id", queue_take),
        ("deliveries", ("waiting", "writing"), WRITE_DELIVERY, "delivery_id", queue_delivery),
        ("snag_lists", ("waiting", "looking"), LOOK_FOR_SNAGS, "take_id", queue_snags),
        ("remedies", ("waiting", "working"), DO_REMEDY, "remedy_id", queue_remedy),
    ):
        number = "take_id" if table == "snag_lists" else "id"
        own = " and takes.origin->>'kind' is distinct from 'brought in'" if table == "takes" else ""
        found = session.scalars(
            text(
                f"select {number} from {table} where state = any(:states) and not exists ("
                "select 1 from procrastinate_jobs where task_name = :task and status in ('todo', 'doing')"
                f" and (args->>'{key}')::int = {table}.{number}){own}"
            ),
            {"states": list(states), "task": task},
        ).all()
        for one in found:
            queue(session, one)
            lost.append((table, one))
    for one in session.scalars(
        text(
            "select id from takes where state in ('waiting', 'running') and origin->>'kind' = 'brought in'"
            " and not exists (select 1 from procrastinate_jobs where task_name = :task"
            " and status in ('todo', 'doing') and (args->>'take_id')::int = takes.id)"
        ),
        {"task": BRING_IN},
    ).all():
        queue_bring_in(session, one)
        lost.append(("takes", one))
    return lost


def workers_alive(session: Session, seconds: float = 10.0) -> dict[str, int]:
    """How many workers have given a sign of life lately, and how many jobs are being done."""
    alive = session.scalar(
        text(
            "select count(*) from procrastinate_workers"
            " where last_heartbeat > now() - make_interval(secs => :seconds)"
        ),
        {"seconds": seconds},
    )
    doing = session.scalar(text("select count(*) from procrastinate_jobs where status = 'doing'"))
    return {"alive": int(alive or 0), "doing": int(doing or 0)}


def prepare_queue(store: Store) -> None:
    """Make the queue's own tables when they are not there yet."""
    with store.engine.begin() as connection:
        connection.execute(text("select pg_advisory_xact_lock(7302212)"))
        if connection.scalar(text("select to_regclass('procrastinate_jobs')")) is not None:
            return
        schema = procrastinate.schema.SchemaManager.get_schema()
        raw = connection.connection.driver_connection
        assert raw is not None
        raw.execute(schema)
