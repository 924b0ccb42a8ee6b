"""A garment of flat pieces, as an artist makes it: a block on the table, a length typed, sewn and kept."""

from __future__ import annotations

import re

import numpy as np
from playwright.sync_api import Page, expect

from tests.acceptance.test_cast import SLOW, bring_lamplighter, own_shot  # noqa: F401
from tests.acceptance.test_workroom import bench, outside, room, stage, type_into  # noqa: F401
from tests.houses import until


def chalk(page: Page) -> np.ndarray:
    """Where chalk is white on the brown paper of the table, rows and columns (k, 2) px."""
    seen = stage(page).astype(int)
    white = (seen.min(axis=2) > 225) & (seen[:, :, 0] - seen[:, :, 2] < 30)
    return np.argwhere(white)


def test_a_skirt_is_drafted_drawn_on_the_table_sewn_and_kept(own_shot: Page, tmp_path):  # noqa: F811
    page = own_shot
    bring_lamplighter(page)
    bench(page, "Wardrobe")
    page.get_by_role("button", name="Sew a skirt").click()
    card = page.get_by_role("button", name="Work on the skirt")
    expect(card).to_contain_text(re.compile(r"sewn, skirt.*draft 16 mm"), timeout=SLOW)
    expect(page.get_by_text("4 pieces, 8 seams: not sewn yet")).to_be_visible(timeout=SLOW)
    expect(page.get_by_role("button", name=re.compile("^Wardrobe"))).to_contain_text("1 garment to sew")

    # The seams say how their sides fit; a correction of a measure cuts the pieces anew.
    seam = page.get_by_role("group", name="Seam 1", exact=True)
    expect(seam).to_contain_text("front, side right to back, side left")
    type_into(page, "Waist, mm", 700)
    band = page.get_by_role("group", name="Seam 7", exact=True)
    expect(band).to_contain_text("360 mm", timeout=SLOW)

    # On the table: the lower left piece under the pointer is chosen, one of its edges, a length typed.
    page.get_by_role("button", name="Table", exact=True).click()
    until(lambda: len(chalk(page)) > 200, 60)
    canvas = page.get_by_role("img", name=re.compile("The stage"))
    box = canvas.bounding_box()
    piece = page.get_by_role("group", name=re.compile("^Piece"))

    def pressed() -> bool:
        """Press beside chalk, row by row, until a body piece lies under the pointer."""
        rows, columns = chalk(page).T
        for share in range(15, 90, 5):
            row = np.percentile(rows, share)
            near = columns[np.abs(rows - row) < 8]
            for aside in (25, 50, 80):
                page.mouse.move(box["x"] + float(near.min()) + aside, box["y"] + float(row))
                page.mouse.down()
                page.mouse.up()
                page.wait_for_timeout(150)
                if piece.get_by_role("button", name="Edge hem").count():
                    return True
        return False

    until(pressed, 60)
    expect(piece).to_contain_text("Torso")
    expect(piece.get_by_role("img", name="Pieces at the front")).to_be_visible()
    piece.get_by_role("button", name="Edge hem").click()
    before = float(piece.get_by_label("Length, mm").input_value())
    length = piece.get_by_label("Length, mm")
    length.fill(str(before + 60))
    length.press("Enter")
    expect(page.get_by_text("The pieces are your own now")).to_be_visible(timeout=SLOW)

    # Coarse for now; then it is sewn while the figure grows on the stage, kept, and undone as one step.
    type_into(page, "Draft, mm", 30)
    expect(card).to_contain_text("draft 30 mm", timeout=SLOW)
    page.get_by_role("button", name="Three-quarter").click()
    page.get_by_role("button", name="Sew it", exact=True).click()
    sewing = page.get_by_role("group", name="Sewing")
    expect(sewing).to_contain_text("the figure grows", timeout=SLOW)
    expect(page.get_by_text("It is sewn and worn")).to_be_visible(timeout=4 * SLOW)
    expect(sewing).to_have_count(0)
    expect(page.get_by_role("button", name="Undo")).to_have_attribute("title", re.compile("Sewed the skirt"))
    expect(page.get_by_role("alert")).to_have_count(0)

    # A seam basted, with buttons: it has to be sewn again, and says so.
    page.get_by_role("group", name="Seam 1", exact=True).hover()
    page.get_by_role("button", name="Baste seam 1").click()
    expect(page.get_by_text(re.compile("8 seams: not sewn yet"))).to_be_visible(timeout=SLOW)
    page.get_by_role("button", name="Buttons along seam 1").click()
    expect(page.get_by_role("group", name="Seam 1", exact=True)).to_contain_text(
        "buttoned every 90 mm", timeout=SLOW
    )

    # The pieces go out as a drawing and take their own place when they come back.
    with page.expect_download() as taken:
        page.get_by_role("link", name="Take pieces out").click()
    drawing = tmp_path / "skirt.svg"
    taken.value.save_as(drawing)
    page.get_by_label("Drawing to bring in").set_input_files(drawing)
    expect(page.get_by_text("skirt.svg: 4 replaced")).to_be_visible(timeout=SLOW)


def test_trousers_and_a_smock_over_them_are_sewn_from_nothing(own_shot: Page):  # noqa: F811
    page = own_shot
    bring_lamplighter(page)
    bench(page, "Wardrobe")
    for block, called in (("trousers", "Sew trousers"), ("smock", "Sew a smock")):
        another = page.get_by_role("button", name="Make another", exact=True)
        if another.count():
            another.click()
        page.get_by_role("button", name=called, exact=True).click()
        card = page.get_by_role("button", name=f"Work on the {block}")
        expect(card).to_contain_text(re.compile(f"sewn, {block}.*draft 16 mm"), timeout=SLOW)
        type_into(page, "Draft, mm", 34)
        expect(card).to_contain_text("draft 34 mm", timeout=SLOW)
        page.get_by_role("button", name="Sew it", exact=True).click()
        page.get_by_role("button", name="Keep it now").click(timeout=SLOW)  # it falls, and hangs well enough
        said = page.get_by_text(re.compile(r"Sewn: 99 in 100 edges are stretched by \d+\.\d %"))
        expect(said.first).to_be_visible(timeout=4 * SLOW)
        expect(page.get_by_text("It is sewn and worn")).to_be_visible(timeout=SLOW)
        expect(page.get_by_role("alert")).to_have_count(0)
    expect(page.get_by_role("button", name=re.compile("^Wardrobe"))).to_contain_text("2 garments")
