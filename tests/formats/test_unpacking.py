"""Files that hold several pictures: each comes out as a picture; damaged, locked, endless and far too large ones are refused."""

import io
import random
import zipfile
from contextlib import suppress

import numpy as np
import pytest
from PIL import Image
from reportlab.pdfgen import canvas

from tests.conftest import to_png
from tidymargin.core.base.errors import BadImageError, BadParameterError, DomainError, TooLargeError
from tidymargin.formats import unpacking
from tidymargin.formats.asked import Asked
from tidymargin.formats.containers import find_kind
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.unpacking import take_apart

SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 10"><circle cx="5" cy="5" r="4" fill="#1d3557"/>{}</svg>'


def write_pdf(pages=2, width=144, height=72):
    """Pages of two by one inches with a disc that moves to the right."""
    out = io.BytesIO()
    pdf = canvas.Canvas(out, (width, height))
    for number in range(pages):
        pdf.setFillColorRGB(0.1, 0.2, 0.6)
        pdf.circle(36 + 40 * number, 36, 20, stroke=0, fill=1)
        pdf.showPage()
    pdf.save()
    return out.getvalue()


def write_tiff(pages=3):
    images = [Image.new("RGB", (40, 30 + n), (10 * n, 20, 30)) for n in range(pages)]
    out = io.BytesIO()
    images[0].save(out, "TIFF", save_all=True, append_images=images[1:], dpi=(300, 300))
    return out.getvalue()


def write_zip(files, **options):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", **options) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def open_parts(data, name="file.x", **asked):
    return list(take_apart(data, name, Asked(**asked)))


def test_pages_of_a_pdf_are_drawn_at_the_dots_that_are_asked_for():
    parts = open_parts(write_pdf(), "client.pdf", dots_per_inch=150)
    assert [part.name for part in parts] == ["client page 1.png", "client page 2.png"]
    assert parts[1].remark == "Page 2 of 2 of client.pdf, drawn at 150 dots to the inch"
    for number, part in enumerate(parts):
        decoded = decode_picture(part.data)
        assert (decoded.picture.width, decoded.picture.height) == (300, 150)
        assert decoded.dots_per_inch == pytest.approx(150, abs=0.1)
        inside = round((36 + 40 * number) * 150 / 72)
        assert tuple(decoded.picture.rgb[75, inside]) == (26, 51, 153)
        assert tuple(decoded.picture.rgb[75, 295]) == (255, 255, 255)
    (single,) = open_parts(write_pdf(1), "one.pdf")
    assert single.name == "one.png"


def test_a_page_as_large_as_a_hall_is_drawn_as_far_as_a_picture_may_be_large(monkeypatch):
    monkeypatch.setattr(unpacking, "MAX_PIXELS", 40_000)
    (part,) = open_parts(write_pdf(1), "hall.pdf")
    picture = decode_picture(part.data).picture
    assert 30_000 < picture.width * picture.height <= 40_000
    (part,) = open_parts(write_pdf(1, 100_000, 100_000))
    assert isinstance(part.error, TooLargeError)


def test_every_page_of_a_tiff_comes_out_without_loss_and_one_page_alone_stays_as_it_is():
    parts = open_parts(write_tiff(), "scan.tif")
    assert [part.name for part in parts] == [f"scan page {n}.tif" for n in (1, 2, 3)]
    for number, part in enumerate(parts):
        decoded = decode_picture(part.data)
        assert decoded.picture.rgb.shape == (30 + number, 40, 3)
        assert tuple(decoded.picture.rgb[0, 0]) == (10 * number, 20, 30)
        assert decoded.dots_per_inch == 300
    single = write_tiff(1)
    assert open_parts(single)[0].data == single


def test_a_drawing_is_drawn_with_its_own_transparency_and_one_that_reaches_outside_is_refused():
    (part,) = open_parts(SVG.format("").encode(), "mark.svg", drawing_px=200)
    picture = decode_picture(part.data).picture
    assert (picture.width, picture.height) == (200, 100)
    assert (picture.alpha[50, 50], picture.alpha[50, 150]) == (255, 0)
    reaching = [
        '<image href="/etc/hostname" width="9" height="9"/>',
        '<image xmlns:x="http://www.w3.org/1999/xlink" x:href="http://127.0.0.1/x.png"/>',
        '<rect fill="url(file:///tmp/x.svg#a)" width="9" height="9"/>',
        "<style>@import 'x.css';</style>",
    ]
    for inside in reaching:
        with pytest.raises(BadImageError, match="files beside it"):
            open_parts(SVG.format(inside).encode())
    bomb = '<!DOCTYPE x [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]>' + SVG.format("&b;")
    with pytest.raises(BadImageError, match="entities"):
        open_parts(bomb.encode())
    with pytest.raises(BadImageError, match="no SVG"):
        open_parts(b"<?xml version='1.0'?><html/>")


def test_pictures_of_a_zip_come_out_by_their_content_and_nothing_leaves_the_folder(badge_png):
    data = write_zip(
        {
            "b/../../../etc/two.png": badge_png, "a/one.png": badge_png, "notes.txt": b"hello",
            "c/pages.pdf": write_pdf(), "__MACOSX/._one.png": badge_png, "inner.zip": write_zip({"x.png": badge_png}),
            "no-ending": badge_png,
        }
    )  # fmt: skip
    parts = open_parts(data, "logos.zip")
    assert [part.name for part in parts] == ["one.png", "two.png", "pages page 1.png", "pages page 2.png", "no-ending"]  # fmt: skip
    assert parts[0].data == badge_png
    with pytest.raises(BadImageError, match="no picture"):
        open_parts(write_zip({"notes.txt": b"hello"}), "notes.zip")
    layered = write_zip({"mimetype": b"image/openraster", "mergedimage.png": badge_png, "data/layer0.png": badge_png})  # fmt: skip
    assert [part.name for part in open_parts(layered, "art.ora")] == ["art.ora"]


def test_what_unpacks_to_far_more_than_it_says_or_to_too_many_is_refused(monkeypatch, badge_png):
    monkeypatch.setattr(unpacking, "MOST_UNPACKED_BYTES", 3_000_000)
    bomb = write_zip({f"{n}.png": bytes(2_000_000) for n in range(3)}, compression=zipfile.ZIP_DEFLATED)  # fmt: skip
    assert len(bomb) < 20_000
    parts = open_parts(bomb)
    assert [part.name for part in parts if part.error] == ["1.png", "2.png"]
    assert sum(len(part.data) for part in parts) <= 3_000_000
    for wrong in ({"dots_per_inch": 3}, {"dots_per_inch": 1e9}, {"drawing_px": 0}):
        with pytest.raises(BadParameterError):
            Asked(**wrong)


def test_one_spoilt_file_in_a_zip_is_named_and_the_others_are_taken(badge_png):
    data = bytearray(write_zip({"a.png": badge_png, "b.png": badge_png, "c.pdf": b"%PDF-1.7 no", "d.png": badge_png}))  # fmt: skip
    at = data.index(badge_png, data.index(badge_png) + 1)
    data[at + 200] ^= 0xFF
    parts = open_parts(bytes(data), "logos.zip")
    assert [(part.name, part.error is None) for part in parts] == [("a.png", True), ("b.png", False), ("c.pdf", False), ("d.png", True)]  # fmt: skip
    assert "damaged" in parts[1].error.message
    assert "PDF is damaged" in parts[2].error.message


def test_too_many_are_counted_before_any_is_drawn(monkeypatch, badge_png):
    monkeypatch.setattr(unpacking, "MOST_PICTURES", 3)
    for data in (write_zip({f"{n}.png": badge_png for n in range(4)}), write_pdf(4), write_tiff(4)):
        with pytest.raises(TooLargeError, match="at most 3"):
            next(take_apart(data, "file.x"))
    monkeypatch.setattr(unpacking, "MOST_SHAPES", 100)
    with pytest.raises(TooLargeError, match="more than 100 elements"):
        next(take_apart(SVG.format("<g/>" * 100).encode(), "file.svg"))


@pytest.mark.parametrize("kind", ["pdf", "tiff", "zip", "svg"])
def test_a_file_cut_or_spoilt_anywhere_is_read_or_refused_in_words(kind, badge_png):
    small = to_png(np.full((8, 8, 3), 90, np.uint8))
    files = {"pdf": write_pdf(1), "tiff": write_tiff(2), "svg": SVG.format("").encode()}
    data = files.get(kind) or write_zip({"a.png": small, "b.png": small})
    assert find_kind(data) == kind
    chance = random.Random(11)
    for number in range(60):
        at = chance.randrange(len(data))
        spoilt = data[:at] if number % 2 else data[:at] + bytes([data[at] ^ 0x55]) + data[at + 1 :]
        with suppress(DomainError):  # anything else is our own fault
            for part in open_parts(spoilt, dots_per_inch=72, drawing_px=64):
                decode_picture(part.data)
