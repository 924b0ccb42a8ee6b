"""The Mend bench as an artist uses it: a cache from elsewhere is looked at, mended in three ways, one of them
undone, one snag accepted, and delivered with all of it told.
"""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from patient_needle.bootstrap.headless import Request, simulate_shot
from tests.acceptance.test_workroom import SLOW, bench, open_shot, room  # noqa: F401
from tests.faulty import MAST, spoiled_flag
from tests.houses import DEMO, until


def proven(page: Page, verb: str):
    """The button that shows a remedy's proof: there once it is done."""
    return done(page, verb).get_by_role("button", name=re.compile("^Proof"))


@pytest.fixture(scope="module")
def spoiled(tmp_path_factory) -> Path:
    """A cache of the demo's flag with four faults."""
    folder = tmp_path_factory.mktemp("spoiled")
    shot = DEMO / "flag" / "shot.json"
    simulate_shot(Request(shot, folder / "clean"), lambda _: None)
    spoiled_flag(shot, folder / "clean" / "signal flag.pc2", folder / "flag from elsewhere.pc2")
    return folder / "flag from elsewhere.pc2"


def snag(page: Page, words: str):
    """The entry whose name has these words."""
    return page.get_by_role("group", name=re.compile(words)).first


def done(page: Page, verb: str):
    """A remedy that is laid over the take."""
    return (
        page.get_by_role("region", name="Done so far").get_by_role("group", name=re.compile(f"^{verb}")).first
    )


def laid(page: Page, verb: str) -> None:
    """Wait for a remedy to be done and proven, and lay it over the take.

    The flag whips, and the last digits of a processor's sums grow in it: on some machines a remedy brings one
    frame of new overstretch. It is then only proposed, and the artist takes it all the same.
    """
    expect(proven(page, verb)).to_be_visible(timeout=SLOW)
    anyway = done(page, verb).get_by_role("button", name=re.compile("all the same$"))
    if anyway.count() > 0:
        anyway.click()
    expect(anyway).to_have_count(0)
    expect(done(page, verb).get_by_role("button", name=re.compile("^Undo"))).to_be_visible()


def test_a_cache_from_elsewhere_is_mended_and_delivered(room: Page, open_house, spoiled: Path):  # noqa: F811
    page = room
    open_shot(page, "Signal flag 0010")
    bench(page, "Takes")
    page.get_by_role("button", name=re.compile("Bring in a cache from elsewhere")).click()
    page.get_by_label("Cache of the signal flag").set_input_files(spoiled)
    page.get_by_role("button", name="Make a take of it").click()
    page.get_by_role("button", name=re.compile("^Mend Take")).first.click(timeout=SLOW)

    # Every fault is listed, on the card and as bars on the tape.
    jump = snag(page, "Yard, signal flag jumps")
    expect(jump).to_be_visible(timeout=SLOW)
    through = snag(page, "flag through itself")
    body = snag(page, "flag in the (mast|yard)")
    expect(through).to_be_visible()
    expect(body).to_be_visible()
    entries = page.get_by_role("complementary", name=re.compile("^Mend")).get_by_role("button", expanded=False)
    before = entries.filter(has_text=re.compile("mm|%")).count()
    assert page.get_by_role("slider", name="Frame").count() == 1
    bars = page.locator("svg rect[role=button]")
    expect(bars).to_have_count(before)

    # A press flies stage and tape there, and the lens cuts through the place.
    body.get_by_role("button").first.click()
    frame = int(page.get_by_role("slider", name="Frame").get_attribute("aria-valuenow") or 0)
    assert MAST - 4 <= frame <= MAST + 5
    lens = page.get_by_role("group", name="Lens")
    expect(lens).to_contain_text(f"cut at frame {frame}")
    lines = lens.locator("svg g path")
    until(lambda: max(len(one.get_attribute("d") or "") for one in lines.all()) > 60, 20)

    # Three remedies on three places, each proven.
    body.get_by_role("button", name="Run again here").click()
    laid(page, "Run again here")
    jump.get_by_role("button").first.click()
    jump.get_by_role("button", name="Smooth in time").click()
    laid(page, "Smooth in time")
    through.get_by_role("button").first.click()
    through.get_by_role("button", name="Untangle").click()
    laid(page, "Untangle")
    proven(page, "Smooth in time").click()
    expect(page.get_by_role("note", name="Proof")).to_contain_text("counted exactly")
    expect(page.get_by_role("group", name="Before and after")).to_contain_text("before")

    # One is undone: its snag is there again.
    gone = snag(page, "flag jumps").count() == 0
    done(page, "Smooth in time").get_by_role("button", name=re.compile("^Undo")).click()
    expect(done(page, "Smooth in time")).to_contain_text("off", timeout=SLOW)
    if gone:
        expect(snag(page, "flag jumps")).to_be_visible(timeout=SLOW)

    # One is accepted with a word.
    again = snag(page, "flag jumps")
    if again.get_by_role("button", name="Accept it as it is…").count() == 0:
        again.get_by_role("button").first.click()
    again.get_by_role("button", name="Accept it as it is…").click()
    page.get_by_label("Why it may stay").fill("the yard jerks there")
    page.get_by_label("Why it may stay").press("Enter")
    expect(again).to_contain_text("accepted: the yard jerks there")

    # The delivery tells it all.
    shot = next(one["id"] for one in open_house.ask("shots") if one["name"] == "Signal flag 0010")
    mended = next(one for one in open_house.ask(f"shots/{shot}/takes") if one["origin"] == "mended")
    asked = {
        "garment": "signal flag", "format": "pc2", "unit": "cm", "up": "y", "frame_rate": 24,
        "first": 1001, "last": 1048, "handles": 0,
    }  # fmt: skip
    made = open_house.ask(f"takes/{mended['id']}/deliveries", asked)
    checks = until(
        lambda: {one["name"]: one["said"] for one in open_house.ask(f"deliveries/{made['id']}")["checks"]}, 90
    )
    assert "run again here" in checks["Mended"]
    assert "smooth in time" not in checks["Mended"]
    assert "accepted: the yard jerks there" in checks["Snags"]
    bench(page, "Hand-off")
    expect(page.get_by_role("complementary", name="Hand-off")).to_contain_text(
        "the yard jerks there", timeout=SLOW
    )
