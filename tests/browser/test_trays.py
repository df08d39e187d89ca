"""Trays in the browser: a client's pictures with bad files among them keyed alike, walked by keys, and fetched as one ZIP."""

import io
import json
import zipfile
from pathlib import Path

import numpy as np
import pillow_heif
import pytest
from PIL import Image

from tests.browser.conftest import find_axe_faults
from tests.conftest import read_png, to_png
from tests.services.test_trays import busy_png, disc_png
from tidymargin.demo.scanner import scan_into
from tidymargin.services.folder.watching import Watcher

pytestmark = pytest.mark.browser


def fetch_zip(page):
    with page.expect_download() as waiting:
        page.get_by_role("link", name="Fetch the ZIP").click()
    return zipfile.ZipFile(io.BytesIO(Path(waiting.value.path()).read_bytes()))


def test_four_sheets_with_bad_files_among_them_are_keyed_alike_and_fetched_as_a_zip(page, workshop, keeper, complaints):  # fmt: skip
    page.goto("/")
    page.get_by_text("Put pictures together into a tray").click()
    page.get_by_label("Name", exact=True).fill("Client logos")
    page.get_by_role("button", name="Make the tray").click()
    page.get_by_text("Drop the tray’s pictures here.").wait_for()
    assert find_axe_faults(page) == []
    pictures = [(f"logo {tone}.png", disc_png(tone)) for tone in (10, 60, 110)]
    pictures += [("cloth.png", busy_png()), ("broken.png", b"no picture"), ("notes.txt", b"hello")]
    page.set_input_files("#picture", [{"name": n, "mimeType": "image/png", "buffer": b} for n, b in pictures])  # fmt: skip
    page.get_by_text("This file’s content is none of PNG").first.wait_for()
    page.locator("#arrivals li", has_text="notes.txt").locator(".said").wait_for()
    complaints.expect("415")
    page.reload()  # as a person does who has read which were refused
    page.get_by_text("4 pictures. 3 clean. 1 to look at.").wait_for()
    page.keyboard.press("n")
    assert page.evaluate("document.activeElement.textContent") == "cloth.png"
    page.get_by_text("Change what files they give").click()
    page.get_by_label("Trimmed to the subject").check()
    page.get_by_label("Margin in px").fill("3")
    page.locator("form", has=page.get_by_label("Margin in px")).get_by_role("button", name="Use this for all pictures").click()  # fmt: skip
    page.get_by_text("trimmed with a margin of 3 px").wait_for()
    page.get_by_text("getting the shared settings").wait_for(state="detached")
    page.get_by_role("button", name="Export all 4, 1 to look at").click()
    page.get_by_text("4 of 4 written.").wait_for()
    with fetch_zip(page) as archive:
        names = set(archive.namelist())
        alpha = read_png(archive.read("logo 60.png"))[..., 3]
        rows = json.loads(archive.read("manifest.json"))["pictures"]
    assert names == {"logo 10.png", "logo 60.png", "logo 110.png", "cloth.png", "manifest.csv", "manifest.json"}  # fmt: skip
    assert alpha.shape == (65, 65)
    assert alpha[32, 32] == 255
    assert not alpha[:3].any()
    assert [row["name"] for row in rows if row["to_look_at"]] == ["cloth"]
    assert find_axe_faults(page) == []
    page.get_by_role(
        "link", name="logo 60.png"
    ).click()  # one that is tuned on its bench is shared from its card
    page.locator("#sheet-data[data-measured='1']").wait_for(state="attached")
    page.locator("#undo", has_text="what its tray shares").wait_for()


def test_a_scanners_folder_becomes_a_tray_by_itself_and_a_change_shows_before_and_after(page, workshop, keeper, tmp_path):  # fmt: skip
    folder = tmp_path / "Scans of May"
    folder.mkdir()
    clock = [0.0]
    watcher = Watcher(workshop, folder, lambda: clock[0])

    def wait(seconds):
        for _ in range(max(1, round(seconds))):
            clock[0] += 1
            watcher.look()

    list(scan_into(folder, 3, 2.0, wait))
    wait(6)
    page.goto("/")
    page.get_by_role("list", name="Trays").get_by_role("link", name="Scans of May").click()
    page.get_by_text("3 pictures.").wait_for()
    page.get_by_text("being looked over").first.wait_for(state="detached")
    page.get_by_text("Change what the pictures share").click()
    page.get_by_label("Tolerance, 0 to 50").fill("2")
    page.get_by_role("button", name="Use this for all pictures").first.click()
    page.get_by_role("link", name="Before and after (3)").wait_for()
    page.get_by_role("link", name="Before and after (3)").click()
    assert page.locator(".pair-of-prints").count() == 3
    for image in page.locator(".pair-of-prints img").all():
        image.scroll_into_view_if_needed()
        page.wait_for_function("image => image.complete && image.naturalWidth > 0", arg=image.element_handle())  # fmt: skip
    before, now = page.locator(".pair-of-prints img").all()[:2]
    sizes = [image.evaluate("image => [image.naturalWidth, image.naturalHeight]") for image in (before, now)]  # fmt: skip
    assert sizes[0] == sizes[1]
    page.get_by_role("button", name="Undo rules on all pictures").click()
    page.get_by_text("what is measured on each").wait_for()
    heads = {workshop.sheets.load(sheet.id).undo for sheet in workshop.sheets.list_all()}
    assert heads <= {"tray"}
    assert find_axe_faults(page) == []


def test_a_page_of_drawings_gives_each_as_a_file_of_its_own(page, workshop, keeper):
    sheet = np.full((300, 460, 3), 250, np.uint8)
    for col in (80, 230, 380):
        sheet[100:190, col - 40 : col + 40] = (40, 60, 140)
    page.goto("/")
    page.set_input_files("#picture", [{"name": "page.png", "mimeType": "image/png", "buffer": to_png(sheet)}])  # fmt: skip
    page.locator("#sheet-data[data-measured='1']").wait_for(state="attached")
    page.locator("#phrase-formats").click()
    page.get_by_label("Every drawing of the page on its own").check()
    page.locator("form", has=page.get_by_label("Every drawing of the page on its own")).get_by_role("button", name="Set").click()  # fmt: skip
    page.locator("#sentence-export", has_text="every drawing on its own").wait_for()
    with page.expect_download() as waiting:
        page.locator("#export").click()
    with zipfile.ZipFile(io.BytesIO(Path(waiting.value.path()).read_bytes())) as archive:
        assert archive.namelist() == ["page-1.png", "page-2.png", "page-3.png"]
    page.locator("#exports-made", has_text="page-1.png").wait_for()
    page.locator("#exports-made", has_text="nothing lost").wait_for()


def test_a_phones_picture_becomes_a_png_and_a_logo_three_sizes_in_two_formats(page, workshop):
    out = io.BytesIO()
    pillow_heif.register_heif_opener()
    photo = np.full((240, 320, 3), 244, np.uint8)
    photo[60:180, 90:230] = (160, 30, 60)
    Image.fromarray(photo).save(out, "HEIF", quality=92)
    page.goto("/")
    page.set_input_files("#picture", [{"name": "IMG_0412.HEIC", "mimeType": "image/heic", "buffer": out.getvalue()}])  # fmt: skip
    page.locator("#sheet-data[data-measured='1']").wait_for(state="attached")
    with page.expect_download() as waiting:
        page.locator("#export").click()
    assert waiting.value.suggested_filename == "IMG_0412.png"
    cut = read_png(Path(waiting.value.path()).read_bytes())
    assert cut.shape == (240, 320, 4)
    assert (cut[120, 160, 3], cut[20, 20, 3]) == (255, 0)
    page.locator("#phrase-formats").click()
    page.get_by_label("WebP").first.check()
    page.get_by_label("Sizes", exact=True).fill("64, 128, 256")
    page.locator("form", has=page.get_by_label("Sizes", exact=True)).get_by_role("button", name="Set").click()  # fmt: skip
    page.locator("#sentence-export", has_text="at 64, 128, 256").wait_for()
    with page.expect_download() as waiting:
        page.locator("#export").click()
    with zipfile.ZipFile(io.BytesIO(Path(waiting.value.path()).read_bytes())) as archive:
        names = archive.namelist()
        sizes = {name: Image.open(io.BytesIO(archive.read(name))).size for name in names}
    assert sorted(names) == sorted(f"IMG_0412-{w}.{e}" for w in (64, 128, 256) for e in ("png", "webp"))  # fmt: skip
    assert {name: size[0] for name, size in sizes.items()} == {
        n: int(n[9:].split(".")[0]) for n in names
    }
    assert {size[1] for size in sizes.values()} == {48, 96, 192}
    page.locator("#exports-made", has_text="nothing lost").first.wait_for()
    assert find_axe_faults(page) == []
