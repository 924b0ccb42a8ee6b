"""Fittings over HTTP: keeping the live one in its shot. The live one itself goes through a socket."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint
from flask import Response

from ..core.model.errors import FileError
from ..core.model.references import named_files
from ..desk import asked
from ..formats.names import apart, file_name
from ..formats.shot_file.document import parse_shot
from ..session.keeping import keep_given
from ..store import blobs, shots
from ..store.errors import ConflictError, MissingError
from ..store.models import LARGEST_PICTURE
from . import schemas
from .payloads import attachment, binary
from .services import services
from .shots import JPEG, REST_KINDS, described

blueprint = APIBlueprint("fittings", __name__, url_prefix="/api/shots", tag="Fittings")


@blueprint.post("/<int:shot_id>/fittings")
@blueprint.input(schemas.FittingNew, arg_name="new")
@blueprint.output(schemas.Shot)
def keep_fitting(shot_id: int, new: schemas.FittingNew) -> schemas.Shot:
    """Keep the live fitting of a shot under a new name. Cloth that crosses anything is refused."""
    picture = None if new.picture is None else _jpeg(new.picture, new.name)
    given = services().fitting.give(shot_id)
    with services().store.begin() as session:
        keep_given(session, shot_id, new.seen, new.name, given, picture)
        return described(session, shot_id)


@blueprint.get("/<int:shot_id>/fittings/<name>/picture")
@blueprint.doc(responses=binary("A picture, or nothing (204) when there is none", "image/jpeg"))
def fitting_picture(shot_id: int, name: str) -> Response:
    """What the stage looked like when a fitting was kept."""
    with services().store.begin() as session:
        record = _fitting(shots.revision(session, shot_id).document, name)
        if record.get("picture") is None:
            return Response(status=204)
        sha = shots.files(session, shot_id, shots.get(session, shot_id).head)[record["picture"]]
        return Response(blobs.get(session, sha), mimetype="image/jpeg")


@blueprint.get("/<int:shot_id>/revisions/<int:number>/fittings/<name>/garments/<garment>/file")
@blueprint.input(schemas.RestFileAsk, location="query", arg_name="ask")
@blueprint.doc(responses=binary("A file", "application/octet-stream"))
def fitted_file(shot_id: int, number: int, name: str, garment: str, ask: schemas.RestFileAsk) -> Response:
    """A garment as a fitting has it, as a mesh."""
    data = _mesh(shot_id, number, name, garment, f".{ask.kind}", ask.unit, ask.up)
    named = file_name(f"{garment}, {name}, {ask.unit}, {ask.up.upper()} up", f".{ask.kind}")
    return attachment(data, named, REST_KINDS[ask.kind])


@blueprint.post("/<int:shot_id>/fittings/<name>/meshed")
@blueprint.input(schemas.FittingMeshed, arg_name="wanted")
@blueprint.output(schemas.Shot)
def keep_as_mesh(shot_id: int, name: str, wanted: schemas.FittingMeshed) -> schemas.Shot:
    """Let the shape that a garment has in a fitting be a prop, a set piece, or the garment's own made shape."""
    data = _mesh(shot_id, wanted.seen, name, wanted.garment, ".obj", "m", "y")
    with services().store.begin() as session:
        document = parse_shot(shots.unchanged(session, shot_id, wanted.seen), "").model_dump(mode="json")
        file = apart(file_name(f"{wanted.garment}, {name}", ".obj"), named_files(document))
        if wanted.becomes == "made shape":
            said = _made_shape(document, wanted.garment, name, file)
        else:
            said = _cast(document, wanted, file)
        checked = parse_shot(document, f"shot {shot_id}").model_dump(mode="json")
        shots.edit(session, shot_id, wanted.seen, checked, {file: blobs.put(session, data)}, said)
        return described(session, shot_id)


def _made_shape(document: dict[str, Any], garment: str, name: str, file: str) -> str:
    record = next(one for one in document["garments"] if one["name"] == garment)
    record["recipe"] = {"kind": "file", "file": file}
    record["begins"] = None
    return f"{garment} is made as fitting '{name}' has it"


def _cast(document: dict[str, Any], wanted: schemas.FittingMeshed, file: str) -> str:
    if any(one["name"] == wanted.name for one in document["cast"]):
        raise ConflictError(f"'{wanted.name}' is in the cast already", remedy="Give it another name")
    document["cast"].append({"name": wanted.name, "kind": wanted.becomes, "file": file})
    return f"{wanted.name} is a {wanted.becomes} now"


def _mesh(shot_id: int, number: int, name: str, garment: str, ending: str, unit: str, up: str) -> bytes:
    wanted = asked.FittedFile(
        shot=shot_id, number=number, fitting=name, garment=garment, ending=ending, unit=unit, up=up
    )
    return services().desk.ask(wanted).arrays["file"].data


def _fitting(document: dict[str, Any], name: str) -> dict[str, Any]:
    for one in document.get("fittings") or []:
        if one["name"] == name:
            return one
    raise MissingError(f"there is no fitting '{name}'", remedy="Choose one of the list")


def _jpeg(data: bytes, where: str) -> bytes:
    if not data.startswith(JPEG) or len(data) > LARGEST_PICTURE:
        raise FileError("this is no JPEG picture of at most 400 kB", where=where, remedy="Send a smaller JPEG")
    return data
