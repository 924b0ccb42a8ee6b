"""What the page does not know by itself: a fact that is changed in the API's answer is changed on the page."""

from __future__ import annotations

import re

from playwright.sync_api import Page, Route, expect

from .test_chalk import begin, chalk_card
from .test_fasten import run_take
from .test_workroom import SLOW, bench, open_shot, room, type_into  # noqa: F401


def other_facts(route: Route) -> None:
    """Another name, meaning and span of a map; other files, in words and by ending."""
    answer = route.fetch()
    facts = answer.json()
    for role in facts["map_roles"]:
        if role["role"] == "bend":
            role |= {"name": "Springiness", "does": "times as springy", "span": [2, 77]}
    facts["brought_in"] = [".glb", ".newmesh"]
    facts["maps_in"] = [".png", ".newmap"]
    facts["written"] = [{"format": "mdd", "said": "Points in another word"}]
    route.fulfill(response=answer, json=facts)


def later_start(route: Route) -> None:
    """A run-in that begins elsewhere than where the page would put it."""
    answer = route.fetch()
    route.fulfill(response=answer, json=answer.json() | {"first_simulated": 990})


def test_every_fact_comes_from_the_api(room: Page):  # noqa: F811
    room.route(re.compile(r"/api/facts$"), other_facts)
    room.route(re.compile(r"/api/shots/\d+$"), later_start)
    room.reload()
    open_shot(room, "Signal flag 0010")
    bench(room, "Cast")
    expect(room.get_by_text("The run-in is simulated from 990 and not delivered.")).to_be_visible(timeout=SLOW)
    assert room.locator("input[type=file][accept='.glb,.newmesh']").count() == 1
    type_into(room, "Last frame", 1003)
    bench(room, "Chalk")
    begin(room, "Springiness", "edge")
    expect(chalk_card(room).get_by_text("Times as springy.")).to_be_visible()
    expect(room.get_by_label("0 means")).to_have_value("2")
    expect(room.get_by_label("1 means")).to_have_value("77")
    chalk_card(room).get_by_text("From a file").click()
    assert room.get_by_label("Map to bring in").get_attribute("accept") == ".png,.newmap"
    run_take(room, "Springy")
    bench(room, "Hand-off")
    room.get_by_role("combobox", name="Format").click()
    expect(room.get_by_role("option")).to_have_text(["Points in another word"])
