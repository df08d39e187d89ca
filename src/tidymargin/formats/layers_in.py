"""OpenRaster read: its layers as pictures with their places, by the specification 0.0.5."""

import io
import zipfile
import zlib
from dataclasses import dataclass
from xml.etree import ElementTree

import numpy as np
from PIL import Image

from tidymargin.core.base.area import SHORTEST_SIDE_PX
from tidymargin.core.base.errors import BadImageError, TooLargeError
from tidymargin.core.base.limits import MAX_PIXELS, MAX_SIDE_PX
from tidymargin.formats.encode import encode_png
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.formats.scene_cut import MOST_CUTS

_MOST_STACK_BYTES = 4 * 1024 * 1024
_MOST_ALL_BYTES = 2 * 1024**3
_DEEPEST = 50
_OVER = "svg:src-over"
_BAD = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError, KeyError)  # fmt: skip


@dataclass(frozen=True, slots=True)
class LayerIn:
    """A layer of a file.

    Parameters
    ----------
    name : str
        As it is called.
    data : bytes
        Its picture, as PNG.
    left, top : int
        Of it in the whole, px.
    opacity : float
        0 to 1.
    is_shown : bool
        Whether it is seen.
    blending : str
        How it mixes with what lies below, where that is not by lying over it; this is not kept.
    """

    name: str
    data: bytes
    left: int
    top: int
    opacity: float
    is_shown: bool
    blending: str


@dataclass(frozen=True, slots=True)
class LayeredFile:
    """A file of layers, from the bottom up; `dots_per_inch` where it says any."""

    width: int
    height: int
    dots_per_inch: float | None
    layers: tuple[LayerIn, ...]


def read_layers(data: bytes) -> LayeredFile:
    """Return the layers of an OpenRaster file.

    Raises
    ------
    BadImageError, TooLargeError
        It is none, is damaged, or holds more than can be taken.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if archive.read("mimetype")[:40].strip() != b"image/openraster":
                raise _none()
            root = _read_stack(archive)
            width, height = _read_whole(root, "w", 0), _read_whole(root, "h", 0)
            if not (
                1 <= width <= MAX_SIDE_PX
                and 1 <= height <= MAX_SIDE_PX
                and width * height <= MAX_PIXELS
            ):
                raise TooLargeError(
                    f"This file says that it has {width} × {height} px, more than 200 megapixels."
                )
            found: list[LayerIn] = []
            left = [_MOST_ALL_BYTES]
            for stack in root.findall("stack"):
                _gather_layers(archive, stack, 1.0, True, 0, found, left)
    except _BAD as error:
        raise _none() from error
    if not found:
        raise BadImageError(
            "There is no layer in this OpenRaster file.", hint="Look whether it is the right file."
        )
    per_inch = _read_whole(root, "xres", 0)
    return LayeredFile(width, height, float(per_inch) if 1 <= per_inch <= 10_000 else None, tuple(found[::-1]))  # fmt: skip


def _none() -> BadImageError:
    return BadImageError("This is no OpenRaster file that can be read, or only part of one.", hint="Save it anew as OpenRaster (.ora) and add that.")  # fmt: skip


def _read_stack(archive: zipfile.ZipFile) -> ElementTree.Element:
    with archive.open("stack.xml") as file:
        text = file.read(_MOST_STACK_BYTES + 1)
    if len(text) > _MOST_STACK_BYTES or b"<!" in text.replace(b"<!--", b""):
        raise _none()
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError as error:
        raise _none() from error
    if root.tag != "image":
        raise _none()
    return root


def _read_whole(element: ElementTree.Element, name: str, default: int) -> int:
    try:
        return max(-MAX_SIDE_PX, min(MAX_SIDE_PX, int(element.get(name, default))))
    except ValueError:
        return default


def _read_opacity(element: ElementTree.Element) -> float:
    try:
        return float(np.nan_to_num(np.clip(float(element.get("opacity", 1)), 0, 1)))
    except ValueError:
        return 1.0


def _gather_layers(archive: zipfile.ZipFile, stack: ElementTree.Element, opacity: float, is_shown: bool, deep: int, found: list[LayerIn], left: list[int]) -> None:  # fmt: skip
    """Note the layers of a stack, the topmost first; stacks in it are taken apart."""
    if deep > _DEEPEST:
        raise _none()
    for element in stack:
        own = opacity * _read_opacity(element)
        shown = is_shown and element.get("visibility", "visible") != "hidden"
        if element.tag == "stack":
            _gather_layers(archive, element, own, shown, deep + 1, found, left)
        elif element.tag == "layer" and element.get("src"):
            if len(found) == MOST_CUTS:
                raise TooLargeError(f"This file has more than {MOST_CUTS} layers.")
            with archive.open(str(element.get("src"))) as file:
                data = file.read(min(MAX_FILE_BYTES, left[0]) + 1)
            if len(data) > min(MAX_FILE_BYTES, left[0]):
                raise TooLargeError("The layers of this file take more than 2 GB unpacked.")
            left[0] -= len(data)
            blending = element.get("composite-op", _OVER)
            name = (element.get("name") or "").strip()[:90] or f"layer {len(found) + 1}"
            found.append(LayerIn(name, _widen(data, name), _read_whole(element, "x", 0), _read_whole(element, "y", 0), own, shown, "" if blending == _OVER else blending))  # fmt: skip


def _widen(data: bytes, name: str) -> bytes:
    """Return a layer's picture; one that is smaller than any sheet may be gets clear pixels at its right and below."""
    try:
        with Image.open(io.BytesIO(data), formats=("PNG",)) as image:
            if min(image.size) >= SHORTEST_SIDE_PX:
                return data
            width, height = (max(SHORTEST_SIDE_PX, side) for side in image.size)
            wide = np.zeros((height, width, 4), np.uint8)
            wide[: image.height, : image.width] = np.asarray(image.convert("RGBA"))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise BadImageError(f"The layer “{name}” is no PNG that can be read.", hint="Save the file anew and add that.") from error  # fmt: skip
    return encode_png(wide)
