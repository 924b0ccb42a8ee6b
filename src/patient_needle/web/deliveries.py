"""Deliveries over HTTP: ask, see the checks, download."""

from __future__ import annotations

from tempfile import TemporaryFile

from apiflask import APIBlueprint
from flask import Response
from sqlalchemy.orm import Session

from ..core.model.errors import ShotError
from ..formats.names import file_name
from ..jobs.queue import queue_delivery
from ..store import blobs, deliveries, shots, takes
from ..store.errors import MissingError
from ..store.models import Blob, Delivery
from . import schemas
from .payloads import attachment, binary
from .services import services

blueprint = APIBlueprint("deliveries", __name__, url_prefix="/api", tag="Deliveries")


def _described(session: Session, found: Delivery) -> schemas.Delivery:
    blob = None if found.sha is None else session.get(Blob, found.sha)
    return schemas.Delivery(
        id=found.id, take=found.take_id, take_name=takes.get(session, found.take_id).name,
        garment=found.garment, asked=found.asked, state=found.state.value,
        checks=[schemas.Check(**check) for check in found.checks],
        fault=None if found.fault is None else schemas.Fault(**found.fault), file_name=found.file_name,
        bytes=None if blob is None else blob.size, made_at=found.made_at,
    )  # fmt: skip


@blueprint.get("/shots/<int:shot_id>/deliveries")
@blueprint.output(list[schemas.Delivery])  # type: ignore[arg-type]  # a list is allowed
def list_deliveries(shot_id: int) -> list[schemas.Delivery]:
    """A shot's deliveries, newest first."""
    with services().store.begin() as session:
        shots.get(session, shot_id)
        return [_described(session, d) for d in deliveries.listed(session, shot_id)]


@blueprint.post("/takes/<int:take_id>/deliveries")
@blueprint.input(schemas.DeliveryAsk, arg_name="ask")
@blueprint.output(schemas.Delivery, status_code=201)
def make_delivery(take_id: int, ask: schemas.DeliveryAsk) -> schemas.Delivery:
    """Write a garment of a take for the next department; a worker writes and checks it."""
    with services().store.begin() as session:
        take = takes.get(session, take_id)
        first, last = ask.first - ask.handles, ask.last + ask.handles
        if ask.last < ask.first:
            raise ShotError(f"the range {ask.first} to {ask.last} is empty", remedy="Put the first frame first")
        if first < take.first_simulated or last > take.last:
            raise ShotError(
                f"frames {first} to {last} are wanted, handle frames included, but '{take.name}' has "
                f"{take.first_simulated} to {take.last}",
                remedy="Give fewer handle frames, a shorter range, or extend the take",
            )
        asked = ask.model_dump(mode="json") | {"first": first, "last": last}
        named = f"{shots.get(session, take.shot_id).name} {ask.garment} {take.name}".replace(" ", "_")
        name = file_name(named, f".{ask.format}")
        made = deliveries.create(session, take_id, ask.garment, asked, name)
        queue_delivery(session, made.id)
        return _described(session, made)


@blueprint.get("/deliveries/<int:delivery_id>")
@blueprint.output(schemas.Delivery)
def read_delivery(delivery_id: int) -> schemas.Delivery:
    """One delivery."""
    with services().store.begin() as session:
        return _described(session, deliveries.get(session, delivery_id))


@blueprint.get("/deliveries/<int:delivery_id>/file")
@blueprint.doc(responses=binary("The file", "application/octet-stream"))
def download(delivery_id: int) -> Response:
    """The written file."""
    with services().store.begin() as session:
        found = deliveries.get(session, delivery_id)
        if found.sha is None:
            raise MissingError("there is no file yet", where=found.file_name, remedy="Wait for the worker")
        name, stream = found.file_name, TemporaryFile()  # noqa: SIM115 - closed when it is sent
        for chunk in blobs.chunks(session, found.sha):
            stream.write(chunk)
    stream.seek(0)
    return attachment(stream, name)


@blueprint.delete("/deliveries/<int:delivery_id>")
@blueprint.output({}, status_code=204)
def delete_delivery(delivery_id: int) -> str:
    """Delete a delivery and its file."""
    with services().store.begin() as session:
        deliveries.remove(session, delivery_id)
    return ""
