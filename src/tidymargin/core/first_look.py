"""Where to look at a cut first, and on which blotter."""

import cv2
import numpy as np

from tidymargin.core.base.colour import LUMA
from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.facts import SheetFacts
from tidymargin.core.reach.clearing import to_step

_CROWD_PX = 64  # side of a block that is counted
_BAND_PX = 8 * _CROWD_PX
_ENOUGH_PX = 250_000  # that a first look goes by: speed
_SEEN = 0.02  # of a row or column, from which there is something; typed


def find_spot(facts: SheetFacts, tolerance: float) -> tuple[int, int]:
    """Return row, col of the rim where a fringe would show most: the strongest contrast beside ground."""
    height, width = facts.outside.shape
    best, at = -1.0, (height // 2, width // 2)
    for band in whole(height, width).bands(_BAND_PX):
        around = band.grown(1, whole(height, width))
        cleared = (facts.outside[around.slices] <= to_step(tolerance)).view(np.uint8)
        is_rim = cv2.dilate(cleared, np.ones((3, 3), np.uint8)) != cleared
        rows, cols = np.nonzero(is_rim[band.seen_from(around).slices])
        if len(rows) == 0:
            continue
        # how much rim there is within squares of 64 px, and how strongly the figure stands out beside it
        squares = rows // _CROWD_PX * -(-width // _CROWD_PX) + cols // _CROWD_PX
        crowd = np.bincount(squares)[squares] / _CROWD_PX**2
        rows += band.top
        near = np.zeros(len(rows), np.uint8)
        for down in (-3, 0, 3):
            for right in (-3, 0, 3):
                beside = facts.difference.steps[
                    np.clip(rows + down, 0, height - 1), np.clip(cols + right, 0, width - 1)
                ]
                near = np.maximum(near, beside)
        shows = near / 255 + 4 * crowd
        most = int(np.argmax(shows))
        if shows[most] > best:
            best, at = float(shows[most]), (int(rows[most]), int(cols[most]))
    return at


BLOTTER_TONES = {"pale": 244.0, "middle": 150.0, "deep": 52.0}
"""Luma, 0 to 255, of the blotters that transparent can be shown on."""


def choose_blotter(picture: Picture, facts: SheetFacts) -> str:
    """Return the blotter tone farthest from the figure's commoner lights and darks."""
    coarse = max(1, int((picture.area_px / _ENOUGH_PX) ** 0.5))
    sample = (slice(None, None, coarse), slice(None, None, coarse))
    stands = facts.outside[sample] > to_step(facts.calm.tolerance)
    # ink's thin places have the ground's colour only until that is gone
    shown_rgb = facts.inks.rgb if facts.nature == "ink" else picture.rgb[sample][stands]
    if len(shown_rgb) == 0:
        return "pale"
    luma = shown_rgb @ LUMA
    share = np.bincount((luma / 16).astype(int), minlength=16) / len(luma)
    shown = (np.flatnonzero(share > _SEEN) + 0.5) * 16
    return max(BLOTTER_TONES, key=lambda tone: float(np.abs(shown - BLOTTER_TONES[tone]).min()))
