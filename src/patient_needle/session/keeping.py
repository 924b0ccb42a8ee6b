"""Keeping a fitting in its shot: its files, its record, one revision."""

from __future__ import annotations

from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlalchemy.orm import Session

from ..core.model.errors import ShotError
from ..core.model.references import named_files
from ..formats.names import apart, file_name
from ..formats.pc2.layout import write_pc2_bytes
from ..formats.shot_file.document import parse_shot
from ..formats.shot_file.fittings import figure_mark, garment_mark, shot_mark
from ..store import blobs, shots
from ..store.errors import ConflictError
from .client import Given

Document = dict[str, Any]


def keep_given(
    session: Session, shot_id: int, seen: int, name: str, given: Given, picture: bytes | None = None
) -> None:
    """Keep a fitting under a name that the shot has not yet, as a revision after the one that was `seen`.

    `ShotError` for cloth that crosses anything, `ConflictError` for a name that is taken or a shot that has
    changed since the fitting was begun.
    """
    colliders, itself, garments = given.head["crossings"]
    if colliders or itself or garments:
        raise ShotError(
            f"cloth passes through something: {colliders} places with the cast, {itself} with itself, "
            f"{garments} with other cloth",
            where="the fitting", remedy="Let it fall on until it has come out, or go back a step",
        )  # fmt: skip
    document = parse_shot(shots.unchanged(session, shot_id, seen), "").model_dump(mode="json")
    if given.head["mark"] != shot_mark(document):
        raise ConflictError(
            "the shot has changed since this fitting was begun", where=name,
            remedy="Go on with the shot as it is now, then keep it",
        )  # fmt: skip
    if any(one["name"] == name for one in document["fittings"]):
        remedy = "Give another name: a fitting is never written over"
        raise ConflictError(f"there is a fitting '{name}' already", remedy=remedy)
    record, uploads = _kept(session, document, name, given, picture)
    document["fittings"].append(record)
    shots.edit(session, shot_id, seen, document, uploads, f"Fitting '{name}' kept")


def keep_sewn(
    session: Session, shot_id: int, garment: str, mark: str, pose: bytes, crossings: tuple[int, int, int]
) -> None:
    """Keep how a garment of pieces is worn, float32 m, as a revision of its shot; mark: what it was cut as.

    `ShotError` for cloth that crosses anything, `ConflictError` for a garment that is no longer there.
    """
    colliders, itself, garments = crossings
    if colliders or itself or garments:
        raise ShotError(
            f"cloth passes through something: {colliders} places with the cast, {itself} with itself, "
            f"{garments} with other cloth",
            where=f"garment '{garment}'",
            remedy="Give it more ease, or hang its pieces elsewhere, and sew it again",
        )
    head = shots.get(session, shot_id).head
    document = parse_shot(shots.unchanged(session, shot_id, head), "").model_dump(mode="json")
    record = next((one for one in document["garments"] if one["name"] == garment), None)
    if record is None or record["recipe"]["kind"] != "sewn":
        raise ConflictError(
            f"'{garment}' was taken out of the shot while it was sewn", remedy="Undo that, and sew it again"
        )
    taken = named_files(document)
    cache = apart(file_name(f"{garment}, as worn", ".pc2"), taken)
    with TemporaryDirectory(prefix="needle-sewn-") as folder:
        path = Path(folder) / "worn.pc2"
        write_pc2_bytes(path, 0, [pose])
        uploads = {cache: blobs.put_path(session, path)}
    record["recipe"] |= {"file": cache, "file_of": mark}
    record["begins"] = None  # a pose of what it was before it was sewn
    shots.edit(session, shot_id, head, document, uploads, f"Sewed the {garment}")


def _kept(
    session: Session, document: Document, name: str, given: Given, picture: bytes | None
) -> tuple[Document, dict[str, str]]:
    """The record of a fitting, and the SHA-256 of its files by name."""
    taken = named_files(document)

    def free(stem: str, ending: str) -> str:
        taken.append(apart(file_name(stem, ending), taken))
        return taken[-1]

    file = free(name, ".fitting")
    uploads = {file: blobs.put(session, given.file)}
    fitted = []
    recipes = {one["name"]: one["recipe"] for one in document["garments"]}
    for (garment, _), pose in zip(given.head["garments"], given.poses, strict=True):
        cache = free(f"{name}, {garment}", ".pc2")
        with TemporaryDirectory(prefix="needle-fitting-") as folder:
            path = Path(folder) / "pose.pc2"
            write_pc2_bytes(path, 0, [pose])
            uploads[cache] = blobs.put_path(session, path)
        made_of = garment_mark(document, garment)
        fitted.append({"garment": garment, "cache": cache, "recipe": recipes[garment], "made_of": made_of})
    record = {
        "name": name, "frame": given.head["time"], "file": file, "picture": None,
        "figure": figure_mark(document), "garments": fitted,
    }  # fmt: skip
    if picture is not None:
        record["picture"] = free(name, ".jpg")
        uploads[record["picture"]] = blobs.put(session, picture)
    return record, uploads
