"""What formats are called, how their files end, and their media types."""

from typing import Literal, get_args

FormatName = Literal["png", "png_palette", "png_hard", "webp", "avif", "tiff", "pdf", "ora", "jpeg", "matte"]  # fmt: skip
FORMATS: tuple[FormatName, ...] = get_args(FormatName)
ENDINGS = {
    "png": "png", "png_palette": "png", "png_hard": "png", "webp": "webp", "avif": "avif", "tiff": "tif",
    "pdf": "pdf", "ora": "ora", "jpeg": "jpg", "matte": "png",
}  # fmt: skip
SPELLINGS = {"tif": ("tif", "tiff"), "jpg": ("jpg", "jpeg")}
"""Endings by which a person may name a file of a format, where there are several."""

MEDIA = {
    "png": "image/png", "webp": "image/webp", "avif": "image/avif", "tif": "image/tiff", "pdf": "application/pdf",
    "ora": "image/openraster", "jpg": "image/jpeg",
}  # fmt: skip
