"""Writing a cut in every format: straight RGBA in, a file's bytes out, tagged as sRGB and with nothing of the original but its dpi."""

import io
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from typing import Any
from xml.sax.saxutils import quoteattr

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageCms, PngImagePlugin

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.outlines.cutline import CutLinePlan
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.core.output.palette import choose_palette
from tidymargin.core.output.resizing import lay_on
from tidymargin.formats.encode import encode_png
from tidymargin.formats.format_names import ENDINGS, MEDIA, OUTLINES, FormatName
from tidymargin.formats.vectors import make_vector

Rgba = NDArray[np.uint8]
LONGEST_PX = {"webp": 16_383, "avif": 16_384, "jpeg": 65_000}
"""Of a side, by format, where that is bounded; by the formats' own specifications."""

KEEPS_ALL: frozenset[FormatName] = frozenset({"png", "tiff", "pdf", "ora", "matte"})
"""Formats from which every value can be read back as it was."""

_POINTS_PER_INCH = 72.0
_COLOURS = 256
_HALF = 128
_COPYRIGHT = 33432  # of EXIF 3.0 and TIFF 6.0
_THUMBNAIL_PX = 256


@dataclass(frozen=True, slots=True)
class Wish:
    """How a file is written.

    Parameters
    ----------
    dots_per_inch : float or None
        Written where the format has room for it; a PDF takes 300 where it is None.
    lossless : bool
        Of WebP.
    quality : int
        Of WebP, where it is not lossless, of AVIF and of JPEG, 1 to 100.
    backdrop : tuple of 3 int
        What a flattened picture is laid on.
    credit : str
        Whose it is: the only thing that files say of where they are from, and nothing unless it was asked for.
    outlines, cutline :
        How a cut is traced, and the line that a machine cuts along.
    """

    dots_per_inch: float | None = None
    lossless: bool = True
    quality: int = 90
    backdrop: tuple[int, int, int] = (255, 255, 255)
    credit: str = ""
    outlines: OutlinePlan = field(default_factory=OutlinePlan)
    cutline: CutLinePlan = field(default_factory=CutLinePlan)


@cache
def _srgb_profile() -> bytes:
    return ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()


def _save(image: Image.Image, kind: str, wish: Wish, **options: Any) -> bytes:
    out = io.BytesIO()
    if wish.dots_per_inch is not None and kind in ("PNG", "TIFF", "JPEG"):
        options["dpi"] = (wish.dots_per_inch, wish.dots_per_inch)
    if wish.credit and kind == "PNG":
        options["pnginfo"] = PngImagePlugin.PngInfo()
        options["pnginfo"].add_itxt("Copyright", wish.credit)
    elif wish.credit:
        exif = Image.Exif()
        exif[_COPYRIGHT] = wish.credit.encode()
        if kind == "TIFF":
            options["tiffinfo"] = {_COPYRIGHT: wish.credit.encode()}
        else:
            options["exif"] = exif
    image.save(out, kind, **options)
    return out.getvalue()


def _write_palette(rgba: Rgba, wish: Wish) -> bytes:
    image = to_palette(rgba)
    matte = bytes(image.getpalette("RGBA")[3::4])  # type: ignore[index]
    image = image.copy()
    image.putpalette(image.getpalette("RGB") or [])
    return _save(image, "PNG", wish, transparency=matte)


def to_palette(rgba: Rgba) -> Image.Image:
    """Return a picture of at most 256 colours, each with a matte of its own, so that rims stay soft and what is solid solid."""
    palette, places = choose_palette(rgba, _COLOURS)
    image = Image.fromarray(places, "P")
    image.putpalette(np.ascontiguousarray(palette).tobytes(), "RGBA")
    return image


def _write_hard(rgba: Rgba, wish: Wish) -> bytes:
    stands = rgba[..., 3] >= _HALF
    colours = Image.fromarray(np.ascontiguousarray(rgba[..., :3]))
    found = colours.quantize(_COLOURS - 1, Image.Quantize.MEDIANCUT, dither=Image.Dither.NONE)
    clear = _COLOURS - 1
    palette = (found.getpalette() or [])[: 3 * clear]
    places = np.where(stands, np.asarray(found), np.uint8(clear)).astype(np.uint8)
    image = Image.fromarray(places, "P")
    image.putpalette([*palette, *[0] * (3 * _COLOURS - len(palette))])
    return _save(image, "PNG", wish, transparency=clear, optimize=True)


def _write_webp(rgba: Rgba, wish: Wish) -> bytes:
    options = {"lossless": wish.lossless, "quality": 80 if wish.lossless else wish.quality}
    return _save(Image.fromarray(rgba), "WEBP", wish, exact=True, method=4, icc_profile=_srgb_profile(), **options)  # fmt: skip


def _write_avif(rgba: Rgba, wish: Wish) -> bytes:
    return _save(Image.fromarray(rgba), "AVIF", wish, quality=wish.quality, subsampling="4:4:4", icc_profile=_srgb_profile())  # fmt: skip


def _write_tiff(rgba: Rgba, wish: Wish) -> bytes:
    return _save(Image.fromarray(rgba), "TIFF", wish, compression="tiff_adobe_deflate", icc_profile=_srgb_profile())  # fmt: skip


def _write_jpeg(rgba: Rgba, wish: Wish) -> bytes:
    flat = Image.fromarray(lay_on(rgba, wish.backdrop))
    # not optimized: for that Pillow takes a buffer of a byte a pixel, and noise needs more
    return _save(flat, "JPEG", wish, quality=wish.quality, subsampling=0, icc_profile=_srgb_profile())  # fmt: skip


def _write_matte(rgba: Rgba, wish: Wish) -> bytes:
    return _save(Image.fromarray(np.ascontiguousarray(rgba[..., 3])), "PNG", wish)


def _write_pdf(rgba: Rgba, wish: Wish) -> bytes:
    """One page as large as the picture is at its dpi, with a soft mask."""
    from reportlab.lib.utils import ImageReader  # larger than all else here, and seldom needed
    from reportlab.pdfgen.canvas import Canvas

    height, width = rgba.shape[:2]
    scale = _POINTS_PER_INCH / (wish.dots_per_inch or 300.0)
    out = io.BytesIO()
    page = (width * scale, height * scale)
    canvas = Canvas(out, pagesize=page, invariant=1, pageCompression=1)
    if wish.credit:
        canvas.setAuthor(wish.credit)
    canvas.drawImage(ImageReader(Image.fromarray(rgba)), 0, 0, *page, mask="auto")
    canvas.showPage()
    canvas.save()
    return out.getvalue()


@dataclass(frozen=True, slots=True, eq=False)
class RasterLayer:
    """A layer of OpenRaster.

    Parameters
    ----------
    name : str
        As it is called.
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    left, top : int
        Of it in the picture, px.
    opacity : float
        0 to 1.
    is_shown : bool
        Whether it is seen at first.
    """

    name: str
    rgba: Rgba
    left: int = 0
    top: int = 0
    opacity: float = 1.0
    is_shown: bool = True


def write_layers(layers: list[RasterLayer], merged: Rgba, dots_per_inch: float | None) -> bytes:
    """Return OpenRaster of layers, the topmost first, and of what they show together, (H, W, 4) uint8.

    By the OpenRaster specification 0.0.5: a ZIP whose first member is its media type, stored as it is.
    """
    height, width = merged.shape[:2]
    per_inch = round(dots_per_inch or 72)
    entries = "".join(
        f'<layer name={quoteattr(layer.name)} src="data/layer{number}.png" x="{layer.left}" y="{layer.top}" opacity="{layer.opacity!r}" '
        f'visibility="{"visible" if layer.is_shown else "hidden"}" composite-op="svg:src-over"/>'
        for number, layer in enumerate(layers)
    )
    stack = (
        '<?xml version="1.0" encoding="UTF-8"?>'
        f'<image version="0.0.5" w="{width}" h="{height}" xres="{per_inch}" yres="{per_inch}"><stack>{entries}</stack></image>'
    )
    small = Image.fromarray(merged)
    small.thumbnail((_THUMBNAIL_PX, _THUMBNAIL_PX))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:

        def add(name: str, data: bytes | str) -> None:
            archive.writestr(zipfile.ZipInfo(name), data)  # of no date

        add("mimetype", MEDIA["ora"])
        add("stack.xml", stack)
        for number, layer in enumerate(layers):
            add(f"data/layer{number}.png", encode_png(np.ascontiguousarray(layer.rgba)))
        add("mergedimage.png", encode_png(merged))
        add("Thumbnails/thumbnail.png", encode_png(np.ascontiguousarray(np.asarray(small))))
    return out.getvalue()


_WRITERS: dict[str, Callable[[Rgba, Wish], bytes]] = {
    "png": lambda rgba, wish: encode_png(rgba, dots_per_inch=wish.dots_per_inch, credit=wish.credit),
    "png_palette": _write_palette, "png_hard": _write_hard, "webp": _write_webp, "avif": _write_avif,
    "tiff": _write_tiff, "jpeg": _write_jpeg, "matte": _write_matte, "pdf": _write_pdf,
}  # fmt: skip


def require_fitting(kind: FormatName, height: int, width: int) -> None:
    """Refuse, before any memory is taken, what is larger than a format may be.

    Raises
    ------
    BadParameterError
        It is.
    """
    longest = LONGEST_PX.get(kind)
    if longest is not None and max(height, width) > longest:
        raise BadParameterError(
            f"{ENDINGS[kind].upper()} holds at most {longest:,} px a side, and this would be {width} × {height} px.",
            hint="Choose a smaller size, or PNG.",
            field="formats",
        )


def write_cut(rgba: Rgba, kind: FormatName, wish: Wish, original: Rgba | None = None) -> bytes:
    """Return a cut, (H, W, 4) uint8 straight RGBA, as a file.

    Parameters
    ----------
    kind, wish :
        Of the file.
    original : (H, W, 4) ndarray of uint8, optional
        What the cut was made of, framed alike: a layer of OpenRaster.

    Raises
    ------
    BadParameterError
        It is larger than the format may be.
    """
    height, width = rgba.shape[:2]
    require_fitting(kind, height, width)
    rgba = np.ascontiguousarray(rgba)
    if kind in OUTLINES:
        return make_vector(rgba, kind, wish.outlines, wish.cutline, wish.dots_per_inch)[0]
    if kind != "ora":
        return _WRITERS[kind](rgba, wish)
    matte = np.dstack(
        [np.repeat(rgba[..., 3:], 3, axis=2), np.full((height, width), 255, np.uint8)]
    )
    layers = [RasterLayer("cut", rgba), RasterLayer("matte", matte, is_shown=False)]
    if original is not None:
        layers.append(RasterLayer("original", np.ascontiguousarray(original), is_shown=False))
    return write_layers(layers, rgba, wish.dots_per_inch)
