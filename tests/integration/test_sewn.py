"""Garments of pieces over the API: their drawing out and in, their seams chosen by name, readings of before."""

from __future__ import annotations

import re

import pytest

from patient_needle.core.model.references import named_files
from patient_needle.formats.shot_file.document import parse_shot
from patient_needle.store import blobs, shots
from patient_needle.store.models import Reading
from tests.houses import DEMO, short_flag
from tests.integration.test_api import array, body, bring_in, problem
from tests.sewing import sewn_shot

SKIRT = "юбка"
RECIPE = {"block": {"kind": "skirt"}, "spacing": {"draft_mm": 34, "fine_mm": 20}}


@pytest.fixture
def caller(workroom):
    return workroom.app.test_client()


@pytest.fixture
def shot(store):
    document = sewn_shot({"name": SKIRT, "recipe": RECIPE})
    folder = DEMO / "lamplighter"
    with store.begin() as session:
        files = {one: blobs.put(session, (folder / one).read_bytes()) for one in named_files(document)}
        return shots.create(session, parse_shot(document, "").model_dump(mode="json"), files).id


def reading(caller, shot):
    return body(caller.get(f"/api/shots/{shot}/revisions/1/reading"))


def read_pieces(caller, name, sha, unit=None):
    return caller.post("/api/shots/files/pieces", json={"name": name, "sha": sha, "unit": unit})


def test_pieces_go_out_as_a_drawing_and_come_back(caller, shot):
    made = reading(caller, shot)["garments"][SKIRT]["making"]["sewn"]
    out = caller.get(f"/api/shots/{shot}/revisions/1/garments/{SKIRT}/pieces/file")
    assert (out.status_code, out.mimetype) == (200, "image/svg+xml")
    sha = body(bring_in(caller, "юбка.svg", out.data))["sha"]
    found = body(read_pieces(caller, "юбка.svg", sha))
    assert (found["asks_unit"], found["notes"]) == (False, [])
    for piece, other in zip(found["pieces"], made["pieces"], strict=True):
        assert piece == {key: other[key] for key in piece}


def test_a_drawing_without_a_unit_is_asked_about(caller, shot):
    out = caller.get(f"/api/shots/{shot}/revisions/1/garments/{SKIRT}/pieces/file").data
    bare = re.sub(rb'(width|height)="([0-9.]+)mm"', rb'\1="\2"', out)
    sha = body(bring_in(caller, "bare.svg", bare))["sha"]
    asked = body(read_pieces(caller, "bare.svg", sha))
    assert (asked["asks_unit"], asked["pieces"]) == (True, [])
    assert asked["width"] > 500
    assert len(body(read_pieces(caller, "bare.svg", sha, "mm"))["pieces"]) == 4
    assert problem(read_pieces(caller, "bare.svg", sha, "ell"), 422)["where"].endswith("unit")


def test_a_drawing_that_could_do_harm_is_refused_by_name_and_not_kept(caller, store):
    outside = b'<svg xmlns="http://www.w3.org/2000/svg"><image href="http://elsewhere/x.png"/></svg>'
    said = problem(bring_in(caller, "harm.svg", outside), 422)
    assert "outside the file" in said["title"]
    assert said["where"] == "harm.svg"
    problem(read_pieces(caller, "harm.svg", "0" * 64), 404)


def test_a_garment_without_pieces_has_no_drawing(caller, store):
    flag = short_flag(store)
    said = problem(caller.get(f"/api/shots/{flag}/revisions/1/garments/signal flag/pieces/file"), 422)
    assert "not cut in pieces" in said["title"]


def test_a_seam_is_chosen_by_its_name_as_a_row_of_vertices(caller, shot):
    read = reading(caller, shot)["garments"][SKIRT]
    assert "front, hip right to back, hip left" in read["rows"]
    assert "front" in read["groups"]
    made = read["making"]["sewn"]
    edge = next(e for e in made["pieces"][0]["edges"] if e["name"] == "hip right")
    found = array(
        caller.post(
            f"/api/shots/{shot}/revisions/1/garments/{SKIRT}/chosen",
            json={"group": "front, hip right to back, hip left"},
        )
    )
    assert len(found) == round(edge["length_mm"] / 34) + 1


def test_a_reading_that_another_version_kept_is_made_again(caller, shot, store):
    fresh = reading(caller, shot)
    with store.begin() as session:
        kept = session.get(Reading, (shot, 1))
        kept.body = {"made_as": "former", "garments": {}}
    assert reading(caller, shot) == fresh
    with store.begin() as session:
        assert session.get(Reading, (shot, 1)).body["garments"].keys() == {SKIRT}
