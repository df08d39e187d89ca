"""Spoilt picture files: none may do more than be refused in a sentence, and none may take long.

Every picture is made from its number alone, so that one that fails can be looked at again.
"""

import io
import struct
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from PIL import Image, ImageCms

from tidymargin.core.base.errors import DomainError

MOST_S = 10.0
_EXTREMES = (0, 1, 0x7F, 0x80, 0xFF, 0x7FFF, 0xFFFF, 0x7FFFFFFF, 0xFFFFFFFF)


def _save(
    image: Image.Image, kind: str, append_images: Sequence[Image.Image] = (), **options: Any
) -> bytes:
    out = io.BytesIO()
    if append_images:  # copies, as saving leaves its own settings on a picture
        options["append_images"] = [more.copy() for more in append_images]
    image.copy().save(out, kind, **options)
    return out.getvalue()


@cache
def make_whole() -> tuple[bytes, ...]:
    """Return files of every format that is read, in its kinds, with what may stand beside the pixels."""
    random = np.random.default_rng(19)
    noise = Image.fromarray(random.integers(0, 256, (40, 52, 3), np.uint8))
    smooth = noise.resize((90, 70), Image.Resampling.BICUBIC)
    alpha = smooth.convert("RGBA")
    alpha.putalpha(smooth.convert("L"))
    wide = Image.fromarray(random.integers(0, 65536, (30, 31), np.uint16))
    few = smooth.quantize(16)
    more = [smooth, noise.resize((90, 70)), smooth.rotate(90)]
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB", 5000)).tobytes()
    exif = Image.Exif()
    exif[0x0112], exif[0x010E] = 6, "a text"
    beside: dict[str, Any] = {"icc_profile": profile, "exif": exif}
    made = [
        _save(smooth, "PNG", dpi=(300, 300), **beside),
        _save(alpha, "PNG"),
        _save(few, "PNG", transparency=3),
        _save(wide, "PNG"),
        _save(smooth, "PNG", save_all=True, append_images=more),
        _save(smooth.convert("1"), "PNG"),
        _save(smooth, "JPEG", dpi=(200, 200), **beside),
        _save(smooth, "JPEG", progressive=True, quality=40),
        _save(smooth.convert("CMYK"), "JPEG"),
        _save(smooth.convert("L"), "JPEG"),
        _save(smooth, "MPO", save_all=True, append_images=more),
        _save(smooth, "WEBP", **beside),
        _save(alpha, "WEBP", lossless=True),
        _save(smooth, "WEBP", save_all=True, append_images=more),
        _save(few, "GIF", transparency=2),
        _save(few, "GIF", save_all=True, append_images=[few.rotate(180)]),
        _save(smooth, "BMP"),
        _save(few, "BMP"),
        _save(smooth.convert("1"), "BMP"),
    ]
    for compression in ("raw", "tiff_lzw", "tiff_adobe_deflate", "packbits", "jpeg"):
        made.append(_save(smooth, "TIFF", compression=compression, dpi=(300, 300), **beside))
    made += [
        _save(wide, "TIFF"),
        _save(few, "TIFF"),
        _save(smooth, "TIFF", save_all=True, append_images=more),
        _save(smooth.convert("1"), "TIFF", compression="group4"),
        _save(smooth.convert("L").convert("F").point(lambda v: v / 255), "TIFF"),
    ]
    return tuple(made)


def spoil(number: int) -> bytes:
    """Return the spoilt file of a number: bytes changed, cut off, left out, doubled, or put in from another."""
    random = np.random.default_rng([7, number])
    whole = make_whole()
    data = bytearray(whole[number % len(whole)])
    for _ in range(int(random.integers(1, 6))):
        at = int(random.integers(0, max(1, len(data))))
        if random.random() < 0.5:  # most of what is read apart stands at a file's ends
            at = min(at, int(random.exponential(60)))
        end = min(len(data), at + int(random.exponential(20)) + 1)
        way = int(random.integers(0, 7))
        if way == 0:
            data[at:end] = random.integers(0, 256, end - at, np.uint8).tobytes()
        elif way == 1 and len(data) > 8:
            del data[int(random.integers(1, len(data))) :]
        elif way == 2:
            del data[at:end]
        elif way == 3:
            data[at:at] = data[at:end] * int(random.integers(1, 4))
        elif way == 4:
            other = whole[int(random.integers(0, len(whole)))]
            start = int(random.integers(0, len(other)))
            data[at:end] = other[start : start + end - at]
        elif way == 5:
            extreme = _EXTREMES[int(random.integers(0, len(_EXTREMES)))]
            form = ("<I", ">I", "<H", ">H")[int(random.integers(0, 4))]
            data[at : at + struct.calcsize(form)] = struct.pack(
                form, extreme & (0xFFFF if form[1] == "H" else 0xFFFFFFFF)
            )
        elif at < len(data):
            data[at] ^= 1 << int(random.integers(0, 8))
    return bytes(data)


@dataclass(slots=True)
class Fuzzed:
    """What came of spoilt files: how many were read after all or refused, and which did anything else."""

    read: int = 0
    refused: int = 0
    longest_s: float = 0.0
    slow: tuple[int, ...] = ()
    failed: tuple[tuple[int, str], ...] = ()


def fuzz(decode: Callable[[bytes], object], numbers: range) -> Fuzzed:
    """Decode the spoilt files of some numbers."""
    found = Fuzzed()
    for number in numbers:
        data = spoil(number)
        start = time.perf_counter()
        try:
            decode(data)
            found.read += 1
        except DomainError:
            found.refused += 1
        except Exception as error:  # noqa: BLE001 - that there is none is what is asked
            found.failed += ((number, repr(error)),)
        took = time.perf_counter() - start
        found.longest_s = max(found.longest_s, took)
        if took > MOST_S:
            found.slow += (number,)
    return found


def main(count: int) -> bool:
    """Decode so many spoilt files as the server does, print what came of them; return whether all was well."""
    import logging

    from tidymargin.services.picture.reading import Readers

    ended: list[str] = []

    class Listener(logging.Handler):
        def emit(self, record: logging.LogRecord) -> None:
            if "ended in the middle" in record.getMessage():
                ended.append(record.getMessage())

    logging.getLogger("tidymargin.services.picture.reading").addHandler(Listener(logging.WARNING))
    readers = Readers()
    found = fuzz(readers.decode, range(count))
    readers.close()
    print(f"{count} spoilt files: {found.read} read, {found.refused} refused in words")
    print(
        f"  anything else: {list(found.failed) or 'none'}; processes that broke down: {len(ended)}"
    )
    print(
        f"  over {MOST_S:.0f} s: {list(found.slow) or 'none'}; the longest {found.longest_s:.1f} s"
    )
    return not (found.failed or found.slow or ended)
