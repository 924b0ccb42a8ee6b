"""From Cast to a downloaded cache, by labels and roles as an artist goes; the stage is judged by its pixels."""

from __future__ import annotations

import io
import re
from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Error as PlaywrightError
from playwright.sync_api import Page, expect

from tests.acceptance.workrooms import ROOT
from tests.houses import DEMO, until
from tests.reference.ogawa import mesh_samples

AXE = (ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js").read_text()
SLOW = 180_000  # ms; software rendering beside a running simulation


@pytest.fixture
def room(page: Page, open_house):
    page.set_default_timeout(30_000)
    faults: list[str] = []
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.goto(open_house.address)
    expect(page.get_by_role("heading", name="Cast").first).to_be_visible()
    yield page
    assert faults == []


def bench(page: Page, name: str) -> None:
    page.get_by_label("The thread").get_by_role("button", name=re.compile(f"^{name}")).click()
    expect(page.get_by_role("complementary", name=name)).to_be_visible()


def open_shot(page: Page, name: str) -> None:
    page.get_by_role("combobox", name="Shot").click()
    page.get_by_role("option", name=name).click()
    expect(page.get_by_role("img", name=re.compile(f"The stage: {name}"))).to_be_visible()


def type_into(page: Page, label: str, value: object) -> None:
    field = page.get_by_label(label, exact=True)
    field.fill(str(value))
    field.press("Enter")


def stage(page: Page) -> np.ndarray:
    """The stage's pixels (h, w, 3), as ints; where buttons and notes lie over it they are grey."""
    shot = page.get_by_role("img", name=re.compile("The stage")).screenshot(scale="css")
    pixels = np.array(Image.open(io.BytesIO(shot)).convert("RGB")).astype(int)
    pixels[:60] = pixels[-80:] = 128
    return pixels


def outside(pixels: np.ndarray) -> int:
    """How many pixels have the dye of the first garment's outside, which is bluer than it is red."""
    return int((pixels[:, :, 2] > pixels[:, :, 0] + 18).sum())


def inside(pixels: np.ndarray) -> int:
    """... or of its inside, which is a good deal redder than it is blue."""
    return int((pixels[:, :, 0] > pixels[:, :, 2] + 30).sum())


def to_frame(page: Page, frame: int) -> None:
    """Scrub to a frame with the keyboard."""
    tape = page.get_by_role("slider", name="Frame")
    tape.focus()
    tape.press("Home")
    first = int(tape.get_attribute("aria-valuemin"))
    for _ in range((frame - first) // 10):
        tape.press("PageDown")
    for _ in range((frame - first) % 10):
        tape.press("ArrowRight")
    expect(tape).to_have_attribute("aria-valuenow", str(frame))


def look_at(page: Page, frame: int) -> np.ndarray:
    """The stage at a frame, once it has been drawn and stays the same."""
    to_frame(page, frame)
    seen = [stage(page)]

    def steady():
        seen.append(stage(page))
        return np.array_equal(seen[-1], seen[-2]) and outside(seen[-1]) + inside(seen[-1]) > 500

    until(steady, 60, 0.4)
    return seen[-1]


def test_from_cast_to_a_downloaded_cache(room: Page, open_house, tmp_path: Path):
    # Cast: the figures of what was read, then a short range with a short run-in.
    figure = room.get_by_role("group", name="lamplighter", exact=True)
    expect(figure).to_contain_text("1.72 m tall, as tall as a grown human", timeout=SLOW)
    expect(figure).to_contain_text("5,165")
    expect(room.get_by_role("group", name="apron-skirt", exact=True)).to_contain_text("5,760")
    type_into(room, "Last frame", 1006)
    type_into(room, "Settle, frames", 4)
    type_into(room, "Move, frames", 14)
    expect(room.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("moves 14"))

    # Fasten: let go of the waistband, point at the waist, press it, hold it to the body.
    bench(room, "Fasten")
    room.get_by_role("button", name="Let go of waistband").click()
    expect(room.get_by_text("Nothing is held")).to_be_visible()
    room.get_by_role("button", name="Front", exact=True).click()
    until(lambda: outside(stage(room)) > 5000, 30)
    canvas = room.get_by_role("img", name=re.compile("The stage"))
    blue = stage(room)
    rows, columns = np.nonzero(blue[:, :, 2] > blue[:, :, 0] + 18)
    waist = rows.min()
    middle = int(columns[rows < waist + 12].mean())
    canvas.hover(position={"x": middle, "y": int(waist) + 8})
    highest = room.get_by_role("button", name=re.compile("^Highest border"))
    canvas.click(position={"x": middle, "y": int(waist) + 8})
    expect(highest).to_have_attribute("aria-pressed", "true")
    room.get_by_role("slider", name=re.compile("Grow by, rows")).press("ArrowRight")
    room.get_by_role("button", name="Hold it to the lamplighter").click()
    expect(room.get_by_role("group", name="Hold highest border")).to_contain_text("welded to the lamplighter")
    expect(room.get_by_label("The thread")).to_contain_text("1 hold")

    # Takes: run, watch it come, look at it.
    bench(room, "Takes")
    room.get_by_label("Name of the take").fill("Short walk")
    room.get_by_role("button", name="Run frames 1001 to 1006").click()
    take = room.get_by_role("group", name="Short walk")
    expect(take).to_contain_text("running", timeout=SLOW)
    expect(take).to_contain_text("s a frame", timeout=SLOW)
    # The stage goes along with the run, until somebody chooses a frame.
    take.get_by_label("Follow the newest frame").check()
    frame = room.get_by_role("slider", name="Frame")
    until(lambda: int(frame.get_attribute("aria-valuenow") or 0) > 985, 60)
    expect(take).to_contain_text("finished", timeout=SLOW)
    expect(take).to_contain_text(re.compile(r"the worst edge \d+\.\d"))
    assert int(frame.get_attribute("aria-valuenow") or 0) > 990
    first, last = look_at(room, 983), look_at(room, 1006)
    assert outside(first) > 5000
    assert np.abs(first - last).max(axis=2).mean() > 1.0
    room.get_by_role("button", name="Inside", exact=True).click()
    until(lambda: inside(stage(room)) > 3000, 30)
    room.get_by_role("button", name="Stretch", exact=True).click()
    expect(room.get_by_role("figure", name=re.compile("Stretch of each place: 0 % to 5 %"))).to_be_visible()
    room.get_by_role("button", name="Cloth", exact=True).click()

    # Hand-off: write, see every check, download, and read the file with a reader of our own.
    bench(room, "Hand-off")
    room.get_by_role("combobox", name="Unit").click()
    room.get_by_role("option", name="centimetres").click()
    room.get_by_role("button", name="Write and check").click()
    delivery = room.get_by_role("group", name=re.compile(r"Short_walk\.abc"))
    expect(delivery).to_contain_text("ready, every check is good", timeout=SLOW)
    expect(delivery).to_contain_text("5,760 vertices, as the garment has in the shot")
    expect(delivery).to_contain_text("6 samples from frame 1001, 24 a second")
    with room.expect_download() as download:
        delivery.get_by_role("link", name=re.compile("Download")).click()
    path = tmp_path / "skirt.abc"
    download.value.save_as(path)
    points = mesh_samples(path, "apron-skirt", "apron-skirtShape")["P"]
    assert len(points) == 6
    assert points[0].reshape(-1, 3).shape == (5760, 3)
    assert 95 < points[0].reshape(-1, 3)[:, 1].max() < 112  # a waist, in centimetres

    # A change makes the take stale, in words, on the thread and on the take.
    bench(room, "Cast")
    type_into(room, "Last frame", 1008)
    bench(room, "Takes")
    expect(take).to_contain_text("frame range 1001 1006, now 1001 1008")
    expect(room.get_by_label("The thread")).to_contain_text("Short walk is stale")


def test_two_takes_side_by_side_share_camera_and_clock(room: Page, open_house):
    open_shot(room, "Signal flag 0010")
    bench(room, "Cast")
    type_into(room, "Last frame", 1012)
    bench(room, "Takes")
    for name, patience in (("Quick", "First look"), ("Slow", "Working")):
        room.get_by_label("Name of the take").fill(name)
        room.get_by_role("radio", name=re.compile(patience)).check()
        room.get_by_role("button", name="Run frames 1001 to 1012").click()
        expect(room.get_by_role("group", name=name)).to_contain_text("finished", timeout=SLOW)
    room.get_by_role("button", name="Show Quick beside").click()
    pixels = look_at(room, 1010)
    half = pixels.shape[1] // 2
    left, right = pixels[:, : half - 2], pixels[:, half + 2 :]
    assert min(outside(left) + inside(left), outside(right) + inside(right)) > 500
    expect(room.get_by_text(re.compile(r"Slow · 1010"))).to_be_visible()
    expect(room.get_by_text(re.compile(r"Quick · 1010"))).to_be_visible()


def test_a_take_is_stopped_renamed_gone_on_with_extended_and_deleted(room: Page):
    open_shot(room, "Signal flag 0010")
    type_into(room, "Last frame", 1040)
    bench(room, "Takes")
    room.get_by_label("Name of the take").fill("Draft")
    room.get_by_role("button", name="Run frames 1001 to 1040").click()
    draft = room.get_by_role("group", name="Draft", exact=True)
    expect(draft).to_contain_text("s a frame", timeout=SLOW)
    room.get_by_role("button", name="Stop Draft").click()
    expect(draft).to_contain_text("stopped at", timeout=SLOW)
    room.get_by_role("button", name="Rename Draft").click()
    type_into(room, "New name", "Kept")
    kept = room.get_by_role("group", name="Kept", exact=True)
    room.get_by_role("button", name="Go on with Kept").click()
    expect(kept).to_contain_text("finished", timeout=SLOW)
    room.get_by_role("button", name="Extend Kept").click()
    type_into(room, "To frame", 1043)
    kept.get_by_role("button", name="Extend", exact=True).click()
    expect(kept).to_contain_text("1001 to 1043")
    expect(kept).to_contain_text("finished", timeout=SLOW)
    room.get_by_role("button", name="Delete Kept", exact=True).click()
    room.get_by_role("button", name="Really delete Kept").click()
    expect(kept).to_have_count(0)


def test_wind_calm_and_time_are_set_and_taken_back(room: Page):
    bench(room, "Takes")
    fold = room.get_by_role("button", name="Wind, calm and time")
    expect(fold).to_contain_text("still air")
    fold.click()
    room.get_by_role("button", name="Let a wind blow").click()
    expect(room.get_by_role("group", name="Wind wind")).to_be_visible()
    type_into(room, "Strength, m/s", 6.5)
    type_into(room, "Full from frame", 1000)
    expect(room.get_by_text("At least 1", exact=False).first).to_be_visible()
    type_into(room, "Full from frame", 1099)
    calm = room.get_by_role("slider", name=re.compile("^apron-skirt|^signal flag"))
    calm.press("ArrowRight")
    expect(fold).to_contain_text("1 wind, calmed")
    type_into(room, "Seconds for the cloth per second of the shot", 2)
    expect(fold).to_contain_text("stretched")
    room.reload()
    bench(room, "Takes")
    expect(fold).to_contain_text("1 wind, calmed, stretched")
    fold.click()
    expect(room.get_by_label("Strength, m/s")).to_have_value("6.5")
    expect(room.get_by_label("Full from frame")).to_have_value("1099")
    for _ in range(5):  # as many as there were edits: a field kept on Enter and then left is one
        room.get_by_role("button", name="Undo").click()
    expect(fold).to_contain_text("still air")


def test_how_cloth_meets_a_member_is_set_and_taken_back(room: Page):
    fold = room.get_by_role("button", name=re.compile("^Collider")).first
    expect(fold).to_contain_text("mm off")
    before = fold.inner_text()
    fold.click()
    type_into(room, "Clearance, mm", 9)
    expect(fold).to_contain_text("9 mm off")
    room.get_by_role("checkbox", name="Keeps cloth off").click()
    expect(fold).to_contain_text("not at all")
    for _ in range(2):
        room.get_by_role("button", name="Undo").click()
    until(lambda: fold.inner_text().split()[:-1] == before.split()[:-1], 30)


def test_a_swatch_is_chosen_from_the_book_changed_and_taken_back(room: Page):
    bench(room, "Wardrobe")
    garment = room.get_by_role("region", name=re.compile("in this fabric$"))
    expect(garment).to_contain_text("Weighs", timeout=SLOW)
    before = garment.inner_text()
    room.get_by_label("Made of").click()
    room.get_by_role("option", name=re.compile("^denim")).click()
    expect(room.get_by_label("Weight, g/m²")).to_have_value("430")
    type_into(room, "Bend, warp, µN·m", 90)
    room.get_by_role("button", name=re.compile("^Stretch and compression")).click()
    warp = room.get_by_role("group", name="Pull along warp")
    warp.get_by_role("button", name="Give measured points").click()
    expect(warp.get_by_label("Strain, %")).to_have_count(3)
    force = warp.get_by_label("Force, N/m").last
    force.fill("20")
    force.press("Enter")
    expect(room.get_by_text("must take more force")).to_be_visible()
    type_into(room, "Strain limit, %", 5)
    expect(room.get_by_role("button", name=re.compile("^Stretch and compression"))).to_contain_text(
        "1 measured, limited"
    )
    assert garment.inner_text() != before
    for _ in range(4):
        room.get_by_role("button", name="Undo").click()
    expect(room.get_by_label("Weight, g/m²")).not_to_have_value("430")
    expect(garment).to_have_text(before, use_inner_text=True, timeout=SLOW)


def test_playing_goes_through_the_frames(room: Page):
    tape = room.get_by_role("slider", name="Frame")
    to_frame(room, int(tape.get_attribute("aria-valuemin")))
    before = int(tape.get_attribute("aria-valuenow"))
    room.get_by_role("button", name="Play").click()
    until(lambda: int(tape.get_attribute("aria-valuenow")) > before + 3, 30)
    room.get_by_role("button", name="Pause").click()


def test_keys_reach_every_bench_and_the_sheet_lists_them(room: Page):
    for key, name in enumerate(("Cast", "Wardrobe", "Chalk", "Fasten", "Drape", "Takes", "Hand-off"), 1):
        room.keyboard.press(str(key))
        expect(room.get_by_role("complementary", name=name)).to_be_visible()
    room.keyboard.press("?")
    expect(room.get_by_role("dialog", name="Keys and gestures")).to_contain_text("Play or pause")
    room.keyboard.press("Escape")
    room.keyboard.press("1")
    expect(room.get_by_role("complementary", name="Cast")).to_be_visible()


def test_a_damaged_file_is_refused_on_screen_and_a_good_one_placed(room: Page, tmp_path: Path):
    open_shot(room, "Signal flag 0010")
    broken = tmp_path / "broken.obj"
    broken.write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n")
    room.get_by_label("File to bring in").set_input_files(broken)
    expect(room.get_by_role("alert").filter(has_text="broken.obj")).to_be_visible()
    room.get_by_role("button", name="Close", exact=True).click()
    room.get_by_label("File to bring in").set_input_files(DEMO / "lamplighter" / "bollard.obj")
    placing = room.get_by_role("group", name="Placing bollard.obj")
    placing.get_by_role("combobox", name="Kind").click()
    room.get_by_role("option", name="set piece").click()
    placing.get_by_role("button", name="Put it in the shot").click()
    expect(room.get_by_role("group", name="bollard", exact=True)).to_contain_text("0.54 m high")
    room.get_by_role("button", name="Undo").click()
    expect(room.get_by_role("group", name="bollard", exact=True)).to_have_count(0)


def test_a_shot_from_nothing_to_ready(room: Page):
    room.get_by_role("combobox", name="Shot").click()
    room.get_by_role("option", name="Make a new shot").click()
    expect(room.get_by_text("Nobody yet. Bring in a character first.")).to_be_visible()
    bench(room, "Takes")
    expect(room.get_by_role("alert")).to_contain_text("There is no garment to simulate")
    expect(room.get_by_role("button", name="Run frames")).to_be_disabled()
    bench(room, "Cast")
    for name in ("lamplighter.glb", "apron_skirt.obj"):
        room.get_by_label("File to bring in").set_input_files(DEMO / "lamplighter" / name)
        room.get_by_role("group", name=f"Placing {name}").get_by_role(
            "button", name="Put it in the shot"
        ).click()
    expect(room.get_by_role("group", name="lamplighter", exact=True)).to_contain_text("frames 1001 to 1120")
    expect(room.get_by_role("group", name="apron skirt", exact=True)).to_contain_text("4.0")  # mm off the body
    type_into(room, "Last frame", 1200)
    expect(room.get_by_role("alert")).to_contain_text("its animation from 1001 to 1120")
    room.get_by_role("button", name="Use its frames, 1001 to 1120").click()
    bench(room, "Fasten")
    room.get_by_role("button", name=re.compile("^Highest border")).click()
    room.get_by_role("button", name="Hold it to the lamplighter").click()
    bench(room, "Takes")
    expect(room.get_by_role("button", name="Run frames 1001 to 1120")).to_be_enabled()


def test_a_unit_mistake_is_said_where_it_is(room: Page):
    open_shot(room, "Lamplighter 0040")
    figure = room.get_by_role("group", name="lamplighter", exact=True)
    figure.get_by_role("combobox", name="File unit").click()
    room.get_by_role("option", name="centimetres").click()
    expect(figure.get_by_role("alert")).to_contain_text("no human is")
    expect(room.get_by_label("The thread")).to_contain_text("fault")
    room.get_by_role("button", name="Undo").click()
    expect(figure).to_contain_text("as tall as a grown human")


@pytest.mark.parametrize("theme", ["daylight", "dimmed"])
def test_nothing_serious_for_accessibility_on_any_bench(room: Page, theme):
    room.emulate_media(reduced_motion="reduce")  # else colours are measured on their way from light to light
    if theme == "dimmed":
        room.get_by_role("button", name="Dim").click()
    for name in ("Cast", "Chalk", "Fasten", "Takes", "Hand-off"):
        bench(room, name)
        room.evaluate(AXE)
        found = room.evaluate("axe.run(document, {resultTypes: ['violations']})")["violations"]
        grave = [
            (v["id"], [n["html"][:160] for n in v["nodes"]][:3])
            for v in found
            if v["impact"] in ("serious", "critical")
        ]
        assert grave == [], name


def test_a_shot_that_cannot_be_read_says_why_and_is_read_again(room: Page):
    problem = {"title": "the desk has no room left", "where": "the reading", "remedy": "Free some of the disk"}
    room.route(
        "**/reading",
        lambda route: route.fulfill(status=507, content_type="application/problem+json", json=problem),
    )
    room.reload()
    alert = room.get_by_role("alert").filter(has_text="could not be read")
    expect(alert).to_contain_text("the desk has no room left")
    expect(alert).to_contain_text("Free some of the disk")
    room.unroute("**/reading")
    alert.get_by_role("button", name="Read it again").click()
    expect(alert).to_have_count(0, timeout=SLOW)


def test_a_shot_shows_its_last_picture_while_it_is_opened_and_a_take_its_garments_before_a_frame(room: Page):
    open_shot(room, "Signal flag 0010")
    until(lambda: outside(stage(room)) > 2000, 60)
    flag = next(
        one["id"]
        for one in room.evaluate("() => fetch('/api/shots').then((a) => a.json())")
        if one["name"] == "Signal flag 0010"
    )
    at = f"{room.evaluate('location.origin')}/api/shots/{flag}/picture"
    until(lambda: room.context.request.get(at).status == 200, 30)
    # Meshes are held back: the picture stands alone.
    held = []
    room.route("**/mesh/**", lambda route: held.append(route))
    room.reload()
    open_shot(room, "Signal flag 0010")
    picture = room.locator("main img")
    expect(picture).to_be_visible(timeout=SLOW)
    until(lambda: picture.evaluate("(image) => image.complete && image.naturalWidth > 400"), 30)
    room.unroute("**/mesh/**")
    for route in held:
        with suppress(PlaywrightError):  # asked for by a page that is gone
            route.continue_()
    expect(picture).to_have_count(0, timeout=SLOW)

    # A take that waits for another one has no frame.
    open_shot(room, "Lamplighter 0040")
    bench(room, "Takes")
    room.get_by_role("button", name=re.compile("^Run frames")).click()
    expect(room.get_by_role("complementary", name="Takes")).to_contain_text("running", timeout=SLOW)
    open_shot(room, "Signal flag 0010")
    room.get_by_role("button", name=re.compile("^Run frames")).click()
    expect(room.get_by_text("no frame yet: the garments as made")).to_be_visible(timeout=SLOW)
    until(lambda: outside(stage(room)) > 2000, 30)
    open_shot(room, "Lamplighter 0040")
    room.get_by_role("button", name=re.compile("^Stop")).first.click()
    expect(room.get_by_role("complementary", name="Takes")).to_contain_text("stopped at", timeout=SLOW)
