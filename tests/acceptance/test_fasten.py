"""The Fasten bench as an artist uses it: choose cloth, hold it, key the grip, shake it, run, and run again."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import Locator, Page, expect

from tests.acceptance.test_cast import choose, unfold
from tests.acceptance.test_workroom import (  # noqa: F401
    SLOW,
    bench,
    open_shot,
    outside,
    room,
    stage,
    to_frame,
    type_into,
)
from tests.houses import until


def hold(page: Page, name: str) -> Locator:
    return page.get_by_role("group", name=f"Hold {name}", exact=True)


def run_take(page: Page, name: str) -> Locator:
    bench(page, "Takes")
    page.get_by_label("Name of the take").fill(name)
    page.get_by_role("button", name=re.compile("^Run frames")).click()
    take = page.get_by_role("group", name=name, exact=True)
    expect(take).to_contain_text("finished", timeout=SLOW)
    return take


def test_a_loop_is_stuck_keyed_shaken_and_makes_the_old_take_stale(room: Page):  # noqa: F811
    open_shot(room, "Signal flag 0010")
    type_into(room, "Last frame", 1006)
    old = run_take(room, "Free fly")

    # Choose a loop, stick it to the yard within a reach, soft.
    bench(room, "Fasten")
    room.get_by_role("button", name=re.compile("^Only border")).click()
    expect(room.get_by_role("group", name="Chosen")).to_contain_text("the highest border")
    choose(room, room.get_by_role("region", name="Hold it"), "How", "Stick where it lies near")
    choose(room, room.get_by_role("region", name="Hold it"), "To", "yard")
    room.get_by_label("Name", exact=True).fill("clips")
    room.get_by_role("button", name="Stick it to the yard").click()
    clips = hold(room, "clips")
    expect(clips).to_contain_text(re.compile(r"Holds on\s*\d+ of \d+ vertices"))
    before = clips.inner_text()
    reach = clips.get_by_label("Reach, mm")
    reach.fill("120")
    reach.press("Enter")
    expect(clips).to_contain_text("within 120 mm")
    until(lambda: clips.inner_text() != before, 30)

    # Key its grip on the tape: too quick at first, which is said and mended at a press.
    unfold(clips, "Grip")
    to_frame(room, 1002)
    clips.get_by_role("button", name="Key grip, 0 to 1").click()
    expect(room.get_by_role("group", name="Keys of grip of clips").get_by_role("slider")).to_have_count(1)
    to_frame(room, 1004)
    clips.get_by_role("button", name="Another key at 1004").click()
    pins = room.get_by_role("group", name="Keys of grip of clips").get_by_role("slider")
    expect(pins).to_have_count(2)
    pin = pins.nth(0).locator("circle").bounding_box()
    x, y = pin["x"] + pin["width"] / 2, pin["y"] + pin["height"] / 2
    room.mouse.move(x, y)
    room.mouse.down()
    room.mouse.move(x, y + 8, steps=3)
    room.mouse.move(x, y + 14, steps=3)
    room.mouse.up()
    until(lambda: float(pins.nth(0).get_attribute("aria-valuenow")) < 0.6, 30)
    alert = clips.get_by_role("alert")
    expect(alert).to_contain_text("The cloth will pop: the grip tightens", timeout=SLOW)
    alert.get_by_role("button", name=re.compile("^Spread it over")).click()
    expect(alert).to_have_count(0, timeout=SLOW)
    pins.nth(1).focus()
    at = pins.nth(1).get_attribute("aria-label")
    pins.nth(1).press("ArrowRight")
    expect(pins.nth(1)).not_to_have_attribute("aria-label", at)

    clips.get_by_role("button", name="Shake it").click()
    expect(clips.get_by_role("status")).to_contain_text(re.compile(r"Slipped [\d.]+\smm"), timeout=SLOW)

    new = run_take(room, "Clipped")
    expect(old).to_contain_text("stale")
    expect(old).to_contain_text("hold clips was added")
    expect(new).not_to_contain_text("stale")


def test_cloth_is_drawn_around_kept_by_name_and_carried_on_a_handle(room: Page):  # noqa: F811
    open_shot(room, "Signal flag 0010")
    bench(room, "Fasten")
    room.get_by_role("button", name="Front", exact=True).click()
    until(lambda: outside(stage(room)) > 3000, 60)
    room.get_by_role("button", name="Draw", exact=True).click()
    pixels = stage(room)
    rows, columns = np.nonzero(pixels[:, :, 2] > pixels[:, :, 0] + 18)
    box = room.get_by_role("img", name=re.compile("The stage")).bounding_box()
    middle, low = box["x"] + float(np.median(columns)), box["y"] + int(rows.max())
    high = box["y"] + int(rows.min() + rows.max()) / 2
    room.mouse.move(middle, high)
    room.mouse.down()
    for x, y in ((middle + 400, high), (middle + 400, low + 20), (middle, low + 20), (middle, high)):
        room.mouse.move(x, y, steps=8)
    room.mouse.up()
    chosen = room.get_by_role("group", name="Chosen")
    expect(chosen).to_contain_text(re.compile(r"Chosen: \d+ vertices"))
    count = int(re.search(r"Chosen: (\d+)", chosen.inner_text())[1])
    assert 50 < count < 400
    chosen.get_by_label("Keep it as").fill("fly corner")
    chosen.get_by_role("button", name="Keep", exact=True).click()
    kept = room.get_by_role("button", name=re.compile("^fly corner"))
    expect(kept).to_contain_text(f"{count} vertices")
    kept.click()
    choose(room, room.get_by_role("region", name="Hold it"), "How", "Carry on a handle")
    room.get_by_role("button", name="Give it a handle").click()
    carried = hold(room, "fly corner")
    expect(carried).to_contain_text("carried on a handle, welded")
    unfold(carried, "Handle")
    scale = carried.get_by_label("Scale, times", exact=True)
    scale.fill("0")
    scale.press("Enter")
    expect(carried.get_by_text("At least 0.001")).to_be_visible()
    scale.fill("0.5")
    scale.press("Enter")
    carried.get_by_role("button", name="Key right, m").click()
    expect(room.get_by_role("combobox", name="Keys shown")).to_have_text("Fly corner, place x")
    carried.get_by_role("button", name="Let go of fly corner").click()
    expect(carried).to_have_count(0)
    for _ in range(5):
        room.get_by_role("button", name="Undo").click()
    expect(kept).to_have_count(0)
