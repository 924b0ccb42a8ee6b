"""The Drape bench as an artist uses it: fall, pull, pin, park, a set piece, coarse to fine, a fitting to begin
takes from.
"""

from __future__ import annotations

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.acceptance.test_workroom import SLOW, bench, open_shot, outside, room, stage  # noqa: F401
from tests.houses import until


def cloth(page: Page) -> tuple[int, int]:
    """A place on the stage, px, well within the cloth's outside: low and in the middle of it."""
    seen = stage(page)
    rows, columns = np.nonzero(seen[:, :, 2] > seen[:, :, 0] + 18)
    low = np.percentile(rows, 80)
    near = np.abs(rows - low) < 4
    return int(np.median(columns[near])), int(low)


@pytest.fixture
def coarse(open_house):
    """The demo's skirt at 24 and 18 mm while the test lasts, so that a step takes little."""
    at = next(one["id"] for one in open_house.ask("shots") if one["name"] == "Lamplighter 0040")

    def put(document, said: str) -> None:
        seen = open_house.ask(f"shots/{at}")["revision"]
        open_house.ask(f"shots/{at}", {"seen": seen, "said": said, "document": document}, "PUT")

    before = open_house.ask(f"shots/{at}")["document"]
    coarse = open_house.ask(f"shots/{at}")["document"]
    coarse["garments"][0]["recipe"]["spacing"] |= {"draft_mm": 24, "fine_mm": 18}
    put(coarse, "coarse")
    yield
    put(before, "as it was")


def test_a_skirt_falls_is_pulled_pinned_parked_refined_and_kept(coarse, room: Page, open_house):  # noqa: F811
    page = room
    open_shot(page, "Lamplighter 0040")
    bench(page, "Drape")
    row = page.get_by_role("group", name="The cloth")
    expect(row.get_by_role("button", name="Let fall")).to_be_visible(timeout=SLOW)
    until(lambda: outside(stage(page)) > 5000, 60)
    row.get_by_role("button", name="Let fall").click()
    expect(row.get_by_role("button", name="Hold still")).to_be_visible()
    left = row.get_by_role("status", name="How far from rest")
    expect(left).to_contain_text("still to go", timeout=SLOW)

    # Pulled: the thread is there at once; P makes a pin of it.
    canvas = page.get_by_role("img", name=re.compile("The stage")).bounding_box()
    x, y = cloth(page)
    page.mouse.move(canvas["x"] + x, canvas["y"] + y)
    page.mouse.down()
    for step in range(1, 9):
        page.mouse.move(canvas["x"] + x - 5 * step, canvas["y"] + y - 6 * step)
    expect(left).to_have_text("being pulled")
    page.mouse.wheel(0, -200)  # a wider reach
    expect(page.get_by_role("status").filter(has_text="vertices are held").or_(
        page.get_by_role("status").filter(has_text="It slips")
    )).to_be_visible()  # fmt: skip
    page.keyboard.press("p")
    pins = page.get_by_role("region", name="Pins")
    expect(pins).to_contain_text("in space")
    page.mouse.up()
    assert page.get_by_role("slider", name="Reach, mm").input_value() != "60"

    # Half of it is parked by drawing around it, and taken up again from the card.
    page.get_by_role("button", name="Park", exact=True).click()
    corners = [(0.2, 0.35), (0.8, 0.35), (0.8, 0.55), (0.2, 0.55), (0.2, 0.35)]
    places = [(canvas["x"] + u * canvas["width"], canvas["y"] + v * canvas["height"]) for u, v in corners]
    page.mouse.move(*places[0])
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*place, steps=6)
    page.mouse.up()
    parked = page.get_by_role("region", name="Parked")
    expect(parked).to_contain_text(re.compile(r"\d+ %"))
    page.get_by_role("button", name="Take all of the apron-skirt up").click()
    expect(parked).to_contain_text("moves")
    page.get_by_role("button", name="Pull", exact=True).click()

    # A set piece goes, and comes in again as it grows.
    pieces = page.get_by_role("region", name="Standing by")
    page.get_by_role("button", name="Take bollard out").click()
    expect(pieces).to_contain_text("bollard out")
    page.get_by_role("button", name="Bring bollard in").click()
    expect(pieces).to_contain_text("bollard comes in")
    expect(pieces).to_contain_text("bollard in", timeout=SLOW)

    # Kept as a picture; takes begin from it; back goes the pin.
    page.get_by_role("region", name="Fittings").get_by_label("Name").fill("hem up")
    page.get_by_role("button", name="Keep this fitting").click()
    kept = page.get_by_role("group", name="Fitting hem up")
    expect(kept.locator("img")).to_be_visible(timeout=SLOW)
    kept.get_by_role("button", name="What to do with fitting hem up").click()
    page.get_by_role("menuitem", name="Let takes begin here").click()
    expect(kept).to_contain_text("takes begin here")
    page.get_by_role("button", name="Take pin 1 out").click()
    expect(pins).to_contain_text("None.")
    kept.get_by_role("button", name="Go back to fitting hem up").click()
    expect(pins).to_contain_text("in space", timeout=SLOW)

    # Coarse to fine, as it hangs; the coarse fitting is stale from then on, and says why.
    page.get_by_role("button", name=re.compile("^Go on fine")).click()
    expect(page.get_by_role("region", name="Spacing")).to_contain_text("meshed fine", timeout=SLOW)
    expect(kept).to_contain_text("stale: apron-skirt changed", timeout=SLOW)
    expect(pins).to_contain_text("in space", timeout=SLOW)
    row.get_by_role("button", name="One step").click()
    until(lambda: outside(stage(page)) > 5000, 60)

    # The tape takes the figure with it.
    tape = page.get_by_role("slider", name="Frame")
    tape.focus()
    tape.press("PageDown")
    expect(left).to_have_text("walking to 971")
    row.get_by_role("button", name=re.compile("Hold still|Let fall")).first.click()
    bench(page, "Takes")
    expect(page.get_by_text(re.compile("fitting hem up"))).to_be_visible()

    # The process is killed under a pull: the page says so, and goes on from where it was.
    bench(page, "Drape")
    expect(row.get_by_role("button", name="Let fall")).to_be_visible(timeout=SLOW)
    open_house.kill("fitting")
    expect(page.get_by_role("alert")).to_contain_text("ended", timeout=SLOW)
    page.get_by_role("button", name="Open it again").click()
    expect(pins).to_contain_text("in space", timeout=SLOW)
