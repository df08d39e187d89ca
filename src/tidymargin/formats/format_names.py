"""What formats are called, how their files end, and their media types."""

from typing import Literal, get_args

FormatName = Literal["png", "png_palette", "png_hard", "webp", "avif", "tiff", "pdf", "ora", "jpeg", "matte", "svg", "pdf_outlines", "dxf", "cutline_svg", "cutline_dxf", "print_and_cut"]  # fmt: skip
FORMATS: tuple[FormatName, ...] = get_args(FormatName)
ENDINGS = {
    "png": "png", "png_palette": "png", "png_hard": "png", "webp": "webp", "avif": "avif", "tiff": "tif",
    "pdf": "pdf", "ora": "ora", "jpeg": "jpg", "matte": "png",
    "svg": "svg", "pdf_outlines": "pdf", "dxf": "dxf", "cutline_svg": "svg", "cutline_dxf": "dxf",
    "print_and_cut": "pdf",
}  # fmt: skip
OUTLINES: frozenset[FormatName] = frozenset({"svg", "pdf_outlines", "dxf", "cutline_svg", "cutline_dxf", "print_and_cut"})  # fmt: skip
"""Formats of lines and curves, and not of pixels."""

CUT_LINES: frozenset[FormatName] = frozenset({"cutline_svg", "cutline_dxf", "print_and_cut"})
"""Of these, those that hold a line to cut along."""

SPELLINGS = {"tif": ("tif", "tiff"), "jpg": ("jpg", "jpeg")}
"""Endings by which a person may name a file of a format, where there are several."""

MEDIA = {
    "png": "image/png", "webp": "image/webp", "avif": "image/avif", "tif": "image/tiff", "pdf": "application/pdf",
    "ora": "image/openraster", "jpg": "image/jpeg", "svg": "image/svg+xml", "dxf": "image/vnd.dxf",
}  # fmt: skip
