"""Takes over HTTP: run, stop, go on, look at frames as they come."""

from __future__ import annotations

from copy import deepcopy
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from apiflask import APIBlueprint
from flask import Response, jsonify
from sqlalchemy.orm import Session

from ..core.model.errors import ShotError
from ..desk.asked import Look
from ..desk.wire import Packed
from ..formats.names import file_name
from ..formats.pc2.layout import write_pc2_bytes
from ..formats.report.records import Record, shows
from ..formats.shot_file.differences import differences
from ..formats.shot_file.document import current
from ..formats.shot_file.ranges import MOST_FRAMES
from ..jobs.queue import queue_take
from ..store import blobs, costs, shots, summaries, takes
from ..store.errors import ConflictError, MissingError
from ..store.models import Frame, Take, TakeState
from . import schemas
from .payloads import array_response, binary
from .services import services
from .shots import described as described_shot
from .shots import first_simulated

blueprint = APIBlueprint("takes", __name__, url_prefix="/api", tag="Takes")


def described(session: Session, found: list[Take]) -> list[schemas.Take]:
    """Takes of one shot as the API gives them."""
    ids = [take.id for take in found]
    figures, sizes = summaries.over_frames(session, ids), summaries.bytes_of(session, ids)
    stale = _stale(session, found)
    return [
        schemas.Take(
            id=t.id, shot=t.shot_id, revision=t.number, name=t.name, patience=t.patience,
            first_simulated=t.first_simulated, first=t.first, last=t.last, state=t.state.value,
            stopping=t.wanted == "stop" and t.state is TakeState.RUNNING, phase=t.phase, done=t.done,
            total=t.total, seconds_per_frame=t.seconds_per_frame, seconds_left=_left(t),
            fault=None if t.fault is None else schemas.Fault(**t.fault), made_at=t.made_at,
            bytes=sizes.get(t.id, 0), stale=stale.get(t.number, []),
            garments=[_summary(t, f) for f in figures.get(t.id, [])],
            origin="simulated" if t.origin is None else t.origin["kind"], mends=t.mends,
            version=0 if t.origin is None else t.lease,
        )
        for t in found
    ]  # fmt: skip


def _summary(take: Take, figures: dict[str, Any]) -> schemas.TakeSummary:
    """A garment's figures, and what the run-in has not put right once it is over."""
    snags, frame = figures.pop("start_snags") or [], figures.pop("start_frame")
    over = frame is not None and frame == take.first - 1
    return schemas.TakeSummary(**figures, after_run_in=[_caught(one) for one in snags] if over else [])


ONE = {"vertices": "vertex", "edges": "edge", "places": "place"}


def _caught(snag: Record) -> str:
    """A snag that is left when the run-in ends, in words."""
    at = ", ".join(f"{value:.2f}" for value in snag["place_m"])
    near = f" at {snag['with']}" if snag["with"] else ""
    things, state = {"pinched": ("vertices", "pinched"), "overstretch": ("edges", "overstretched")}.get(
        snag["kind"], ("places", snag["kind"])
    )
    many = things if snag["count"] != 1 else ONE[things]
    said = f"{state}{near}, ({at}) m: {snag['count']} {many}"
    return f"{said}, {snag['depth_mm']:.1f} mm deep" if snag["depth_mm"] > 0 else said


def _left(take: Take) -> float | None:
    if take.state is not TakeState.RUNNING or take.seconds_per_frame is None:
        return None
    return (take.total - take.done) * take.seconds_per_frame


def _stale(session: Session, found: list[Take]) -> dict[int, list[str]]:
    """By revision, what differs in the one in force."""
    if not found:
        return {}
    head = shots.revision(session, found[0].shot_id)
    files = shots.files(session, head.shot_id, head.number)
    out = {}
    for number in {take.number for take in found} - {head.number}:
        made = shots.revision(session, head.shot_id, number)
        out[number] = differences(
            made.document, head.document, shots.files(session, head.shot_id, number), files
        )
    return out


def _one(session: Session, take_id: int) -> schemas.Take:
    return described(session, [takes.get(session, take_id)])[0]


@blueprint.get("/shots/<int:shot_id>/paces")
@blueprint.output(list[schemas.Pace])  # type: ignore[arg-type]  # a list is allowed
def paces(shot_id: int) -> list[schemas.Pace]:
    """How long frames of the latest takes took, of this shot and of others, newest first."""
    with services().store.begin() as session:
        shots.get(session, shot_id)
        found = costs.measured(session)
    return [
        schemas.Pace(own=one.shot == shot_id, patience=one.patience, seconds=one.seconds, vertices=one.vertices)
        for one in found
    ]


@blueprint.get("/shots/<int:shot_id>/takes")
@blueprint.output(list[schemas.Take])  # type: ignore[arg-type]  # a list is allowed
def list_takes(shot_id: int) -> list[schemas.Take]:
    """A shot's takes, newest first."""
    with services().store.begin() as session:
        shots.get(session, shot_id)
        return described(session, list(takes.listed(session, shot_id)))


@blueprint.post("/shots/<int:shot_id>/takes")
@blueprint.input(schemas.TakeAsk, arg_name="ask")
@blueprint.output(schemas.Take, status_code=201)
def make_take(shot_id: int, ask: schemas.TakeAsk) -> schemas.Take:
    """Simulate the revision in force."""
    with services().store.begin() as session:
        head = shots.revision(session, shot_id)
        if head.number != ask.seen:
            raise ConflictError(
                "the shot was changed in another window meanwhile", remedy="Look at it, then run again"
            )
        document = head.document
        first, last = document["frames"]
        first, last = first if ask.first is None else ask.first, last if ask.last is None else ask.last
        if last < first:
            raise ShotError(f"the frame range {first} to {last} is empty", remedy="Put the first frame first")
        _check_length(first, last)
        if not document["garments"]:
            raise ShotError("there is no garment to simulate", remedy="Bring one in on the Cast bench")
        run_in = document["frames"][0] - first_simulated(document)
        take = takes.create(
            session, shot_id, head.number, name=ask.name, patience=ask.patience,
            first_simulated=first - run_in, first=first, last=last, garments=len(document["garments"]),
        )  # fmt: skip
        queue_take(session, take.id)
        return _one(session, take.id)


def _check_length(first: int, last: int) -> None:
    if last - first >= MOST_FRAMES:
        raise ShotError(
            f"frames {first} to {last} are {last - first + 1:,}, more than {MOST_FRAMES:,}",
            remedy="Simulate it in pieces",
        )


@blueprint.get("/takes/<int:take_id>")
@blueprint.output(schemas.Take)
def read_take(take_id: int) -> schemas.Take:
    """One take."""
    with services().store.begin() as session:
        return _one(session, take_id)


@blueprint.get("/takes/<int:take_id>/against/<int:other_id>")
@blueprint.output(schemas.Against)
def against(take_id: int, other_id: int) -> schemas.Against:
    """What a take was made from that another one was not, in words."""
    with services().store.begin() as session:
        take, other = takes.get(session, take_id), takes.get(session, other_id)
        if take.shot_id != other.shot_id:
            raise ShotError(
                f"'{take.name}' and '{other.name}' are of two shots", remedy="Compare takes of one shot"
            )
        made, others = (shots.revision(session, one.shot_id, one.number) for one in (take, other))
        files = [shots.files(session, one.shot_id, one.number) for one in (other, take)]
        lines = differences(others.document, made.document, files[0], files[1])
        if take.patience != other.patience:
            lines.insert(0, f"patience {other.patience}, now {take.patience}")
        return schemas.Against(lines=lines)


@blueprint.patch("/takes/<int:take_id>")
@blueprint.input(schemas.TakeChange, arg_name="change")
@blueprint.output(schemas.Take)
def rename_take(take_id: int, change: schemas.TakeChange) -> schemas.Take:
    """Give a take another name."""
    with services().store.begin() as session:
        takes.rename(session, take_id, change.name)
        return _one(session, take_id)


@blueprint.delete("/takes/<int:take_id>")
@blueprint.output({}, status_code=204)
def delete_take(take_id: int) -> str:
    """Delete a take with its frames and deliveries."""
    with services().store.begin() as session:
        takes.remove(session, take_id)
    return ""


@blueprint.post("/takes/<int:take_id>/stop")
@blueprint.output(schemas.Take)
def stop_take(take_id: int) -> schemas.Take:
    """Stop, within a second; the frame under way is left and made again when the take goes on."""
    with services().store.begin() as session:
        takes.stop(session, take_id)
        return _one(session, take_id)


@blueprint.post("/takes/<int:take_id>/go-on")
@blueprint.input(schemas.GoOn, arg_name="asked")
@blueprint.output(schemas.Take)
def go_on(take_id: int, asked: schemas.GoOn) -> schemas.Take:
    """Go on with a take that ended, to a later last frame if given."""
    with services().store.begin() as session:
        take = takes.get(session, take_id)
        _check_length(take.first, take.last if asked.last is None else asked.last)
        garments = len(shots.revision(session, take.shot_id, take.number).document["garments"])
        takes.go_on(session, take_id, asked.last, garments)
        queue_take(session, take_id)
        return _one(session, take_id)


@blueprint.post("/takes/<int:take_id>/finished")
@blueprint.input(schemas.WearFinished, arg_name="asked")
@blueprint.output(schemas.Shot)
def wear_finished(take_id: int, asked: schemas.WearFinished) -> schemas.Shot:
    """Wear a garment as this take has it from now on: it is not simulated again, others meet it as it is."""
    with services().store.begin() as session:
        take = takes.get(session, take_id)
        rows = takes.frames(session, take_id, asked.garment, take.first_simulated, take.last)
        if len(rows) != take.last - take.first_simulated + 1:
            raise ConflictError(
                f"'{take.name}' has {len(rows)} frames of the {asked.garment}, not all of them",
                remedy="Let it go on to its end first",
            )
        document = deepcopy(current(shots.revision(session, take.shot_id).document, f"shot {take.shot_id}"))
        garment = next((one for one in document["garments"] if one["name"] == asked.garment), None)
        if garment is None:
            raise MissingError(f"the shot has no '{asked.garment}' any more", remedy="Bring it in again")
        name = file_name(f"{asked.garment}, {take.name}", ".pc2")
        garment["finished"] = {"cache": name, "starts_at": take.first_simulated, "take": take.name}
        with TemporaryDirectory(prefix="needle-finished-") as folder:
            cache = Path(folder) / "finished.pc2"
            write_pc2_bytes(cache, take.first_simulated, (blobs.get(session, row.sha) for row in rows))
            sha = blobs.put_path(session, cache)
        shots.edit(
            session, take.shot_id, asked.seen, document, {name: sha},
            f"The {asked.garment} worn as in {take.name}",
        )  # fmt: skip
        return described_shot(session, take.shot_id)


@blueprint.post("/takes/<int:take_id>/begun")
@blueprint.input(schemas.BeginFrom, arg_name="asked")
@blueprint.output(schemas.Shot)
def begin_from(take_id: int, asked: schemas.BeginFrom) -> schemas.Shot:
    """Let every garment of a take start from now on as it hung when the take's figure had stood still: at the
    end of settling. On another mesh its pose is carried over by place.
    """
    with services().store.begin() as session:
        take = takes.get(session, take_id)
        made = current(shots.revision(session, take.shot_id, take.number).document, f"shot {take.shot_id}")
        document = deepcopy(current(shots.revision(session, take.shot_id).document, f"shot {take.shot_id}"))
        frame = min(take.first_simulated + int(made["run_in"]["settle"]), take.last)
        recipes = {one["name"]: one["recipe"] for one in made["garments"]}
        uploads: dict[str, str] = {}
        for garment in document["garments"]:
            rows = takes.frames(session, take_id, garment["name"], frame, frame)
            if not rows or garment["name"] not in recipes:
                continue
            name = file_name(f"{garment['name']}, start of {take.name}", ".pc2")
            recipe, beside = _own_file(session, take, recipes[garment["name"]])
            uploads |= beside
            garment["begins"] = {"cache": name, "recipe": recipe, "take": take.name}
            with TemporaryDirectory(prefix="needle-begins-") as folder:
                cache = Path(folder) / "begins.pc2"
                write_pc2_bytes(cache, frame, (blobs.get(session, row.sha) for row in rows))
                uploads[name] = blobs.put_path(session, cache)
        if not uploads:
            raise ConflictError(
                f"'{take.name}' has not come to frame {frame} yet", remedy="Wait until it has settled"
            )
        shots.edit(session, take.shot_id, asked.seen, document, uploads, f"Starts from the pose of {take.name}")
        return described_shot(session, take.shot_id)


def _own_file(session: Session, take: Take, recipe: dict[str, Any]) -> tuple[dict[str, Any], dict[str, str]]:
    """A take's recipe with the file it was made from, under another name where the shot has another file of
    that name by now; and that file's SHA-256 by name.
    """
    name = recipe.get("file")
    if name is None:
        return recipe, {}
    sha = shots.files(session, take.shot_id, take.number)[name]
    now = shots.files(session, take.shot_id, shots.get(session, take.shot_id).head)
    if now.get(name, sha) == sha:
        return recipe, {name: sha}
    other = file_name(f"{Path(name).stem}, of {take.name}", Path(name).suffix)
    return {**recipe, "file": other}, {other: sha}


@blueprint.get("/takes/<int:take_id>/pulse")
@blueprint.output(schemas.TakePulse)
def pulse(take_id: int) -> schemas.TakePulse:
    """Figures of every finished frame."""
    with services().store.begin() as session:
        takes.get(session, take_id)
        found = takes.records(session, take_id)
    return schemas.TakePulse(garments={name: [_beat(r) for r in rows] for name, rows in found.items()})


def _beat(record: Record) -> schemas.FramePulse:
    def counted(kind: str) -> int:
        return sum(s["count"] for s in record["snags"] if s["kind"] == kind)

    met, left_out = shows(record, left_out=False), shows(record, left_out=True)
    return schemas.FramePulse(
        frame=record["frame"], delivered=record["delivered"], stretch=record["stretch"]["p99"],
        worst_edge=record["stretch"]["worst"], overstretched=counted("overstretch"),
        bodies=list(dict.fromkeys(one["of"] for one in record.get("shows_through", []))),
        body_shows=None if met is None else 1e-4 * met,
        left_out_shows=None if left_out is None else 1e-4 * left_out,
        in_the_body=record["intersections"]["in_the_body"],
        through_itself=record["intersections"]["through_itself"],
        through_another=record["intersections"].get("through_another", 0), pinched=counted("pinched"),
        deepest=1e-3 * max((s.get("depth_mm", 0.0) for s in record["snags"]), default=0.0),
        milliseconds=sum(record["milliseconds"].values()), substeps=record["substeps"],
    )  # fmt: skip


@blueprint.get("/takes/<int:take_id>/report")
@blueprint.doc(responses=binary("The report", "application/json"))
def report(take_id: int) -> Response:
    """The frames' records as in the headless report, JSON."""
    with services().store.begin() as session:
        take = takes.get(session, take_id)
        garments = {n: {"frames": rows} for n, rows in takes.records(session, take_id).items()}
        return jsonify({"take": take.name, "made_with": take.made_with, "garments": garments})


@blueprint.get(
    "/takes/<int:take_id>/garments/<garment>/positions/<int(signed=True):first>/<int(signed=True):last>"
)
@blueprint.doc(responses=binary("The array"))
def positions(take_id: int, garment: str, first: int, last: int) -> Response:
    """Finished frames of first to last without a gap, (f,n,3) m; byte ranges are served."""
    if not 0 <= last - first < 1000:
        raise ShotError(f"{last - first + 1} frames were asked for", remedy="Ask for 1 to 1000")
    with services().store.begin() as session:
        takes.get(session, take_id)
        rows = _without_gap(takes.frames(session, take_id, garment, first, last))
        data = blobs.many(session, [row.sha for row in rows])
    if not rows:
        raise MissingError(f"no frame of {first} to {last} is finished", remedy="Wait for the worker")
    whole = b"".join(data[row.sha] for row in rows)
    shape = (len(rows), len(whole) // (12 * len(rows)), 3)
    return array_response(Packed("float32", shape, whole), first_frame=rows[0].frame)


def _without_gap(rows: Any) -> list[Frame]:
    out: list[Frame] = []
    for row in rows:
        if out and row.frame != out[-1].frame + 1:
            break
        out.append(row)
    return out


@blueprint.get(
    "/takes/<int:take_id>/garments/<garment>/look/<any(stretch, closeness):kind>/<int(signed=True):frame>"
)
@blueprint.doc(responses=binary("The array"))
def look(take_id: int, garment: str, kind: str, frame: int) -> Response:
    """A value per vertex of a finished frame: stretch as a share, or closeness in m, (n,) float32."""
    found = services().desk.ask(Look(take=take_id, garment=garment, frame=frame, kind=kind))
    return array_response(found.arrays["values"], first_frame=frame)
