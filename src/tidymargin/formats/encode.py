"""Writing PNG: 8-bit RGBA, an sRGB chunk, the dots per inch, and nothing else."""

import struct
import zlib

import cv2
import numpy as np
from numpy.typing import NDArray

_SIGNATURE = b"\x89PNG\r\n\x1a\n"
_INCH_M = 0.0254
_AFTER_HEADER = len(_SIGNATURE) + 25  # IHDR is always 25 bytes long


def _chunk(kind: bytes, body: bytes) -> bytes:
    checksum = zlib.crc32(kind + body)
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", checksum)


def encode_png(
    rgba: NDArray[np.uint8], *, dots_per_inch: float | None = None, quick: bool = False
) -> bytes:
    """Encode straight RGBA as PNG; decoding it gives the same array.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha. Colour under transparent pixels is kept.
    dots_per_inch : float, optional
        Written as pixels per metre.
    quick : bool
        Least compression, for what only passes by.
    """
    bgra = cv2.cvtColor(rgba, cv2.COLOR_RGBA2BGRA)
    options = [cv2.IMWRITE_PNG_COMPRESSION, 1 if quick else 6]
    plain = cv2.imencode(".png", bgra, options)[1].tobytes()
    extra = _chunk(b"sRGB", b"\x00")  # perceptual intent
    if dots_per_inch is not None:
        per_metre = round(dots_per_inch / _INCH_M)
        extra += _chunk(b"pHYs", struct.pack(">IIB", per_metre, per_metre, 1))
    return plain[:_AFTER_HEADER] + extra + plain[_AFTER_HEADER:]
