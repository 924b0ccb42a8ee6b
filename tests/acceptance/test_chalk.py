"""The Chalk bench as an artist uses it: begin a map, draw, take back, mirror, fill, put another to use, run."""

from __future__ import annotations

import io
import re
import zipfile

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from patient_needle.formats.ply import write_values
from tests.sheets import polygons

from .test_fasten import run_take
from .test_workroom import SLOW, bench, open_shot, outside, room, stage, type_into, until  # noqa: F401


def chalk_card(page: Page):
    return page.get_by_role("complementary", name="Chalk")


def steps(page: Page) -> int:
    return chalk_card(page).get_by_role("button", name=re.compile("^Take back step")).count()


def draw(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Press, move and lift on the stage, in shares of it."""
    box = page.get_by_role("img", name=re.compile("^The stage")).bounding_box()
    assert box is not None

    def to(x: float, y: float) -> tuple[float, float]:
        return box["x"] + x * box["width"], box["y"] + y * box["height"]

    page.mouse.move(*to(*start))
    page.mouse.down()
    for k in range(1, 13):
        share = k / 12
        page.mouse.move(*to(*((1 - share) * a + share * b for a, b in zip(start, end, strict=True))))
    page.mouse.up()


def begin(page: Page, role: str, name: str) -> None:
    page.get_by_role("combobox", name="Map of").click()
    page.get_by_role("option", name=role).click()
    page.get_by_label("Map name").fill(name)
    page.get_by_role("button", name="Begin the map").click()
    expect(page.get_by_role("button", name=re.compile(f"^{name}"))).to_be_visible(timeout=SLOW)


def spread(page: Page) -> str:
    return chalk_card(page).get_by_text("at exactly 0").inner_text()


def test_a_map_is_drawn_taken_back_filled_switched_and_run(room: Page):  # noqa: F811
    open_shot(room, "Signal flag 0010")
    type_into(room, "Last frame", 1006)
    bench(room, "Chalk")
    room.get_by_role("button", name="Front", exact=True).click()
    until(lambda: outside(stage(room)) > 3000, 60)
    begin(room, "Weight", "heavy end")
    expect(chalk_card(room).get_by_text("677 vertices at exactly 0")).to_be_visible(timeout=SLOW)

    type_into(room, "Radius, mm", 60)
    draw(room, (0.46, 0.42), (0.56, 0.46))
    expect(chalk_card(room).get_by_role("button", name="Take back step 1")).to_be_visible(timeout=SLOW)
    expect(chalk_card(room)).to_contain_text("Added 1, 60 mm")
    until(lambda: not spread(room).startswith("677"), 30)
    drawn = spread(room)

    room.get_by_role("button", name="Undo").click()
    until(lambda: steps(room) == 0, 30)
    until(lambda: spread(room).startswith("677"), 30)
    room.get_by_role("button", name="Redo").click()
    until(lambda: spread(room) == drawn, 30)

    room.get_by_label("Through all layers").check()
    room.get_by_label("Mirrored").check()
    draw(room, (0.48, 0.42), (0.54, 0.44))
    expect(chalk_card(room)).to_contain_text("60 mm, mirrored, through", timeout=SLOW)
    room.get_by_role("button", name="Take back step 1").click()
    until(lambda: steps(room) == 1, 30)

    room.get_by_role("button", name=re.compile("^All values")).click()
    room.get_by_role("button", name="Invert", exact=True).click()
    expect(chalk_card(room)).to_contain_text("Inverted", timeout=SLOW)
    room.get_by_role("button", name=re.compile("^Fill the same")).click()
    type_into(room, "Value", 0.5)
    room.get_by_role("button", name="Fill all of it").click()
    until(lambda: spread(room).startswith("0 vertices at exactly 0, 0 at 1"), 30)
    heavy = run_take(room, "Heavy")

    bench(room, "Chalk")
    begin(room, "Weight", "light")
    expect(room.get_by_label("Use heavy end")).not_to_be_checked(timeout=SLOW)
    expect(room.get_by_label("Use light")).to_be_checked()
    bench(room, "Takes")
    expect(heavy).to_contain_text("map heavy end was put away", timeout=SLOW)
    expect(heavy).to_contain_text("map light was put to use")

    # Three takes side by side, and what is different about each in words.
    light = run_take(room, "Light")
    bench(room, "Chalk")
    room.get_by_label("Use light").click()
    expect(room.get_by_label("Use light")).not_to_be_checked(timeout=SLOW)
    run_take(room, "Plain")
    heavy.get_by_role("button", name="Show Heavy beside").click()
    light.get_by_role("button", name="Show Light beside").click()
    shown = room.get_by_role("main")
    expect(shown).to_contain_text("unlike Plain: signal flag, map heavy end was put to use", timeout=SLOW)
    expect(shown).to_contain_text("unlike Plain: signal flag, map light was put to use")

    # The map lies on the cloth of the takes, until another look is chosen.
    before = stage(room)
    room.get_by_role("button", name="Map", exact=True).click()
    expect(room.get_by_role("figure", name=re.compile("^light of the signal flag"))).to_be_visible(timeout=SLOW)
    until(lambda: np.abs(stage(room) - before).mean() > 0.5, 30)
    room.get_by_role("button", name="Cloth", exact=True).click()
    until(lambda: np.abs(stage(room) - before).mean() < 0.1, 30)


def test_maps_by_rule_from_files_and_beside_each_other(room: Page, tmp_path):  # noqa: F811
    open_shot(room, "Signal flag 0010")
    bench(room, "Chalk")
    room.get_by_role("button", name="Front", exact=True).click()
    until(lambda: outside(stage(room)) > 3000, 60)
    begin(room, "Clearance", "roomy")

    room.get_by_role("button", name=re.compile("^Along a line")).click()
    room.get_by_role("button", name="Draw the line").click()
    draw(room, (0.42, 0.42), (0.6, 0.42))
    expect(chalk_card(room)).to_contain_text("1. 0 to 1 along a line", timeout=SLOW)
    expect(room.get_by_role("button", name="Draw the line")).to_be_visible()
    until(lambda: not spread(room).startswith("677"), 30)
    drawn = spread(room)

    room.get_by_role("button", name=re.compile("^From a file")).click()
    # Out as a picture, a property and a primvar, and in again as another map: no difference but of rounding.
    for kind, worst in (("PLY", 0.005), ("USD", 0.005), ("PNG", 0.02)):
        with room.expect_download() as download:
            room.get_by_role("button", name=f"Save roomy as {kind}").click()
        path = tmp_path / download.value.suggested_filename
        download.value.save_as(path)
        begin(room, "Thickness", f"of {kind}")
        room.get_by_label("Map to bring in").set_input_files(path)
        expect(chalk_card(room)).to_contain_text(f"1. From {path.name}", timeout=SLOW)
        room.get_by_role("combobox", name="Show the difference from").click()
        room.get_by_role("option", name="roomy").click()
        expect(chalk_card(room).get_by_text(re.compile("^(Unlike|The same as) roomy"))).to_be_visible(
            timeout=SLOW
        )
        apart = chalk_card(room).get_by_text(re.compile("^(Unlike|The same as) roomy")).inner_text()
        assert all(float(figure) <= worst for figure in re.findall(r"\d\.\d\d", apart)), apart
        room.get_by_role("combobox", name="Show the difference from").click()
        room.get_by_role("option", name="nothing, draw").click()
        room.get_by_role("button", name=re.compile("^roomy")).click()
    until(lambda: spread(room) == drawn, 30)

    room.get_by_role("button", name=re.compile("^From a body")).click()
    room.get_by_role("button", name="Shade it by distance").click()
    expect(chalk_card(room)).to_contain_text("2. 1 at the ", timeout=SLOW)

    # A coloured picture is refused in words, and nothing is lost.
    Image.new("RGB", (8, 8)).save(tmp_path / "colour.png")
    room.get_by_label("Map to bring in").set_input_files(tmp_path / "colour.png")
    expect(room.get_by_role("alert").filter(has_text="not grey")).to_be_visible(timeout=SLOW)
    # So are values for another mesh.
    write_values(tmp_path / "other.ply", polygons("other", np.eye(3), [[0, 1, 2]]), "hem", np.zeros(3))
    room.get_by_label("Map to bring in").set_input_files(tmp_path / "other.ply")
    expect(room.get_by_role("alert").filter(has_text="values for 3 vertices")).to_be_visible(timeout=SLOW)
    assert steps(room) == 2


PEN = """([x0, y0, x1, y1]) => {
  const canvas = document.querySelector('[role="img"][aria-label^="The stage"]');
  const box = canvas.getBoundingClientRect();
  const send = (kind, share, pressure) => canvas.dispatchEvent(new PointerEvent(kind, {
    bubbles: true, pointerId: 7, pointerType: 'pen', button: 0, buttons: 1, pressure,
    clientX: box.left + box.width * (x0 + share * (x1 - x0)),
    clientY: box.top + box.height * (y0 + share * (y1 - y0)),
  }));
  send('pointermove', 0, 0);
  send('pointerdown', 0, 0.25);
  for (let k = 1; k <= 8; k += 1) send('pointermove', k / 8, 0.25 + 0.05 * k);
  send('pointerup', 1, 0);
}"""


def test_a_pens_pressure_is_the_strokes(room: Page):  # noqa: F811
    open_shot(room, "Signal flag 0010")
    bench(room, "Chalk")
    room.get_by_role("button", name="Front", exact=True).click()
    until(lambda: outside(stage(room)) > 3000, 60)
    begin(room, "Bend", "pressed")
    # No browser knows a pen that is only made up, so it cannot be captured.
    for name in ("setPointerCapture", "releasePointerCapture"):
        room.evaluate(f"() => {{ Element.prototype.{name} = () => undefined; }}")
    room.evaluate(PEN, [0.46, 0.42, 0.56, 0.46])
    expect(chalk_card(room)).to_contain_text("1. Added 1", timeout=SLOW)
    asked = "path => fetch(path).then((answer) => answer.json())"
    flag = next(one["id"] for one in room.evaluate(asked, "/api/shots") if one["name"] == "Signal flag 0010")
    maps = room.evaluate(asked, f"/api/shots/{flag}")["document"]["garments"][0]["maps"]
    (pressed,) = [one for one in maps if one["name"] == "pressed"]
    exported = room.context.request.get(f"{room.evaluate('location.origin')}/api/shots/{flag}/export").body()
    with zipfile.ZipFile(io.BytesIO(exported)) as folder:
        pressures = np.load(io.BytesIO(folder.read(pressed["steps"][0]["file"])))[:, 6]
    assert 0.25 <= min(pressures) < 0.4
    assert 0.5 < max(pressures) <= 0.65
