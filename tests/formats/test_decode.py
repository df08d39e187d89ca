import contextlib
import io
import struct
import tempfile
import zlib

import numpy as np
import pillow_heif
import pytest
from PIL import Image, ImageCms

from tidymargin.core.base.errors import BadImageError, DomainError, TooLargeError
from tidymargin.formats.decode import decode_file, decode_picture
from tidymargin.formats.encode import encode_png
from tidymargin.formats.limits import MAX_FILE_BYTES

RGB = np.zeros((6, 8, 3), np.uint8)
RGB[:, 4:] = (200, 100, 50)


def saved(image, kind, **options):
    out = io.BytesIO()
    image.save(out, kind, **options)
    return out.getvalue()


@pytest.mark.parametrize("kind", ["PNG", "WEBP", "TIFF", "BMP", "GIF"])
def test_lossless_formats_come_out_as_they_went_in(kind):
    options = {"lossless": True} if kind == "WEBP" else {}
    decoded = decode_picture(saved(Image.fromarray(RGB), kind, **options))
    assert decoded.format_name == kind
    np.testing.assert_array_equal(decoded.picture.rgb, RGB)
    assert decoded.picture.alpha is None


def test_orientation_is_applied_and_dots_per_inch_are_read():
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter
    decoded = decode_picture(saved(Image.fromarray(RGB), "PNG", exif=exif, dpi=(300, 300)))
    np.testing.assert_array_equal(decoded.picture.rgb, np.rot90(RGB, -1))
    assert decoded.dots_per_inch == pytest.approx(300, abs=0.1)


@pytest.mark.parametrize("mode", ["L", "1", "P", "CMYK", "I;16"])
def test_every_colour_mode_becomes_8_bit_srgb(mode):
    grey = Image.fromarray(np.repeat(np.array([[0, 255]], np.uint8), 4, axis=0).repeat(4, axis=1))
    if mode == "I;16":
        image = Image.fromarray(np.asarray(grey).astype(np.uint16) * 257)
    else:
        image = grey.convert("RGB").convert(mode)
    decoded = decode_picture(saved(image, "TIFF"))
    assert decoded.picture.rgb.shape == (4, 8, 3)
    assert decoded.picture.rgb[0, 0].max() <= 1
    assert decoded.picture.rgb[0, 7].min() >= 254
    assert any("16 to 8" in r for r in decoded.remarks) == (mode == "I;16")
    assert any("CMYK" in r for r in decoded.remarks) == (mode == "CMYK")


def test_a_cmyk_jpeg_works_and_says_so():
    decoded = decode_picture(saved(Image.new("CMYK", (16, 16), (0, 255, 255, 0)), "JPEG"))
    assert decoded.remarks == ("Converted from CMYK to sRGB",)
    red, green, blue = decoded.picture.rgb[8, 8]
    assert red > 200 > 60 > max(green, blue)


def test_an_embedded_profile_is_converted_and_a_damaged_one_passed_over():
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB"))
    same = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB"))
    plain = decode_picture(saved(Image.fromarray(RGB), "PNG", icc_profile=same.tobytes()))
    assert plain.remarks == ()
    for profile in (lab.tobytes(), b"not a profile"):
        decoded = decode_picture(saved(Image.fromarray(RGB), "PNG", icc_profile=profile))
        assert "damaged" in decoded.remarks[0]
        np.testing.assert_array_equal(decoded.picture.rgb, RGB)


def swap_red_and_green():
    """Return a profile like sRGB in which red and green stand for one another."""
    data = bytearray(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    entries = {}
    for number in range(struct.unpack_from(">I", data, 128)[0]):
        at = 132 + 12 * number
        entries[bytes(data[at : at + 4])] = at
    data[entries[b"rXYZ"] : entries[b"rXYZ"] + 4] = b"gXYZ"
    data[entries[b"gXYZ"] : entries[b"gXYZ"] + 4] = b"rXYZ"
    name = "sRGB built-in".encode("utf-16-be")
    assert name in data
    return bytes(data).replace(name, "Swapped two!!".encode("utf-16-be"))


@pytest.mark.parametrize("mode", ["RGB", "RGBA", "P"])
def test_colours_are_those_that_the_profile_says_and_alpha_is_untouched(mode):
    image = Image.fromarray(RGB)
    if mode == "RGBA":
        image.putalpha(Image.fromarray(np.repeat(np.uint8([[0], [90]]), 24).reshape(6, 8)))
    elif mode == "P":
        image = image.quantize(8)
    decoded = decode_picture(saved(image, "PNG", icc_profile=swap_red_and_green()))
    assert "Converted from Swapped two!! to sRGB" in decoded.remarks
    expected = RGB[..., [1, 0, 2]].astype(int)
    solid = np.ones((6, 8), bool)
    if mode == "RGBA":
        assert decoded.picture.alpha.tolist() == [[0] * 8] * 3 + [[90] * 8] * 3
        solid = decoded.picture.alpha > 0
    assert np.abs(decoded.picture.rgb.astype(int) - expected)[solid].max() <= 1


@pytest.mark.parametrize(("most", "taken"), [(1.0, True), (1.5, False), (np.nan, False)])
def test_floating_point_from_0_to_1_is_taken_and_anything_else_refused_in_words(most, taken):
    values = np.linspace(0, 1, 48, dtype=np.float32).reshape(6, 8)
    values[-1, -1] = most
    data = saved(Image.fromarray(values), "TIFF")
    if taken:
        decoded = decode_picture(data)
        assert decoded.remarks == ("Reduced from floating point to 8 bits a channel",)
        assert np.array_equal(decoded.picture.rgb[..., 1], np.rint(values * 255))
    else:
        with pytest.raises(BadImageError, match="floating-point") as refused:
            decode_picture(data)
        assert "16 bits" in refused.value.hint


def test_alpha_is_kept_and_said_and_a_solid_one_dropped():
    alpha = np.full((6, 8), 255, np.uint8)
    solid = decode_picture(encode_png(np.dstack([RGB, alpha])))
    assert solid.picture.alpha is None
    alpha[0] = 0
    part = decode_picture(encode_png(np.dstack([RGB, alpha])))
    np.testing.assert_array_equal(part.picture.alpha, alpha)
    assert "transparent parts" in part.remarks[0]


def test_the_first_frame_of_an_animation_is_taken_and_said():
    frames = [Image.fromarray(RGB), Image.fromarray(255 - RGB)]
    decoded = decode_picture(saved(frames[0], "GIF", save_all=True, append_images=frames[1:]))
    np.testing.assert_array_equal(decoded.picture.rgb, RGB)
    assert decoded.remarks == ("The first of several frames was taken",)


def huge_header() -> bytes:
    body = struct.pack(">IIBBBBB", 60_000, 60_000, 8, 2, 0, 0, 0)
    crc = struct.pack(">I", zlib.crc32(b"IHDR" + body))
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + b"IHDR" + body + crc + b"\0" * 64


WHOLE = saved(Image.fromarray(np.random.default_rng(0).integers(0, 255, (64, 64, 3), np.uint8)), "PNG")  # fmt: skip

BAD = {
    "empty": (b"", BadImageError, "This file is empty"),
    "cut off": (WHOLE[: len(WHOLE) // 2], BadImageError, "breaks off or is damaged"),
    "text": (b"hello, I am not a picture" * 9, BadImageError, "none of PNG"),
    "huge": (huge_header(), TooLargeError, "60000 × 60000 px .*at most 200 megapixels"),
    "pdf": (b"%PDF-1.7 ...", BadImageError, "This is a PDF"),
    "heic": (b"\0\0\0\x18ftypheic\0\0\0\0", BadImageError, "damaged|none of PNG|cannot be read"),
    "svg": (b"<?xml version='1.0'?><svg/>", BadImageError, "SVG"),
}


@pytest.mark.parametrize("name", BAD)
def test_each_bad_file_gets_its_own_sentence_and_advice(name):
    data, kind, said = BAD[name]
    with pytest.raises(kind, match=said) as caught:
        decode_picture(data)
    assert caught.value.hint.endswith(".")


def photographed(image, **options):
    """A phone's photo: HEIC, coded with small losses."""
    out = io.BytesIO()
    pillow_heif.from_pillow(image).save(out, quality=95, chroma=444, **options)
    return out.getvalue()


def test_a_phones_heic_and_an_avif_come_in_upright_with_their_alpha():
    rgba = np.dstack(
        [np.kron(RGB, np.ones((16, 16, 1), np.uint8)), np.full((96, 128), 255, np.uint8)]
    )
    rgba[:40, :40, 3] = 0
    for data, name in ((photographed(Image.fromarray(rgba)), "HEIC"), (saved(Image.fromarray(rgba), "AVIF", quality=95), "AVIF")):  # fmt: skip
        decoded = decode_picture(data)
        assert decoded.format_name == name
        assert np.abs(decoded.picture.rgb[50:, :56].astype(int) - rgba[50:, :56, :3]).max() < 12
        assert decoded.picture.alpha[5, 5] == 0
        assert decoded.picture.alpha[80, 100] == 255
    exif = Image.Exif()
    exif[0x0112] = 6  # turned by a quarter, as phones write it
    turned = decode_picture(photographed(Image.fromarray(rgba[..., :3]), exif=exif.tobytes()))
    upright = np.rot90(rgba[..., :3], -1)
    assert turned.picture.rgb.shape == upright.shape
    assert np.abs(turned.picture.rgb.astype(int) - upright).mean() < 3


def test_any_cut_of_a_file_is_refused_in_words_or_decodes():
    heic = photographed(Image.fromarray(RGB).resize((40, 40)))
    for kind in ("PNG", "JPEG", "GIF", "TIFF", "WEBP", "BMP", "AVIF", "HEIC"):
        data = heic if kind == "HEIC" else saved(Image.fromarray(RGB).resize((40, 40)), kind)
        for end in range(0, len(data), max(1, len(data) // 40)):
            with contextlib.suppress(DomainError):  # any other error fails the test
                decode_picture(data[:end])


def test_a_file_over_the_limit_is_refused_by_its_size_alone():
    with tempfile.TemporaryFile() as file:
        file.truncate(MAX_FILE_BYTES + 1)
        with pytest.raises(TooLargeError, match="at most 500 MB"):
            decode_file(file)


def test_png_out_holds_pixels_srgb_dpi_and_nothing_else():
    rgba = np.random.default_rng(2).integers(0, 256, (30, 41, 4)).astype(np.uint8)
    data = encode_png(rgba, dots_per_inch=300)
    kinds, at = [], 8
    while at < len(data):
        (size,) = struct.unpack(">I", data[at : at + 4])
        kinds.append(data[at + 4 : at + 8])
        assert zlib.crc32(data[at + 4 : at + 8 + size]) == struct.unpack(">I", data[at + 8 + size : at + 12 + size])[0]  # fmt: skip
        at += 12 + size
    assert sorted(set(kinds)) == [b"IDAT", b"IEND", b"IHDR", b"pHYs", b"sRGB"]
    with Image.open(io.BytesIO(data)) as image:
        np.testing.assert_array_equal(np.asarray(image), rgba)
        assert image.info["dpi"][0] == pytest.approx(300, abs=0.02)
