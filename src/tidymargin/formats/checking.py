"""Checking a written file by reading it back: its size, its dpi, its matte, and how far it is from the cut."""

import io
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from tidymargin.core.base.errors import BadOutputError
from tidymargin.core.output.resizing import lay_on
from tidymargin.formats.format_names import OUTLINES, FormatName
from tidymargin.formats.outputs import KEEPS_ALL, Wish
from tidymargin.formats.vectors import check_vector, draw_back

Rgba = NDArray[np.uint8]
_BAND_PX = 512
_BACKDROPS = ((0, 0, 0), (255, 255, 255))
_DPI_OFF = 0.02  # PNG rounds to whole pixels a metre


@dataclass(frozen=True, slots=True)
class Checked:
    """What a file holds, as it was read back.

    Parameters
    ----------
    height, width : int
        In pixels.
    dots_per_inch : float or None
        As written.
    least_alpha, most_alpha : int
        0 to 255.
    largest_difference : int
        Levels, 0 to 255, between the cut and what was read, laid on black and on white; of the matte's values where it is a matte.
    """

    height: int
    width: int
    dots_per_inch: float | None
    least_alpha: int
    most_alpha: int
    largest_difference: int


class Witness:
    """Sees the bands of a cut go by on their way into a PNG, so that the file can be compared with them and they need not be kept."""

    def __init__(self) -> None:
        self._seal = 0
        self._least, self._most = 255, 0

    def watch(self, bands: Iterable[Rgba]) -> Iterator[Rgba]:
        """Yield bands, (h, W, 4) uint8 from the top, as they come."""
        for band in bands:
            whole = np.ascontiguousarray(band)
            self._seal = zlib.crc32(whole.data, self._seal)
            self._least = min(self._least, int(whole[..., 3].min(initial=255)))
            self._most = max(self._most, int(whole[..., 3].max(initial=0)))
            yield whole

    def check(self, data: bytes, dots_per_inch: float | None) -> Checked:
        """Decode the PNG and compare it with what went by.

        Raises
        ------
        BadOutputError
            It is another.
        """
        seal = 0
        with Image.open(io.BytesIO(data)) as image:
            width, height = image.size
            dpi = _read_dpi(image)
            for top in range(0, height if image.mode == "RGBA" else 0, _BAND_PX):
                # a whole one more would be the most that a large sheet takes at any time
                band = image.crop((0, top, width, min(height, top + _BAND_PX)))
                seal = zlib.crc32(np.asarray(band).data, seal)
        if seal != self._seal:
            raise BadOutputError("What was written is not the cut.")
        _require_dpi(dpi, dots_per_inch)
        return Checked(height, width, dpi, self._least, self._most, 0)


def read_back(data: bytes, kind: FormatName, shape: tuple[int, ...]) -> tuple[Rgba, float | None]:
    """Return a written file's pixels, (H, W, 4) uint8, and its dpi where it has one."""
    if kind in ("pdf", "svg"):
        return draw_back(data, kind, shape[1])
    if kind == "ora":
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            data = archive.read("mergedimage.png")
    with Image.open(io.BytesIO(data)) as image:
        dpi = _read_dpi(image)
        if kind == "matte":
            matte = np.asarray(image.convert("L"))
            return np.dstack([matte, matte, matte, matte]), dpi
        return np.asarray(image.convert("RGBA")), dpi


def _read_dpi(image: Image.Image) -> float | None:
    dpi = image.info.get("dpi")
    return None if dpi is None else float(dpi[0])


def _to_expected(rgba: Rgba, kind: FormatName, wish: Wish) -> Rgba:
    if kind == "jpeg":
        flat = lay_on(rgba, wish.backdrop)
        return np.dstack([flat, np.full(flat.shape[:2], 255, np.uint8)])
    if kind == "matte":
        return np.repeat(rgba[..., 3:], 4, axis=2)
    return rgba


def check_file(data: bytes, rgba: Rgba, kind: FormatName, wish: Wish) -> Checked:
    """Read a file back and compare it with the cut that it was written from.

    Raises
    ------
    BadOutputError
        It is not what was to be written.
    """
    if kind in OUTLINES:
        matte = rgba[..., 3]
        check_vector(data, rgba, kind, wish.outlines, wish.cutline, wish.dots_per_inch)
        return Checked(
            rgba.shape[0], rgba.shape[1], wish.dots_per_inch, int(matte.min()), int(matte.max()), 0
        )
    found, dpi = read_back(data, kind, rgba.shape)
    if found.shape != rgba.shape:
        raise BadOutputError(f"What was written is {found.shape[1]} × {found.shape[0]} px in place of {rgba.shape[1]} × {rgba.shape[0]}.")  # fmt: skip
    expected = _to_expected(rgba, kind, wish)
    if kind == "matte":
        off = int(np.abs(found[..., 3].astype(np.int16) - expected[..., 3]).max())
    else:
        off = max(
            int(np.abs(lay_on(found, c).astype(np.int16) - lay_on(expected, c)).max())
            for c in _BACKDROPS
        )
    # a reader of PDF lays soft pixels with a level of rounding
    allowed = 2 if kind == "pdf" else 0
    if kind in KEEPS_ALL and off > allowed:
        raise BadOutputError(f"What was written differs from the cut by {off} levels.")
    _require_dpi(dpi, wish.dots_per_inch)
    alpha = found[..., 3]
    return Checked(found.shape[0], found.shape[1], dpi, int(alpha.min()), int(alpha.max()), off)


def _require_dpi(found: float | None, wished: float | None) -> None:
    if wished is not None and found is not None and abs(found / wished - 1) > _DPI_OFF:
        raise BadOutputError(f"What was written says {found:.4g} dpi in place of {wished:g}.")
