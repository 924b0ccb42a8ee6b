"""Garments made in the workroom: cut round a figure, meshed anew, carried over, started from a take's pose."""

from __future__ import annotations

import copy
import json
import subprocess
import sys

import numpy as np
import pytest

from patient_needle.formats.contents import FigureAsk
from patient_needle.formats.registry import read_figure
from patient_needle.jobs.take_run import run_take
from patient_needle.store import blobs, shots
from tests.houses import DEMO, MADE_WITH, short_flag
from tests.integration.test_api import GARMENT, array, body, problem

RINGS = {
    "kind": "rings", "around": "mast", "waist_mm": 1000, "hem_mm": 800, "ease_mm": 30, "flare": 1.6,
    "spacing": {"draft_mm": 12, "fine_mm": 6},
}  # fmt: skip
FOOT, TOP = 0.4, 1.4  # m: the mast stands on the bulwark, and the skirt hangs a metre above its foot


@pytest.fixture
def caller(workroom):
    return workroom.app.test_client()


@pytest.fixture
def skirt(store):
    """A shot in which the mast wears a skirt."""
    document = json.loads((DEMO / "flag" / "shot.json").read_text())
    hold = {
        "name": "band", "choose": {"group": "waistband"}, "how": {"kind": "follows", "to": "mast"}
    }  # fmt: skip
    document |= {
        "name": "Mast in a skirt", "frames": [1001, 1004], "run_in": {"settle": 2, "move": 0},
        "garments": [{"name": "skirt", "recipe": RINGS, "fabric": "bunting", "holds": [hold]}],
    }  # fmt: skip
    names = [member["file"] for member in document["cast"]]
    with store.begin() as session:
        files = {name: blobs.put(session, (DEMO / "flag" / name).read_bytes()) for name in names}
        return shots.create(session, document, files).id


def edited(caller, shot, garments, said="changed"):
    """The shot with other garments, as a page keeps them."""
    now = body(caller.get(f"/api/shots/{shot}"))
    document = now["document"] | {"garments": garments}
    return body(
        caller.put(f"/api/shots/{shot}", json={"seen": now["revision"], "said": said, "document": document})
    )


def remade(caller, shot, name, recipe, status=200):
    number = body(caller.get(f"/api/shots/{shot}"))["revision"]
    found = caller.post(f"/api/shots/{shot}/revisions/{number}/garments/{name}/remade", json={"recipe": recipe})
    return body(found) if status == 200 else problem(found, status)


def reading(caller, shot):
    number = body(caller.get(f"/api/shots/{shot}"))["revision"]
    return body(caller.get(f"/api/shots/{shot}/revisions/{number}/reading"))


def lowest_border(caller, shot):
    number = body(caller.get(f"/api/shots/{shot}"))["revision"]
    chosen = caller.post(
        f"/api/shots/{shot}/revisions/{number}/garments/skirt/chosen", json={"border": "lowest"}
    )
    return sorted(array(chosen).tolist())


def test_a_skirt_is_cut_round_a_member_and_says_what_it_measured(caller, skirt):
    read = reading(caller, skirt)
    assert read["faults"] == {}
    making = read["garments"]["skirt"]["making"]
    waist, hem = making["tapes"]
    girth = 16 * 2 * 0.035 * np.sin(np.pi / 16) * 1e3  # the mast has sixteen sides
    assert (waist["name"], hem["name"]) == ("waist", "hem")
    assert waist["girth_mm"] == pytest.approx(girth, rel=2e-3)
    assert waist["cloth_mm"] == pytest.approx(waist["girth_mm"] + 30, abs=0.01)
    assert hem["cloth_mm"] == pytest.approx(1.6 * waist["cloth_mm"], abs=0.1)
    area = sum((c["top_mm"] + c["hem_mm"]) / 2 * c["depth_mm"] for c in making["courses"]) * 1e-6
    assert read["garments"]["skirt"]["area"] == pytest.approx(area, rel=2e-3)


def test_a_change_of_the_recipe_carries_over_what_was_chosen_and_names_what_it_cannot(caller, skirt):
    tiered = RINGS | {"tiers": [{"depth_mm": 60, "gather": 1.5}]}
    found = remade(caller, skirt, "skirt", tiered)
    (garment,) = found["garments"]
    assert found["lost"] == []
    assert garment["recipe"]["tiers"][0]["gather"] == 1.5
    on_tier = {"name": "weights", "choose": {"group": "tier 1"}, "how": {"kind": "handle"}}
    edited(caller, skirt, [garment | {"holds": [*garment["holds"], on_tier]}])
    assert reading(caller, skirt)["faults"] == {}
    back = remade(caller, skirt, "skirt", RINGS)
    assert back["lost"] == ["the hold 'weights' is on 'tier 1', which the garment has no longer"]
    assert body(caller.get(f"/api/shots/{skirt}"))["revision"] == 2  # nothing is kept by asking


def test_vertices_and_strokes_go_along_when_the_hem_is_let_down(caller, skirt):
    number = body(caller.get(f"/api/shots/{skirt}"))["revision"]
    base = f"/api/shots/{skirt}/revisions/{number}/garments/skirt/mesh"
    rest = array(caller.get(f"{base}/rest")).reshape(-1, 3)
    hem = lowest_border(caller, skirt)
    front = rest[np.argmax(rest[:, 2] - 5 * np.abs(rest[:, 1] - FOOT - 0.9))]
    (garment,) = body(caller.get(f"/api/shots/{skirt}"))["document"]["garments"]
    hit = [*front.tolist(), 0.0, 0.0, 1.0, 1.0]
    stroke = {"kind": "stroke", "radius_mm": 30, "hits": [hit]}
    garment |= {
        "choices": [{"name": "hem", "choose": {"vertices": hem}}],
        "maps": [{"name": "stiff", "role": "bend", "steps": [stroke]}],
    }  # fmt: skip
    edited(caller, skirt, [garment])
    found = remade(caller, skirt, "skirt", RINGS | {"hem_mm": 600})
    assert found["lost"] == []
    edited(caller, skirt, found["garments"])
    number = body(caller.get(f"/api/shots/{skirt}"))["revision"]
    now = array(caller.get(f"/api/shots/{skirt}/revisions/{number}/garments/skirt/mesh/rest")).reshape(-1, 3)
    (choice,) = found["garments"][0]["choices"]
    assert choice["choose"]["vertices"] == lowest_border(caller, skirt)
    (step,) = found["garments"][0]["maps"][0]["steps"]
    share = (TOP - front[1]) / (TOP - rest[:, 1].min())
    assert (TOP - step["hits"][0][1]) / (TOP - now[:, 1].min()) == pytest.approx(share, abs=0.06)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"hem_mm": 1200}, "the hem, at 1200 mm, is not below the band"),
        ({"waist_mm": -300, "hem_mm": -900}, "no girth at a height of -300 mm"),
        ({"ease_mm": -60}, "too narrow at a height of"),
        ({"tiers": [{"depth_mm": 50, "gather": 0.5}]}, "tier 1 is gathered 0.5 times"),
        ({"spacing": {"draft_mm": 0.5}}, "more than 200,000"),
        ({"around": "yard arm"}, "made round 'yard arm', which is not in this shot"),
        ({"joint": "hips"}, "no joint 'hips'"),
    ],
)
def test_what_cannot_be_made_is_refused_in_words_and_nothing_changes(caller, skirt, change, says):
    said = remade(caller, skirt, "skirt", RINGS | change, 422)
    assert says in said["title"]
    assert said["remedy"]
    assert reading(caller, skirt)["faults"] == {}
    assert body(caller.get(f"/api/shots/{skirt}"))["revision"] == 1


def test_a_garment_whose_member_is_gone_stands_as_it_was(caller, skirt):
    before = reading(caller, skirt)["garments"]["skirt"]["vertices"]
    now = body(caller.get(f"/api/shots/{skirt}"))
    document = now["document"] | {"cast": [one for one in now["document"]["cast"] if one["name"] != "mast"]}
    body(caller.put(f"/api/shots/{skirt}", json={"seen": 1, "said": "out", "document": document}))
    read = reading(caller, skirt)
    assert "made round 'mast'" in read["faults"]["skirt"]["what"]
    assert "it stands as it was made last" in read["faults"]["skirt"]["remedy"]
    assert read["garments"]["skirt"]["vertices"] == before


def test_a_tier_is_sewn_on_another_garment_and_follows_its_cut(caller, skirt, store):
    tier = {
        "name": "frill", "fabric": "bunting",
        "recipe": {"kind": "flounce", "on": "skirt", "at_mm": 900, "depth_mm": 60, "gather": 1.5,
                   "spacing": {"draft_mm": 12}},
        "holds": [{"name": "sewn on", "choose": {"border": "highest"},
                   "how": {"kind": "stitched", "to": "skirt", "gap_mm": 1, "reach_mm": 40}}],
    }  # fmt: skip
    (garment,) = body(caller.get(f"/api/shots/{skirt}"))["document"]["garments"]
    edited(caller, skirt, [garment, tier])
    read = reading(caller, skirt)
    assert read["faults"] == {}
    seam = read["garments"]["frill"]["making"]["tapes"][0]
    assert (seam["name"], seam["height"]) == ("seam", pytest.approx(FOOT + 0.9, abs=1e-3))
    (held,) = read["garments"]["frill"]["holds"]
    assert held["holding"] == held["vertices"]
    seen = body(caller.get(f"/api/shots/{skirt}"))["revision"]
    take = body(caller.post(f"/api/shots/{skirt}/takes", json={"seen": seen}), 201)
    run_take(store, take["id"], MADE_WITH)
    done = body(caller.get(f"/api/takes/{take['id']}"))
    assert done["state"] == "finished"
    assert [one["through_another"] + one["through_itself"] for one in done["garments"]] == [0, 0]
    found = remade(caller, skirt, "skirt", RINGS | {"flare": 2.2})
    edited(caller, skirt, [found["garments"][0], *edited_frill(found, tier)])
    wider = reading(caller, skirt)["garments"]["frill"]["making"]["tapes"][0]
    assert wider["cloth_mm"] > seam["cloth_mm"] + 20
    edited(caller, skirt, [tier, garment])
    assert "not made before it" in reading(caller, skirt)["faults"]["frill"]["what"]


def edited_frill(found, tier):
    return [one for one in found["garments"] if one["name"] == "frill"] or [tier]


def test_a_file_is_meshed_anew_and_its_hold_stays_where_it_was(caller, store):
    shot = short_flag(store)
    (flag,) = body(caller.get(f"/api/shots/{shot}"))["document"]["garments"]
    smooth = [0.0] * 677
    rest = array(caller.get(f"/api/shots/{shot}/revisions/1/garments/{GARMENT}/mesh/rest")).reshape(-1, 3)
    smooth = (0.5 + 0.5 * np.sin(9 * rest[:, 0]) * np.cos(7 * rest[:, 1])).tolist()
    flag = flag | {"maps": [{"name": "m", "role": "bend", "steps": [{"kind": "values", "values": smooth}]}]}
    edited(caller, shot, [flag])
    rope = rest[:28]
    for spacing in (15, 5, 15):
        recipe = flag["recipe"] | {"spacing": {"draft_mm": spacing}}
        found = remade(caller, shot, GARMENT, recipe)
        assert found["lost"] == []
        edited(caller, shot, found["garments"])
        number = body(caller.get(f"/api/shots/{shot}"))["revision"]
        now = array(caller.get(f"/api/shots/{shot}/revisions/{number}/garments/{GARMENT}/mesh/rest")).reshape(
            -1, 3
        )
        held = now[found["garments"][0]["holds"][0]["choose"]["vertices"]]
        assert held[:, 1].min() > rope[:, 1].min() - 1e-6  # the rope's row and no other
        assert (held[:, 0].min(), held[:, 0].max()) == pytest.approx(
            (rope[:, 0].min(), rope[:, 0].max()), abs=1e-5
        )
        values = np.array(found["garments"][0]["maps"][0]["steps"][0]["values"])
        exact = 0.5 + 0.5 * np.sin(9 * now[:, 0]) * np.cos(7 * now[:, 1])
        assert np.sqrt(np.mean((values - exact) ** 2)) < 0.03
    assert reading(caller, shot)["faults"] == {}


def test_a_fine_take_starts_from_a_coarse_ones_pose(caller, skirt, store):
    now = body(caller.get(f"/api/shots/{skirt}"))
    longer = {"seen": 1, "said": "longer", "document": now["document"] | {"run_in": {"settle": 10, "move": 0}}}
    seen = body(caller.put(f"/api/shots/{skirt}", json=longer))["revision"]
    reading(caller, skirt)
    coarse = body(caller.post(f"/api/shots/{skirt}/takes", json={"seen": seen, "name": "coarse"}), 201)
    problem(caller.post(f"/api/takes/{coarse['id']}/begun", json={"seen": seen}), 409)
    run_take(store, coarse["id"], MADE_WITH)
    begun = body(caller.post(f"/api/takes/{coarse['id']}/begun", json={"seen": seen}))
    assert begun["document"]["garments"][0]["begins"]["take"] == "coarse"
    (stale,) = body(caller.get(f"/api/takes/{coarse['id']}"))["stale"]
    assert stale == "skirt: starts as made, now from coarse"
    found = remade(caller, skirt, "skirt", RINGS | {"spacing": RINGS["spacing"] | {"use": "fine"}})
    now = edited(caller, skirt, found["garments"])
    fine = body(caller.post(f"/api/shots/{skirt}/takes", json={"seen": now["revision"]}), 201)
    run_take(store, fine["id"], MADE_WITH)
    settled = array(caller.get(f"/api/takes/{coarse['id']}/garments/skirt/positions/1001/1001"))[0]
    first = array(caller.get(f"/api/takes/{fine['id']}/garments/skirt/positions/991/991"))[0]
    fine_rest = f"/api/shots/{skirt}/revisions/{now['revision']}/garments/skirt/mesh/rest"
    assert len(first) > 3 * len(settled)
    near = lambda one, other: np.linalg.norm(one[:, None] - other[None], axis=2).min(axis=1)  # noqa: E731
    assert near(settled, first).max() < 0.004
    assert np.abs(first - array(caller.get(fine_rest)).reshape(-1, 3)).max() > 3e-4  # and not as made
    beats = body(caller.get(f"/api/takes/{fine['id']}/pulse"))["garments"]["skirt"]
    assert all(beat["through_itself"] + beat["in_the_body"] == 0 for beat in beats)
    lines = body(caller.get(f"/api/takes/{fine['id']}/against/{coarse['id']}"))["lines"]
    assert lines == ["skirt: spacing 12 mm, now 6 mm", "skirt: starts as made, now from coarse"]


def test_what_is_wrong_with_a_mesh_is_told_and_put_right(caller, store):
    shot = short_flag(store)
    (flag,) = body(caller.get(f"/api/shots/{shot}"))["document"]["garments"]
    lines = (DEMO / "flag" / "signal_flag.obj").read_text().splitlines()
    faces = [index for index, line in enumerate(lines) if line.startswith("f ")]
    for index in faces[10:14]:
        head, *corners = lines[index].split()
        lines[index] = " ".join([head, *corners[::-1]])
    with store.begin() as session:
        sha = blobs.put(session, "\n".join(lines).encode())
        blobs.keep_upload(session, sha, "turned.obj")
    flag = copy.deepcopy(flag) | {"recipe": flag["recipe"] | {"file": "turned.obj"}}
    now = body(caller.get(f"/api/shots/{shot}"))
    edit = {
        "seen": 1,
        "said": "file",
        "document": now["document"] | {"garments": [flag]},
        "uploads": {"turned.obj": sha},
    }
    body(caller.put(f"/api/shots/{shot}", json=edit))
    assert "opposite directions" in reading(caller, shot)["faults"][GARMENT]["what"]
    (found,) = body(caller.get(f"/api/shots/{shot}/revisions/2/garments/{GARMENT}/health"))["findings"]
    assert (found["kind"], found["mends"]) == ("inside out", True)
    lit = array(caller.get(f"/api/shots/{shot}/revisions/2/garments/{GARMENT}/health/places"))
    assert lit.shape == (found["lit"], 3, 3)
    mended = remade(caller, shot, GARMENT, flag["recipe"] | {"mended": ["inside out"]})
    edited(caller, shot, mended["garments"])
    assert reading(caller, shot)["faults"] == {}
    assert body(caller.get(f"/api/shots/{shot}/revisions/3/garments/{GARMENT}/health"))["findings"] == []
    into_the_mast = mended["garments"][0]["recipe"] | {"placed": {"move": [-0.12, 0.0, 0.0]}}
    edited(caller, shot, [mended["garments"][0] | {"recipe": into_the_mast}])
    (found,) = body(caller.get(f"/api/shots/{shot}/revisions/4/garments/{GARMENT}/health"))["findings"]
    assert (found["kind"], found["mends"]) == ("inside a body", False)


def test_uvs_that_are_a_pattern_lay_the_cloth_flat(caller, store):
    shot = short_flag(store)
    read = reading(caller, shot)["garments"][GARMENT]
    assert read["making"]["isometry"][1] < 0.01
    (flag,) = body(caller.get(f"/api/shots/{shot}"))["document"]["garments"]
    found = remade(caller, shot, GARMENT, flag["recipe"] | {"rest": "uvs"})
    edited(caller, shot, found["garments"])
    after = reading(caller, shot)
    assert after["faults"] == {}
    assert after["garments"][GARMENT]["area"] == pytest.approx(read["area"], rel=1e-4)


def test_a_garment_is_made_without_a_server(tmp_path):
    shot = DEMO / "lamplighter" / "shot.json"
    needle = [sys.executable, "-m", "patient_needle.bootstrap.cli", "make", str(shot), "apron-skirt"]
    files = [tmp_path / name for name in ("one.obj", "two.obj")]
    for path in files:
        subprocess.run([*needle, "--out", str(path), "--spacing", "30", "--unit", "cm"], check=True)
    assert files[0].read_bytes() == files[1].read_bytes()
    mesh = read_figure(files[0], FigureAsk(None)).mesh
    assert mesh.vertices[:, 1].max() == pytest.approx(108.5, abs=0.5)
    assert list(mesh.groups) == ["waistband", "skirt", "tier_1", "tier_2", "tier_3"]
    wrong = subprocess.run(
        [*needle, "--out", str(files[0]), "--spacing", "0.1"], capture_output=True, text=True, check=False
    )
    assert wrong.returncode == 1
    assert "a spacing of 0.1 mm" in wrong.stderr


def test_a_map_of_spacing_makes_it_finer_there_and_goes_along_with_the_cut(caller, skirt):
    number = body(caller.get(f"/api/shots/{skirt}"))["revision"]
    base = f"/api/shots/{skirt}/revisions/{number}/garments/skirt/mesh"
    rest = array(caller.get(f"{base}/rest")).reshape(-1, 3)
    front = rest[np.argmax(rest[:, 2] - 5 * np.abs(rest[:, 1] - FOOT - 0.88))].tolist()
    stroke = {"kind": "stroke", "radius_mm": 60, "hits": [[*front, 0.0, 0.0, 1.0, 1.0]]}
    finer = {"map": "front", "span": [1.0, 0.4], "steps": [stroke]}
    spacing = RINGS["spacing"] | {"finer": finer}
    found = remade(caller, skirt, "skirt", RINGS | {"spacing": spacing})
    edited(caller, skirt, found["garments"])
    assert edge_near(caller, skirt, front) < 0.6 * edge_near(caller, skirt, [front[0], front[1], -front[2]])
    recipe = body(caller.get(f"/api/shots/{skirt}"))["document"]["garments"][0]["recipe"]
    longer = remade(caller, skirt, "skirt", recipe | {"hem_mm": 600})["garments"][0]["recipe"]
    (moved,) = longer["spacing"]["finer"]["steps"]
    assert moved["hits"][0][1] < front[1] - 0.05
    values = {"kind": "values", "values": [0.5]}
    bad = RINGS | {"spacing": spacing | {"finer": finer | {"steps": [values]}}}
    problem(caller.post(f"/api/shots/{skirt}/revisions/2/garments/skirt/remade", json={"recipe": bad}), 422)


def edge_near(caller, shot, place):
    """The mean edge within 5 cm of a place, m."""
    number = body(caller.get(f"/api/shots/{shot}"))["revision"]
    base = f"/api/shots/{shot}/revisions/{number}/garments/skirt/mesh"
    points = array(caller.get(f"{base}/rest")).reshape(-1, 3)
    triangles = array(caller.get(f"{base}/triangles")).reshape(-1, 3)
    corners = points[triangles]
    near = np.linalg.norm(corners.mean(axis=1) - place, axis=1) < 0.05
    return float(np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2)[near].mean())


def test_a_tier_of_its_own_cloth_weighs_and_hangs_as_that_does(caller, skirt, store):
    now = body(caller.get(f"/api/shots/{skirt}"))
    (bunting,) = now["document"]["fabrics"]
    heavy = bunting | {"name": "heavy", "areal_density": 4 * bunting["areal_density"]}
    tiered = RINGS | {"tiers": [{"depth_mm": 60, "gather": 1.4, "fabric": "heavy"}]}
    garment = now["document"]["garments"][0] | {"recipe": tiered}
    document = now["document"] | {"garments": [garment]}
    edit = {"seen": 1, "said": "tier", "document": document}
    body(caller.put(f"/api/shots/{skirt}", json=edit))
    assert "'heavy', which is not in the swatch book" in reading(caller, skirt)["faults"]["skirt"]["what"]
    edit = {"seen": 2, "said": "cloth", "document": document | {"fabrics": [bunting, heavy]}}
    body(caller.put(f"/api/shots/{skirt}", json=edit))
    read = reading(caller, skirt)
    assert read["faults"] == {}
    *others, tier = read["garments"]["skirt"]["making"]["courses"]
    areas = [(c["top_mm"] + c["hem_mm"]) / 2 * c["depth_mm"] * 1e-6 for c in (*others, tier)]
    grams = 1e3 * bunting["areal_density"] * (sum(areas[:-1]) + 4 * areas[-1])
    assert read["garments"]["skirt"]["making"]["grams"] == pytest.approx(grams, rel=2e-3)
    take = body(caller.post(f"/api/shots/{skirt}/takes", json={"seen": 3}), 201)
    run_take(store, take["id"], MADE_WITH)
    done = body(caller.get(f"/api/takes/{take['id']}"))
    assert (done["state"], done["garments"][0]["through_itself"]) == ("finished", 0)
