"""Writing PNG: 8-bit RGBA, an sRGB chunk, the dots per inch, and nothing else."""

import struct
import zlib
from collections.abc import Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_INCH_M = 0.0254
_LEVEL = 4  # beyond it a cut gets a tenth smaller in twice the time
_CHUNK_BYTES = 1 << 20
_NONE, _SUB, _UP = 0, 1, 2  # filter types of the PNG specification, section 9


def _chunk(kind: bytes, body: bytes) -> bytes:
    checksum = zlib.crc32(kind + body)
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", checksum)


@njit(cache=True, nogil=True)
def _filter_kernel(rows, before, out):  # type: ignore[no-untyped-def]
    """Fill filtered rows, each after its filter's number: the one that leaves the least behind.

    `rows` (h, w * 4) are raw bytes, `before` (w * 4,) the row above the first.
    """
    height, width = rows.shape
    for row in range(height):
        plain, left, above = 0, 0, 0
        for at in range(width):
            value = int(rows[row, at])
            over = int(before[at]) if row == 0 else int(rows[row - 1, at])
            beside = int(rows[row, at - 4]) if at >= 4 else 0
            a, b, c = value, (value - beside) & 255, (value - over) & 255
            plain += min(a, 256 - a)
            left += min(b, 256 - b)
            above += min(c, 256 - c)
        best = _UP if above <= left and above <= plain else _SUB if left <= plain else _NONE
        out[row, 0] = best
        for at in range(width):
            value = int(rows[row, at])
            if best == _UP:
                value -= int(before[at]) if row == 0 else int(rows[row - 1, at])
            elif best == _SUB and at >= 4:
                value -= int(rows[row, at - 4])
            out[row, at + 1] = value & 255


def encode_bands(
    bands: Iterable[NDArray[np.uint8]],
    height: int,
    width: int,
    *,
    dots_per_inch: float | None = None,
    credit: str = "",
) -> Iterator[bytes]:
    """Encode straight RGBA that comes in bands as PNG, and yield the file's parts as they are ready.

    Parameters
    ----------
    bands : iterable of (h, W, 4) ndarray of uint8
        From the top; their heights add up to `height`. Colour under transparent pixels is kept.
    height, width : int
        Of the whole picture.
    dots_per_inch : float, optional
        Written as pixels per metre.
    credit : str
        Written as the text “Copyright”, where there is any.
    """
    head = struct.pack(">IIBBBBB", width, height, 8, 6, 0, 0, 0)
    yield _SIGNATURE + _chunk(b"IHDR", head) + _chunk(b"sRGB", b"\x00")  # perceptual intent
    if dots_per_inch is not None:
        per_metre = round(dots_per_inch / _INCH_M)
        yield _chunk(b"pHYs", struct.pack(">IIB", per_metre, per_metre, 1))
    if (
        credit
    ):  # section 11.3.3.4 of the specification: keyword, neither compressed nor translated, UTF-8
        yield _chunk(b"iTXt", b"Copyright\0\0\0\0\0" + credit.encode())
    squeeze = zlib.compressobj(_LEVEL, zlib.DEFLATED, zlib.MAX_WBITS, 9, zlib.Z_FILTERED)

    def encode(rows: NDArray[np.uint8], before: NDArray[np.uint8]) -> bytes:
        filtered = np.empty((len(rows), width * 4 + 1), np.uint8)
        _filter_kernel(rows, before, filtered)
        return squeeze.compress(filtered.data)

    before = np.zeros(width * 4, np.uint8)
    waiting = bytearray()
    # a thread of its own, so that the next band is made while the last one is encoded
    with ThreadPoolExecutor(1) as beside:
        encoding: Future[bytes] | None = None
        for band in bands:
            rows = np.ascontiguousarray(band).reshape(len(band), width * 4)
            if encoding is not None:
                waiting += encoding.result()
            encoding = beside.submit(encode, rows, before)
            before = rows[-1].copy()
            if len(waiting) >= _CHUNK_BYTES:
                yield _chunk(b"IDAT", bytes(waiting))
                waiting.clear()
        if encoding is not None:
            waiting += encoding.result()
    yield _chunk(b"IDAT", bytes(waiting) + squeeze.flush()) + _chunk(b"IEND", b"")


def encode_png(
    rgba: NDArray[np.uint8], *, dots_per_inch: float | None = None, credit: str = ""
) -> bytes:
    """Encode straight RGBA, (H, W, 4) uint8, as PNG; decoding it gives the same array."""
    height, width = rgba.shape[:2]
    return b"".join(encode_bands([rgba], height, width, dots_per_inch=dots_per_inch, credit=credit))


def is_whole_png(data: bytes) -> bool:
    """Whether bytes are a PNG of which no chunk is missing or changed."""
    if not data.startswith(_SIGNATURE):
        return False
    at = len(_SIGNATURE)
    while at + 12 <= len(data):
        length = int.from_bytes(data[at : at + 4])
        kind = data[at + 4 : at + 8]
        end = at + 12 + length
        if _chunk(kind, data[at + 8 : end - 4]) != data[at:end]:
            return False
        if kind == b"IEND":
            return end == len(data)
        at = end
    return False


def encode_quick(rgba: NDArray[np.uint8]) -> bytes:
    """Encode straight RGBA, (H, W, 4) uint8, as a PNG that only passes by, with least compression."""
    bgra = cv2.cvtColor(rgba, cv2.COLOR_RGBA2BGRA)
    return cv2.imencode(".png", bgra, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes()
