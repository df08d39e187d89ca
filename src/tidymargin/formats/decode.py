"""Reading picture files: what a file is, is decided by its content, never by its name."""

import io
import logging
import struct
import warnings
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import BinaryIO

import numpy as np
import pi_heif
from numpy.typing import NDArray
from PIL import Image, ImageCms, ImageOps, PngImagePlugin, UnidentifiedImageError

from tidymargin.core.base.errors import BadImageError, DomainError, TooLargeError
from tidymargin.core.base.limits import MAX_PIXELS, MAX_SIDE_PX
from tidymargin.core.base.picture import Picture
from tidymargin.formats.limits import MAX_FILE_BYTES

_FORMATS = ("PNG", "JPEG", "WEBP", "TIFF", "GIF", "BMP", "HEIF", "AVIF")
_READABLE = "PNG, JPEG, WebP, HEIC, AVIF, TIFF, GIF or BMP"
_NAMES = {"MPO": "JPEG", "HEIF": "HEIC"}
_SRGB = ImageCms.createProfile("sRGB")
_BAND_PX = 250_000  # taken over at a time: it stays in the processor's cache
_MOST_PROFILE_BYTES = 16 * 1024 * 1024
_BYTES_PX = {"WEBP": 20, "GIF": 14, "HEIF": 22, "AVIF": 22}
_OTHER_BYTES_PX = 12
"""What decoding takes at its peak for each pixel; see docs/memory.md."""
_SLOWEST_PX_S = 3e6  # decoded in a second at the very least, on a slow and busy machine
_LEAST_S = 9.0

log = logging.getLogger(__name__)

Allocate = Callable[[tuple[int, ...]], NDArray[np.uint8]]


def _allocate(shape: tuple[int, ...]) -> NDArray[np.uint8]:
    return np.empty(shape, np.uint8)


@dataclass(frozen=True, slots=True, eq=False)
class Decoded:
    """A picture file, decoded.

    Parameters
    ----------
    picture : Picture
        Upright, 8-bit sRGB.
    format_name : str
        Such as ``PNG``.
    dots_per_inch : float or None
        As the file says.
    remarks : tuple of str
        What was done to it, in words for people; empty for a plain sRGB picture.
    """

    picture: Picture
    format_name: str
    dots_per_inch: float | None
    remarks: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class PictureSize:
    """What is known of a picture file before its pixels are decoded.

    Parameters
    ----------
    width, height : int
        In pixels, as stored.
    peak_bytes : int
        What decoding takes at its peak.
    most_s : float
        Within how many seconds it must be done, or it is given up.
    """

    width: int
    height: int
    peak_bytes: int
    most_s: float


def refuse_by_head(head: bytes) -> None:
    """Refuse what the first 64 bytes of a file show to be no picture that can be read.

    Raises
    ------
    BadImageError, TooLargeError
        With what it is instead.
    """
    if not head:
        raise BadImageError("This file is empty.", hint="Export or copy it again and add that.")
    if head.startswith(b"\x89PNG\r\n\x1a\n") and head[12:16] == b"IHDR" and len(head) >= 24:
        _require_size(*struct.unpack(">II", head[16:24]))  # even where the rest is damaged
    if head.startswith(b"%PDF-"):
        raise BadImageError(
            "This is a PDF, which holds pages and not one picture.",
            hint="Save the page as PNG or TIFF at 300 dpi or more and add that.",
        )
    if head.lstrip()[:5].lower() in (b"<?xml", b"<svg "):
        raise BadImageError(
            "This is an SVG drawing, which has no pixels to cut.",
            hint="Save it as PNG at the size you need; its background may be transparent already.",
        )


def _require_size(width: int, height: int) -> None:
    if max(width, height) > MAX_SIDE_PX:
        raise TooLargeError(
            f"This picture has {width:,} × {height:,} px; at most {MAX_SIDE_PX:,} px a side can be opened.",
            hint="Scale it down or cut it into parts, and add those.",
        )
    if width * height > MAX_PIXELS:
        megapixels = width * height / 1e6
        raise TooLargeError(
            f"This picture has {width} × {height} px ({megapixels:,.0f} megapixels); at most {MAX_PIXELS // 1_000_000} megapixels can be opened.",
            hint="Scale it down or cut it into parts, and add those.",
        )


def _to_srgb(image: Image.Image, remarks: list[str]) -> Image.Image:
    """Convert through the embedded profile, if there is one that says anything else than sRGB."""
    icc = image.info.get("icc_profile")
    if not icc:
        return image
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(icc))
        name = ImageCms.getProfileDescription(profile).strip()
        if "srgb" in name.lower():
            return image
        alpha = image.getchannel("A") if image.mode in ("RGBA", "LA") else None
        if image.mode in ("RGBA", "RGBX", "P"):
            image = image.convert("RGB")
        elif image.mode in ("LA", "1"):
            image = image.convert("L")
        converted = ImageCms.profileToProfile(image, profile, _SRGB, outputMode="RGB")
        if converted is None:
            return image
        if alpha is not None:
            converted.putalpha(alpha)
    except (ImageCms.PyCMSError, OSError, struct.error, ValueError):
        remarks.append("Its colour profile is damaged and was passed over")
        return image
    remarks.append(f"Converted from {name or 'its own colour profile'} to sRGB")
    return converted


def _to_8_bit(image: Image.Image, remarks: list[str]) -> Image.Image:
    """Bring 16 bits and more a channel, which the library keeps as integers or floats, to 8."""
    if image.mode.startswith("I"):
        values = np.asarray(image)
        remarks.append("Reduced from 16 to 8 bits a channel")
        reduced = np.empty(values.shape, np.uint8)
        rows = max(1, _BAND_PX // values.shape[1])
        for top in range(0, len(values), rows):
            band = values[top : top + rows].astype(np.int64)
            reduced[top : top + rows] = np.clip((band + 128) // 257, 0, 255)
        return Image.fromarray(reduced)
    if image.mode == "F":
        values = np.asarray(image)
        if not np.isfinite(values).all() or values.min() < 0 or values.max() > 1:
            raise BadImageError(
                "This picture has floating-point values; only 8 or 16 bits a channel can be read.",
                hint="Save it with 16 bits a channel and add that.",
            )
        remarks.append("Reduced from floating point to 8 bits a channel")
        return Image.fromarray(np.round(values * 255).astype(np.uint8))
    return image


def _take_pixels(image: Image.Image, allocate: Allocate) -> NDArray[np.uint8]:
    """Return a picture's pixels, taken over band by band, or the library would copy all of it twice."""
    width, height = image.size
    shape = (height, width) if image.mode == "L" else (height, width, len(image.mode))
    out = allocate(shape)
    rows = max(1, _BAND_PX // width)
    for top in range(0, height, rows):
        end = min(top + rows, height)
        out[top:end] = np.asarray(image.crop((0, top, width, end)))
    return out


def _split_alpha(image: Image.Image, remarks: list[str], allocate: Allocate) -> Picture:
    alpha: NDArray[np.uint8] | None = None
    if image.has_transparency_data:
        image = image.convert("RGBA")
        alpha = _take_pixels(image.getchannel("A"), allocate)
        if (alpha == 255).all():
            alpha = None
        else:
            remarks.append("Came in with transparent parts, which stay transparent")
    elif image.mode == "CMYK":
        remarks.append("Converted from CMYK to sRGB")
    rgb = image if image.mode == "RGB" else image.convert("RGB")
    return Picture(_take_pixels(rgb, allocate), alpha)


def _read_dots_per_inch(image: Image.Image) -> float | None:
    found = image.info.get("dpi")
    try:
        value = float(found[0]) if found else 0.0
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return round(value, 2) if 1 <= value <= 100_000 else None


def _turn_upright(image: Image.Image, remarks: list[str]) -> None:
    try:
        ImageOps.exif_transpose(image, in_place=True)
    except Exception:  # noqa: BLE001 - notes beside the pixels, in which anything may stand
        remarks.append("What it says of its orientation is damaged and was passed over")


def _has_more_frames(file: BinaryIO) -> bool:
    """Whether a second picture stands in the file; one step is taken to see, however many there may be."""
    try:
        file.seek(0)
        with Image.open(file, formats=_FORMATS) as image:
            if image.format == "MPO":  # a photo and smaller copies of it
                return False
            image.seek(1)
    except Exception:  # noqa: BLE001 - the first picture is read already; nothing of another is needed
        return False
    return True


def _refuse_file(file: BinaryIO) -> None:
    size = file.seek(0, io.SEEK_END)
    file.seek(0)
    if size > MAX_FILE_BYTES:
        raise TooLargeError(
            f"This file has {size / 1024**2:,.0f} MB; at most 500 MB can be added.",
            hint="Save it as PNG or JPEG and add that.",
        )
    refuse_by_head(file.read(64))
    file.seek(0)


def measure_size(file: BinaryIO) -> PictureSize:
    """Return how large the picture in a file is, without decoding its pixels.

    Raises
    ------
    TooLargeError, BadImageError
        As by `decode_file`.
    """
    with _complaints_in_words():
        _refuse_file(file)
        with Image.open(file, formats=_FORMATS) as image:
            _require_size(*image.size)
            width, height = image.size
            per_px = _BYTES_PX.get(str(image.format), _OTHER_BYTES_PX)
    area_px = width * height
    return PictureSize(width, height, per_px * area_px, _LEAST_S + area_px / _SLOWEST_PX_S)


def decode_picture(data: bytes) -> Decoded:
    """Decode a picture file's bytes; see `decode_file`."""
    return decode_file(io.BytesIO(data))


def decode_file(file: BinaryIO, allocate: Allocate = _allocate) -> Decoded:
    """Decode a picture file to 8-bit sRGB, upright.

    Parameters
    ----------
    file : binary file
        All of it: PNG, JPEG, WebP, HEIC, AVIF, TIFF, GIF (its first frame) or BMP.
    allocate : callable, optional
        Gives the arrays of uint8 that pixels are put into, by their shape.

    Returns
    -------
    Decoded
        Its picture and what was done to it.

    Raises
    ------
    TooLargeError
        More than 500 MB, 200 megapixels or 60 000 px a side; found before pixels are decoded.
    BadImageError
        Anything else that cannot be read: the message says what came and what to do.
    """
    remarks: list[str] = []
    with _complaints_in_words():
        _refuse_file(file)
        with Image.open(file, formats=_FORMATS) as image:
            _require_size(*image.size)
            name = _NAMES.get(str(image.format), str(image.format))
            dots_per_inch = _read_dots_per_inch(image)
            image.load()
            _turn_upright(image, remarks)
            picture = _split_alpha(_to_srgb(_to_8_bit(image, remarks), remarks), remarks, allocate)
        if _has_more_frames(file):
            remarks.insert(0, "The first of several frames was taken")
    return Decoded(picture, name, dots_per_inch, tuple(remarks))


@contextmanager
def _complaints_in_words() -> Iterator[None]:
    """Say in words whatever the library complains of; what nobody foresaw goes into the log as well."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter(
                "ignore"
            )  # its own size warning and damaged EXIF: both handled here
            yield
    except DomainError:
        raise
    except Image.DecompressionBombError as error:
        raise TooLargeError(
            f"This picture has far more than the {MAX_PIXELS // 1_000_000} megapixels that can be opened.",
            hint="Scale it down or cut it into parts, and add those.",
        ) from error
    except UnidentifiedImageError as error:
        raise BadImageError(
            f"This file’s content is none of {_READABLE}.",
            hint="Open it in the program it came from, save it as PNG, and add that.",
        ) from error
    except MemoryError as error:
        raise TooLargeError(
            "This picture needs more memory than there is.", hint="Scale it down and add that."
        ) from error
    except (OSError, SyntaxError, ValueError, struct.error, EOFError, IndexError) as error:
        if "too large" in str(error):  # of what is squeezed into a PNG beside its pixels
            raise TooLargeError(
                "Its colour profile or notes take more than 16 MB, beside the pixels themselves.",
                hint="Save it again without them and add that.",
            ) from error
        raise BadImageError(
            "This file breaks off or is damaged: its pixels cannot all be read.",
            hint="Copy or export it again and add that.",
        ) from error
    except Exception as error:
        log.warning("a decoder failed in a way of its own", exc_info=True)
        raise BadImageError(
            "This file cannot be read.", hint="Copy or export it again and add that."
        ) from error


# A decoder alone: the encoder that comes with its sister is under a licence of another kind.
pi_heif.register_heif_opener(thumbnails=False)
# The limits above are checked before any pixel is decoded; the library's own lower one would only warn.
Image.MAX_IMAGE_PIXELS = None
# Its own limit of 1 MB is less than what profiles of printing presses take.
PngImagePlugin.MAX_TEXT_CHUNK = _MOST_PROFILE_BYTES
