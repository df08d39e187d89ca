"""A contact sheet of the worst places: picture, true cut and ours, side by side and enlarged."""

from collections.abc import Sequence
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.formats.encode import encode_png

CROP_PX = 80
_ENLARGED = 3
_GAP_PX = 6
_BACKDROP = np.array((214.0, 44.0, 196.0))
Rgb = NDArray[np.uint8]


def _lay(rgba: NDArray[np.uint8]) -> NDArray[np.float64]:
    alpha = rgba[..., 3:] / 255.0
    return np.asarray(rgba[..., :3] * alpha + _BACKDROP * (1 - alpha))


def crop_worst(picture: Rgb, true: NDArray[np.uint8], found: NDArray[np.uint8]) -> Rgb:
    """Return the place where a cut differs most from the true one, (80, 240, 3): picture, true, found."""
    laid_true, laid_found = _lay(true), _lay(found)
    away = np.abs(laid_true - laid_found).max(axis=2)
    crowd = cv2.blur(np.where(away > 24, away, 0), (CROP_PX // 2, CROP_PX // 2))
    row, col = (int(v) for v in np.unravel_index(int(np.asarray(crowd).argmax()), away.shape))
    top = min(max(0, row - CROP_PX // 2), away.shape[0] - CROP_PX)
    left = min(max(0, col - CROP_PX // 2), away.shape[1] - CROP_PX)
    own = np.s_[top : top + CROP_PX, left : left + CROP_PX]
    return np.concatenate(
        [picture[own], laid_true[own].astype(np.uint8), laid_found[own].astype(np.uint8)], axis=1
    )


def write_contact(place: Path, named: Sequence[tuple[str, Rgb]]) -> None:
    """Write crops with their names, two in a row, as one PNG."""
    cells = []
    for name, crop in named:
        large = cv2.resize(
            crop, None, fx=_ENLARGED, fy=_ENLARGED, interpolation=cv2.INTER_NEAREST_EXACT
        )
        label = np.full((22, large.shape[1], 3), 255, np.uint8)
        cv2.putText(label, name, (4, 16), cv2.FONT_HERSHEY_SIMPLEX, 0.5, (35, 41, 47), 1, cv2.LINE_AA)  # fmt: skip
        cell = np.concatenate([label, np.asarray(large)])
        cells.append(np.pad(cell, ((0, _GAP_PX), (0, _GAP_PX), (0, 0)), constant_values=255))
    if len(cells) % 2:
        cells.append(np.full_like(cells[0], 255))
    rows = [np.concatenate(cells[at : at + 2], axis=1) for at in range(0, len(cells), 2)]
    sheet = np.concatenate(rows)
    solid = np.full((*sheet.shape[:2], 1), 255, np.uint8)
    place.parent.mkdir(parents=True, exist_ok=True)
    place.write_bytes(encode_png(np.ascontiguousarray(np.concatenate([sheet, solid], axis=2))))
