"""Shots over HTTP: read, edit, undo, bring files in, export and import."""

from __future__ import annotations

import hashlib
from contextlib import ExitStack
from pathlib import Path
from tempfile import SpooledTemporaryFile, TemporaryDirectory
from typing import Any

from apiflask import APIBlueprint
from flask import Response, request
from sqlalchemy.orm import Session

from ..core.model.errors import FileError, NeedleError
from ..desk import asked
from ..formats.names import file_name, plain_name
from ..formats.shot_file.differences import patched
from ..formats.shot_file.document import current, parse_shot
from ..formats.shot_file.fittings import shot_mark, stale
from ..formats.shot_file.parcel import read_zip, write_zip
from ..formats.shot_file.strokes import moved_out
from ..store import blobs, shots
from ..store.errors import MissingError
from ..store.models import LARGEST_PICTURE
from . import schemas
from .payloads import array_response, array_stream, attachment, binary
from .services import services

blueprint = APIBlueprint("shots", __name__, url_prefix="/api/shots", tag="Shots")
PIECE = 1 << 20
JPEG = b"\xff\xd8\xff"  # how every such file begins (ISO/IEC 10918-1)
IN_MEMORY = 32 << 20  # bytes of a zip, beyond which it is in a file


def described(session: Session, shot_id: int) -> schemas.Shot:
    """A shot as the API gives it."""
    shot = shots.get(session, shot_id)
    here = shots.revision(session, shot_id)
    after = shots.following(session, shot)
    document = current(here.document, f"shot '{shot.name}'")
    whole = schemas.ShotFile.model_validate(document).model_dump(mode="json")
    return schemas.Shot(
        id=shot.id, name=shot.name, revision=shot.head, said=here.said,
        undo_said=here.said if here.before is not None else None,
        redo_said=None if after is None else shots.revision(session, shot_id, after).said,
        first_simulated=first_simulated(here.document),
        document=document, fit_mark=shot_mark(whole),
        stale_fittings={one["name"]: stale(whole, one) for one in whole["fittings"]},
    )  # fmt: skip


def first_simulated(document: dict[str, Any]) -> int:
    """The first frame of a document's run-in."""
    run_in = document["run_in"]
    return int(document["frames"][0] - run_in["settle"] - run_in["move"])


@blueprint.get("")
@blueprint.output(list[schemas.ShotLine])  # type: ignore[arg-type]  # a list is allowed
def list_shots() -> list[schemas.ShotLine]:
    """Every shot."""
    with services().store.begin() as session:
        return [schemas.ShotLine(id=s.id, name=s.name, revision=s.head) for s in shots.listed(session)]


@blueprint.post("")
@blueprint.input(schemas.ShotNew, arg_name="new")
@blueprint.output(schemas.Shot, status_code=201)
def make_shot(new: schemas.ShotNew) -> schemas.Shot:
    """Make an empty shot, to bring a character and a garment into."""
    document = schemas.ShotFile(
        format="patient-needle-shot", version=2, fabrics=[], garments=[], **new.model_dump()
    ).model_dump(mode="json")
    with services().store.begin() as session:
        return described(session, shots.create(session, document, {}).id)


@blueprint.get("/<int:shot_id>")
@blueprint.output(schemas.Shot)
def read_shot(shot_id: int) -> schemas.Shot:
    """A shot at the revision in force."""
    with services().store.begin() as session:
        return described(session, shot_id)


@blueprint.put("/<int:shot_id>")
@blueprint.input(schemas.ShotEdit, arg_name="edit")
@blueprint.output(schemas.Shot)
def edit_shot(shot_id: int, edit: schemas.ShotEdit) -> schemas.Shot:
    """Make a new revision; 409 when somebody else made one since `seen`."""
    return _edited(shot_id, edit.seen, edit.said, edit.document.model_dump(mode="json"), edit.uploads)


@blueprint.patch("/<int:shot_id>")
@blueprint.input(schemas.ShotPatch, arg_name="edit")
@blueprint.output(schemas.Shot)
def patch_shot(shot_id: int, edit: schemas.ShotPatch) -> schemas.Shot:
    """Make a new revision by a JSON Patch (RFC 6902); 409 when somebody else made one since `seen`."""
    with services().store.begin() as session:
        kept = shots.unchanged(session, shot_id, edit.seen)
    # As the API gives it, plain values filled in: one that was kept by an older version lacks the newest.
    before = parse_shot(kept, f"shot {shot_id}").model_dump(mode="json")
    operations = [one.model_dump(exclude_unset=True) for one in edit.patch]
    document = patched(before, operations, f"shot {shot_id}")
    return _edited(shot_id, edit.seen, edit.said, document, edit.uploads)


def _edited(shot_id: int, seen: int, said: str, document: Any, uploads: dict[str, str]) -> schemas.Shot:
    """Keep a document as a new revision; hits of strokes go to files of their own."""
    # Names that stand twice are refused, and what is left out gets its plain value.
    document = parse_shot(document, f"shot {shot_id}").model_dump(mode="json")
    strokes = moved_out(document)
    with services().store.begin() as session:
        for name, sha in uploads.items():
            if not blobs.uploaded(session, sha, name):
                raise MissingError(f"'{name}' was not brought in", remedy="Bring the file in again")
        named = uploads | {name: blobs.put(session, data) for name, data in strokes.items()}
        shots.edit(session, shot_id, seen, document, named, said)
        return described(session, shot_id)


@blueprint.post("/<int:shot_id>/undo")
@blueprint.input(schemas.Seen, arg_name="seen")
@blueprint.output(schemas.Shot)
def undo(shot_id: int, seen: schemas.Seen) -> schemas.Shot:
    """Take the latest edit back."""
    with services().store.begin() as session:
        shots.undo(session, shot_id, seen.seen)
        return described(session, shot_id)


@blueprint.post("/<int:shot_id>/redo")
@blueprint.input(schemas.Seen, arg_name="seen")
@blueprint.output(schemas.Shot)
def redo(shot_id: int, seen: schemas.Seen) -> schemas.Shot:
    """Make the edit again that was taken back."""
    with services().store.begin() as session:
        shots.redo(session, shot_id, seen.seen)
        return described(session, shot_id)


@blueprint.delete("/<int:shot_id>")
@blueprint.output({}, status_code=204)
def delete_shot(shot_id: int) -> str:
    """Delete a shot and its takes."""
    with services().store.begin() as session:
        shots.remove(session, shot_id)
    return ""


@blueprint.get("/<int:shot_id>/picture")
@blueprint.doc(responses=binary("A picture, or nothing (204) when there is none yet", "image/jpeg"))
def picture(shot_id: int) -> Response:
    """What the shot's stage looked like last, to show while the shot is opened."""
    with services().store.begin() as session:
        shots.get(session, shot_id)
        data = shots.picture(session, shot_id)
    return Response(status=204) if data is None else Response(data, mimetype="image/jpeg")


@blueprint.put("/<int:shot_id>/picture")
@blueprint.output({}, status_code=204)
def keep_picture(shot_id: int) -> str:
    """Keep a picture of the shot's stage (the body, image/jpeg, at most 400 kB)."""
    data = request.stream.read(LARGEST_PICTURE + 1)
    if not data.startswith(JPEG) or len(data) > LARGEST_PICTURE:
        raise FileError(
            "this is no JPEG picture of at most 400 kB", where=f"shot {shot_id}", remedy="Send a smaller JPEG"
        )
    with services().store.begin() as session:
        shots.keep_picture(session, shot_id, data)
    return ""


@blueprint.put("/files/<name>")
@blueprint.output(schemas.Uploaded)
def bring_in(name: str) -> schemas.Uploaded:
    """Bring a file in (the body, application/octet-stream); it is read at once, a damaged one refused."""
    name = plain_name(name)
    with SpooledTemporaryFile(max_size=8 * PIECE) as kept:
        digest, size = hashlib.sha256(), 0
        while piece := request.stream.read(PIECE):
            digest.update(piece)
            kept.write(piece)
            size += len(piece)
        _whole(name, size)
        kept.seek(0)
        sha = digest.hexdigest()
        with services().store.begin() as session:
            blobs.put_file(session, kept, sha, size)  # type: ignore[arg-type]
            blobs.keep_upload(session, sha, name)
    try:
        found = services().desk.ask(asked.LookInto(sha=sha, name=name))
    except NeedleError:
        with services().store.begin() as session:
            blobs.forget_upload(session, sha, name)  # what is refused is not kept
        raise
    return schemas.Uploaded(name=name, sha=sha, bytes=size, **found.body)


@blueprint.post("/files/numbered")
@blueprint.input(schemas.NumberedFiles, arg_name="numbered")
@blueprint.output(schemas.Uploaded)
def join_numbered(numbered: schemas.NumberedFiles) -> schemas.Uploaded:
    """One moving mesh of numbered OBJ files that were brought in."""
    with services().store.begin() as session:
        for name, sha in numbered.files.items():
            if not blobs.uploaded(session, sha, name):
                raise MissingError(f"'{name}' was not brought in", remedy="Bring the files in again")
    body = dict(services().desk.ask(asked.Join(files=numbered.files)).body)
    first = body.pop("first_file")
    return schemas.Uploaded(name=first, sha=numbered.files[first], bytes=0, **body)


def _whole(name: str, size: int) -> None:
    if size == 0:
        raise FileError("the file is empty", where=name, remedy="Export it again")
    if request.content_length is not None and size != request.content_length:
        raise FileError("the file did not arrive whole", where=name, remedy="Bring it in again")


@blueprint.post("/import")
@blueprint.output(schemas.Shot, status_code=201)
def import_shot() -> schemas.Shot:
    """A shot from a zip (the body) of shot.json and the files it names."""
    with TemporaryDirectory(prefix="needle-import-") as folder:
        path = Path(folder) / "shot.zip"
        with path.open("wb") as stream:
            while piece := request.stream.read(PIECE):
                stream.write(piece)
        into = Path(folder) / "files"
        into.mkdir()
        document, files = read_zip(path, "the zip", into)
        with services().store.begin() as session:
            shot = shots.create(session, document, {n: blobs.put_path(session, f) for n, f in files.items()})
            return described(session, shot.id)


@blueprint.get("/<int:shot_id>/export")
@blueprint.doc(responses=binary("A zip", "application/zip"))
def export_shot(shot_id: int) -> Response:
    """The shot with its files as one zip that ./needle sim runs to the same bits."""
    with ExitStack() as open_files:
        kept = open_files.enter_context(SpooledTemporaryFile(max_size=IN_MEMORY))
        with services().store.begin() as session:
            name = file_name(shots.get(session, shot_id).name, ".zip")
            write_zip(kept, *shots.contents(session, shot_id))  # type: ignore[arg-type]
        size = kept.tell()
        kept.seek(0)
        if size <= IN_MEMORY:
            return attachment(kept.read(), name, "application/zip")
        open_files.pop_all()  # the response closes it
        return attachment(kept, name, "application/zip")  # type: ignore[arg-type]


@blueprint.get("/<int:shot_id>/revisions/<int:number>/reading")
@blueprint.output(schemas.Reading)
def reading(shot_id: int, number: int) -> dict[str, Any]:
    """What was read from the revision's files."""
    return services().desk.ask(asked.Read(shot=shot_id, number=number)).body


@blueprint.get("/<int:shot_id>/revisions/<int:number>/<any(cast, garments):kind>/<name>/mesh/<part>")
@blueprint.doc(responses=binary("The array"))
def mesh(shot_id: int, number: int, kind: str, name: str, part: str) -> Response:
    """Triangles (m,3), rest positions (n,3) m; of a garment loops and loop_sizes, of the cast left_out."""
    what = asked.Mesh if kind == "cast" else asked.Garment
    found = services().desk.ask(what(shot=shot_id, number=number, name=name))
    if part not in found.arrays:
        raise MissingError(f"a mesh has no part '{part}'", remedy=f"Ask for one of {', '.join(found.arrays)}")
    return array_response(found.arrays[part], lasting=True)


@blueprint.get("/<int:shot_id>/revisions/<int:number>/cast/<name>/self-cuts")
@blueprint.output(schemas.SelfCuts)
def self_cuts(shot_id: int, number: int, name: str) -> dict[str, Any]:
    """Where and when a cast member cuts into itself; searched when first asked, some seconds."""
    return services().desk.ask(asked.SelfCuts(shot=shot_id, number=number, name=name)).body


@blueprint.get("/<int:shot_id>/revisions/<int:number>/cast/<name>/self-cuts/marked")
@blueprint.doc(responses=binary("The array"))
def self_cut_triangles(shot_id: int, number: int, name: str) -> Response:
    """Rows of frame and triangle that cut or lie within, (k,2) uint32; frames below 0 wrap."""
    found = services().desk.ask(asked.SelfCuts(shot=shot_id, number=number, name=name))
    return array_response(found.arrays["marked"], lasting=True)


@blueprint.get("/<int:shot_id>/revisions/<int:number>/cast/<name>/understudy/deviation")
@blueprint.doc(responses=binary("The array"))
def deviation(shot_id: int, number: int, name: str) -> Response:
    """How far each vertex of the understudy lies at worst from what it stands in for, (k,) m."""
    found = services().desk.ask(asked.Deviation(shot=shot_id, number=number, name=name))
    return array_response(found.arrays["deviation"], lasting=True)


@blueprint.get(
    "/<int:shot_id>/revisions/<int:number>/cast/<name>/positions/<int(signed=True):first>/<int(signed=True):last>"
)
@blueprint.doc(responses=binary("The array"))
def positions(shot_id: int, number: int, name: str, first: int, last: int) -> Response:
    """A cast member over frames first to last, (f,n,3) m."""
    wanted = asked.Positions(shot=shot_id, number=number, name=name, first=first, last=last)
    return array_stream(services().desk.stream(wanted), "positions", first_frame=first, lasting=True)


@blueprint.get("/<int:shot_id>/revisions/<int:number>/garments/<name>/health")
@blueprint.output(schemas.Health)
def health(shot_id: int, number: int, name: str) -> dict[str, Any]:
    """What is wrong with the mesh of a garment's file, whether it can be cloth or not."""
    return services().desk.ask(asked.Health(shot=shot_id, number=number, name=name)).body


@blueprint.get("/<int:shot_id>/revisions/<int:number>/garments/<name>/health/places")
@blueprint.doc(responses=binary("The array"))
def health_places(shot_id: int, number: int, name: str) -> Response:
    """Triangles to light (k,3,3) m, those of one finding after the other."""
    found = services().desk.ask(asked.Health(shot=shot_id, number=number, name=name))
    return array_response(found.arrays["places"], lasting=True)


@blueprint.post("/<int:shot_id>/revisions/<int:number>/garments/<name>/remade")
@blueprint.input(schemas.RecipeAsk, arg_name="wanted")
@blueprint.output(schemas.Remade)
def remade(shot_id: int, number: int, name: str, wanted: schemas.RecipeAsk) -> dict[str, Any]:
    """The garments of a revision once one of them is made by another recipe: nothing is kept of it yet."""
    return services().desk.ask(asked.Remade(shot=shot_id, number=number, name=name, recipe=wanted.recipe)).body


@blueprint.post("/<int:shot_id>/revisions/<int:number>/garments/<name>/pick")
@blueprint.input(schemas.Ray, arg_name="ray")
@blueprint.output(schemas.Picked)
def pick(shot_id: int, number: int, name: str, ray: schemas.Ray) -> dict[str, Any]:
    """Where a ray meets a garment as it was made."""
    wanted = asked.Pick(shot=shot_id, number=number, garment=name, origin=ray.origin, direction=ray.direction)
    return services().desk.ask(wanted).body


@blueprint.post("/<int:shot_id>/revisions/<int:number>/garments/<name>/chosen")
@blueprint.input(schemas.ChoiceRecord, arg_name="choose")
@blueprint.doc(responses=binary("uint32 vertices", "application/octet-stream"))
def chosen(shot_id: int, number: int, name: str, choose: schemas.ChoiceRecord) -> Response:
    """The vertices that a hold would take, (k,) uint32."""
    found = services().desk.ask(asked.Chosen(shot=shot_id, number=number, garment=name, choose=choose))
    return array_response(found.arrays["vertices"])


@blueprint.post("/<int:shot_id>/revisions/<int:number>/garments/<name>/outlined")
@blueprint.input(schemas.Drawn, arg_name="drawn")
@blueprint.doc(responses=binary("uint32 vertices", "application/octet-stream"))
def outlined(shot_id: int, number: int, name: str, drawn: schemas.Drawn) -> Response:
    """The vertices that were drawn around, (k,) uint32."""
    wanted = asked.Outlined(shot=shot_id, number=number, garment=name, **drawn.model_dump())
    found = services().desk.ask(wanted)
    return array_response(found.arrays["vertices"])


@blueprint.get(
    "/<int:shot_id>/revisions/<int:number>/garments/<name>/holds/<hold>/<any(vertices, grips, links):part>"
)
@blueprint.doc(responses=binary("The array"))
def hold_marks(shot_id: int, number: int, name: str, hold: str, part: str) -> Response:
    """Of a hold: rows of vertex and whether it holds on (k,2) uint32; grips (k,); links (q,2,3) m."""
    found = services().desk.ask(asked.HoldMarks(shot=shot_id, number=number, garment=name, hold=hold))
    return array_response(found.arrays[part], lasting=True)


@blueprint.post("/<int:shot_id>/revisions/<int:number>/garments/<name>/holds/<hold>/shake")
@blueprint.input(schemas.FramesSeen, arg_name="seen")
@blueprint.output(schemas.Shaken)
def shake(shot_id: int, number: int, name: str, hold: str, seen: schemas.FramesSeen) -> dict[str, Any]:
    """Shake what a hold holds on to, some frames further than those seen, and tell how far it slipped."""
    wanted = asked.Shake(shot=shot_id, number=number, garment=name, hold=hold, seen=seen.frames, page=seen.page)
    return services().desk.ask(wanted).body


@blueprint.get("/<int:shot_id>/revisions/<int:number>/garments/<name>/maps/<chalk>")
@blueprint.input(schemas.MapAsk, location="query", arg_name="ask")
@blueprint.doc(responses=binary("float32 values", "application/octet-stream"))
def map_values(shot_id: int, number: int, name: str, chalk: str, ask: schemas.MapAsk) -> Response:
    """A map's value at every vertex of a garment, (n,) float32 from 0 to 1; less another's, from -1 to 1."""
    wanted = asked.MapValues(shot=shot_id, number=number, garment=name, name=chalk, less=ask.less)
    found = services().desk.ask(wanted)
    return array_response(found.arrays["values"], lasting=True)


MAP_KINDS = {
    "png": "image/png",
    "ply": "application/octet-stream",
    "usda": "text/plain",
    "usdc": "application/octet-stream",
}


@blueprint.get("/<int:shot_id>/revisions/<int:number>/garments/<name>/maps/<chalk>/file")
@blueprint.input(schemas.MapFileAsk, location="query", arg_name="ask")
@blueprint.doc(responses=binary("A file", "application/octet-stream"))
def map_file(shot_id: int, number: int, name: str, chalk: str, ask: schemas.MapFileAsk) -> Response:
    """A map as a grey PNG of 16 bits over the UVs, or as a vertex property (PLY) or a primvar (USD)."""
    wanted = asked.MapFile(
        shot=shot_id, number=number, garment=name, name=chalk, ending=f".{ask.kind}", side=ask.side
    )
    found = services().desk.ask(wanted)
    named = file_name(f"{name} {chalk}", f".{ask.kind}")
    return attachment(found.arrays["file"].data, named, MAP_KINDS[ask.kind])


REST_KINDS = {**MAP_KINDS, "obj": "text/plain", "glb": "model/gltf-binary"}


@blueprint.get("/<int:shot_id>/revisions/<int:number>/garments/<name>/pieces/file")
@blueprint.doc(responses=binary("A drawing", "image/svg+xml"))
def pieces_file(shot_id: int, number: int, name: str) -> Response:
    """The pieces of a sewn garment as an SVG drawing in true units: one unit is one millimetre."""
    found = services().desk.ask(asked.PiecesFile(shot=shot_id, number=number, name=name))
    return attachment(found.arrays["file"].data, file_name(f"{name} pieces", ".svg"), "image/svg+xml")


@blueprint.post("/files/pieces")
@blueprint.input(schemas.PiecesAsk, arg_name="wanted")
@blueprint.output(schemas.PiecesRead)
def read_pieces(wanted: schemas.PiecesAsk) -> dict[str, Any]:
    """The pieces of an SVG drawing that was brought in; nothing is kept of them yet."""
    name = plain_name(wanted.name)
    with services().store.begin() as session:
        if not blobs.uploaded(session, wanted.sha, name):
            raise MissingError(f"'{name}' was not brought in", remedy="Bring the drawing in again")
    return services().desk.ask(asked.ReadPieces(sha=wanted.sha, name=name, unit=wanted.unit)).body


@blueprint.get("/<int:shot_id>/revisions/<int:number>/cast/<name>/rest-file")
@blueprint.input(schemas.RestFileAsk, location="query", arg_name="ask")
@blueprint.doc(responses=binary("A file", "application/octet-stream"))
def rest_file(shot_id: int, number: int, name: str, ask: schemas.RestFileAsk) -> Response:
    """A cast member in its rest pose, where it stands in the shot, for whoever dresses it elsewhere."""
    wanted = asked.RestFile(
        shot=shot_id, number=number, name=name, ending=f".{ask.kind}", unit=ask.unit, up=ask.up
    )
    found = services().desk.ask(wanted)
    named = file_name(f"{name} at rest, {ask.unit}, {ask.up.upper()} up", f".{ask.kind}")
    return attachment(found.arrays["file"].data, named, REST_KINDS[ask.kind])


@blueprint.post("/<int:shot_id>/revisions/<int:number>/garments/<name>/maps/<chalk>/paint")
@blueprint.input(schemas.Painted, arg_name="painted")
@blueprint.doc(responses=binary("float32 values", "application/octet-stream"))
def paint(shot_id: int, number: int, name: str, chalk: str, painted: schemas.Painted) -> Response:
    """The map's values, (n,) float32, with a stroke that is still being drawn."""
    wanted = asked.Paint(
        shot=shot_id, number=number, garment=name, name=chalk, stroke=painted.stroke, going=painted.going
    )
    found = services().desk.ask(wanted)
    return array_response(found.arrays["values"])


@blueprint.post("/<int:shot_id>/revisions/<int:number>/cast/<name>/outlined/<int(signed=True):frame>")
@blueprint.input(schemas.Drawn, arg_name="drawn")
@blueprint.doc(responses=binary("uint32 faces", "application/octet-stream"))
def faces_outlined(shot_id: int, number: int, name: str, frame: int, drawn: schemas.Drawn) -> Response:
    """The faces of a cast member that were drawn around at a frame, (k,) uint32."""
    wanted = asked.FacesOutlined(shot=shot_id, number=number, name=name, frame=frame, **drawn.model_dump())
    found = services().desk.ask(wanted)
    return array_response(found.arrays["faces"])
