"""The Cast bench as an artist uses it: files from elsewhere, understudies, cuts, shapes, what is carried."""

from __future__ import annotations

import re
import sys
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect

from patient_needle.core.model.mesh import Mesh
from patient_needle.formats.obj import read_obj, write_obj
from patient_needle.formats.registry import CacheTiming, write_cache
from tests.acceptance.test_workroom import open_shot, room, stage, type_into  # noqa: F401
from tests.houses import DEMO, until

SLOW = 150_000  # ms; the first search of a figure takes some seconds on an idle machine


@pytest.fixture(scope="session")
def others(tmp_path_factory) -> Path:
    """The lamplighter in centimetres, Z up, 30 frames a second."""
    sys.path.insert(0, str(DEMO))
    import other_files

    folder = tmp_path_factory.mktemp("others")
    other_files.main(folder)
    return folder


@pytest.fixture
def own_shot(room: Page) -> Page:  # noqa: F811
    """A new, empty shot."""
    room.get_by_role("combobox", name="Shot").click()
    room.get_by_role("option", name="Make a new shot").click()
    expect(room.get_by_text("Nobody yet")).to_be_visible()
    return room


def bring_in(page: Page, *paths: Path) -> Locator:
    page.get_by_label("File to bring in").set_input_files([str(path) for path in paths])
    expect(page.get_by_role("button", name="Put it in the shot")).to_be_visible(timeout=SLOW)
    return page.get_by_role("group", name=re.compile("^Placing"))


def bring_lamplighter(page: Page) -> None:
    """Bring the demo's figure into the shot, as it is proposed."""
    bring_in(page, DEMO / "lamplighter" / "lamplighter.glb")
    page.get_by_role("button", name="Put it in the shot").click()
    expect(page.get_by_role("group", name="lamplighter", exact=True)).to_contain_text("1.72 m", timeout=SLOW)


def member(page: Page, name: str) -> Locator:
    return page.get_by_role("group", name=name, exact=True)


def unfold(panel: Locator, title: str) -> None:
    panel.get_by_role("button", name=re.compile(f"^{title}")).click()


def choose(page: Page, panel: Locator, label: str, option: str) -> None:
    panel.get_by_label(label, exact=True).click()
    page.get_by_role("option", name=option).click()


def test_a_cache_in_centimetres_lying_down_is_put_right_by_what_is_offered(own_shot: Page, others: Path):
    placing = bring_in(own_shot, others / "lamplighter_cm.abc")
    expect(placing).to_contain_text("by points, frames 1 to 149")
    expect(placing).to_contain_text("30 frames a second")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    wrong = own_shot.get_by_role("group", name=re.compile("^What looks wrong"))
    expect(wrong).to_contain_text("probably in centimetres", timeout=SLOW)
    expect(wrong).to_contain_text("lies down")
    before = wrong.get_by_role("img", name=re.compile("^As read: .* m tall beside a human of 1.75 m"))
    assert float(re.search(r"([\d.]+) m tall", before.get_attribute("aria-label"))[1]) > 70
    after = wrong.get_by_role("img", name=re.compile("^After"))
    assert float(re.search(r"([\d.]+) m tall", after.get_attribute("aria-label"))[1]) == pytest.approx(
        1.67, abs=0.02
    )
    wrong.get_by_role("button", name="Do all 2").click()
    panel = member(own_shot, "lamplighter cm")
    expect(panel).to_contain_text("1.67 m tall, as tall as a grown human", timeout=SLOW)
    expect(own_shot.get_by_role("banner")).to_contain_text("30/s")
    expect(wrong).to_have_count(0)


def test_a_skeleton_is_read_as_it_states_and_takes_another_files_motion(own_shot: Page, others: Path):
    placing = bring_in(own_shot, others / "lamplighter_cm.usdc")
    expect(placing).to_contain_text("0.01 m to a unit, Z up, 30 frames a second")
    own_shot.get_by_label("Name", exact=True).fill("walker")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    panel = member(own_shot, "walker")
    expect(panel).to_contain_text("1.72 m tall", timeout=SLOW)
    expect(panel.get_by_label("File unit")).to_contain_text("centimetres")
    placing = bring_in(own_shot, DEMO / "lamplighter" / "lamplighter.glb")
    choose(own_shot, placing, "Kind", "motion for a character already here")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    expect(panel).to_contain_text("joints found by name", timeout=SLOW)
    unfold(panel, "Motion")
    expect(panel).to_contain_text("Moved by lamplighter.glb")
    panel.get_by_role("button", name="Back to its own motion").click()
    expect(panel).not_to_contain_text("joints found by name", timeout=SLOW)


def test_numbered_files_are_one_moving_mesh_and_a_gap_is_named(own_shot: Page, tmp_path: Path):
    points = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)], float)
    paths = []
    for number in (1001, 1002, 1003, 1004):
        mesh = Mesh(
            "flap", points + [0, 0, 0.1 * number], np.array([4], np.int32), np.arange(4, dtype=np.int32)
        )
        paths.append(tmp_path / f"flap.{number}.obj")
        write_obj(paths[-1], mesh)
    own_shot.get_by_label("File to bring in").set_input_files([str(paths[0]), str(paths[1]), str(paths[3])])
    expect(own_shot.get_by_role("alert")).to_contain_text("1003", timeout=SLOW)
    placing = bring_in(own_shot, *paths)
    expect(placing).to_contain_text("frames 1001 to 1004")
    choose(own_shot, placing, "Kind", "prop")
    own_shot.get_by_label("Name", exact=True).fill("flap")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    expect(member(own_shot, "flap")).to_contain_text("frames 1001 to 1004", timeout=SLOW)


def test_an_understudy_stands_in_and_says_how_well(room: Page):  # noqa: F811
    open_shot(room, "Lamplighter 0040")
    body = member(room, "lamplighter")
    unfold(body, "Collider")
    choose(room, body, "Understudy", "its mesh with fewer triangles")
    expect(body).to_contain_text("4,000 of 10,326", timeout=SLOW)
    expect(body).to_contain_text("Watertight")
    worst = re.search(r"Largest deviation\s*([\d.]+)\smm", body.inner_text())
    assert float(worst[1]) < 6.0
    before = stage(room)
    body.get_by_role("button", name="Show the understudy").click()
    expect(body.get_by_role("button", name="Show the member")).to_be_visible()
    room.wait_for_timeout(3000)
    assert (np.abs(stage(room) - before).max(axis=2) > 20).mean() > 0.01, "it is not shown, or not shaded"
    choose(room, body, "Understudy", "a capsule on each part")
    expect(body.get_by_label("Longest edge, mm")).to_be_visible(timeout=SLOW)
    for _ in range(2):
        room.get_by_role("button", name="Undo").click()
    expect(body.get_by_label("Understudy", exact=True)).to_contain_text("none", timeout=SLOW)


def test_cuts_into_itself_are_found_lit_and_gone_to(room: Page):  # noqa: F811
    open_shot(room, "Lamplighter 0040")
    body = member(room, "lamplighter")
    unfold(body, "Cuts into itself")
    body.get_by_role("button", name="Find the places").click()
    kneel = body.get_by_role("button", name=re.compile(r"shank. and thigh., 11\d\d")).first
    expect(kneel).to_be_visible(timeout=SLOW)
    assert float(re.search(r"([\d.]+)\smm", kneel.inner_text())[1]) > 5
    kneel.click()
    frame = int(room.get_by_role("slider", name="Frame").get_attribute("aria-valuenow"))
    assert 1100 <= frame <= 1120
    room.wait_for_timeout(3000)
    lit = stage(room)
    body.get_by_role("button", name="Stop showing them").click()
    room.wait_for_timeout(1500)
    out = stage(room)
    madder = lambda p: int(((p[:, :, 0] > p[:, :, 1] * 1.6) & (p[:, :, 0] > 50)).sum())  # noqa: E731
    assert madder(lit) > madder(out) + 5


def test_a_body_grows_into_its_garment_and_a_collider_is_switched(room: Page):  # noqa: F811
    open_shot(room, "Lamplighter 0040")
    body = member(room, "lamplighter")
    unfold(body, "Second shapes")
    body.get_by_role("button", name="Grow it into the garment").click()
    shape = body.get_by_role("group", name="Shape slimmed")
    expect(shape.get_by_label("Drawn inwards, mm")).to_have_value("15")
    keys = shape.get_by_label("Frame", exact=True)
    expect(keys).to_have_count(2)
    expect(keys.first).to_have_value("961")
    block = member(room, "mooring block")
    unfold(block, "Collider")
    type_into_panel(block, "From frame", 1010)
    type_into_panel(block, "Until frame", 1080)
    kept = re.compile("Undo: mooring block.* from 1010 until 1080")
    expect(room.get_by_role("button", name="Undo")).to_have_attribute("title", kept)
    room.reload()
    unfold(member(room, "mooring block"), "Collider")
    expect(member(room, "mooring block").get_by_label("Until frame")).to_have_value("1080")
    for _ in range(3):
        room.get_by_role("button", name="Undo").click()
    expect(
        member(room, "lamplighter").get_by_role("button", name=re.compile("^Second shapes"))
    ).to_contain_text("none")


def test_a_prop_is_carried_by_a_joint_and_a_floor_is_laid(own_shot: Page):
    for file in ("lamplighter.glb", "bollard.obj"):
        placing = bring_in(own_shot, DEMO / "lamplighter" / file)
        if file == "bollard.obj":
            choose(own_shot, placing, "Kind", "prop")
        own_shot.get_by_role("button", name="Put it in the shot").click()
        expect(member(own_shot, file.split(".")[0])).to_contain_text("Vertices", timeout=SLOW)
    lamp = member(own_shot, "bollard")
    unfold(lamp, "Carried")
    choose(own_shot, lamp, "Carried by", "lamplighter")
    expect(lamp.get_by_label("Joint", exact=True)).to_be_visible(timeout=SLOW)
    choose(own_shot, lamp, "Joint", "handL")
    expect(lamp).to_contain_text(re.compile("Moves\\s*frames"), timeout=SLOW)
    own_shot.get_by_role("button", name="Lay a floor at height 0").click()
    expect(member(own_shot, "floor")).to_contain_text("0.30 m high", timeout=SLOW)


def test_points_of_a_cache_move_a_mesh_that_is_there(own_shot: Page, tmp_path: Path):
    post = DEMO / "lamplighter" / "bollard.obj"
    (mesh,) = read_obj(post)
    frames = [mesh.vertices + [0, 0, 0.01 * k] for k in range(30)]
    write_cache(tmp_path / "slide.pc2", mesh, iter(frames), CacheTiming(1001, 24))
    placing = bring_in(own_shot, post)
    choose(own_shot, placing, "Kind", "prop")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    panel = member(own_shot, "bollard")
    expect(panel).to_contain_text("stands still", timeout=SLOW)
    write_obj(tmp_path / "stout.obj", mesh.with_vertices(mesh.vertices * [1.2, 1.0, 1.2]))
    placing = bring_in(own_shot, tmp_path / "stout.obj")
    choose(own_shot, placing, "Kind", "second shape of one of the cast")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    expect(own_shot.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("takes on stout"))
    placing = bring_in(own_shot, tmp_path / "slide.pc2")
    expect(placing).to_contain_text(f"{mesh.vertex_count} points over 30 frames")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    expect(panel).to_contain_text("frames 1001 to 1030", timeout=SLOW)
    expect(panel).to_contain_text("0.2 m/s")
    expect(own_shot.get_by_role("banner")).to_contain_text(re.compile("1001 to 1030"))


def test_a_body_inside_out_is_named_and_turned_and_a_short_run_in_lengthened(own_shot: Page, tmp_path: Path):
    text = (DEMO / "lamplighter" / "bollard.obj").read_text().splitlines()
    turned = [" ".join(["f", *line.split()[:0:-1]]) if line.startswith("f ") else line for line in text]
    (tmp_path / "post.obj").write_text("\n".join(turned) + "\n")
    placing = bring_in(own_shot, tmp_path / "post.obj")
    choose(own_shot, placing, "Kind", "set piece")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    panel = member(own_shot, "post")
    expect(panel.get_by_role("alert")).to_contain_text("look inwards", timeout=SLOW)
    panel.get_by_role("button", name="Turn its faces outwards").click()
    expect(panel.get_by_role("alert")).to_have_count(0, timeout=SLOW)
    placing = bring_in(own_shot, DEMO / "lamplighter" / "lamplighter.glb")
    own_shot.get_by_role("button", name="Put it in the shot").click()
    expect(member(own_shot, "lamplighter")).to_contain_text("1.72 m tall", timeout=SLOW)
    type_into(own_shot, "Move, frames", 4)
    suggested = own_shot.get_by_role("button", name=re.compile(r"^Move over \d+ frames"))
    expect(suggested).to_be_visible(timeout=SLOW)
    wanted = re.search(r"\d+", suggested.inner_text())[0]
    suggested.click()
    expect(own_shot.get_by_label("Move, frames")).to_have_value(wanted)
    expect(suggested).to_have_count(0, timeout=SLOW)


def type_into_panel(panel: Locator, label: str, value: object) -> None:
    field = panel.get_by_label(label, exact=True)
    field.fill(str(value))
    field.press("Enter")


def test_faces_are_drawn_around_to_be_left_out_and_taken_in_again(room: Page):  # noqa: F811
    open_shot(room, "Lamplighter 0040")
    body = member(room, "lamplighter")
    unfold(body, "Collider")
    room.get_by_role("button", name="Front", exact=True).click()
    body.get_by_role("button", name="Draw around faces to leave out").click()
    canvas = room.get_by_role("img", name=re.compile("The stage")).bounding_box()
    x, y = canvas["x"] + canvas["width"] / 2, canvas["y"] + canvas["height"] / 2
    room.mouse.move(x - 150, y - 200)
    room.mouse.down()
    for to in ((x + 150, y - 200), (x + 150, y), (x - 150, y), (x - 150, y - 200)):
        room.mouse.move(*to, steps=6)
    room.mouse.up()
    said = body.get_by_text(re.compile(r"\d+ faces left out"))
    expect(said).to_be_visible(timeout=SLOW)
    some = int(said.inner_text().split()[0].replace(",", ""))
    assert 100 < some < 6000
    until(lambda: int((np.abs(stage(room) - [192, 74, 62]).max(axis=2) < 70).sum()) > 500, 60)
    body.get_by_role("button", name="Take them in again").click()
    expect(said).to_have_count(0)
    body.get_by_role("button", name="Done drawing").click()
    for _ in range(2):
        room.get_by_role("button", name="Undo").click()
    expect(room.get_by_role("button", name="Redo")).to_be_enabled()
