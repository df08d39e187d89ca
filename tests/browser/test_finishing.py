"""Rim, colour and proof in the browser: what is set there is what the exported pixels are."""

import io
import zipfile

import cv2
import numpy as np
import pytest
from PIL import Image

from tests.browser.conftest import find_axe_faults, wait_measured
from tests.browser.test_deciding import SIZE, open_sheet, png_of, settle
from tests.browser.test_journeys import export, to_screen
from tests.conftest import read_png, to_png
from tidymargin.demo.almanac import make_almanac
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views import faults
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured

pytestmark = pytest.mark.browser


def pick_colour(page, field, code):
    page.locator(f"#{field}").evaluate("(field, code) => { field.value = code; field.dispatchEvent(new Event('change')) }", code)  # fmt: skip


def draw_pastel(d):
    d.ellipse(150, 200, 90, d.colour("#E8C8B8"))
    d.ellipse(290, 200, 40, d.colour("#B8D0E0"))


def open_almanac(page, workshop, name, step):
    (case,) = make_almanac(names=[name])
    sheet = add_sheet(workshop, case.encoded, f"{name}.{case.suffix}")
    load_measured(workshop, sheet)
    page.goto(f"/sheets/{sheet.id}/?open={step}")
    wait_measured(page)
    return sheet


def test_a_signature_becomes_dark_navy_and_its_matte_stays(page, workshop):
    open_almanac(page, workshop, "harbour-signature", "colour")
    before = export(page)
    pick_colour(page, "recolour-colour", "#1d3557")
    page.get_by_role("button", name="Recolour", exact=True).click()
    settle(page, "recolouring")
    navy = export(page)
    assert np.array_equal(navy[..., 3], before[..., 3])
    assert (navy[navy[..., 3] > 0][:, :3] == (0x1D, 0x35, 0x57)).all()
    assert "all #1D3557" in page.locator("#sentence-colour").inner_text()
    assert find_axe_faults(page) == []
    page.locator("#undo").click()
    page.locator("#redo", has_text="Redo recolouring").wait_for()
    assert np.array_equal(export(page), before)


def test_a_pencil_drawing_is_made_black_by_a_ruler_for_a_dark_page(page, workshop):
    open_almanac(page, workshop, "pencil-lighthouse", "colour")
    before = export(page)
    solid = before[..., 3] > 200
    page.locator("#depth").fill("100")
    page.locator("[data-tries=colour]", has=page.locator("#depth")).get_by_role("button", name="Set").click()  # fmt: skip
    settle(page, "light and contrast")
    black = export(page)
    assert np.array_equal(black[..., 3], before[..., 3])
    assert black[solid][:, :3].max() < 40 < before[solid][:, :3].mean()
    # it is tried on the way, before it is let go
    track = page.locator("[data-track=depth]")
    with page.expect_request(lambda request: "/tried" in request.url):
        track.evaluate("(t) => { t.value = 50; t.dispatchEvent(new Event('input', { bubbles: true })) }")  # fmt: skip
    assert page.locator("#depth").input_value() == "50"


def test_a_pastel_drawing_gets_a_white_backing_with_a_border_of_eight_pixels(page, workshop):
    open_sheet(page, workshop, png_of(draw_pastel), "colour")
    before = export(page)[..., 3]
    page.get_by_role("button", name="Lay the backing").click()
    settle(page, "backing")
    found = export(page)
    away = cv2.distanceTransform((before < 128).astype(np.uint8), cv2.DIST_L2, 5)
    border = (away > 2) & (away < 7)
    assert (found[border] == (255, 255, 255, 255)).all()
    assert (found[away > 10][:, 3] == 0).all()
    assert tuple(found[200, 150, :3]) == (0xE8, 0xC8, 0xB8)
    page.get_by_role("button", name="Only a piece").click()
    page.locator("#verb", has_text="Recolour this piece").wait_for()
    page.mouse.click(*to_screen(page, 200, 290, SIZE))
    settle(page, "piece recoloured")
    found = export(page)
    assert tuple(found[200, 290, :3]) == (0x1D, 0x35, 0x57)
    assert tuple(found[200, 150, :3]) == (0xE8, 0xC8, 0xB8)


def test_in_by_one_and_soft_by_two_is_one_click_and_shows_before_and_after(page, workshop):
    open_sheet(page, workshop, png_of(draw_pastel), "rim")
    before = export(page)
    page.get_by_role("button", name="Shrink by 1 px, soften by 2 px").click()
    settle(page, "edge")
    after = export(page)
    row = [cut[200, 40:150, 3].astype(float).sum() / 255 for cut in (before, after)]
    assert row[0] - row[1] == pytest.approx(1, abs=0.1)
    assert page.locator("#sentence-rim").inner_text().startswith("Edge in by 1 px, soft over 2 px")

    def greys(name):
        return page.locator(f".thrice [data-shows={name}]").evaluate(
            "c => { const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data; return new Set(d).size }"
        )

    page.wait_for_function("document.querySelector('.thrice [data-shows=now]').getContext('2d').getImageData(0, 0, 1, 1).data[3] > 0")  # fmt: skip
    page.wait_for_timeout(600)
    assert greys("now") > greys("before") > 1
    assert find_axe_faults(page) == []


def dusty(d):
    d.rounded(120, 120, 280, 280, 0, d.colour("#305080"))
    d.ellipse(200, 200, 40, d.colour("#FFFFFF"))


def test_a_list_of_faults_is_walked_to_empty_by_keyboard(page, workshop):
    rgb = cv2.cvtColor(cv2.imdecode(np.frombuffer(png_of(dusty), np.uint8), 1), cv2.COLOR_BGR2RGB)
    rgb[0:90, 300:340] = (48, 80, 128)  # cut off at the edge
    sheet = open_sheet(page, workshop, to_png(rgb), "proof")
    page.locator(".faults li").first.wait_for()
    count = page.locator(".faults li").count()
    assert count >= 1
    export_words = page.locator("#export")
    assert f"{count} to decide" in export_words.inner_text()
    assert find_axe_faults(page) == []
    stage = page.locator("#stage")
    stage.focus()
    page.keyboard.press("n")
    page.locator("#detail", has_text="R mends it").wait_for()
    words = page.locator("#verb").inner_text()
    assert words in page.locator(".faults .under").inner_text()
    for _ in range(count):
        head = workshop.sheets.load(sheet.id).head
        stage.focus()
        page.keyboard.press("y")
        page.locator(f"#sheet-data:not([data-head='{head}'])").wait_for(state="attached")
    page.locator("#faults", has_text="None found").wait_for()
    assert export_words.inner_text() == "Export PNG"
    page.reload()
    wait_measured(page)
    page.locator("#faults", has_text="None found").wait_for()
    page.get_by_role("button", name="List them again").click()
    page.locator(".faults li").first.wait_for()
    assert page.locator(".faults li").count() == count


def test_the_knot_charts_faults_are_mended_by_keyboard_until_none_is_left(page, workshop):
    sheet = open_almanac(page, workshop, "knot-chart", "proof")
    page.locator(".faults li").first.wait_for()
    found = [f for f in faults.faults_at_hand(workshop, workshop.sheets.load(sheet.id)) or () if f.kind == "crumb"]  # fmt: skip
    assert found
    assert all(export(page)[f.row, f.col, 3] > 0 for f in found)
    stage = page.locator("#stage")
    for _ in range(page.locator(".faults li").count()):
        head = workshop.sheets.load(sheet.id).head
        stage.focus()
        page.keyboard.press("n")
        page.locator("#detail", has_text="R mends it").wait_for()
        page.keyboard.press("r")
        page.locator(f"#sheet-data:not([data-head='{head}'])").wait_for(state="attached")
    page.locator("#faults", has_text="None found").wait_for()
    assert page.locator("#export").inner_text() == "Export PNG"
    cut = export(page)
    assert all(cut[f.row, f.col, 3] == 0 for f in found)


def test_a_picture_of_ones_own_lies_behind_and_the_matte_is_seen_alone(page, workshop):
    open_sheet(page, workshop, png_of(draw_pastel), "proof")
    before = export(page)
    own = np.zeros((50, 50, 3), np.uint8)
    own[:] = (10, 200, 30)
    page.locator("#own-picture").set_input_files({"name": "own.png", "mimeType": "image/png", "buffer": to_png(own)})  # fmt: skip
    page.locator("button[data-backdrop=picture][aria-pressed=true]").wait_for()
    x, y = to_screen(page, 30, 30, SIZE)

    def expect_colour(*rgb):  # the cut itself may still be on its way
        page.wait_for_function(
            """([x, y, rgb]) => { const c = document.getElementById('stage'); const b = c.getBoundingClientRect(); const r = c.width / b.width;
            const data = c.getContext('2d').getImageData(Math.round((x - b.left) * r), Math.round((y - b.top) * r), 1, 1).data;
            return [...data].slice(0, 3).join() === rgb.join() }""",
            arg=[x, y, rgb],
        )

    expect_colour(10, 200, 30)
    page.get_by_role("button", name="matte alone").click()
    expect_colour(0, 0, 0)
    page.locator("#sweep").evaluate("(t) => { t.value = 200; t.dispatchEvent(new Event('input', { bubbles: true })) }")  # fmt: skip
    expect_colour(200, 200, 200)
    assert np.array_equal(export(page), before)  # what lies behind is never exported
    page.get_by_label("strip: dark grey").check()
    page.get_by_label("strip: your picture").check()
    page.get_by_role("button", name="Set the strip").click()
    settle(page, "proof strip")
    assert page.locator("#strip-now figure").count() == 6
    page.reload()
    wait_measured(page)
    # it is kept for the next time, in this browser alone
    page.wait_for_function(
        """() => { const c = document.querySelector('#strip-now canvas[data-colour=picture]');
        const { data } = c.getContext('2d').getImageData(0, 0, c.width, c.height);
        return data.some((_, at) => at % 4 === 0 && data[at] === 10 && data[at + 1] === 200 && data[at + 2] === 30) }"""
    )
    assert "your picture" in page.locator("#step-proof").inner_text()
    assert find_axe_faults(page) == []


def test_a_logo_goes_out_in_three_sizes_as_webp_and_png_in_one_archive(page, workshop):
    sheet = open_sheet(page, workshop, png_of(draw_pastel), "export")
    page.get_by_label("WebP Keeps it all").check()
    page.get_by_label("Sizes").fill("200, 100, 60")
    page.locator("#step-export form", has=page.get_by_label("Sizes")).get_by_role("button", name="Set").click()  # fmt: skip
    settle(page, "export")
    assert "Export PNG, WebP, the whole picture, at 200, 100, 60." in page.locator("#step-export").inner_text()  # fmt: skip
    assert find_axe_faults(page) == []
    with page.expect_download() as download:
        page.get_by_role("link", name="Export ZIP").click()
    assert download.value.suggested_filename.endswith(".zip")
    with zipfile.ZipFile(download.value.path()) as archive:
        files = {name: Image.open(io.BytesIO(archive.read(name))) for name in archive.namelist()}
        assert archive.testzip() is None
    assert {(image.format, image.size[0]) for image in files.values()} == {
        (kind, size) for kind in ("PNG", "WEBP") for size in (200, 100, 60)
    }
    whole = read_png(export_sheet(workshop, workshop.sheets.load(sheet.id), as_png=True).data)
    true = whole[..., 3].reshape(200, 2, 200, 2).mean(axis=(1, 3))
    for image in files.values():
        if image.size[0] == 200:
            assert np.abs(np.asarray(image.convert("RGBA"))[..., 3] - true).max() < 1.1
