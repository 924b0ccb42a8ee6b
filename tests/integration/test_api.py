"""The API over a real store and desk: what a caller asks, and what it is told when it asks wrongly."""

from __future__ import annotations

import asyncio
import contextlib
import copy
import io
import json
import zipfile
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from sqlalchemy import text

from patient_needle.bootstrap.headless import Request, simulate_shot
from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.pc2 import read_pc2
from patient_needle.formats.registry import read_figure
from patient_needle.formats.shot_file.document import CastRecord, parse_shot
from patient_needle.formats.shot_file.members import assemble_member
from patient_needle.jobs.take_run import run_take
from patient_needle.store import shots, takes
from patient_needle.web.app import create_app
from patient_needle.web.events import EventHub
from patient_needle.web.services import Services
from tests.houses import DEMO, MADE_WITH, house, short_flag, two_flags

FLAG = DEMO / "flag"
GARMENT = "signal flag"


@pytest.fixture
def caller(workroom):
    return workroom.app.test_client()


@pytest.fixture
def shot(store):
    return short_flag(store)


def body(response, status=200):
    assert response.status_code == status, response.get_data(as_text=True)
    return response.get_json()


def problem(response, status):
    assert response.status_code == status, response.get_data(as_text=True)
    assert response.content_type == "application/problem+json"
    said = response.get_json()
    assert said["status"] == status
    assert said["title"]
    return said


def array(response):
    assert response.status_code == 200, response.get_data(as_text=True)
    shape = [int(v) for v in response.headers["X-Array-Shape"].split(",")]
    return np.frombuffer(
        response.data, "<" + {"float32": "f4", "uint32": "u4"}[response.headers["X-Array-Type"]]
    ).reshape(shape)


def bring_in(caller, name, data):
    return caller.put(f"/api/shots/files/{name}", data=data, content_type="application/octet-stream")


def test_a_shot_is_read_in_figures(caller, shot):
    said = body(caller.get(f"/api/shots/{shot}/revisions/1/reading"))
    assert said["faults"] == {}
    assert said["cast"]["mast"]["first"] is None
    assert (said["cast"]["yard"]["first"], said["cast"]["yard"]["last"]) == (1001, 1048)
    flag = said["garments"][GARMENT]
    assert (flag["vertices"], len(flag["borders"])) == (677, 1)
    # The demo's flag is 0.56 m by 0.42 m.
    assert flag["borders"][0]["length"] == pytest.approx(2 * (0.56 + 0.42), rel=0.02)
    assert len(said["pulse"]["body_speed"]) == 1006 - 999 + 1


def test_a_patch_meets_the_shot_as_the_api_gives_it(caller, shot):
    """What was kept lacks what is plain, or what an older version did not know: a change of that fits."""
    given = body(caller.get(f"/api/shots/{shot}"))["document"]
    assert given["garments"][0]["calm"] == 0.0
    assert "calm" not in json.loads((FLAG / "shot.json").read_text())["garments"][0]
    change = [{"op": "replace", "path": "/garments/0/calm", "value": 0.5}]
    edited = body(caller.patch(f"/api/shots/{shot}", json={"seen": 1, "said": "Calmer", "patch": change}))
    assert edited["document"]["garments"][0]["calm"] == 0.5


def test_faults_are_named_without_ending_the_rest(caller, shot):
    document = body(caller.get(f"/api/shots/{shot}"))["document"]
    document["garments"][0]["recipe"]["unit"] = "cm"
    document["frames"] = [1001, 1200]
    edited = body(caller.put(f"/api/shots/{shot}", json={"seen": 1, "said": "Wrong", "document": document}))
    said = body(caller.get(f"/api/shots/{shot}/revisions/{edited['revision']}/reading"))
    assert "its animation from 1001 to 1048" in said["faults"]["yard"]["what"]
    assert said["garments"][GARMENT]["vertices"] == 677


def test_what_is_wrong_with_a_wind_is_said(caller, shot):
    document = body(caller.get(f"/api/shots/{shot}"))["document"]
    gust = {"name": "gust", "strength": {"frames": [1001, 1002], "values": [0, 12]}}
    below = {"name": "below", "strength": -1}
    document["forces"] = {**document["forces"], "air_density": 1.2, "winds": [gust, below]}
    edited = body(caller.put(f"/api/shots/{shot}", json={"seen": 1, "said": "Wind", "document": document}))
    said = body(caller.get(f"/api/shots/{shot}/revisions/{edited['revision']}/reading"))
    (pop,) = said["winds"]["gust"]
    assert (pop["keyed"], pop["first"], pop["last"]) == ("strength", 1001, 1002)
    assert "below zero" in said["faults"]["below"]["what"]
    assert said["garments"][GARMENT]["vertices"] == 677


def test_a_shake_test_goes_on_from_what_was_seen(caller, shot):
    path = f"/api/shots/{shot}/revisions/1/garments/{GARMENT}/holds/head%20rope/shake"
    seen, slips, said = 0, [], {"of": 1}
    while seen < said["of"]:
        said = body(caller.post(path, json={"frames": seen}))
        assert said["slip"][: len(slips)] == slips
        assert len(said["slip"]) > seen
        slips, seen = said["slip"], len(said["slip"])
    assert seen == 48  # two seconds
    assert said["part"] == "yard"
    assert said["worst"] == max(slips) < 1e-9  # it is welded


def test_meshes_and_motion_arrive_as_arrays(caller, shot):
    base = f"/api/shots/{shot}/revisions/1"
    triangles = array(caller.get(f"{base}/garments/signal%20flag/mesh/triangles"))
    rest = array(caller.get(f"{base}/garments/signal%20flag/mesh/rest"))
    assert triangles.max() + 1 == len(rest) == 677
    moved = array(caller.get(f"{base}/cast/yard/positions/999/1006"))
    assert moved.shape[0] == 8
    assert np.array_equal(moved[0], moved[1])  # the run-in settles
    assert np.abs(moved[-1] - moved[0]).max() > 0.01
    problem(caller.get(f"{base}/cast/yard/mesh/colour"), 404)
    problem(caller.get(f"{base}/cast/nobody/mesh/rest"), 422)


def test_a_ray_finds_the_border(caller, shot):
    base = f"/api/shots/{shot}/revisions/1/garments/signal%20flag"
    rest = array(caller.get(f"{base}/mesh/rest"))
    corner = rest[rest[:, 0].argmax()] + [-0.01, 0.0, 0]
    hit = body(
        caller.post(f"{base}/pick", json={"origin": [corner[0], corner[1] - 0.02, 2], "direction": [0, 0, -1]})
    )
    assert hit["hit"]["border"] == 0
    assert hit["hit"]["away"] < 0.03
    assert hit["hit"]["place"][2] == pytest.approx(0, abs=1e-6)
    assert body(caller.post(f"{base}/pick", json={"origin": [9, 9, 2], "direction": [0, 0, -1]})) == {
        "hit": None
    }
    chosen = array(caller.post(f"{base}/chosen", json={"border": "longest"}))
    assert (
        len(chosen)
        == body(caller.get(f"/api/shots/{shot}/revisions/1/reading"))["garments"][GARMENT]["borders"][0][
            "vertices"
        ]
    )
    assert len(array(caller.post(f"{base}/chosen", json={"border": "longest", "rings": 1}))) > len(chosen)
    assert "exactly one" in problem(caller.post(f"{base}/chosen", json={}), 422)["remedy"]


def test_a_shot_kept_in_the_first_version_is_shown_and_edited_in_the_present_one(caller, store, shot):
    old = json.loads((DEMO.parent / "tests" / "version_1" / "flag.json").read_text())
    with store.begin() as session:
        shots.revision(session, shot).document = parse_shot(old, "old").model_dump(mode="json") | old
    shown = body(caller.get(f"/api/shots/{shot}"))
    document = shown["document"]
    assert (document["version"], shown["first_simulated"]) == (2, 995)
    assert document["garments"][0]["holds"][0]["how"] == {"kind": "follows", "to": "yard"}
    assert body(caller.get(f"/api/shots/{shot}/revisions/1/reading"))["faults"] == {}
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1, "last": 1001}), 201)
    edit = {"seen": 1, "said": "Softer", "document": document, "uploads": {}}
    assert body(caller.put(f"/api/shots/{shot}", json=edit))["document"] == document
    assert body(caller.get(f"/api/takes/{take['id']}"))["stale"] == []
    with store.begin() as session:
        odd = copy.deepcopy(old)
        odd["garments"][0]["holds"][0]["elastic"] = {}
        shots.revision(session, shot).document = parse_shot(old, "old").model_dump(mode="json") | odd
    assert "follows and elastic" in problem(caller.get(f"/api/shots/{shot}"), 422)["title"]


def test_edit_undo_redo_and_the_late_tab(caller, shot):
    document = body(caller.get(f"/api/shots/{shot}"))["document"]
    edit = {"seen": 1, "said": "Shorter", "document": document | {"frames": [1001, 1003]}}
    assert body(caller.put(f"/api/shots/{shot}", json=edit))["undo_said"] == "Shorter"
    said = problem(caller.put(f"/api/shots/{shot}", json=edit), 409)
    assert "another window" in said["title"]
    back = body(caller.post(f"/api/shots/{shot}/undo", json={"seen": 2}))
    assert (back["document"]["frames"], back["redo_said"]) == ([1001, 1006], "Shorter")
    assert body(caller.post(f"/api/shots/{shot}/redo", json={"seen": 1}))["document"]["frames"] == [1001, 1003]


def test_a_take_through_the_api(caller, shot, store):
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1, "name": "First"}), 201)
    assert (take["state"], take["total"]) == ("waiting", 8)
    run_take(store, take["id"], MADE_WITH)
    done = body(caller.get(f"/api/takes/{take['id']}"))
    assert (done["state"], done["garments"][0]["frames"], done["garments"][0]["in_the_body"]) == (
        "finished",
        8,
        0,
    )
    assert done["bytes"] > 8 * 677 * 12
    whole = caller.get(f"/api/takes/{take['id']}/garments/signal%20flag/positions/999/1006")
    assert array(whole).shape == (8, 677, 3)
    part = caller.get(whole.request.path, headers={"Range": "bytes=24-47"})
    assert part.status_code == 206
    assert part.data == whole.data[24:48]
    assert part.headers["Content-Range"] == f"bytes 24-47/{len(whole.data)}"
    beats = body(caller.get(f"/api/takes/{take['id']}/pulse"))["garments"][GARMENT]
    assert [b["frame"] for b in beats] == list(range(999, 1007))
    strain = array(caller.get(f"/api/takes/{take['id']}/garments/signal%20flag/look/stretch/1006"))
    assert 0 < strain.max() < 0.2
    near = array(caller.get(f"/api/takes/{take['id']}/garments/signal%20flag/look/closeness/1006"))
    assert 0.001 < near.min() < near.max() <= 0.05 + 1e-7
    assert len(body(caller.get(f"/api/takes/{take['id']}/report"))["garments"][GARMENT]["frames"]) == 8


def test_a_change_makes_takes_stale_in_words(caller, shot, store):
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1}), 201)
    document = body(caller.get(f"/api/shots/{shot}"))["document"]
    document["fabrics"][0]["areal_density"] *= 2
    body(caller.put(f"/api/shots/{shot}", json={"seen": 1, "said": "Heavier", "document": document}))
    [line] = body(caller.get(f"/api/takes/{take['id']}"))["stale"]
    assert "areal density" in line
    other = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 2, "patience": "final"}), 201)
    apart = body(caller.get(f"/api/takes/{other['id']}/against/{take['id']}"))["lines"]
    assert apart == ["patience first-look, now final", line]
    body(caller.post(f"/api/shots/{shot}/undo", json={"seen": 2}))
    assert body(caller.get(f"/api/takes/{take['id']}"))["stale"] == []


def test_export_runs_headless_to_the_same_bits_and_comes_back(caller, shot, store, tmp_path):
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1}), 201)
    run_take(store, take["id"], MADE_WITH)
    with caller.get(f"/api/shots/{shot}/export") as response:
        zipped = response.data
    zipfile.ZipFile(io.BytesIO(zipped)).extractall(tmp_path / "shot")
    simulate_shot(Request(tmp_path / "shot" / "shot.json", tmp_path / "out"), lambda _: None)
    ours = array(caller.get(f"/api/takes/{take['id']}/garments/signal%20flag/positions/1001/1006"))
    assert np.array_equal(ours, read_pc2(tmp_path / "out" / "signal flag.pc2").frames)
    again = body(caller.post("/api/shots/import", data=zipped, content_type="application/octet-stream"), 201)
    assert again["id"] != shot
    assert again["name"] == "Signal flag 0010 2"  # no two shots have one name
    before = body(caller.get(f"/api/shots/{shot}"))["document"]
    assert again["document"] == {**before, "name": again["name"]}


def test_a_file_is_brought_in_and_used(caller, shot):
    found = body(bring_in(caller, "post.obj", (FLAG / "mast.obj").read_bytes()))
    assert found["meshes"][0]["vertices"] > 100
    document = body(caller.get(f"/api/shots/{shot}"))["document"]
    document["cast"].append({"name": "post", "kind": "set piece", "file": "post.obj"})
    edit = {"seen": 1, "said": "Post", "document": document, "uploads": {"post.obj": found["sha"]}}
    assert body(caller.put(f"/api/shots/{shot}", json=edit))["revision"] == 2
    edit = {"seen": 2, "said": "Ghost", "document": document, "uploads": {"post.obj": "0" * 64}}
    assert "was not brought in" in problem(caller.put(f"/api/shots/{shot}", json=edit), 404)["title"]


def test_a_shot_is_made_from_nothing(caller):
    made = body(caller.post("/api/shots", json={"name": "Mine", "frames": [1001, 1008]}), 201)
    assert (made["revision"], made["document"]["garments"], made["undo_said"]) == (1, [], None)
    yard = body(bring_in(caller, "yard.glb", (FLAG / "yard.glb").read_bytes()))
    cloth = body(bring_in(caller, "cloth.obj", (FLAG / "signal_flag.obj").read_bytes()))
    swatch = json.loads((FLAG / "shot.json").read_text())["fabrics"][0]
    document = made["document"] | {
        "cast": [{"name": "yard", "kind": "prop", "file": "yard.glb", "starts_at": 1001}],
        "fabrics": [swatch],
        "garments": [
            {"name": "flag", "recipe": {"kind": "file", "file": "cloth.obj"}, "fabric": swatch["name"]}
        ],
    }
    uploads = {"yard.glb": yard["sha"], "cloth.obj": cloth["sha"]}
    edit = {"seen": 1, "said": "All of it", "document": document, "uploads": uploads}
    revision = body(caller.put(f"/api/shots/{made['id']}", json=edit))["revision"]
    said = body(caller.get(f"/api/shots/{made['id']}/revisions/{revision}/reading"))
    assert (said["faults"], said["garments"]["flag"]["vertices"]) == ({}, 677)
    empty = problem(caller.post("/api/shots", json={"name": ""}), 422)
    assert "name" in empty["where"]


BOX = "v 0 0 0\nv 1 0 0\nv 0 1 0\n"


@pytest.mark.parametrize(
    ("name", "data", "says"),
    [
        ("body.glb", b"BLEND and more", "not a GLB"),
        ("cloth.obj", f"{BOX}f 1 2 9\n".encode(), "vertex"),
        ("cloth.obj", b"v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "not a number"),
        ("cloth.obj", b"", "empty"),
        ("cloth.obj", b"\x00\x01\x02", ""),
        ("cloth.fbx", b"anything", "ending"),
        ("cloth.obj", b"# nothing at all\n", ""),
    ],
)
def test_a_damaged_file_is_refused_in_words(caller, name, data, says):
    said = problem(bring_in(caller, name, data), 422)
    assert says in said["title"]
    assert "/tmp" not in said["detail"]


def test_a_name_that_climbs_out_is_only_a_name(caller):
    found = body(bring_in(caller, "..%2F..%2Fevil.obj".replace("%2F", "%5C"), f"{BOX}f 1 2 3\n".encode()))
    assert found["name"] == "evil.obj"
    problem(bring_in(caller, "..", b"x"), 422)


def test_two_gigabytes_are_refused_before_they_are_sent(caller):
    response = caller.put(
        "/api/shots/files/huge.obj", data=b"", content_type="application/octet-stream",
        environ_overrides={"CONTENT_LENGTH": str(2 << 30)},
    )  # fmt: skip
    assert "2.15 GB, more than the 1.07 GB" in problem(response, 413)["title"]


def test_a_full_disk_is_said_and_nothing_is_kept(store, tmp_path):
    full = house(store, tmp_path, free=1 << 20)
    caller = full.app.test_client()
    assert "room on the disk" in problem(bring_in(caller, "a.obj", f"{BOX}f 1 2 3\n".encode()), 507)["title"]
    full.close()
    with store.begin() as session:
        assert session.scalar(text("select count(*) from blobs")) == 0


def zip_of(**members):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name.replace("__", "/"), data)
    return out.getvalue()


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"not a zip", "not a zip"),
        (zip_of(other=b"x"), "0 files called shot.json"),
        (zip_of(**{"..__shot.json": b"{}"}), "outside it"),
        (zip_of(**{"shot.json": b"{"}), "not JSON"),
        (zip_of(**{"shot.json": (FLAG / "shot.json").read_bytes()}), "does not hold"),
        (zip_of(**{"shot.json": b" " * (65 << 20)}), "may grow to"),
        (zip_of(**{"shot.json": b" " * (17 << 20)}), "too large"),
        (zip_of(**{"shot.json": b"[" * 100_000}), "nested too deeply"),
    ],
)
def test_a_hostile_zip_is_refused(caller, data, says):
    response = caller.post("/api/shots/import", data=data, content_type="application/octet-stream")
    assert says in problem(response, 422)["title"]
    assert body(caller.get("/api/shots")) == []


def test_what_cannot_be_asked(caller, shot):
    asked = f"/api/shots/{shot}/takes"
    assert "patience" in problem(caller.post(asked, json={"seen": 1, "patience": "endless"}), 422)["where"]
    assert "empty" in problem(caller.post(asked, json={"seen": 1, "first": 9, "last": 3}), 422)["title"]
    assert problem(caller.post(asked, json={"seen": 7}), 409)
    assert problem(caller.post(asked, data="{", content_type="application/json"), 400)
    assert problem(caller.get("/api/shots/77"), 404)["remedy"]
    assert problem(caller.get("/api/nothing"), 404)
    assert problem(caller.delete("/api/workroom"), 405)
    assert problem(caller.post("/api/takes/5/stop"), 404)


def test_only_our_own_page_may_call(caller, shot):
    assert problem(caller.get("/api/shots", headers={"Host": "evil.example"}), 421)
    other = {"Origin": "http://evil.example"}
    assert problem(caller.post(f"/api/shots/{shot}/undo", json={"seen": 1}, headers=other), 403)
    own = {"Origin": "http://localhost"}
    assert problem(caller.post(f"/api/shots/{shot}/undo", json={"seen": 1}, headers=own), 409)


def test_the_stream_replays_what_was_missed_and_goes_on(workroom, shot):
    hub = workroom.app.extensions["needle"].events

    async def heard() -> str:
        async with contextlib.aclosing(hub.stream(0)) as stream:
            assert (await anext(stream)).startswith("retry")
            assert '"kind": "shots"' in await anext(stream)
            line = asyncio.ensure_future(anext(stream))
            while not (line.done() and '"take"' in line.result()):
                if line.done():
                    line = asyncio.ensure_future(anext(stream))
                await asyncio.to_thread(made)  # again, should the hub not have listened yet
                await asyncio.wait([line], timeout=1.0)
            return line.result()

    def made() -> None:
        with workroom.store.begin() as session:
            takes.create(
                session, shot, 1, name=None, patience="final", first_simulated=999, first=1001, last=1006,
                garments=1,
            )  # fmt: skip

    with ThreadPoolExecutor(1) as apart:  # the browser's tests leave a loop running in this thread
        line = apart.submit(lambda: asyncio.run(asyncio.wait_for(heard(), 30))).result()
    assert json.loads(line.split("data: ")[1])["shot"] == shot


def test_without_a_database_pages_are_told_so():
    from patient_needle.desk.client import DeskClient
    from patient_needle.session.client import FittingClient
    from patient_needle.store.session import Store

    store = Store("postgresql+psycopg://nobody:x@127.0.0.1:9/none")
    services = Services(
        store,
        DeskClient(DEMO / "nowhere", b""),
        EventHub(store),
        FittingClient(DEMO / "nowhere"),
        DEMO,
        "test",
        lambda: 1 << 40,
    )
    caller = create_app(services).test_client()
    response = caller.get("/api/shots")
    assert "database does not answer" in problem(response, 503)["title"]
    assert response.headers["Retry-After"]
    services.events.close()


def test_without_a_desk_pages_are_told_so(store, shot, tmp_path):
    from patient_needle.desk.client import DeskClient
    from patient_needle.session.client import FittingClient

    services = Services(
        store,
        DeskClient(tmp_path / "nowhere", b""),
        EventHub(store),
        FittingClient(tmp_path / "nowhere"),
        DEMO,
        "test",
        lambda: 1 << 40,
    )
    caller = create_app(services).test_client()
    assert "desk process" in problem(caller.get(f"/api/shots/{shot}/revisions/1/reading"), 503)["title"]
    assert body(caller.get("/api/workroom"))["desk"] is False
    services.events.close()


def test_every_swatch_of_the_book_can_be_worn(caller, shot):
    book = body(caller.get("/api/swatches"))
    assert len({swatch["fabric"]["name"] for swatch in book}) == len(book) >= 8
    seen = body(caller.get(f"/api/shots/{shot}"))
    document = seen["document"]
    document["fabrics"] = [swatch["fabric"] for swatch in book]
    document["garments"][0]["fabric"] = book[-1]["fabric"]["name"]
    edit = {"seen": seen["revision"], "said": "worn", "document": document, "uploads": {}}
    worn = body(caller.put(f"/api/shots/{shot}", json=edit))
    reading = body(caller.get(f"/api/shots/{shot}/revisions/{worn['revision']}/reading"))
    assert reading["faults"] == {}
    assert reading["garments"][GARMENT]["area"] == pytest.approx(0.56 * 0.42)


def test_a_finished_garment_is_worn_as_it_is_and_the_other_meets_it(caller, store):
    shot_id = two_flags(store)
    seen = body(caller.get(f"/api/shots/{shot_id}"))
    first = body(caller.post(f"/api/shots/{shot_id}/takes", json={"seen": seen["revision"]}), 201)
    ask = {"seen": seen["revision"], "garment": GARMENT}
    assert (
        "not all of them" in problem(caller.post(f"/api/takes/{first['id']}/finished", json=ask), 409)["title"]
    )
    run_take(store, first["id"], MADE_WITH)
    missing = ask | {"garment": "cape"}
    problem(caller.post(f"/api/takes/{first['id']}/finished", json=missing), 409)
    worn = body(caller.post(f"/api/takes/{first['id']}/finished", json=ask))
    assert worn["document"]["garments"][0]["finished"]["take"] == first["name"]
    stale = body(caller.get(f"/api/takes/{first['id']}"))["stale"]
    assert stale == [f"{GARMENT}: simulated, now finished in {first['name']}"]
    reading = body(caller.get(f"/api/shots/{shot_id}/revisions/{worn['revision']}/reading"))
    assert reading["faults"] == {}
    second = body(caller.post(f"/api/shots/{shot_id}/takes", json={"seen": worn["revision"]}), 201)
    run_take(store, second["id"], MADE_WITH)
    both = [
        array(caller.get(f"/api/takes/{take['id']}/garments/{GARMENT}/positions/999/1006"))
        for take in (first, second)
    ]
    assert np.array_equal(*both)
    pulse = body(caller.get(f"/api/takes/{second['id']}/pulse"))["garments"]
    assert [beat["through_another"] for beat in pulse["second flag"]] == [0] * 8
    with caller.get(f"/api/shots/{shot_id}/export") as response:
        zipped = response.data
    again = body(caller.post("/api/shots/import", data=zipped, content_type="application/octet-stream"), 201)
    assert again["document"]["garments"][0]["finished"] is not None
    everything = again["document"]
    for garment in everything["garments"]:
        garment["finished"] = everything["garments"][0]["finished"]
    edit = {"seen": again["revision"], "said": "all", "document": everything, "uploads": {}}
    all_done = body(caller.put(f"/api/shots/{again['id']}", json=edit))
    take = body(caller.post(f"/api/shots/{again['id']}/takes", json={"seen": all_done["revision"]}), 201)
    run_take(store, take["id"], MADE_WITH)
    assert "nothing is left" in body(caller.get(f"/api/takes/{take['id']}"))["fault"]["what"]


def test_a_shots_picture_is_kept_until_the_next_and_goes_with_it(caller, shot):
    at = f"/api/shots/{shot}/picture"
    assert caller.get(at).status_code == 204
    for picture in (b"\xff\xd8\xff one", b"\xff\xd8\xff two"):
        assert caller.put(at, data=picture, content_type="image/jpeg").status_code == 204
        assert caller.get(at).data == picture
    for wrong in (b"GIF89a", b"", b"\xff\xd8\xff" + bytes(400_000)):
        assert "no JPEG" in problem(caller.put(at, data=wrong, content_type="image/jpeg"), 422)["title"]
    assert caller.get(at).data.endswith(b"two")
    caller.delete(f"/api/shots/{shot}")
    problem(caller.get(at), 404)
    problem(caller.put(at, data=b"\xff\xd8\xff", content_type="image/jpeg"), 404)


def test_a_patch_changes_what_it_says_and_a_strokes_hits_go_to_a_file(caller, shot):
    before = body(caller.get(f"/api/shots/{shot}"))
    stroke = {"kind": "stroke", "hits": [[0.3, 1.36, 0, 0, 0, 1, 1]] * 3, "radius_mm": 60}
    chalk = {"name": "edge", "role": "bend", "steps": [stroke]}
    add = {"op": "add", "path": "/garments/0/maps/-", "value": chalk}
    said = {"seen": before["revision"], "said": "Chalk"}
    after = body(caller.patch(f"/api/shots/{shot}", json={**said, "patch": [add]}))
    (step,) = after["document"]["garments"][0]["maps"][0]["steps"]
    assert step["hits"] is None
    assert step["file"].endswith(".npy")
    assert {**after["document"], "garments": None} == {**before["document"], "garments": None}
    base = f"/api/shots/{shot}/revisions/{after['revision']}/garments/{GARMENT}"
    assert array(caller.get(f"{base}/maps/edge")).max() == pytest.approx(1)
    late = problem(caller.patch(f"/api/shots/{shot}", json={**said, "patch": [add]}), 409)
    assert "another window" in late["title"]
    wrong = [add, {"op": "remove", "path": "/garments/7"}]
    refused = problem(
        caller.patch(f"/api/shots/{shot}", json={**said, "seen": after["revision"], "patch": wrong}), 422
    )
    assert "operation 2 at '/garments/7'" in refused["where"]
    copied = [{"op": "copy", "from": "/garments", "path": "/garments/-"}]  # a few would fill any memory
    problem(caller.patch(f"/api/shots/{shot}", json={**said, "seen": after["revision"], "patch": copied}), 422)
    assert body(caller.get(f"/api/shots/{shot}"))["revision"] == after["revision"]


def test_a_map_is_read_and_painted_on(caller, shot):
    document = body(caller.get(f"/api/shots/{shot}"))["document"]
    steps = [{"kind": "along", "start": [0.12, 0, 0], "end": [0.68, 0, 0], "values": [0, 0.5]}]
    document["garments"][0]["maps"] = [{"name": "stiff edge", "role": "bend", "steps": steps}]
    edited = body(caller.put(f"/api/shots/{shot}", json={"seen": 1, "said": "Chalk", "document": document}))
    base = f"/api/shots/{shot}/revisions/{edited['revision']}/garments/{GARMENT}"
    rest = array(caller.get(f"{base}/mesh/rest"))
    before = array(caller.get(f"{base}/maps/stiff%20edge"))
    assert before == pytest.approx((rest[:, 0] - 0.12) / 1.12, abs=1e-4)

    def painted(x: float, going: str):
        stroke = {"hits": [[x, 1.36, 0.0, 0.0, 0.0, 1.0, 1.0]], "radius_mm": 60, "mode": "set", "amount": 1.0}
        return array(caller.post(f"{base}/maps/stiff%20edge/paint", json={"stroke": stroke, "going": going}))

    first = painted(0.3, "a")
    second = painted(0.5, "a")
    other = painted(0.5, "b")
    left, right = (np.linalg.norm(rest[:, :2] - [x, 1.36], axis=1) < 0.02 for x in (0.3, 0.5))
    assert first[left] == pytest.approx(1)
    assert np.array_equal(first[right], before[right])
    assert second[left] == pytest.approx(1)
    assert second[right] == pytest.approx(1)
    assert np.array_equal(other[left], before[left])
    said = problem(caller.get(f"{base}/maps/ghost"), 422)
    assert "no map 'ghost'" in said["title"]


@pytest.mark.parametrize(
    ("kind", "unit", "up", "exact"),
    [("obj", "cm", "z", 1e-9), ("usda", "mm", "z", 1e-6), ("glb", "m", "y", 1e-6)],
)
def test_a_member_goes_out_in_its_rest_pose(caller, shot, tmp_path, kind, unit, up, exact):
    given = caller.get(f"/api/shots/{shot}/revisions/1/cast/mast/rest-file?kind={kind}&unit={unit}&up={up}")
    assert given.status_code == 200, given.get_data(as_text=True)
    assert f".{kind}" in given.headers["Content-Disposition"]
    path = tmp_path / f"out.{kind}"
    path.write_bytes(given.data)
    record = CastRecord(name="back", kind="set piece", file=path.name, unit=unit, up=up, collider=None)
    back = assemble_member(record, tmp_path, 24.0, (1, 2)).member
    rest = array(caller.get(f"/api/shots/{shot}/revisions/1/cast/mast/mesh/rest"))
    assert (
        np.abs(back.motion.rest() - rest).max() < exact + 1e-7
    )  # what is asked for here is in single precision
    stated = read_figure(path, FigureAsk()).stated
    assert (stated.metres, stated.up) == {"obj": (None, None), "usda": (0.001, "z"), "glb": (1.0, "y")}[kind]


def test_a_rest_pose_in_a_unit_that_its_format_has_not_is_refused(caller, shot):
    path = f"/api/shots/{shot}/revisions/1/cast/mast/rest-file?kind=glb&unit=cm"
    assert "always in metres, Y up" in problem(caller.get(path), 422)["title"]
    assert "there is no cast member" in problem(caller.get(path.replace("mast", "nobody")), 422)["title"]


def test_no_two_shots_have_one_name(caller):
    new = {"name": "twin", "frames": [1, 10], "frame_rate": 24}
    made = [body(caller.post("/api/shots", json=new), 201) for _ in range(3)]
    assert [one["name"] for one in made] == ["twin", "twin 2", "twin 3"]
    document = {**made[2]["document"], "name": "twin"}
    said = problem(
        caller.put(f"/api/shots/{made[2]['id']}", json={"seen": 1, "said": "x", "document": document}), 409
    )
    assert "another shot is called 'twin'" in said["title"]
    long = {**new, "name": "n" * 80}
    assert len([body(caller.post("/api/shots", json=long), 201) for _ in range(2)][1]["name"]) == 80


def test_a_take_says_what_its_run_in_left_as_soon_as_it_is_over(caller, shot, store):
    take = body(caller.post(f"/api/shots/{shot}/takes", json={"seen": 1}), 201)
    run_take(store, take["id"], MADE_WITH)
    path = f"/api/takes/{take['id']}"
    assert body(caller.get(path))["garments"][0]["after_run_in"] == []
    snag = {
        "kind": "pinched", "count": 12, "place_m": [0.1, 0.42, -0.03], "with": "man: shankL", "depth_mm": 4.26,
        "area_cm2": 3.0,
    }  # fmt: skip
    pinched = (
        "update frames set record = jsonb_set(record, '{snags}', cast(:snags as jsonb))"
        " where take_id = :take and frame = 1000"
    )
    with store.begin() as session:
        session.execute(text(pinched), {"snags": json.dumps([snag]), "take": take["id"]})
    said = ["pinched at man: shankL, (0.10, 0.42, -0.03) m: 12 vertices, 4.3 mm deep"]
    assert body(caller.get(path))["garments"][0]["after_run_in"] == said
    with store.begin() as session:  # the run-in is still going on
        session.execute(
            text("delete from frames where take_id = :take and frame >= 1000"), {"take": take["id"]}
        )
    assert body(caller.get(path))["garments"][0]["after_run_in"] == []
