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
from dataclasses import dataclass
from xml.etree import ElementTree

import pypdfium2
import resvg_py
from PIL import Image, UnidentifiedImageError

from tidymargin.core.base.errors import BadImageError, BadParameterError, TooLargeError
from tidymargin.formats.decode import MAX_FILE_BYTES, MAX_PIXELS, MAX_SIDE_PX

PAGE_DPI, LEAST_DPI, MOST_DPI = 300.0, 18.0, 2400.0
DRAWING_PX = 2048
"""Of an SVG's longer side, where nothing else is said."""

MOST_PICTURES = 500
MOST_UNPACKED_BYTES = 2 * 1024**3
_HEAD_BYTES = 4096
_POINTS_PER_INCH = 72.0
_REDUCED = 254  # a TIFF's tag that says that a page is another one's small picture
_SVG = "{http://www.w3.org/2000/svg}svg"
_OUTSIDE = re.compile(r"url\(\s*['\"]?\s*(?!#|data:)|@import", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Asked:
    """At which sizes pages and drawings are drawn."""

    dots_per_inch: float = PAGE_DPI
    drawing_px: int = DRAWING_PX

    def __post_init__(self) -> None:
        """Refuse what cannot be drawn."""
        if not LEAST_DPI <= self.dots_per_inch <= MOST_DPI:
            raise BadParameterError(
                f"Expected {LEAST_DPI:g} to {MOST_DPI:g} dots to the inch, got {self.dots_per_inch:g}.",
                field="page_dpi",
            )
        if not 8 <= self.drawing_px <= MAX_SIDE_PX // 4:
            raise BadParameterError(
                f"Expected a drawing of 8 to {MAX_SIDE_PX // 4} px, got {self.drawing_px}.",
                field="drawing_px",
            )


@dataclass(frozen=True, slots=True)
class Part:
    """One picture out of a file: its name, its bytes as a picture file, and what was done to get it."""

    name: str
    data: bytes
    remark: str


def find_kind(head: bytes) -> str:
    """Return what the first bytes of a file show it to hold: "pdf", "zip", "svg", "tiff", or "" for anything else."""
    if b"%PDF-" in head[:1024]:
        return "pdf"
    if head.startswith((b"PK\x03\x04", b"PK\x05\x06")):
        return "zip"
    if head.startswith((b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+")):
        return "tiff"
    text = head.lstrip(b"\xef\xbb\xbf \t\r\n")[:_HEAD_BYTES]
    if text[:5].lower() in (b"<?xml", b"<svg ", b"<svg>", b"<!--", b"<!doc"[:5]):
        return "svg"
    return ""


def unpack(data: bytes, name: str, asked: Asked = Asked()) -> Iterator[Part]:
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
    kind = find_kind(data[:_HEAD_BYTES])
    found = {"pdf": _draw_pages, "zip": _take_out, "svg": _draw_svg, "tiff": _take_pages}.get(kind)
    count = 0
    for part in found(data, name, asked) if found else [Part(name, data, "")]:
        count += 1
        if count > MOST_PICTURES:
            raise TooLargeError(f"Expected at most {MOST_PICTURES} pictures in one file, {name} has more.", hint="Divide it and add the parts.")  # fmt: skip
        yield part
    if not count:
        raise BadImageError(f"There is no picture in {name}.", hint="Look whether it is the right file.")  # fmt: skip


def _stem(name: str) -> str:
    return name.rsplit(".", 1)[0] if "." in name else name


def _draw_pages(data: bytes, name: str, asked: Asked) -> Iterator[Part]:
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
        digits = len(str(pages))
        for number in range(pages):
            page = document[number]
            width, height = page.get_size()
            scale, dpi = _fit(width / _POINTS_PER_INCH, height / _POINTS_PER_INCH, asked)
            image = page.render(scale=scale, may_draw_forms=False).to_pil().convert("RGB")
            page.close()
            out = io.BytesIO()
            image.save(out, "PNG", dpi=(dpi, dpi), compress_level=3)
            place = f" page {number + 1:0{digits}d}" if pages > 1 else ""
            remark = f"Page {number + 1} of {pages} of {name}, drawn at {dpi:g} dots to the inch"
            yield Part(f"{_stem(name)}{place}.png", out.getvalue(), remark)
    except pypdfium2.PdfiumError as error:
        raise BadImageError("A page of this PDF cannot be drawn.", hint="Save it anew and add that.") from error  # fmt: skip
    finally:
        document.close()


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


def _take_pages(data: bytes, name: str, _: Asked) -> Iterator[Part]:
    """Yield the pages of a TIFF; one of a single page is left as it is."""
    try:
        with (
            warnings.catch_warnings(action="ignore"),
            Image.open(io.BytesIO(data), formats=("TIFF",)) as image,
        ):
            pages = getattr(image, "n_frames", 1)
            if pages == 1 or pages > MOST_PICTURES:
                yield Part(name, data, "")
                if pages > 1:
                    raise TooLargeError(f"Expected at most {MOST_PICTURES} pages, {name} has {pages}.", hint="Divide it and add the parts.")  # fmt: skip
                return
            full = []
            for number in range(pages):
                image.seek(number)
                if not int(image.tag_v2.get(_REDUCED, 0)) & 1:  # type: ignore[attr-defined]
                    full.append(number)
            if len(full) < 2:
                yield Part(name, data, "")
                return
            for number in full:
                image.seek(number)
                if image.width * image.height > MAX_PIXELS:
                    raise TooLargeError(f"Page {number + 1} of {name} is above 200 megapixels.", hint="Scale it down and add that.")  # fmt: skip
                out = io.BytesIO()
                more = {key: image.info[key] for key in ("icc_profile", "dpi") if key in image.info}
                image.save(out, "TIFF", compression="tiff_adobe_deflate", **more)
                digits = len(str(pages))
                remark = f"Page {number + 1} of {pages} of {name}"
                yield Part(f"{_stem(name)} page {number + 1:0{digits}d}.tif", out.getvalue(), remark)  # fmt: skip
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, KeyError, TypeError) as error:
        raise BadImageError("This TIFF is damaged, or only part of one.", hint="Copy or scan it again and add that.") from error  # fmt: skip


def _draw_svg(data: bytes, name: str, asked: Asked) -> Iterator[Part]:
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
    for element in root.iter():
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
    yield Part(f"{_stem(name)}.png", bytes(png), f"Drawn from {name}, {side} px long")


def _take_out(data: bytes, name: str, asked: Asked) -> Iterator[Part]:
    """Yield the pictures of a ZIP, by their content; what is no picture is left out."""
    left = MOST_UNPACKED_BYTES
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            infos = [info for info in archive.infolist() if not info.is_dir()]
            if len(infos) > 20 * MOST_PICTURES:
                raise TooLargeError(f"Expected at most {MOST_PICTURES} pictures in one file, {name} has {len(infos)} files.", hint="Divide it and add the parts.")  # fmt: skip
            layered = next((info for info in infos if info.filename == "mergedimage.png"), None)
            for info in [layered] if layered else sorted(infos, key=lambda each: each.filename):
                last = info.filename.rsplit("/", 1)[-1]
                if last.startswith(".") or info.filename.startswith("__MACOSX/"):
                    continue
                with archive.open(info) as file:
                    # what the archive says of sizes is not believed
                    body = file.read(min(MAX_FILE_BYTES, left) + 1)
                left -= len(body)
                if left < 0 or len(body) > MAX_FILE_BYTES:
                    raise TooLargeError(f"What is in {name} takes more than {MOST_UNPACKED_BYTES // 1024**3} GB, or one file more than 500 MB.", hint="Divide it and add the parts.")  # fmt: skip
                kind = find_kind(body[:_HEAD_BYTES])
                remark = f"Out of {name}"
                if kind == "zip":
                    continue  # no archives in archives
                if kind:
                    for part in unpack(body, last, asked):
                        yield Part(part.name, part.data, "; ".join(filter(None, (remark, part.remark))))  # fmt: skip
                elif looks_like_picture(body[:64]):
                    yield Part(name if layered else last, body, remark)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        locked = "password" in str(error).lower()
        raise BadImageError(
            "This ZIP is locked by a password." if locked else "This ZIP is damaged, or only part of one.",
            hint="Unpack it and add the pictures.",
        ) from error  # fmt: skip


def looks_like_picture(head: bytes) -> bool:
    """Whether the first bytes of a file are those of a kind of picture that can be read."""
    return head.startswith((b"\x89PNG", b"\xff\xd8\xff", b"GIF8", b"BM")) or (
        head[:4] == b"RIFF" and head[8:12] == b"WEBP"
    ) or head[4:8] == b"ftyp"  # fmt: skip
