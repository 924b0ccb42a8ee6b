"""Things shown together belong together: the frame on the stage, edits in order, two windows on one field."""

from __future__ import annotations

import contextlib
import re

import pytest
from playwright.sync_api import Error, Page, Route, expect

from tests.acceptance.test_chalk import begin, chalk_card, draw
from tests.acceptance.test_fasten import run_take
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

FLAG = "Signal flag 0010"


@pytest.fixture
def own(open_house, room: Page):  # noqa: F811
    """A shot of this test's own: the flag, eight frames long; its id."""
    source = next(one for one in open_house.ask("shots") if one["name"] == FLAG)
    document = open_house.ask(f"shots/{source['id']}")["document"]
    name = f"Together {len(open_house.ask('shots'))}"
    zipped = room.request.get(f"{open_house.address}api/shots/{source['id']}/export").body()
    made = room.request.post(
        f"{open_house.address}api/shots/import", data=zipped,
        headers={"Content-Type": "application/octet-stream"},
    ).json()  # fmt: skip
    document |= {"name": name, "frames": [1001, 1008]}
    open_house.ask(
        f"shots/{made['id']}", {"seen": made["revision"], "said": "Short", "document": document}, "PUT"
    )
    room.reload()
    open_shot(room, name)
    return made["id"], name


def held_back(page: Page, pattern: str) -> list[Route]:
    """Calls to `pattern` wait until `release` lets them go."""
    waiting: list[Route] = []
    page.route(re.compile(pattern), lambda route: waiting.append(route))
    return waiting


def release(page: Page, waiting: list[Route], pattern: str) -> None:
    page.unroute(re.compile(pattern))
    for route in waiting:
        with contextlib.suppress(Error):  # one that the page gave up meanwhile
            route.continue_()
    waiting.clear()


def test_body_and_cloth_change_together_and_the_frame_that_stands_is_said(room: Page, own):  # noqa: F811
    bench(room, "Takes")
    run_take(room, "Fly")
    to_frame(room, 1001)
    expect(room.get_by_text("clear of all colliders").first).to_be_visible(timeout=SLOW)
    room.reload()
    open_shot(room, own[1])
    pattern = r"/garments/.*/positions/"
    waiting = held_back(room, pattern)
    bench(room, "Takes")
    to_frame(room, 1006)
    until(lambda: waiting, 30)
    expect(room.get_by_role("status").filter(has_text="Frame 1006 is on its way")).to_be_visible()
    expect(room.get_by_text("most edges stretch")).to_have_count(0)
    release(room, waiting, pattern)
    expect(room.get_by_role("status").filter(has_text="is on its way")).to_have_count(0, timeout=SLOW)
    expect(room.get_by_text(re.compile(r"1006 · most edges stretch"))).to_be_visible()
    until(lambda: outside(stage(room)) > 1000, 60)
    # The cast of another frame is held back: the stage keeps the last whole frame, and its figures.
    cast = r"/cast/.*/positions/"
    waiting = held_back(room, cast)
    to_frame(room, 1000)
    if waiting:
        expect(room.get_by_role("status")).to_contain_text("the stage shows frame 1006")
        release(room, waiting, cast)


def test_strokes_keep_their_order_and_a_run_waits_for_them(room: Page, own, open_house):  # noqa: F811
    bench(room, "Chalk")
    room.get_by_role("button", name="Front", exact=True).click()
    until(lambda: outside(stage(room)) > 3000, 60)
    begin(room, "Weight", own[1])
    expect(chalk_card(room).get_by_text("677 vertices at exactly 0")).to_be_visible(timeout=SLOW)
    type_into(room, "Radius, mm", 60)
    room.get_by_role("button", name=re.compile("^All values")).click()
    # The shot is still being read: neither what strokes do comes, nor are edits kept.
    slow = r"/(paint|maps/Together%20\d+)$|/api/shots/\d+$"
    waiting = held_back(room, slow)
    draw(room, (0.46, 0.42), (0.52, 0.44))
    draw(room, (0.48, 0.42), (0.54, 0.44))
    room.get_by_role("button", name="Smooth", exact=True).click()
    expect(room.get_by_role("status").filter(has_text=re.compile("keeping 3 changes"))).to_be_visible()
    bench(room, "Takes")
    room.get_by_role("button", name=re.compile("^Run frames")).click()
    expect(
        room.get_by_role("status").filter(has_text="It starts when 3 changes made before are kept")
    ).to_be_visible()
    assert open_house.ask(f"shots/{own[0]}/takes") == []
    release(room, waiting, slow)
    take = until(lambda: open_house.ask(f"shots/{own[0]}/takes"), 60)[0]
    maps = open_house.ask(f"shots/{own[0]}")["document"]["garments"][0]["maps"]
    steps = next(one["steps"] for one in maps if one["name"] == own[1])
    assert [step["kind"] for step in steps] == ["stroke", "stroke", "change"]
    assert take["revision"] == open_house.ask(f"shots/{own[0]}")["revision"]


def test_two_windows_on_one_field_are_both_offered(room: Page, own, open_house, context):  # noqa: F811
    other = context.new_page()
    other.goto(open_house.address)
    open_shot(other, own[1])
    other.get_by_label("Settle, frames").fill("7")  # typed, not kept yet
    type_into(room, "Settle, frames", 4)
    said = other.get_by_role("alert").filter(has_text="Another window set Settle, frames to 4 meanwhile")
    expect(said).to_be_visible(timeout=SLOW)
    expect(other.get_by_label("Settle, frames")).to_have_value("7")
    other.get_by_role("button", name="Keep 7").click()
    expect(room.get_by_label("Settle, frames")).to_have_value("7", timeout=SLOW)
    other.get_by_label("Settle, frames").fill("9")
    type_into(room, "Settle, frames", 5)
    other.get_by_role("button", name="Take 5").click()
    expect(other.get_by_label("Settle, frames")).to_have_value("5")
    assert open_house.ask(f"shots/{own[0]}")["document"]["run_in"]["settle"] == 5
    other.close()


def deaf(page: Page) -> None:
    """A page that hears no events, as one that slept would not."""
    page.add_init_script("delete window.SharedWorker")
    page.route("**/api/events", lambda route: route.abort())


def test_the_slower_of_two_windows_is_asked_which_value_shall_stand(room: Page, own, open_house, context):  # noqa: F811
    other = context.new_page()
    deaf(other)
    other.goto(open_house.address)
    open_shot(other, own[1])
    expect(other.get_by_label("Settle, frames")).to_be_visible()
    type_into(room, "Settle, frames", 3)
    expect(room.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("settles 3"))
    type_into(other, "Settle, frames", 5)
    asked = other.get_by_role("alertdialog", name="Two windows changed the same")
    expect(asked).to_contain_text("run in, settle: 3 there, 5 here")
    expect(other.get_by_label("Settle, frames")).to_have_value("3")
    asked.get_by_role("button", name="Use mine: 5").click()
    expect(room.get_by_label("Settle, frames")).to_have_value("5", timeout=SLOW)
    # What the two change in different places is put together without a question.
    type_into(room, "Move, frames", 11)
    expect(room.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("11"))
    type_into(other, "Settle, frames", 6)
    until(lambda: open_house.ask(f"shots/{own[0]}")["document"]["run_in"] == {"settle": 6, "move": 11}, 30)
    expect(other.get_by_role("alertdialog")).to_have_count(0)
    other.close()
