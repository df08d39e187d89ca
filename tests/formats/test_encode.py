"""Writing PNG: every reader gets the same pixels back, in however many bands they came, and nothing else."""

import io
import struct

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp
from PIL import Image

from tidymargin.formats.encode import encode_bands, encode_png, encode_quick

rgba_st = hnp.arrays(
    np.uint8,
    st.tuples(st.integers(1, 9), st.integers(1, 9), st.just(4)),
    elements=st.integers(0, 255),
)


def read(data):
    with Image.open(io.BytesIO(data)) as image:
        image.load()
        assert image.mode == "RGBA"
        return np.asarray(image)


def list_chunks(data):
    at, found = 8, []
    while at < len(data):
        (length,) = struct.unpack_from(">I", data, at)
        found.append(data[at + 4 : at + 8].decode())
        at += 12 + length
    return found


def make_cut(height, width, seed=1):
    """A picture with runs, ramps and noise, so that every filter is the best for some row."""
    random = np.random.default_rng(seed)
    rgba = np.zeros((height, width, 4), np.uint8)
    rgba[: height // 3] = np.arange(width, dtype=np.uint8)[None, :, None]
    rgba[height // 3 : 2 * height // 3] = random.integers(
        0, 256, (height // 3 + (2 * height // 3 - 2 * (height // 3)), width, 4)
    )
    return rgba


@settings(max_examples=50, deadline=None)
@given(rgba_st)
def test_any_pixels_come_back_also_colours_under_nothing(rgba):
    np.testing.assert_array_equal(read(encode_png(rgba)), rgba)
    np.testing.assert_array_equal(read(encode_quick(rgba)), rgba)


@settings(max_examples=20, deadline=None)
@given(st.lists(st.integers(1, 40), min_size=1, max_size=6), st.integers(1, 50))
def test_bands_of_any_height_make_the_same_file_as_the_whole(heights, width):
    whole = make_cut(sum(heights), width)
    cuts = np.cumsum(heights)[:-1]
    data = b"".join(encode_bands(np.split(whole, cuts), len(whole), width, dots_per_inch=72))
    assert data == encode_png(whole, dots_per_inch=72)
    np.testing.assert_array_equal(read(data), whole)


@pytest.mark.parametrize("dots_per_inch", [None, 72, 96, 300, 1200, 299.9994])
def test_the_resolution_is_kept_and_nothing_else_is_told(dots_per_inch):
    data = encode_png(make_cut(30, 20), dots_per_inch=dots_per_inch)
    resolution = [] if dots_per_inch is None else ["pHYs"]
    assert list_chunks(data) == ["IHDR", "sRGB", *resolution, "IDAT", "IEND"]
    with Image.open(io.BytesIO(data)) as image:
        told = image.info.get("dpi")
    assert (told is None) == (dots_per_inch is None)
    if told:
        assert told == pytest.approx((dots_per_inch,) * 2, abs=0.02)


def test_a_large_file_comes_in_parts_that_a_reader_puts_together():
    random = np.random.default_rng(2)
    noise = random.integers(0, 256, (900, 700, 4)).astype(np.uint8)
    parts = list(encode_bands(np.split(noise, 9), 900, 700))
    assert len(parts) >= 3  # some are sent before the last band is made
    assert list_chunks(b"".join(parts)).count("IDAT") >= 2
    np.testing.assert_array_equal(read(b"".join(parts)), noise)


def test_even_rows_cost_next_to_nothing():
    plain = np.zeros((2000, 1000, 4), np.uint8)
    plain[500:900, 200:800] = (29, 53, 87, 255)
    assert len(encode_png(plain)) < 0.004 * plain.nbytes
