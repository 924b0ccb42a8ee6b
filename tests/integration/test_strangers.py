"""What strangers bring: names in any script, ranges about zero, numbers without sense, foreign pages."""

from __future__ import annotations

import io
import json
import math
import struct
import sys
import zipfile
from urllib.parse import quote

import numpy as np
import pytest
from sqlalchemy import text

from patient_needle.bootstrap.headless import Request, simulate_shot
from patient_needle.formats.names import file_name
from patient_needle.formats.pc2 import read_pc2
from patient_needle.formats.shot_file.parcel import read_folder, read_zip, write_folder
from patient_needle.jobs.delivery_run import write_delivery
from patient_needle.jobs.take_run import run_take
from patient_needle.store import blobs, shots, takes
from tests.houses import DEMO, MADE_WITH
from tests.integration.test_api import array, body, bring_in, problem
from tests.integration.test_jobs import VERIFY

NAMES = ["袖 0010", "Łódź", "e\u0301te\u0301", "قميص", "🧵" * 40, "\U0001d516" * 80]


@pytest.fixture
def caller(workroom):
    return workroom.app.test_client()


def flag(store, first: int = 1001, last: int = 1006, garment: str = "signal flag", name: str = "flag") -> int:
    """The flag shot under other names, its first frame where one likes; returns its id."""
    document, files = read_folder(DEMO / "flag" / "shot.json")
    document |= {"frames": [first, last], "run_in": {"settle": 2, "move": 0}, "name": name}
    document["cast"][0]["starts_at"] = first
    document["garments"][0]["name"] = garment
    with store.begin() as session:
        return shots.create(session, document, {n: blobs.put(session, d) for n, d in files.items()}).id


UNREAD = (sys.executable, "-c", "print('[]')")  # in place of a process that reads a delivery back


def delivered(caller, store, take: int, garment: str, verify=VERIFY, **asked) -> dict:
    """A delivery of a take, written and checked."""
    ask = {"garment": garment, "format": "pc2", "frame_rate": 24, "first": 1001, "last": 1006} | asked
    made = body(caller.post(f"/api/takes/{take}/deliveries", json=ask), 201)
    write_delivery(store, made["id"], verify)
    return body(caller.get(f"/api/deliveries/{made['id']}"))


def named_in(response) -> str:
    """The file name of a download, as a browser takes it (RFC 6266)."""
    said = response.headers["Content-Disposition"]
    assert said.isascii()
    assert said.startswith("attachment")
    return said


@pytest.mark.parametrize("name", NAMES)
def test_a_shot_in_any_script_is_exported_and_comes_back(caller, store, tmp_path, name):
    shot = flag(store, garment=name, name=name)
    with caller.get(f"/api/shots/{shot}/export") as response:
        assert quote(file_name(name, ".zip"), safe="!#$&+-.^_`|~") in named_in(response)
        (tmp_path / "shot.zip").write_bytes(response.data)
    (tmp_path / "files").mkdir()
    document, files = read_zip(tmp_path / "shot.zip", "the zip", tmp_path / "files")
    assert (document["name"], document["garments"][0]["name"]) == (name, name)
    assert len(files) == 3


def test_a_garment_in_many_scripts_is_simulated_delivered_and_downloaded(caller, store, tmp_path):
    name = "袖 Łódź e\u0301 🧵 قميص"
    shot = flag(store, last=1003, garment=name, name=name)
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1, "name": name}), 201)
    run_take(store, take["id"], MADE_WITH)
    done = delivered(caller, store, take["id"], name, format="usd", last=1003)
    assert done["state"] == "ready", done
    with caller.get(f"/api/deliveries/{done['id']}/file") as response:
        assert quote(done["file_name"], safe="!#$&+-.^_`|~") in named_in(response)
        (tmp_path / done["file_name"]).write_bytes(response.data)
    positions = array(caller.get(f"/api/takes/{take['id']}/garments/{quote(name)}/positions/1001/1003"))
    assert positions.shape == (3, 677, 3)


def test_a_file_keeps_its_name_in_any_script(caller):
    found = body(bring_in(caller, quote("袖と襟.obj"), (DEMO / "flag" / "mast.obj").read_bytes()))
    assert found["name"] == "袖と襟.obj"


def test_a_finished_garment_with_a_long_name_is_kept(caller, store):
    name = "裾" * 80
    shot = flag(store, last=1001, garment=name)
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1, "name": "長" * 80}), 201)
    run_take(store, take["id"], MADE_WITH)
    worn = body(caller.post(f"/api/takes/{take['id']}/finished", json={"seen": 1, "garment": name}))
    assert worn["document"]["garments"][0]["finished"]["take"] == "長" * 80


@pytest.mark.parametrize("first", [-12, -2, 1001])
def test_the_room_and_a_headless_run_deliver_the_same_bytes(caller, store, tmp_path, first):
    shot = flag(store, first, first + 3)
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1}), 201)
    run_take(store, take["id"], MADE_WITH)
    assert body(caller.get(f"/api/takes/{take['id']}"))["state"] == "finished"
    verify = VERIFY if first < -10 else UNREAD  # the bytes are compared here
    done = delivered(caller, store, take["id"], "signal flag", verify, first=first, last=first + 3)
    assert done["state"] == "ready", done
    with caller.get(f"/api/deliveries/{done['id']}/file") as response:
        ours = response.data
    with store.begin() as session:
        path = write_folder(tmp_path / "shot", *shots.contents(session, shot))
    simulate_shot(Request(path, tmp_path / "whole"), lambda _: None)
    assert (tmp_path / "whole" / "signal flag.pc2").read_bytes() == ours

    if first != -2:
        return

    def stop(progress):
        if progress.done == 3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        simulate_shot(Request(path, tmp_path / "cut"), stop)
    simulate_shot(Request(path, tmp_path / "cut", resume=True), lambda _: None)
    assert (tmp_path / "cut" / "signal flag.pc2").read_bytes() == ours
    cache = read_pc2(tmp_path / "cut" / "signal flag.pc2")
    assert (cache.first_frame, len(cache.frames)) == (first, 4)


def test_a_take_that_lacks_a_frame_does_not_call_itself_finished(caller, store, monkeypatch):
    shot = flag(store)
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1}), 201)
    keep = takes.commit_frame

    def forgetting(session, lease, progress, **frame):
        wanted = keep(session, lease, progress, **frame)
        if frame["frame"] == 1004:
            session.execute(text("delete from frames where frame = 1003"))
        return wanted

    monkeypatch.setattr(takes, "commit_frame", forgetting)
    run_take(store, take["id"], MADE_WITH)
    said = body(caller.get(f"/api/takes/{take['id']}"))
    assert said["state"] == "failed"
    assert "frame 1003 of the signal flag was not kept" in said["fault"]["what"]


def test_an_understudy_never_hides_the_body_it_stands_for(caller, store):
    """A thin mast's understudy lies within it, and the flag wound about the mast through it."""
    shot = flag(store)
    document = body(caller.get(f"/api/shots/{shot}"))["document"]
    mast = document["cast"][1]
    mast["placed"] = {"scale": 1.0, "turn": 0.0, "move": [0.05, 0.0, 0.0]}
    mast["collider"]["understudy"] = {"shape": "reduced", "triangles": 50, "full": [], "edge_mm": 60}
    mast["collider"]["leave_out"] = []
    body(caller.put(f"/api/shots/{shot}", json={"seen": 1, "said": "Understudy", "document": document}))
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 2}), 201)
    run_take(store, take["id"], MADE_WITH)
    (garment,) = body(caller.get(f"/api/takes/{take['id']}"))["garments"]
    assert garment["bodies"] == [mast["name"]]
    beats = body(caller.get(f"/api/takes/{take['id']}/pulse"))["garments"]["signal flag"]
    assert garment["body_shows"] == sum(b["body_shows"] is not None for b in beats if b["delivered"])
    assert garment["worst_edge"] == max(b["worst_edge"] for b in beats if b["delivered"])
    assert garment["worst_edge"] > garment["worst_stretch"]
    done = delivered(caller, store, take["id"], "signal flag")
    (check,) = [check for check in done["checks"] if check["name"] == "Full body"]
    assert check["note"] == (garment["body_shows"] > 0)
    assert f"in {garment['body_shows']} of 6 samples" in check["said"] or "nowhere" in check["said"]
    clean = next(check["said"] for check in done["checks"] if check["name"] == "Clean cloth")
    assert "the worst edge stretches" in clean


def test_what_is_refused_is_not_kept(caller, store):
    problem(bring_in(caller, "body.glb", b"BLEND and more"), 422)
    good = (DEMO / "flag" / "mast.obj").read_bytes()
    body(bring_in(caller, "good.obj", good))
    problem(bring_in(caller, "good.glb", good), 422)  # the same bytes, under a name that they do not suit
    with store.begin() as session:
        assert session.scalar(text("select count(*) from uploads")) == 1
        assert session.scalar(text("select count(*) from blobs")) == 1


def test_every_answer_is_json_whatever_a_file_says(caller):
    """A PC2 cache that begins at no number."""
    data = struct.pack("<12siiffi", b"POINTCACHE2\0", 1, 1, math.nan, 1.0, 1) + bytes(12)
    response = bring_in(caller, "odd.pc2", data)
    json.loads(response.data, parse_constant=lambda word: pytest.fail(f"{word} is no JSON"))
    problem(response, 422)


@pytest.mark.parametrize("how", ["vertices", "place", "frames"])
def test_numbers_past_all_sense_are_refused_where_they_stand(caller, store, how):
    shot = flag(store)
    document = body(caller.get(f"/api/shots/{shot}"))["document"]
    if how == "vertices":
        document["garments"][0]["holds"][0]["choose"]["vertices"] = [2**70]
    elif how == "place":
        document["cast"][1]["placed"]["move"] = [1e300, 0, 0]
    else:
        document["frames"] = [0, 20_000]
    said = problem(caller.put(f"/api/shots/{shot}", json={"seen": 1, "said": "x", "document": document}), 422)
    assert how[:5] in said["where"] or "move" in said["where"]
    assert body(caller.get(f"/api/shots/{shot}"))["revision"] == 1
    assert body(caller.get(f"/api/shots/{shot}/revisions/1/reading"))["faults"] == {}


def test_asking_for_frames_without_end_is_refused(caller, store):
    shot = flag(store)
    for first, last in ((10**40, 10**40), (0, 10**9), (-(10**12), -(10**12) + 3)):
        problem(caller.get(f"/api/shots/{shot}/revisions/1/cast/yard/positions/{first}/{last}"), 422)
    problem(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1, "first": 0, "last": 20_000}), 422)
    far = {"origin": [1e300, 0, 0], "direction": [0, 0, 1]}
    problem(caller.post(f"/api/shots/{shot}/revisions/1/garments/signal%20flag/pick", json=far), 422)


@pytest.mark.parametrize(
    ("path", "data", "said"),
    [
        ("/api/shots", b"[" * 100_000, "nested"),
        ("/api/shots", b'{"a":[' + b"{}," * 300_000 + b"{}]}", "too many"),
    ],
)
def test_a_request_that_is_too_deep_or_too_many_is_refused(caller, path, data, said):
    response = caller.post(path, data=data, content_type="application/json")
    assert response.status_code == 400
    assert said in response.get_json()["title"]


def test_a_zip_of_zeros_is_refused_before_it_is_unpacked(caller, store):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("shot.json", (DEMO / "flag" / "shot.json").read_bytes())
        archive.writestr("yard.glb", bytes(80 << 20))
    data = out.getvalue()
    assert len(data) < 1 << 20
    response = caller.post("/api/shots/import", data=data, content_type="application/octet-stream")
    assert "84 MB, more than" in problem(response, 422)["title"]
    with store.begin() as session:
        assert session.scalar(text("select count(*) from blobs")) == 0


SITES = [
    ({"Sec-Fetch-Site": "cross-site"}, 403),
    ({"Sec-Fetch-Site": "same-site"}, 403),
    ({"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}, 403),
    ({"Origin": "null"}, 403),
    ({"Sec-Fetch-Site": "same-origin"}, 201),
    ({"Sec-Fetch-Site": "none"}, 201),
    ({}, 201),
]


@pytest.mark.parametrize(("headers", "status"), SITES)
def test_only_our_own_page_and_programs_may_change_anything(caller, headers, status):
    assert caller.post("/api/shots", json={"name": "x"}, headers=headers).status_code == status


def test_another_site_may_open_our_page_and_read_nothing(caller, workroom):
    foreign = {"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate"}
    with caller.get("/", headers=foreign) as response:
        assert response.status_code != 403
    assert caller.get("/api/shots", headers=foreign).status_code == 403
    assert caller.get("/api/shots", headers={"Sec-Fetch-Site": "cross-site"}).status_code == 403
    headers = caller.get("/api/shots").headers
    assert headers["Cross-Origin-Opener-Policy"] == "same-origin"
    assert headers["Cross-Origin-Resource-Policy"] == "same-origin"
    for rule in ("base-uri 'none'", "form-action 'self'", "object-src 'none'", "frame-ancestors 'none'"):
        assert rule in headers["Content-Security-Policy"]


def test_no_address_tells_whether_a_file_exists(workroom, tmp_path):
    static = workroom.app.extensions["needle"].static
    static.mkdir(exist_ok=True)
    (static / "index.html").write_text("the page")
    (static.parent / "secret").write_text("secret")
    caller = workroom.app.test_client()

    def answer(name: str) -> tuple[int, bytes]:
        with caller.get(f"/..%2f{name}") as response:
            return response.status_code, response.data

    assert answer("secret") == answer("nothing") == (200, b"the page")


def test_sizes_are_said_in_a_unit_that_does_not_round_them_away(caller):
    response = caller.post(
        "/api/shots",
        data=b"",
        content_type="application/json",
        environ_overrides={"CONTENT_LENGTH": str(9 << 20)},
    )
    assert "9.44 MB, more than the 8.39 MB" in problem(response, 413)["title"]
    chunked = caller.post(
        "/api/shots", data=b"{}", headers={"Transfer-Encoding": "chunked"}, content_type="text/plain"
    )
    assert chunked.status_code in (411, 415, 422, 400)


def test_positions_of_a_range_below_zero_are_found(caller, store):
    shot = flag(store, -12, -7)
    moved = array(caller.get(f"/api/shots/{shot}/revisions/1/cast/yard/positions/-12/-7"))
    assert len(moved) == 6
    assert np.ptp(moved, axis=0).max() > 0
