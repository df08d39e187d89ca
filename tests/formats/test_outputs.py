"""Every format is read by another library than the one that wrote it, and nothing of the matte is lost on the way."""

import io
import subprocess
import zipfile

import cv2
import numpy as np
import pytest
import tifffile
from PIL import Image

from tidymargin.core.base.errors import BadOutputError, BadParameterError
from tidymargin.core.base.picture import Region
from tidymargin.core.output.framing import Frame
from tidymargin.core.output.palette import choose_palette
from tidymargin.core.output.resizing import lay_on, resize_cut
from tidymargin.formats.checking import check_file
from tidymargin.formats.export_step import ExportStep, read_sizes, write_sizes
from tidymargin.formats.format_names import ENDINGS, FORMATS, OUTLINES
from tidymargin.formats.outputs import Wish, write_cut

DPI = 254.0


@pytest.fixture(scope="module")
def cut():
    """A red disc with a soft rim and a band of half-clear blue, (90, 120, 4)."""
    rows, cols = np.mgrid[:90, :120]
    rgba = np.zeros((90, 120, 4), np.uint8)
    rgba[..., :3] = (180, 40, 30)
    rgba[..., 3] = np.rint(255 * np.clip((34 - np.hypot(rows - 45, cols - 50)) / 4 + 0.5, 0, 1))
    rgba[20:70, 95:110] = (20, 60, 200, 128)
    return rgba


def read(data):
    found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    assert found is not None
    return cv2.cvtColor(found, cv2.COLOR_BGRA2RGBA) if found.ndim == 3 and found.shape[2] == 4 else found  # fmt: skip


def off(found, cut):
    levels = [(0, 0, 0), (255, 255, 255), (30, 200, 60)]
    return max(np.abs(lay_on(found, c).astype(int) - lay_on(cut, c)).max() for c in levels)


@pytest.mark.parametrize(("kind", "most"), [("png", 0), ("webp", 0), ("avif", 30), ("png_palette", 24)])  # fmt: skip
def test_what_is_clear_stays_clear_and_colours_are_kept_as_the_format_promises(cut, kind, most):
    found = read(write_cut(cut, kind, Wish(DPI)))
    assert found.shape == cut.shape
    assert off(found, cut) <= most
    assert np.abs(found[..., 3].astype(int) - cut[..., 3]).max() <= (16 if most else 0)
    if not most:  # colour is carried on under what is clear
        assert np.array_equal(found, cut)


def test_one_bit_shows_its_jags_and_nothing_half_clear(cut):
    with Image.open(io.BytesIO(write_cut(cut, "png_hard", Wish()))) as image:
        assert image.mode == "P"
        found = np.asarray(image.convert("RGBA"))
    assert set(np.unique(found[..., 3])) == {0, 255}
    assert np.array_equal(found[..., 3] == 255, cut[..., 3] >= 128)


def test_a_flattened_picture_lies_on_its_backdrop_and_the_matte_alone_is_grey(cut):
    flat = cv2.cvtColor(read(write_cut(cut, "jpeg", Wish(quality=95, backdrop=(30, 200, 60)))), cv2.COLOR_BGR2RGB)  # fmt: skip
    assert np.abs(flat.astype(int) - lay_on(cut, (30, 200, 60))).mean() < 2
    assert np.array_equal(read(write_cut(cut, "matte", Wish())), cut[..., 3])


def test_noise_at_full_quality_is_written_as_jpeg():
    noise = np.random.default_rng(0).integers(0, 256, (300, 400, 4), np.uint8)
    noise[..., 3] = 255
    found = read(write_cut(noise, "jpeg", Wish(quality=90)))
    assert np.abs(found[..., ::-1].astype(int) - noise[..., :3]).mean() < 8


def test_a_pdf_is_as_large_as_its_dpi_says_and_poppler_draws_its_soft_mask(cut, tmp_path):
    place = tmp_path / "cut.pdf"
    place.write_bytes(write_cut(cut, "pdf", Wish(DPI)))
    said = subprocess.run(["pdfinfo", place], capture_output=True, text=True, check=True).stdout
    width, height = (float(part) for part in said.split("Page size:")[1].split("pts")[0].split("x"))
    assert (width, height) == pytest.approx((120 / DPI * 72, 90 / DPI * 72), abs=0.01)
    subprocess.run(["pdftocairo", "-png", "-transp", "-singlefile", "-scale-to-x", "120", "-scale-to-y", "90", place, tmp_path / "drawn"], check=True)  # fmt: skip
    found = read((tmp_path / "drawn.png").read_bytes())
    assert found.shape == cut.shape
    assert np.abs(found[..., 3].astype(int) - cut[..., 3]).max() <= 1
    assert off(found, cut) <= 3


def test_openraster_holds_the_cut_the_matte_and_the_original_as_layers(cut):
    original = np.full_like(cut, 255)
    with zipfile.ZipFile(io.BytesIO(write_cut(cut, "ora", Wish(DPI), original))) as archive:
        assert archive.namelist()[0] == "mimetype"
        assert archive.read("mimetype") == b"image/openraster"
        assert archive.getinfo("mimetype").compress_type == zipfile.ZIP_STORED
        stack = archive.read("stack.xml").decode()
        assert [name for name in ("cut", "matte", "original") if f'name="{name}"' in stack] == ["cut", "matte", "original"]  # fmt: skip
        assert 'w="120" h="90" xres="254"' in stack
        assert np.array_equal(read(archive.read("mergedimage.png")), cut)
        assert np.array_equal(read(archive.read("data/layer1.png"))[..., 0], cut[..., 3])
        assert np.array_equal(read(archive.read("data/layer2.png")), original)


def test_a_tiff_has_straight_alpha_under_which_colours_stay(cut):
    with tifffile.TiffFile(io.BytesIO(write_cut(cut, "tiff", Wish(DPI)))) as tiff:
        page = tiff.pages[0]
        assert [int(kind) for kind in page.tags["ExtraSamples"].value] == [2]  # not weighed by it
        assert np.array_equal(page.asarray(), cut)


@pytest.mark.parametrize("kind", FORMATS)
def test_every_file_is_checked_by_reading_it_back_and_says_nothing_of_the_original_but_its_dpi(
    cut, kind
):
    wish = Wish(DPI)
    data = write_cut(cut, kind, wish)
    found = check_file(data, cut, kind, wish)
    assert (found.height, found.width) == cut.shape[:2]
    assert (found.least_alpha, found.most_alpha) == ((255, 255) if kind == "jpeg" else (0, 255))
    if kind not in ("webp", "avif", "ora"):
        assert found.dots_per_inch == pytest.approx(DPI, rel=0.01)
    if ENDINGS[kind] in ("png", "webp", "avif", "tif", "jpg"):
        with Image.open(io.BytesIO(data)) as image:
            assert not set(image.info) & {"exif", "xmp", "comment", "Software", "photoshop"}
            assert not set(dict(image.getexif())) - {34675, *range(254, 340)}
    if kind in OUTLINES:
        with pytest.raises(BadOutputError, match=r"differ|read back"):
            check_file(
                data, np.dstack([cut[..., :3], np.full(cut.shape[:2], 255, np.uint8)]), kind, wish
            )
        return
    other = cut.copy()
    other[45, 50] = (0, 0, 0, 0)
    if kind in ("png", "tiff", "pdf", "ora", "matte"):
        with pytest.raises(BadOutputError, match="differs from the cut"):
            check_file(data, other, kind, wish)
    else:
        assert check_file(data, other, kind, wish).largest_difference > 150
    with pytest.raises(BadOutputError, match="in place of"):
        check_file(data, cut[:-1], kind, wish)


def test_what_is_longer_than_a_format_may_be_is_refused_in_a_sentence():
    with pytest.raises(BadParameterError, match="WEBP holds at most 16,383 px a side"):
        write_cut(np.zeros((1, 16_500, 4), np.uint8), "webp", Wish())


@pytest.mark.parametrize("in_linear", [False, True])
def test_a_cut_made_smaller_shows_what_the_figure_made_smaller_shows(in_linear):
    rows, cols = np.mgrid[:400, :400]
    share = np.clip(180.5 - np.hypot(rows - 200, cols - 203), 0, 1)
    rgba = np.zeros((400, 400, 4), np.uint8)
    rgba[..., :3] = (200, 30, 60)
    rgba[..., 3] = np.rint(255 * share)
    # what stands under clear places must not come in
    rgba[share == 0, :3] = (0, 255, 0)
    half = resize_cut(rgba, 200, 200, in_linear=in_linear)
    true = share.reshape(200, 2, 200, 2).mean(axis=(1, 3))
    assert np.abs(half[..., 3] / 255 - true).max() < 2 / 255
    for colour in ((0, 0, 0), (255, 255, 255), (40, 180, 70)):
        laid = true[..., None] * (200, 30, 60) + (1 - true[..., None]) * colour
        assert np.abs(lay_on(half, colour) - laid).max() < 2.5
    larger = resize_cut(rgba, 700, 700)
    assert larger[..., 3].max() == 255
    assert np.abs(larger[larger[..., 3] > 0][:, :3].astype(int) - (200, 30, 60)).max() <= 1


def test_few_colours_are_kept_exactly_and_many_keep_solid_solid_and_clear_clear():
    random = np.random.default_rng(3)
    few = random.integers(0, 256, (40, 4), np.uint8)[random.integers(0, 40, (50, 60))]
    palette, places = choose_palette(few, 256)
    shown = few.copy()
    shown[few[..., 3] == 0] = 0
    assert np.array_equal(palette[places], shown)
    many = random.integers(0, 256, (80, 90, 4), np.uint8)
    many[:30, :, 3], many[30:40, :, 3] = 255, 0
    palette, places = choose_palette(many, 64)
    assert len(palette) <= 64
    found = palette[places]
    assert (found[:30, :, 3] == 255).all()
    assert (found[30:40, :, 3] == 0).all()
    assert (found[40:][many[40:, :, 3] % 255 > 0][:, 3] % 255 > 0).all()


@pytest.mark.parametrize(
    ("frame", "place"),
    [
        (Frame(), Region(0, 0, 100, 200)),
        (Frame(True, (5, 6, 7, 8)), Region(25, 42, 67, 106)),
        (Frame(True, (5, 5, 5, 5), "square"), Region(15, 45, 75, 105)),
        (Frame(True, (0, 0, 0, 0), (100, 100)), Region(20, 50, 70, 100)),
        (Frame(True, (0, 0, 0, 0), (200, 100)), Region(30, 45, 60, 105)),
    ],
)  # fmt: skip
def test_a_figure_is_framed_with_its_margins_in_the_middle_of_what_was_asked(frame, place):
    figure = Region(30, 50, 60, 100)
    assert frame.place(figure, 100, 200) == place
    assert Frame(True, frame.margins_px, None).place(None, 100, 200).height >= 100
    with pytest.raises(BadParameterError, match=r"1800000 × 30 px is too large.*200 megapixels"):
        Frame(True, box=(60_000, 1)).place(figure, 100, 200)


@pytest.mark.parametrize(
    ("text", "sizes"),
    [
        ("1024", [(512, 1024)]), ("100 wide, 50 high", [(50, 100), (50, 100)]), ("50%", [(100, 200)]),
        ("25.4mm", [(150, 300)]), ("", []),
    ],
)  # fmt: skip
def test_sizes_are_read_as_they_are_typed_and_written_so_again(text, sizes):
    entries = tuple(read_sizes(text))
    assert [entry.to_size().of(200, 400, 300) for entry in entries] == sizes
    assert tuple(read_sizes(write_sizes(entries))) == entries


@pytest.mark.parametrize("text", ["big", "0", "-4", "12 m", "1e9", "99999"])
def test_what_is_no_size_is_refused_in_a_sentence(text):
    with pytest.raises(BadParameterError, match="Expected sizes like 1024"):
        read_sizes(text)


def test_names_follow_a_pattern_and_are_never_paths():
    step = ExportStep(formats=("png", "png_palette", "webp"), sizes=tuple(read_sizes("64, 128")))
    assert step.name_file("owl", "png", 64, 64) == "owl-64-png.png"
    assert step.name_file("owl", "webp", 64, 64) == "owl-64.webp"
    own = ExportStep(pattern="{name}@{size}")
    assert own.name_file("../o/wl", "png", 30, 40) == "_o_wl@40x30.png"
    for pattern in ("a/b", "{evil}", "{name", "..\\x"):
        with pytest.raises(ValueError, match="braces"):
            ExportStep(pattern=pattern)


@pytest.mark.parametrize("kind", ["png", "png_palette", "png_hard", "webp", "avif", "tiff", "jpeg", "pdf", "matte"])  # fmt: skip
def test_whose_a_picture_is_stands_in_the_file_where_that_was_asked_for_and_nothing_else(cut, kind, tmp_path):  # fmt: skip
    credit = "© 2026 Skerrow Almanac, Ebba Ørn"
    wish = Wish(DPI, credit=credit)
    data = write_cut(cut, kind, wish)
    check_file(data, cut, kind, wish)
    if kind == "pdf":
        place = tmp_path / "cut.pdf"
        place.write_bytes(data)
        told = subprocess.run(["pdfinfo", place], capture_output=True, text=True, check=True).stdout
        assert f"Author:          {credit}" in told
        return
    with Image.open(io.BytesIO(data)) as image:
        if ENDINGS[kind] == "png":
            assert image.info["Copyright"] == credit
            assert set(image.info) <= {"Copyright", "dpi", "srgb", "transparency"}
            return
        exif = image.getexif()
    said = exif[33432]
    assert (said if isinstance(said, bytes) else said.encode("latin-1")).decode() == credit
    assert not set(exif) - {33432, 34675, *range(254, 340)}
