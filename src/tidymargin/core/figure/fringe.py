"""Text that was drawn for the stripes of a flat screen: its edges are coloured, though it is of one colour.

There the share of figure is taken a third of a pixel farther left for red and farther right for blue, or the other way
round, so that along a row red's share less blue's goes with the slope of green's. No other figure's does: its colours
are where they are, whichever way an edge looks. Laid side by side the three shares tell of one colour and one share,
their mean.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import least_of_channels, most_of_channels
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.ground.kinds import FlatGround

FRINGE_PX = 2
"""How far to either side a coloured edge may be made up for."""

_MOST_PX = 150_000  # in the rows that are looked at, each of which tells by itself
_LEAST_SLOPE = 0.05  # of the share of figure a pixel
_LEAST_EDGES = 200  # places
_LEAST_AWAY = 40.0  # levels of a channel, below which its share is too uncertain
_DENSE = 0.995  # quantile that is full colour; typed
_GOES_ALONG = 0.7
"""Correlation of red's share less blue's with the slope of green's: two texts drawn so have 0.87 and 0.90, of 79 other
pictures of truth and two dozen others none more than 0.52 in size."""
_EVENED = 0.5  # of the most that three channels are apart near by, what their means may be
_STRAY = 0.25  # of share, that the means of three channels around a place may be apart


@dataclass(frozen=True, slots=True)
class Fringe:
    """What coloured edges are made of: the ground's and the text's colour, 0 to 255 each."""

    ground_rgb: tuple[float, float, float]
    ink_rgb: tuple[float, float, float]

    def take_off(self, picture: Picture, region: Region) -> NDArray[np.uint8]:
        """Return a region's colours, (h, w, 3) uint8, with coloured edges as mixtures of ground and text."""
        wider = region.grown(FRINGE_PX, whole(picture.height, picture.width))
        rgb = picture.rgb[wider.slices]
        full = np.array(self.ground_rgb, np.float32) - np.array(self.ink_rgb, np.float32)
        share = (np.array(self.ground_rgb, np.float32) - rgb) / full
        made_up = _find_made_up(share)
        mean = share.mean(axis=2, keepdims=True)
        plain = np.clip(np.rint(np.array(self.ground_rgb, np.float32) - mean * full), 0, 255)
        out = np.where(made_up[..., None], plain, rgb).astype(np.uint8)
        return np.ascontiguousarray(out[region.seen_from(wider).slices])


def _find_made_up(share: NDArray[np.floating]) -> NDArray[np.bool_]:
    """Return where what one channel has more of, another has beside it: an even colour's hue is its own."""
    side = 2 * FRINGE_PX + 1
    around, own = _spread(np.asarray(cv2.blur(share, (side, 1)))), _spread(share)
    most = np.asarray(cv2.dilate(own, np.ones((1, side), np.uint8)))
    return np.asarray((around <= _STRAY) & (around <= _EVENED * most))


def _spread(share: NDArray[np.floating]) -> NDArray[np.floating]:
    return np.asarray(most_of_channels(share) - least_of_channels(share))


def measure_fringe(picture: Picture, ground: FlatGround) -> Fringe | None:
    """Return what the coloured edges of a picture are made of, where its edges are coloured as a screen's stripes are.

    Parameters
    ----------
    picture : Picture
        Rows of it are looked at, spread over its height.
    ground : FlatGround
        As measured from the same picture.
    """
    count = min(picture.height, max(1, _MOST_PX // picture.width))
    rows = np.linspace(0, picture.height - 1, count).round().astype(np.int64)
    under = np.array(ground.rgb_srgb, np.float32)
    away = under - picture.rgb[rows]
    figure = away[most_of_channels(np.abs(away)) > _LEAST_AWAY]
    if len(figure) < _LEAST_EDGES or not np.ptp(figure, axis=1).any():
        return None
    sign = np.sign(np.median(figure, axis=0))
    full = (sign * np.quantile(sign * figure, _DENSE, axis=0)).astype(np.float32)
    if np.abs(full).min() < _LEAST_AWAY:
        return None
    share = away / full
    slope = np.gradient(share[..., 1], axis=1)
    steep = (np.abs(slope) > _LEAST_SLOPE) & _find_made_up(share)
    apart, slopes = (share[..., 0] - share[..., 2])[steep], slope[steep]
    if len(apart) < _LEAST_EDGES or not apart.any():
        return None
    along = float(apart @ slopes) / float(np.linalg.norm(apart) * np.linalg.norm(slopes))
    if abs(along) < _GOES_ALONG:
        return None
    red, green, blue = (float(v) for v in under - full)
    return Fringe(ground.rgb_srgb, (red, green, blue))
