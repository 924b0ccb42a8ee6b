"""A skirt from nothing, as an artist cuts it: rings round a figure, a hem drawn on the stage, tiers, a run."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.acceptance.test_cast import SLOW, bring_lamplighter, own_shot  # noqa: F401
from tests.acceptance.test_workroom import bench, outside, room, stage, type_into  # noqa: F401
from tests.houses import until


def value(page: Page, label: str) -> float:
    return float(page.get_by_label(label, exact=True).input_value())


def test_a_skirt_is_cut_drawn_tiered_meshed_and_run(own_shot: Page):  # noqa: F811
    page = own_shot
    bring_lamplighter(page)
    bench(page, "Wardrobe")
    expect(page.get_by_text("Nothing is worn yet")).to_be_visible()
    page.get_by_role("button", name="Rings round the lamplighter").click()
    card = page.get_by_role("button", name="Work on the skirt")
    expect(card).to_contain_text(re.compile(r"rings.* g.*draft 15 mm [\d,]+ · fine 9 mm"), timeout=SLOW)
    expect(card.locator("img")).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)

    # The hem is drawn down on the stage, and the field says where it is then.
    page.get_by_role("button", name="Front", exact=True).click()
    until(lambda: outside(stage(page)) > 5000, 60)
    before = value(page, "Hem at, mm")
    seen = stage(page)
    rows, columns = np.nonzero(seen[:, :, 2] > seen[:, :, 0] + 18)
    low = int(rows.max())
    middle = int(columns[rows > low - 6].mean())
    canvas = page.get_by_role("img", name=re.compile("The stage"))
    box = canvas.bounding_box()
    page.mouse.move(box["x"] + middle, box["y"] + low - 1)
    page.mouse.down()
    for step in range(1, 11):
        page.mouse.move(box["x"] + middle, box["y"] + low - 1 + 4 * step)
    page.mouse.up()
    until(lambda: value(page, "Hem at, mm") < before - 30, 60)
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("skirt: hem at"))

    # A tier at the hem, gathered; what cannot be cut is refused in words, and nothing changes.
    page.get_by_role("button", name="Add a tier at the hem").click()
    tier = page.get_by_role("group", name="Tier 1")
    expect(tier).to_contain_text("Cloth, top and hem", timeout=SLOW)
    gather = tier.get_by_label(re.compile("^Gather"))
    gather.fill("1.4")
    gather.press("Enter")
    expect(page.get_by_role("button", name="Undo")).to_have_attribute(
        "title", re.compile("gathered 1.4"), timeout=SLOW
    )
    hem = value(page, "Hem at, mm")
    type_into(page, "Hem at, mm", 2000)
    expect(page.get_by_text(re.compile("the hem, at 2000 mm, is not below the band"))).to_be_visible(
        timeout=SLOW
    )
    until(lambda: value(page, "Hem at, mm") == hem, 30)

    # Coarse for now: fewer vertices; then a run of a few frames, whose cost is said before.
    type_into(page, "Draft, mm", 28)
    expect(card).to_contain_text("draft 28 mm", timeout=SLOW)
    bench(page, "Fasten")
    expect(page.get_by_role("group", name="Hold waistband")).to_contain_text("welded to the lamplighter")
    bench(page, "Cast")
    for label, number in (
        ("First frame", 1001),
        ("Last frame", 1003),
        ("Settle, frames", 4),
        ("Move, frames", 14),
    ):
        type_into(page, label, number)
    bench(page, "Takes")
    expect(page.get_by_role("note", name="What it costs")).to_contain_text(
        "21 frames with the run-in", timeout=SLOW
    )
    page.get_by_role("button", name="Run frames 1001 to 1003").click()
    take = page.get_by_role("group", name="Take 1")
    expect(take).to_contain_text("finished", timeout=SLOW)
    expect(page.get_by_text("clear of all colliders")).to_be_visible(timeout=SLOW)
    take.get_by_role("button", name=re.compile("^Start from its pose")).click()
    expect(page.get_by_role("note", name="Where it starts")).to_contain_text(
        "starts from the pose of Take 1", timeout=SLOW
    )
    expect(page.get_by_role("note", name="What it costs")).to_contain_text(
        "by 1 take of this shot", timeout=SLOW
    )
