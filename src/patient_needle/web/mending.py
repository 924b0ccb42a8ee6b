"""Mending over HTTP: bring a cache in, look for snags, do remedies, accept, prove."""

from __future__ import annotations

from typing import Any

from apiflask import APIBlueprint
from sqlalchemy.orm import Session

from ..core.model.errors import ShotError
from ..formats.report.mending import accepted_by
from ..jobs.queue import queue_bring_in, queue_compose, queue_remedy, queue_snags
from ..store import blobs, mending, shots, takes
from ..store.errors import ConflictError, MissingError
from ..store.models import Remedy, TakeState
from . import schemas
from .services import services
from .takes import described as described_takes

blueprint = APIBlueprint("mending", __name__, url_prefix="/api", tag="Mending")
WHOLE = ("mend all",)  # asks for no place


def _described(session: Session, take_id: int) -> schemas.Mending:
    take, found = takes.get(session, take_id), mending.snag_list(session, take_id)
    accepted = [] if found is None else list(found.accepted)
    return schemas.Mending(
        take=take_id, mends=take.mends, state="never" if found is None else found.state,  # type: ignore[arg-type]
        share=0.0 if found is None else found.share,
        fault=None if found is None or found.fault is None else schemas.Fault(**found.fault),
        snags=[] if found is None else [_snag(one, accepted) for one in found.snags],
        counts=[] if found is None else found.counts,
        remedies=[_remedy(one) for one in mending.remedies(session, take_id)],
    )  # fmt: skip


def _snag(record: dict[str, Any], accepted: list[dict[str, Any]]) -> schemas.Snag:
    return schemas.Snag(
        key=record["key"], kind=record["kind"], garment=record["garment"], with_what=record["with"],
        where=record["where"], first=record["first"], last=record["last"], worst=record["worst"],
        depth=1e-3 * record["depth_mm"], area=1e-4 * record["area_cm2"], place=record["place_m"],
        pairs=record["pairs"], strain=record["strain"], vertices=record["vertices"], also=record["also"],
        why=record["why"], accepted=accepted_by(record, accepted),
    )  # fmt: skip


def _remedy(found: Remedy) -> schemas.Remedy:
    proof = None
    if found.proof is not None:
        named = dict(found.proof)
        furthest = 1e-3 * named.pop("furthest_mm")
        proof = schemas.Proof(
            furthest=furthest, join=named.pop("join_m_s"), usual=named.pop("usual_m_s"), **named
        )  # fmt: skip
    return schemas.Remedy(
        id=found.id, verb=found.verb, said=found.said, first=found.asked.get("first"),
        last=found.asked.get("last"), state=found.state, is_on=found.is_on, share=found.share, proof=proof,  # type: ignore[arg-type]
        fault=None if found.fault is None else schemas.Fault(**found.fault),
    )  # fmt: skip


@blueprint.get("/takes/<int:take_id>/mending")
@blueprint.output(schemas.Mending)
def read_mending(take_id: int) -> schemas.Mending:
    """A take's snags and, of a mended take, its remedies."""
    with services().store.begin() as session:
        return _described(session, take_id)


@blueprint.post("/takes/<int:take_id>/snags")
@blueprint.output(schemas.Mending)
def look(take_id: int) -> schemas.Mending:
    """Look for the snags of a take; a worker does."""
    with services().store.begin() as session:
        take = takes.get(session, take_id)
        if take.state in (TakeState.WAITING, TakeState.RUNNING):
            raise ConflictError(f"'{take.name}' is not finished", remedy="Wait for it, or stop it")
        found = mending.snag_list(session, take_id)
        if found is None or found.state in ("ready", "failed"):
            mending.ask_for_snags(session, take_id)
            queue_snags(session, take_id)
        return _described(session, take_id)


@blueprint.post("/takes/<int:take_id>/mended")
@blueprint.output(schemas.Take, status_code=201)
def mend(take_id: int) -> schemas.Take:
    """A new take that mends this one: remedies are its steps. A take that mends another is its own."""
    with services().store.begin() as session:
        made = mending.mended_of(session, take_id)
        return described_takes(session, [made])[0]


@blueprint.post("/takes/<int:take_id>/remedies")
@blueprint.input(schemas.RemedyAsk, arg_name="ask")
@blueprint.output(schemas.Mending, status_code=201)
def add_remedy(take_id: int, ask: schemas.RemedyAsk) -> schemas.Mending:
    """Do a remedy on a mended take; a worker does, and proves it."""
    with services().store.begin() as session:
        take, found = takes.get(session, take_id), mending.snag_list(session, take_id)
        asked = ask.model_dump(mode="json", exclude_none=True)
        said = "every snag that is not accepted"
        if ask.verb not in WHOLE:
            snag = None
            if ask.snag is not None:
                snag = next((one for one in (found.snags if found else []) if one["key"] == ask.snag), None)
                if snag is None:
                    raise MissingError("that snag is not there any more", remedy="Choose one from the list")
            elif ask.verb == "choose for me":
                raise ShotError("no snag was chosen", remedy="Choose one from the list")
            asked["first"] = ask.first if ask.first is not None else snag["first"] if snag else take.first
            asked["last"] = ask.last if ask.last is not None else snag["last"] if snag else take.last
            _check_span(asked, take.first, take.last)
            said = _said(ask, snag)
        made = mending.add_remedy(session, take_id, ask.verb, said, asked)
        queue_remedy(session, made.id)
        return _described(session, take_id)


def _check_span(asked: dict[str, Any], first: int, last: int) -> None:
    if not first <= asked["first"] <= asked["last"] <= last:
        raise ShotError(
            f"frames {asked['first']} to {asked['last']} are not a span of the take",
            where="the span", remedy=f"Choose frames from {first} to {last}, the first before the last",
        )  # fmt: skip


def _said(ask: schemas.RemedyAsk, snag: dict[str, Any] | None) -> str:
    if snag is None:
        return f"a region of the {ask.garment}" if ask.garment else "all of it"
    where = f" at the {snag['where']}" if snag["where"] else ""
    return f"{snag['kind']}{where}"


@blueprint.patch("/remedies/<int:remedy_id>")
@blueprint.input(schemas.RemedyChange, arg_name="change")
@blueprint.output(schemas.Mending)
def change_remedy(remedy_id: int, change: schemas.RemedyChange) -> schemas.Mending:
    """Turn a remedy on or off, or take a proposal; those after it that touch the same place are done anew."""
    with services().store.begin() as session:
        found = mending.remedy(session, remedy_id)
        if change.take_it:
            if found.state != "proposal":
                raise ConflictError("that remedy is no proposal", remedy="Look at the list again")
            found.state = "kept"
        elif found.state != "kept":
            raise ConflictError("that remedy is not laid over the take", remedy="Wait for it, or take it back")
        if change.is_on is not None:
            found.is_on = change.is_on
        session.flush()
        queue_compose(session, found.take_id, found.id)
        return _described(session, found.take_id)


@blueprint.delete("/remedies/<int:remedy_id>")
@blueprint.output(schemas.Mending)
def forget_remedy(remedy_id: int) -> schemas.Mending:
    """Take a remedy back; one that is under way ends without a trace."""
    with services().store.begin() as session:
        found = mending.remedy(session, remedy_id)
        take_id, laid = found.take_id, found.state == "kept" and found.is_on
        if laid:
            found.is_on = False
            session.flush()
        else:
            mending.forget_remedy(session, remedy_id)
        if laid:
            queue_compose(session, take_id, remedy_id)
        return _described(session, take_id)


@blueprint.post("/takes/<int:take_id>/accepted")
@blueprint.input(schemas.AcceptSnag, arg_name="asked")
@blueprint.output(schemas.Mending)
def accept(take_id: int, asked: schemas.AcceptSnag) -> schemas.Mending:
    """Accept a snag with a word. It stays listed, and goes with every delivery of the take."""
    with services().store.begin() as session:
        found = mending.snag_list(session, take_id)
        snag = next((one for one in (found.snags if found else []) if one["key"] == asked.key), None)
        if snag is None:
            raise MissingError("that snag is not there any more", remedy="Choose one from the list")
        mending.accept(session, take_id, snag, asked.word)
        return _described(session, take_id)


@blueprint.post("/takes/<int:take_id>/accepted/taken-back")
@blueprint.input(schemas.TakeBackSnag, arg_name="asked")
@blueprint.output(schemas.Mending)
def take_back(take_id: int, asked: schemas.TakeBackSnag) -> schemas.Mending:
    """A snag is accepted no more."""
    with services().store.begin() as session:
        found = mending.snag_list(session, take_id)
        snag = next((one for one in (found.snags if found else []) if one["key"] == asked.key), None)
        accepted = [] if found is None else list(found.accepted)
        for one in accepted:
            if one["snag"]["key"] == asked.key or (snag is not None and accepted_by(snag, [one]) is not None):
                mending.take_back(session, take_id, one["snag"]["key"])
                break
        else:
            raise MissingError("that snag is not accepted", remedy="Look at the list again")
        return _described(session, take_id)


@blueprint.post("/shots/<int:shot_id>/brought-in")
@blueprint.input(schemas.BringIn, arg_name="asked")
@blueprint.output(schemas.Take, status_code=201)
def bring_in(shot_id: int, asked: schemas.BringIn) -> schemas.Take:
    """Make a take of caches from elsewhere; a worker reads and checks them."""
    with services().store.begin() as session:
        head = shots.revision(session, shot_id)
        document = head.document
        known = [one["name"] for one in document["garments"]]
        for cache in asked.caches:
            if cache.garment not in known:
                raise ShotError(
                    f"the shot has no garment '{cache.garment}'", where="the cache",
                    remedy=f"Choose {', '.join(known) or 'one once there is one'}",
                )  # fmt: skip
            for name, sha in cache.files.items():
                if not blobs.uploaded(session, sha, name):
                    raise MissingError(f"'{name}' was not brought in", remedy="Bring the file in again")
        first, last = document["frames"]
        take = takes.create(
            session, shot_id, head.number, name=asked.name, patience="first-look", first_simulated=first,
            first=first, last=last, garments=len(known),
        )  # fmt: skip
        take.phase = "waiting to be read"
        take.origin = {"kind": "brought in", "caches": [one.model_dump(mode="json") for one in asked.caches]}
        session.flush()
        queue_bring_in(session, take.id)
        return described_takes(session, [take])[0]
