"""A worker process: takes jobs from the queue, gives signs of life, takes up what dead workers left."""

from __future__ import annotations

import asyncio
import datetime
import signal
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import procrastinate
import structlog
from procrastinate import PsycopgConnector
from sqlalchemy.exc import OperationalError

from ..session.busy import fitting_moves
from ..store import blobs, events
from ..store.session import Store
from .delivery_run import write_delivery
from .mend_run import bring_take_in, compose, do_remedy, look_for_snags
from .queue import (
    BRING_IN,
    COMPOSE,
    DO_REMEDY,
    LOOK_FOR_SNAGS,
    RUN_TAKE,
    RUNS,
    SHORT,
    WRITE_DELIVERY,
    requeue_lost,
)
from .take_run import run_take

log = structlog.get_logger()
BEAT = 1.0  # s between signs of life
DEAD_AFTER = 6.0  # s without one


@dataclass(frozen=True)
class WorkerSettings:
    """queues to serve; made_with: versions, processor, engine; verify: command that reads a delivery back;
    sockets: the folder of this machine's local sockets.
    """

    queues: Sequence[str]
    made_with: dict[str, Any]
    verify: Sequence[str]
    name: str
    sockets: Path


def serve(store: Store, chosen: WorkerSettings) -> None:
    """Work until SIGTERM or SIGINT; a take at hand is left at its latest frame for the next worker."""
    asyncio.run(_serve(store, chosen))


async def _serve(store: Store, chosen: WorkerSettings) -> None:
    app = procrastinate.App(connector=PsycopgConnector(conninfo=store.plain_url, min_size=1, max_size=4))
    leaving = threading.Event()

    @app.task(name=RUN_TAKE, queue=RUNS)
    def _run_take(take_id: int) -> None:
        run_take(store, take_id, chosen.made_with, leaving.is_set, lambda: fitting_moves(chosen.sockets))

    @app.task(name=WRITE_DELIVERY, queue=SHORT)
    def _write_delivery(delivery_id: int) -> None:
        write_delivery(store, delivery_id, chosen.verify)

    @app.task(name=LOOK_FOR_SNAGS, queue=SHORT)
    def _look_for_snags(take_id: int) -> None:
        look_for_snags(store, take_id)

    @app.task(name=DO_REMEDY, queue=SHORT)
    def _do_remedy(remedy_id: int) -> None:
        do_remedy(store, remedy_id)

    @app.task(name=COMPOSE, queue=SHORT)
    def _compose(take_id: int, again: int) -> None:
        compose(store, take_id, again)

    @app.task(name=BRING_IN, queue=SHORT)
    def _bring_in(take_id: int) -> None:
        bring_take_in(store, take_id)

    async with app.open_async():
        working = asyncio.create_task(
            app.run_worker_async(
                queues=list(chosen.queues), concurrency=1, name=chosen.name, fetch_job_polling_interval=1.0,
                update_heartbeat_interval=BEAT, stalled_worker_timeout=DEAD_AFTER, delete_jobs="successful",
                install_signal_handlers=False,
            )
        )  # fmt: skip
        sweeping = asyncio.create_task(_sweep(app, store))

        def leave() -> None:
            leaving.set()
            working.cancel()  # waits for the job at hand, which sees `leaving` at its next frame

        loop = asyncio.get_running_loop()
        for number in (signal.SIGTERM, signal.SIGINT):
            loop.add_signal_handler(number, leave)
        try:
            await working
        except asyncio.CancelledError:
            log.info("worker left", action="worker_left")
        finally:
            sweeping.cancel()


async def _sweep(app: procrastinate.App, store: Store) -> None:
    """Every few seconds put jobs of dead workers back into the queue, and forget old events."""
    while True:
        await asyncio.sleep(2.0)
        try:
            for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=DEAD_AFTER):
                log.warning("a worker died", action="job_taken_up", job=job.id, task=job.task_name)
                await app.job_manager.retry_job(job, datetime.datetime.now(datetime.UTC))
            await asyncio.to_thread(_tidy, store)
        except (procrastinate.exceptions.ConnectorException, OperationalError) as error:
            log.warning(str(error), action="sweep_failed")


def _tidy(store: Store) -> None:
    with store.begin() as session:
        for what, number in requeue_lost(session):
            log.warning("work without a job was queued again", action="requeued", what=what, number=number)
        events.prune(session)
        blobs.forget_uploads(session)
