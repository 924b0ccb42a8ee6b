"""Live fittings through the web's gate and their own process: an artist's work, rude callers, kept poses."""

from __future__ import annotations

import base64
import json
import threading
import time
import urllib.error
import urllib.parse
import urllib.request

import numpy as np
import pytest

from patient_needle.bootstrap import cluster
from patient_needle.bootstrap.web_process import server
from patient_needle.core.model.references import named_files
from patient_needle.formats.shot_file.document import parse_shot
from patient_needle.session.serving import Serving
from patient_needle.store import blobs, shots
from tests.houses import DEMO, short_flag, until
from tests.sewing import sewn_shot
from tests.sockets import RefusedError, Talk, hang_up

JPEG = b"\xff\xd8\xff\xe0" + bytes(200)


@pytest.fixture
def served(workroom):
    """The application served for real: its port, the workroom, and a shot."""
    chosen = cluster.free_port(8960)
    serving = server(workroom.app.extensions["needle"], chosen)
    thread = threading.Thread(target=serving.run, daemon=True)
    thread.start()
    until(lambda: serving.started, 20)
    yield chosen, workroom, short_flag(workroom.store)
    hang_up()
    serving.should_exit = True
    thread.join(20)


def api(port: int, path: str, body=None, method=None):
    at = urllib.parse.quote(path, safe="/?&=")
    request = urllib.request.Request(
        f"http://127.0.0.1:{port}/api/{at}", None if body is None else json.dumps(body).encode(),
        {"Content-Type": "application/json"}, method=method,
    )  # fmt: skip
    try:
        with urllib.request.urlopen(request, timeout=60) as answer:
            data = answer.read()
    except urllib.error.HTTPError as error:
        return error.code, json.loads(error.read())
    return answer.status, json.loads(data) if data[:1] in b"{[" else data


def opened(port: int, shot: int, **more) -> Talk:
    talk = Talk(port)
    revision = api(port, f"shots/{shot}")[1]["revision"]
    talk.ask(do="open", shot=shot, revision=revision, **more)
    talk.until(lambda t: t.told and t.positions)
    return talk


def free_corner(port: int, shot: int, talk: Talk) -> tuple[list[int], list[float]]:
    """A triangle of the flag that is far from its pole, and weights of its middle."""
    points = np.frombuffer(talk.positions, "<f4").reshape(-1, 3)
    number, name = api(port, f"shots/{shot}")[1]["revision"], talk.told["garments"][0]["name"]
    data = api(port, f"shots/{shot}/revisions/{number}/garments/{name}/mesh/triangles")[1]
    triangles = np.frombuffer(data, "<u4").reshape(-1, 3)
    centres = points[triangles].mean(axis=1)
    pole = points[np.argmin(points[:, 0])]
    corners = triangles[np.argmax(np.linalg.norm(centres - pole, axis=1))]
    return corners.tolist(), [1 / 3, 1 / 3, 1 / 3]


def test_an_artist_fits_keeps_begins_from_it_and_makes_a_mesh_of_it(served):
    port, _, shot = served
    talk = opened(port, shot)
    name = talk.told["garments"][0]["name"]
    corners, weights = free_corner(port, shot, talk)
    talk.ask(do="fall")
    talk.ask(do="pull", garment=name, corners=corners, weights=weights, reach_mm=120)
    talk.until(lambda t: t.told["pulls"])
    to = (np.array(talk.told["pulls"][0]["at"]) + [0, 0.1, 0.1]).tolist()
    talk.ask(do="draw", to=to)
    begun = talk.step
    talk.until(lambda t: t.step >= begun + 20)
    talk.ask(do="pin", on="space")
    talk.until(lambda t: t.told["pins"] and not t.told["pulls"])
    talk.hold()

    seen = api(port, f"shots/{shot}")[1]["revision"]
    new = {"seen": seen, "name": "裾を上げて", "picture": base64.b64encode(JPEG).decode()}
    code, kept = api(port, f"shots/{shot}/fittings", new)
    assert code == 200
    (record,) = kept["document"]["fittings"]
    assert record["name"] == "裾を上げて"
    assert kept["stale_fittings"] == {"裾を上げて": []}
    assert kept["fit_mark"] == talk.told["mark"]  # keeping changes nothing that a fitting goes by
    assert api(port, f"shots/{shot}/fittings/裾を上げて/picture")[1] == JPEG
    code, fault = api(port, f"shots/{shot}/fittings", {**new, "seen": kept["revision"]})
    assert (code, "never written over" in json.dumps(fault)) == (409, True)
    code, fault = api(
        port, f"shots/{shot}/fittings", {"seen": kept["revision"], "name": "b", "picture": "AAAA"}
    )
    assert (code, "JPEG" in json.dumps(fault)) == (422, True)

    # The mesh is where the cloth was, and becomes a prop.
    path = f"shots/{shot}/revisions/{kept['revision']}/fittings/裾を上げて"
    lines = api(port, f"{path}/garments/{name}/file?kind=obj&unit=cm&up=z")[1].decode().splitlines()
    points = np.array([line.split()[1:4] for line in lines if line.startswith("v ")], float) / 100
    shown = np.frombuffer(talk.positions, "<f4").reshape(-1, 3)
    assert points == pytest.approx(shown[:, [0, 2, 1]] * [1, -1, 1], abs=1e-5)
    wanted = {"seen": kept["revision"], "garment": name, "becomes": "prop", "name": "flag as it fell"}
    code, after = api(port, f"shots/{shot}/fittings/裾を上げて/meshed", wanted)
    assert code == 200
    assert [one["kind"] for one in after["document"]["cast"] if one["name"] == "flag as it fell"] == ["prop"]
    assert after["stale_fittings"] == {"裾を上げて": ["the cast or its frames changed"]}
    talk.ask(do="fall")
    code, fault = api(port, f"shots/{shot}/fittings", {"seen": after["revision"], "name": "late"})
    assert (code, "has changed since" in json.dumps(fault)) == (409, True)
    # The prop stands where the cloth hangs: the fitting cannot go on with it, says so, and goes on as it was.
    talk.ask(do="open", shot=shot, revision=after["revision"], carry=True)
    talk.until(lambda t: t.refused)
    assert "cross a collider" in talk.refused[0]["what"]
    document = after["document"] | {"cast": kept["document"]["cast"]}
    document["fabrics"][0]["areal_density"] *= 1.5
    edit = {"seen": after["revision"], "said": "heavier", "document": document}
    heavier = api(port, f"shots/{shot}", edit, "PUT")[1]
    assert heavier["stale_fittings"] == {"裾を上げて": [f"{name} changed"]}
    talk.ask(do="open", shot=shot, revision=heavier["revision"], carry=True)
    talk.until(lambda t: t.told and t.told["mark"] == heavier["fit_mark"])
    assert [pin["number"] for pin in talk.told["pins"]] == [1]
    talk.close()


def test_a_fitting_of_another_mesh_is_gone_back_to_by_place(served):
    port, _, shot = served
    talk = opened(port, shot)
    talk.ask(do="fall")
    talk.until(lambda t: t.step > 12)
    talk.hold()
    before = np.frombuffer(talk.positions, "<f4").reshape(-1, 3)
    kept = api(port, f"shots/{shot}/fittings", {"seen": 1, "name": "coarse"})[1]
    document = kept["document"]
    document["garments"][0]["recipe"]["spacing"] = {"draft_mm": 35, "fine_mm": 20, "use": "draft"}
    document["garments"][0]["holds"] = []
    edit = {"seen": kept["revision"], "said": "finer", "document": document}
    finer = api(port, f"shots/{shot}", edit, "PUT")[1]
    talk.ask(do="open", shot=shot, revision=finer["revision"], fitting="coarse")
    talk.until(lambda t: t.lost)
    assert "of another mesh or figure: its cloth was carried over" in talk.lost[0]
    frames = talk.frames
    talk.ask(do="one step")
    talk.until(lambda t: t.frames > frames and t.told)
    after = np.frombuffer(talk.positions, "<f4").reshape(-1, 3)
    assert len(after) != len(before)
    assert after.min(axis=0) == pytest.approx(before.min(axis=0), abs=0.03)
    assert after.max(axis=0) == pytest.approx(before.max(axis=0), abs=0.03)


def test_pages_that_close_pause_it_and_only_one_has_it(served):
    port, _, shot = served
    first = opened(port, shot)
    first.ask(do="fall")
    first.until(lambda t: t.step > 3)
    second = Talk(port)
    second.ask(do="open", shot=shot, revision=1)
    second.until(lambda t: t.refused)
    assert "another window has a fitting open" in second.refused[0]["what"]
    second.ask(do="hold")
    second.until(lambda t: len(t.refused) > 1)
    assert "does not have the fitting" in second.refused[1]["what"]
    second.ask(do="open", shot=shot, revision=1, over=True)
    second.until(lambda t: t.told and t.positions)
    first.until(lambda t: t.refused)
    assert "took the fitting over" in first.refused[0]["what"]
    assert not second.told["running"]  # it paused with the window that had it
    first.close()
    second.ask(do="one step")
    step = second.step
    second.until(lambda t: t.step == step + 1)
    second.close()


def test_a_window_that_comes_back_is_not_in_its_own_way(served):
    port, _, shot = served
    opened(port, shot, page="one window")
    again = opened(port, shot, page="one window")  # before its former socket is heard to be gone
    assert again.refused == []
    other = Talk(port)
    other.ask(do="open", shot=shot, revision=1, page="another")
    other.until(lambda t: t.refused)


def test_what_was_written_down_is_gone_on_with_after_a_kill(served, tmp_path):
    port, workroom, shot = served
    talk = opened(port, shot)
    talk.ask(do="fall")
    talk.until(lambda t: t.step > 6)
    talk.hold()
    held, step = talk.positions, talk.step
    until(lambda: list((tmp_path / "fittings").glob("*.fitting")), 10)
    time.sleep(1.3)  # a kill loses at most the last second
    log = (tmp_path / "fittings").glob("*.log")
    done = [json.loads(line) for line in next(log).read_text().splitlines()]
    assert [one["do"] for one in done][:3] == ["open", "fall", "hold"]
    assert all(one["step"] <= step for one in done)
    fresh = Serving(workroom.store, tmp_path / "other", tmp_path / "fittings")  # as the process starts again
    fresh.listen()
    leaving = threading.Event()
    threading.Thread(target=fresh.run, args=(leaving.is_set,), daemon=True).start()
    workroom.app.extensions["needle"].fitting.address.unlink()
    (tmp_path / "other").rename(tmp_path / "fitting")
    talk.close()
    again = opened(port, shot)
    assert again.step == step
    assert again.positions == held
    assert "left" in again.told.get("lost", ["it goes on from where it was left"])[0]
    again.close()
    leaving.set()


@pytest.mark.parametrize(
    ("host", "origin"), [("evil.example", None), ("127.0.0.1", "http://evil.example"), ("127.0.0.1", "null")]
)
def test_other_hosts_and_other_sites_pages_are_refused_at_the_handshake(served, host, origin):
    port, _, _ = served
    with pytest.raises(RefusedError, match="403"):
        Talk(port, host=host, origin=origin)
    Talk(port, origin=f"http://127.0.0.1:{port}").close()


def test_garbage_is_told_and_floods_and_giants_are_let_go(served):
    port, _, shot = served
    talk = opened(port, shot)
    for data in (b"\x00\xff", b'{"do": "draw", "to": [NaN, 0, 0]}', b'{"do": "pull"}', b"[]"):
        talk.send(data)
    talk.until(lambda t: len(t.refused) == 4)
    assert all("not understood" in one["what"] for one in talk.refused)
    talk.ask(do="one step")
    talk.until(lambda t: t.step >= 1)  # it goes on all the same
    talk.send(b'{"do": "fall", "x": "' + b"a" * 70_000 + b'"}')
    assert talk.gone()[0] == 1009
    flood = Talk(port)
    try:
        for _ in range(3000):
            flood.send(b'{"do": "hold"}')
    except OSError:
        pass  # let go while it was still sending
    code, why = flood.gone()
    assert code in (1008, 1006)
    assert "200 messages a second" in why or code == 1006
    again = opened(port, shot)
    again.close()


def test_a_page_that_reads_nothing_gets_the_newest_and_holds_nobody(served):
    """The sender drops and never queues: who reads late sees the cloth as it is then."""
    port, _, shot = served
    talk = opened(port, shot)
    talk.ask(do="fall")
    talk.until(lambda t: t.step > 2)
    frames, before = talk.frames, talk.step
    time.sleep(4)
    talk.ask(do="hold")
    talk.until(lambda t: t.told and not t.told["running"], 60)
    time.sleep(0.3)
    talk.ask(do="one step")
    talk.until(lambda t: t.step > before + 5, 60)
    assert talk.frames - frames <= talk.step - before + 2
    talk.close()


def test_it_settles_without_a_page_and_keeps_what_it_came_to(served):
    port, _, shot = served
    talk = opened(port, shot)
    talk.ask(do="to rest", until_mm=100, seconds=2, keep="by itself")
    talk.until(lambda t: t.told["keep_as"] == "by itself")
    talk.close()
    found = until(lambda: api(port, f"shots/{shot}")[1]["document"]["fittings"], 60)
    assert [one["name"] for one in found] == ["by itself"]


def test_a_garment_of_pieces_is_sewn_kept_and_gives_the_fitting_free(served):
    port, workroom, flag = served
    recipe = {"block": {"kind": "skirt"}, "spacing": {"draft_mm": 34, "fine_mm": 20}}
    document = sewn_shot({"name": "юбка", "recipe": recipe})
    with workroom.store.begin() as session:
        files = {
            one: blobs.put(session, (DEMO / "lamplighter" / one).read_bytes()) for one in named_files(document)
        }
        shot = shots.create(session, parse_shot(document, "").model_dump(mode="json"), files).id
    talk = opened(port, shot, sew="юбка")
    assert talk.told["sewing"]["stage"] == "laid round the figure"
    talk.ask(do="walk", to=1001)
    talk.until(lambda t: t.refused)
    assert "is being sewn" in talk.refused[0]["what"]
    talk.ask(do="hold")
    talk.until(lambda t: t.told["sewing"] and t.told["sewing"]["paused"])
    talk.ask(do="enough")
    talk.until(lambda t: len(t.refused) == 2)
    assert "not on the figure yet" in talk.refused[1]["what"]
    talk.ask(do="fall")
    talk.until(lambda t: t.told["sewing"] and t.told["sewing"]["stage"] == "it falls", 180)
    assert talk.told["sewing"]["share"] < 0.8
    talk.ask(do="enough")
    talk.until(lambda t: "sewn" in t.told, 20)
    assert (talk.told["sewn"], talk.told["fault"]) == ("юбка", False)
    assert "99 in 100 edges" in talk.told["said"]
    kept = api(port, f"shots/{shot}")[1]
    made = kept["document"]["garments"][0]["recipe"]
    assert made["file"].endswith(".pc2")
    assert made["file_of"] != ""
    reading = api(port, f"shots/{shot}/revisions/{kept['revision']}/reading")[1]
    assert reading["faults"] == {}
    assert reading["garments"]["юбка"]["making"]["sewn"]["worn"] is True
    # Once its pieces are changed, sewing goes on from how it was worn.
    longer = made | {"block": made["block"] | {"length_mm": 560}, "pieces": [], "seams": []}
    path = f"shots/{shot}/revisions/{kept['revision']}/garments/юбка/remade"
    (changed,) = api(port, path, {"recipe": longer})[1]["garments"]
    assert changed["begins"]["cache"] == made["file"]
    assert changed["begins"]["recipe"]["file_of"] == made["file_of"]
    # The same process goes on: the flag's fitting opens over the same socket.
    talk.ask(do="open", shot=flag, revision=api(port, f"shots/{flag}")[1]["revision"])
    talk.until(lambda t: t.told.get("shot") == flag)
    talk.close()
