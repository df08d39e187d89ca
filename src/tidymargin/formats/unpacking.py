"""Files that hold several pictures, or none of pixels: PDF pages, pages of a TIFF, an SVG drawing, pictures in a ZIP.

What a file is, is decided by its content. Each picture in it comes out as a file of its own; pages and drawings are
drawn as PNG at a stated size, since what is keyed are pixels.
"""

import io
import re
import warnings
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import suppress
from xml.etree import ElementTree

import pypdfium2
import resvg_py
from PIL import Image, UnidentifiedImageError

from tidymargin.core.base.errors import (
    BadImageError,
    DomainError,
    TooLargeError,
)
from tidymargin.core.base.limits import MAX_PIXELS, MAX_SIDE_PX
from tidymargin.formats.asked import LEAST_DPI, Asked
from tidymargin.formats.containers import HEAD_BYTES, Member, find_kind
from tidymargin.formats.limits import MAX_FILE_BYTES

MOST_PICTURES = 500
MOST_SHAPES = 100_000
"""Elements of an SVG drawing."""

MOST_UNPACKED_BYTES = 2 * 1024**3
_POINTS_PER_INCH = 72.0
_REDUCED = 254  # a TIFF's tag that says that a page is another one's small picture
_SVG = "{http://www.w3.org/2000/svg}svg"
_OUTSIDE = re.compile(r"url\(\s*['\"]?\s*(?!#|data:)|@import", re.IGNORECASE)


def take_apart(data: bytes, name: str, asked: Asked = Asked()) -> Iterator[Member]:
    """Yield the pictures of a file, one at least.

    Parameters
    ----------
    data : bytes
        The file.
    name : str
        As it is shown.
    asked : Asked
        How large pages and drawings become.

    Raises
    ------
    BadImageError
        It cannot be read, or has no picture in it.
    TooLargeError
        There are more or larger ones than can be taken.
    """
    kind = find_kind(data[:HEAD_BYTES])
    found = {"pdf": _draw_pages, "zip": _take_out, "svg": _draw_svg, "tiff": _take_pages}.get(kind)
    count = 0
    for part in found(data, name, asked) if found else [Member(name, data, "")]:
        count += 1
        if count > MOST_PICTURES:
            raise _too_many(name)
        yield part
    if not count:
        raise BadImageError(f"There is no picture in {name}.", hint="Look whether it is the right file.")  # fmt: skip


def _too_many(name: str, count: int | None = None) -> TooLargeError:
    has = "more" if count is None else f"{count:,}"
    return TooLargeError(f"{name} has {has} pictures; one file may hold at most {MOST_PICTURES}.", hint="Divide it and add the parts.")  # fmt: skip


def _stem(name: str) -> str:
    return name.rsplit(".", 1)[0] if "." in name else name


def _draw_pages(data: bytes, name: str, asked: Asked) -> Iterator[Member]:
    try:
        document = pypdfium2.PdfDocument(data)
        pages = len(document)
    except pypdfium2.PdfiumError as error:
        secret = "password" in str(error).lower()
        raise BadImageError(
            "This PDF is locked by a password." if secret else "This PDF is damaged, or only part of one.",
            hint="Open it, save it without a password, and add that." if secret else "Copy or download it again and add that.",
        ) from error  # fmt: skip
    try:
        if pages > MOST_PICTURES:
            raise _too_many(name, pages)
        digits = len(str(pages))
        for number in range(pages):
            place = f" page {number + 1:0{digits}d}" if pages > 1 else ""
            shown = f"{_stem(name)}{place}.png"
            try:
                data, dpi = _draw_page(document, number, asked)
            except DomainError as error:  # the others are still drawn
                yield Member(shown, b"", "", error)
                continue
            remark = f"Page {number + 1} of {pages} of {name}, drawn at {dpi:g} dots to the inch"
            yield Member(shown, data, remark)
    finally:
        document.close()


def _draw_page(document: pypdfium2.PdfDocument, number: int, asked: Asked) -> tuple[bytes, float]:
    """Return a page as PNG, and the dots to the inch that it is drawn at."""
    try:
        page = document[number]
        width, height = page.get_size()
        scale, dpi = _fit(width / _POINTS_PER_INCH, height / _POINTS_PER_INCH, asked)
        image = page.render(scale=scale, may_draw_forms=False).to_pil().convert("RGB")
        page.close()
    except pypdfium2.PdfiumError as error:
        raise BadImageError("A page of this PDF cannot be drawn.", hint="Save it anew and add that.") from error  # fmt: skip
    out = io.BytesIO()
    image.save(out, "PNG", dpi=(dpi, dpi), compress_level=3)
    return out.getvalue(), dpi


def _fit(width_in: float, height_in: float, asked: Asked) -> tuple[float, float]:
    """Return scale from points and dots to the inch for a page, as asked or as far as a picture may be large."""
    if not (width_in > 0 and height_in > 0):
        raise BadImageError("A page of this PDF has no size.", hint="Save it anew and add that.")
    dpi = min(
        asked.dots_per_inch,
        (MAX_PIXELS / (width_in * height_in)) ** 0.5,
        MAX_SIDE_PX / max(width_in, height_in),
    )
    if dpi < asked.dots_per_inch:
        dpi = float(int(dpi))
    if dpi < LEAST_DPI:
        raise TooLargeError("A page of this PDF is too large to be drawn.", hint="Save it smaller and add that.")  # fmt: skip
    return dpi / _POINTS_PER_INCH, dpi


def _take_pages(data: bytes, name: str, _: Asked) -> Iterator[Member]:
    """Yield the pages of a TIFF; one of a single page is left as it is."""
    try:
        with (
            warnings.catch_warnings(action="ignore"),
            Image.open(io.BytesIO(data), formats=("TIFF",)) as image,
        ):
            pages = getattr(image, "n_frames", 1)
            if pages > MOST_PICTURES:
                raise _too_many(name, pages)
            if pages == 1:
                yield Member(name, data, "")
                return
            full = []
            for number in range(pages):
                image.seek(number)
                if not int(image.tag_v2.get(_REDUCED, 0)) & 1:  # type: ignore[attr-defined]
                    full.append(number)
            if len(full) < 2:
                yield Member(name, data, "")
                return
            for number in full:
                image.seek(number)
                shown = f"{_stem(name)} page {number + 1:0{len(str(pages))}d}.tif"
                if image.width * image.height > MAX_PIXELS:
                    large = TooLargeError(f"Page {number + 1} of {name} is above 200 megapixels.", hint="Scale it down and add that.")  # fmt: skip
                    yield Member(shown, b"", "", large)
                    continue
                out = io.BytesIO()
                more = {key: image.info[key] for key in ("icc_profile", "dpi") if key in image.info}
                image.save(out, "TIFF", compression="tiff_adobe_deflate", **more)
                yield Member(shown, out.getvalue(), f"Page {number + 1} of {pages} of {name}")
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, KeyError, TypeError) as error:
        raise BadImageError("This TIFF is damaged, or only part of one.", hint="Copy or scan it again and add that.") from error  # fmt: skip


def _draw_svg(data: bytes, name: str, asked: Asked) -> Iterator[Member]:
    """Draw an SVG; one that would bring in anything from elsewhere is refused."""
    try:
        text = data.decode("utf-8-sig")
        if "<!ENTITY" in text.upper():
            raise BadImageError("This SVG defines entities, which may stand for anything.", hint="Save it as plain SVG and add that.")  # fmt: skip
        root = ElementTree.fromstring(text)
    except (UnicodeDecodeError, ElementTree.ParseError) as error:
        raise BadImageError("This is no SVG drawing that can be read.", hint="Save it as plain SVG or as PNG and add that.") from error  # fmt: skip
    if root.tag not in (_SVG, "svg"):
        raise BadImageError("This is XML, and no SVG drawing.", hint="Save the drawing as SVG or PNG and add that.")  # fmt: skip
    for count, element in enumerate(root.iter(), 1):
        if count > MOST_SHAPES:
            raise TooLargeError(f"{name} has more than {MOST_SHAPES:,} elements, too many to be drawn.", hint="Save it as PNG and add that.")  # fmt: skip
        hrefs = [value for key, value in element.attrib.items() if key.endswith("href")]
        links = [h for h in hrefs if not h.startswith(("#", "data:"))]
        is_drawn = not element.tag.endswith("}a")
        if (links and is_drawn) or _OUTSIDE.search(" ".join([*element.attrib.values(), element.text or ""])):  # fmt: skip
            raise BadImageError("This SVG uses files beside it, which did not come with it.", hint="Embed them, or save it as PNG, and add that.")  # fmt: skip
    side = asked.drawing_px
    try:
        first = Image.open(io.BytesIO(resvg_py.svg_to_bytes(svg_string=text, width=64)))
        tall = first.height > first.width
        wide, high = (None, side) if tall else (side, None)
        png = resvg_py.svg_to_bytes(svg_string=text, width=wide, height=high)
    except (ValueError, OSError) as error:
        raise BadImageError("This SVG cannot be drawn.", hint="Save it as PNG and add that.") from error  # fmt: skip
    yield Member(f"{_stem(name)}.png", bytes(png), f"Drawn from {name}, {side} px long")


def _take_out(data: bytes, name: str, asked: Asked) -> Iterator[Member]:
    """Yield the pictures of a ZIP, by their content; what is no picture is left out, and what is spoilt is named."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            infos = [info for info in archive.infolist() if not info.is_dir()]
            if len(infos) > 20 * MOST_PICTURES:
                raise _too_many(name, len(infos))
            layered = [info for info in infos if info.filename == "mergedimage.png"]
            chosen = layered or sorted(infos, key=lambda each: each.filename)
            if len([info for info in chosen if _begins_as_picture(archive, info)]) > MOST_PICTURES:
                raise _too_many(name)
            left = MOST_UNPACKED_BYTES
            for info in chosen:
                last = info.filename.rsplit("/", 1)[-1]
                if last.startswith(".") or info.filename.startswith("__MACOSX/"):
                    continue
                shown = name if layered else last
                try:
                    body = _read_member(archive, info, left)
                    left -= len(body)
                    for part in _take_member(body, shown, asked):
                        remark = "; ".join(filter(None, (f"Out of {name}", part.remark)))
                        yield Member(part.name, part.data, remark, part.error)
                except DomainError as error:  # the others are still taken
                    yield Member(shown, b"", "", error)
    except _BAD_ZIP as error:
        raise _bad_zip("ZIP", error) from error


_BAD_ZIP = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, OSError)


def _bad_zip(what: str, error: Exception) -> BadImageError:
    locked = "password" in str(error).lower()
    return BadImageError(
        f"This {what} is locked by a password." if locked else f"This {what} is damaged, or only part of one.",
        hint="Unpack it and add the pictures.",
    )  # fmt: skip


def _begins_as_picture(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> bool:
    with suppress(*_BAD_ZIP), archive.open(info) as file:
        return looks_like_picture(file.read(64))
    return False


def _read_member(archive: zipfile.ZipFile, info: zipfile.ZipInfo, left: int) -> bytes:
    """Return the bytes of a file in a ZIP, which may be so many; what the archive says of sizes is not believed."""
    try:
        with archive.open(info) as file:
            body = file.read(min(MAX_FILE_BYTES, left) + 1)
    except _BAD_ZIP as error:
        raise _bad_zip("file in the ZIP", error) from error
    if len(body) > min(MAX_FILE_BYTES, left):
        raise TooLargeError(f"This ZIP unpacks to more than {MOST_UNPACKED_BYTES // 1024**3} GB, or one file of it to more than 500 MB.", hint="Divide it and add the parts.")  # fmt: skip
    return body


def _take_member(body: bytes, name: str, asked: Asked) -> Iterator[Member]:
    """Yield the pictures of a file in a ZIP; no archives in archives."""
    kind = find_kind(body[:HEAD_BYTES])
    if kind and kind != "zip":
        yield from take_apart(body, name, asked)
    elif not kind and looks_like_picture(body[:64]):
        yield Member(name, body, "")


def looks_like_picture(head: bytes) -> bool:
    """Whether the first bytes of a file are those of a kind of picture that can be read."""
    return head.startswith((b"\x89PNG", b"\xff\xd8\xff", b"GIF8", b"BM")) or (
        head[:4] == b"RIFF" and head[8:12] == b"WEBP"
    ) or head[4:8] == b"ftyp"  # fmt: skip
