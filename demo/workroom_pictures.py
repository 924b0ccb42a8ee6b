"""Pictures of every bench for the documents: python demo/workroom_pictures.py ADDRESS [chalk|drape|mend|table]

Needs an open workroom (./needle up) with the demo in it and one finished take of each shot; for the Chalk or
the Drape bench alone no take.
"""

from __future__ import annotations

import math
import re
import shutil
import sys
import time
from pathlib import Path
from tempfile import TemporaryDirectory

from other_files import main as write_others
from playwright.sync_api import Page, sync_playwright

OUT = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
FLAGS = ["--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--ignore-gpu-blocklist"]


def main() -> None:
    with sync_playwright() as playwright:
        program = shutil.which("chromium-headless-shell") or shutil.which("chromium")
        browser = playwright.chromium.launch(executable_path=program, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(sys.argv[1])
        page.get_by_role("heading", name="Cast").first.wait_for()
        if "chalk" in sys.argv:
            chalk(page)
        elif "drape" in sys.argv:
            drape(page)
        elif "mend" in sys.argv:
            mend(page)
        elif "table" in sys.argv:
            table(page)
        else:
            take_all(page)
        browser.close()


def take_all(page: Page) -> None:
    keep(page, "cast")
    understudy(page)
    bench(page, "Wardrobe")
    page.get_by_role("button", name="Front", exact=True).click()
    keep(page, "wardrobe")
    page.get_by_role("button", name="Three-quarter").click()
    bench(page, "Fasten")
    drawn_around(page)
    keep(page, "fasten")
    page.get_by_role("button", name="Point", exact=True).click()
    drape(page)
    bench(page, "Takes")
    to_frame(page, 1024)
    page.get_by_role("button", name="Front", exact=True).click()
    keep(page, "takes")
    bench(page, "Hand-off")
    page.get_by_role("button", name="Write and check").click()
    page.get_by_text("ready, every check is good").first.wait_for(timeout=120_000)
    page.get_by_role("link", name=re.compile("^Download")).first.scroll_into_view_if_needed()
    keep(page, "hand-off")
    open_shot(page, "Quay in layers 0050")
    bench(page, "Takes")
    to_frame(page, 1022)
    keep(page, "layers")
    lanterns(page)
    open_shot(page, "Signal flag 0010")
    bench(page, "Takes")
    page.get_by_role("button", name=re.compile("beside$")).last.click()
    to_frame(page, 1020)
    page.get_by_role("button", name="Dim").click()
    keep(page, "side_by_side_dimmed")
    page.get_by_role("button", name="Daylight").click()
    bench(page, "Cast")
    offers(page)
    open_shot(page, "Lamplighter 0040")
    chalk(page)


def drawn_around(page: Page) -> None:
    """Part of the skirt's front, drawn around on the stage."""
    page.get_by_role("button", name="Front", exact=True).click()
    page.get_by_role("button", name="Draw", exact=True).click()
    time.sleep(3)
    box = page.get_by_role("img", name=re.compile("^The stage")).bounding_box()
    assert box is not None
    for step in range(25):
        turn = 2 * math.pi * step / 24
        x = box["x"] + box["width"] / 2 + 62 * math.cos(turn)
        page.mouse.move(x, box["y"] + 0.6 * box["height"] + 44 * math.sin(turn))
        if step == 0:
            page.mouse.down()
    page.mouse.up()


def drape(page: Page) -> None:
    """The skirt pulled up and pinned in front, its upper part parked, one more pull under way."""
    bench(page, "Drape")
    row = page.get_by_role("group", name="The cloth")
    row.wait_for(timeout=120_000)
    row.get_by_role("button", name="Let fall").click()
    page.wait_for_timeout(9000)
    canvas = page.get_by_role("img", name=re.compile("^The stage"))

    def pull(u: float, v: float, du: float, dv: float) -> None:
        box = canvas.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + u * box["width"], box["y"] + v * box["height"])
        page.mouse.down()
        for k in range(1, 13):
            page.mouse.move(
                box["x"] + (u + du * k / 12) * box["width"], box["y"] + (v + dv * k / 12) * box["height"]
            )
            page.wait_for_timeout(80)
        page.wait_for_timeout(3500)

    pull(0.5, 0.66, -0.02, -0.12)
    page.keyboard.press("p")
    page.mouse.up()
    page.wait_for_timeout(3000)
    page.get_by_label("Name").last.fill("front up")
    page.get_by_role("button", name="Keep this fitting").click()
    page.get_by_role("group", name="Fitting front up").wait_for()
    page.get_by_role("button", name="Park", exact=True).click()
    box = canvas.bounding_box()
    assert box is not None
    corners = [(0.3, 0.40), (0.7, 0.40), (0.7, 0.52), (0.3, 0.52), (0.3, 0.40)]
    for k, (u, v) in enumerate(corners):
        page.mouse.move(box["x"] + u * box["width"], box["y"] + v * box["height"], steps=5)
        if k == 0:
            page.mouse.down()
    page.mouse.up()
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="Pull", exact=True).click()
    pull(0.6, 0.66, 0.1, 0.02)
    time.sleep(2)
    page.screenshot(path=OUT / "drape.png")
    page.mouse.up()
    row.get_by_role("button", name="Hold still").click()


def lanterns(page: Page) -> None:
    """The shot with lanterns: a keyed cuff, a handle, and the gust."""
    open_shot(page, "Quay with lanterns 0070")
    bench(page, "Takes")
    page.get_by_text("Reading the shot").wait_for(state="hidden", timeout=120_000)
    to_frame(page, 1087)
    page.get_by_role("button", name="Three-quarter").click()
    keep(page, "lanterns")
    bench(page, "Fasten")
    garment(page, "cuffs")
    cuff = page.get_by_role("group", name="Hold left", exact=True)
    cuff.get_by_role("button", name="Show its links").click()
    cuff.get_by_role("button", name=re.compile("^Grip")).click()
    to_frame(page, 1064)
    keep(page, "fasten_keys")
    garment(page, "lantern left")
    loop = page.get_by_role("group", name="Hold loop", exact=True)
    loop.get_by_role("button", name="Show its links").click()
    keep(page, "fasten_handle")


def mend(page: Page) -> None:
    """A take of the smock and the skirt: a jump is smoothed, then its worst snag is looked at."""
    open_shot(page, "Smock and skirt 0060")
    bench(page, "Takes")
    page.get_by_text("Reading the shot").wait_for(state="hidden", timeout=120_000)
    page.get_by_role("button", name="Mend Take 1", exact=True).click()
    jump = page.get_by_role("group", name=re.compile("smock jumps")).first
    jump.get_by_role("button").first.click(timeout=120_000)
    jump.get_by_role("button", name="Smooth in time").click()
    page.get_by_role("region", name="Done so far").get_by_role("button", name=re.compile("^Proof")).wait_for(
        timeout=120_000
    )
    cuff = page.get_by_role("group", name=re.compile("smock in the lamplighter")).first
    cuff.get_by_role("button").first.click()
    keep(page, "mend")


def table(page: Page) -> None:
    """The pieces of the smock beside the figure that wears it, one of them lit."""
    open_shot(page, "Smock and trousers 0080")
    bench(page, "Wardrobe")
    page.get_by_role("button", name="Work on the smock").click()
    page.get_by_role("button", name="Table and figure").click(timeout=60_000)
    page.wait_for_timeout(4000)
    box = page.get_by_role("img", name=re.compile("The stage")).bounding_box()
    page.mouse.move(box["x"] + 112, box["y"] + 300)
    page.wait_for_timeout(1500)
    keep(page, "table")


def chalk(page: Page) -> None:
    """A heavy hem shaded from the border, and a mirrored stroke above it that is not yet over."""
    bench(page, "Chalk")
    begin_map(page, "Weight", "heavy hem")
    page.get_by_role("button", name=re.compile("^From a border")).click()
    page.get_by_role("button", name="Shade it from there").click()
    page.get_by_role("button", name=re.compile("^From a border")).click()
    page.get_by_role("button", name="Take back step 1").wait_for()
    page.get_by_label("Mirrored").check()
    page.get_by_label("Radius, mm").fill("60")
    page.get_by_label("Radius, mm").press("Enter")
    page.get_by_role("button", name="Three-quarter").click()
    page.wait_for_timeout(4000)
    box = page.get_by_role("img", name=re.compile("^The stage")).bounding_box()
    assert box is not None
    for k in range(25):
        x, y = 0.5 + 0.004 * k, 0.52 + 0.03 * math.sin(k / 4)
        page.mouse.move(box["x"] + x * box["width"], box["y"] + y * box["height"])
        if k == 0:
            page.mouse.down()
    page.wait_for_timeout(1500)
    keep(page, "chalk")
    page.mouse.up()
    page.get_by_text("2. Added 1").wait_for()
    begin_map(page, "Weight", "by the body")
    page.get_by_role("button", name=re.compile("^From a body")).click()
    page.get_by_role("button", name="Shade it by distance").click()
    page.get_by_text("1. 1 at the lamplighter").wait_for()
    page.get_by_role("combobox", name="Show the difference from").click()
    page.get_by_role("option", name="heavy hem").click()
    page.get_by_role("combobox", name="Show the difference from").scroll_into_view_if_needed()
    keep(page, "chalk_apart")


def begin_map(page: Page, role: str, name: str) -> None:
    page.get_by_role("combobox", name="Map of").click()
    page.get_by_role("option", name=role).click()
    page.get_by_label("Map name").fill(name)
    page.get_by_role("button", name="Begin the map").click()
    page.get_by_role("button", name=re.compile(f"^{name}")).wait_for()


def garment(page: Page, name: str) -> None:
    page.get_by_label("Garment", exact=True).click()
    page.get_by_role("option", name=name, exact=True).click()
    time.sleep(3)


def understudy(page: Page) -> None:
    """The lamplighter's understudy, shaded by how far off it is; the edit is taken back."""
    body = page.get_by_role("group", name="lamplighter", exact=True)
    body.get_by_role("button", name=re.compile("^Collider")).click()
    body.get_by_label("Understudy", exact=True).click()
    page.get_by_role("option", name="its mesh with fewer triangles").click()
    body.get_by_role("button", name="Show the understudy").click()
    page.get_by_role("button", name="Front", exact=True).click()
    body.get_by_label("Triangles", exact=True).scroll_into_view_if_needed()
    keep(page, "cast_understudy")
    page.get_by_role("button", name="Undo").click()
    body.get_by_role("button", name=re.compile("^Collider")).click()
    page.get_by_role("button", name="Three-quarter").click()


def offers(page: Page) -> None:
    """A figure in centimetres that lies on its back, in a shot of its own."""
    with TemporaryDirectory() as folder:
        write_others(Path(folder))
        page.get_by_role("combobox", name="Shot").click()
        page.get_by_role("option", name="Make a new shot").click()
        page.get_by_text("Nobody yet").wait_for()
        page.get_by_label("File to bring in").set_input_files(str(Path(folder) / "lamplighter_cm.abc"))
        page.get_by_role("button", name="Put it in the shot").click()
        page.get_by_role("group", name=re.compile("^What looks wrong")).wait_for()
        keep(page, "cast_offers")


def open_shot(page: Page, name: str) -> None:
    page.get_by_role("combobox", name="Shot").click()
    page.get_by_role("option", name=name).click()


def bench(page: Page, name: str) -> None:
    page.get_by_label("The thread").get_by_role("button", name=re.compile(f"^{name}")).click()


def to_frame(page: Page, frame: int) -> None:
    tape = page.get_by_role("slider", name="Frame")
    tape.focus()
    tape.press("Home")
    first = int(tape.get_attribute("aria-valuemin"))
    for _ in range(frame - first):
        tape.press("ArrowRight")


def keep(page: Page, name: str) -> None:
    time.sleep(5)
    page.mouse.move(640, 400)
    page.screenshot(path=OUT / f"{name}.png")


if __name__ == "__main__":
    main()
