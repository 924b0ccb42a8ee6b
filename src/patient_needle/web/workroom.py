"""The house itself over HTTP: its state, its stream of events."""

from __future__ import annotations

from dataclasses import asdict

from apiflask import APIBlueprint
from flask import Response, request

from ..core.model.maps import MAP_ROLES
from ..core.model.swatch_book import BOOK
from ..formats.names import BROUGHT_IN, MAPS_IN, WRITTEN
from ..formats.shot_file.fabrics import record_of
from ..jobs.queue import workers_alive
from ..store import summaries
from . import schemas
from .events import stream_response
from .payloads import binary
from .services import services

blueprint = APIBlueprint("workroom", __name__, url_prefix="/api", tag="Workroom")


@blueprint.get("/workroom")
@blueprint.output(schemas.Workroom)
def workroom() -> schemas.Workroom:
    """Whether everything that should be running is, and how full the disk is."""
    house = services()
    with house.store.begin() as session:
        workers = workers_alive(session)
        used = summaries.bytes_used(session)
    return schemas.Workroom(
        version=house.version, workers=workers["alive"], working=workers["doing"], desk=house.desk.answers(),
        bytes_used=used, bytes_free=house.free_space(),
    )  # fmt: skip


@blueprint.get("/swatches")
@blueprint.output(list[schemas.BookSwatch])  # type: ignore[arg-type]  # a list is allowed
def swatches() -> list[schemas.BookSwatch]:
    """The swatch book: common cloths to start from."""
    return [schemas.BookSwatch(said=swatch.said, fabric=record_of(swatch.fabric)) for swatch in BOOK]


@blueprint.get("/facts")
@blueprint.output(schemas.Facts)
def facts() -> schemas.Facts:
    """What the page must know of the house before it shows anything."""
    return schemas.Facts(
        map_roles=[schemas.MapRole(**asdict(one)) for one in MAP_ROLES],
        brought_in=list(BROUGHT_IN),
        maps_in=list(MAPS_IN),
        written=[schemas.Written(format=ending, said=said) for ending, said in WRITTEN.items()],
    )


@blueprint.get("/events")
@blueprint.doc(responses=binary("A stream", "text/event-stream"))
def events() -> Response:
    """Server-sent events: everything that changes, for the pages of one browser."""
    given = request.headers.get("Last-Event-ID", "")
    last = int(given) if given.isascii() and given.isdigit() and len(given) < 19 else None
    return stream_response(last)
