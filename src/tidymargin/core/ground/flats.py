"""A ground of several flat colours, such as a panel of two halves."""

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.ground.kinds import (
    NEAR,
    FlatGround,
    away_from,
    border_places,
    find_commonest,
    frame_px,
    measure_flat_ground,
    to_hex,
)

_SLACK = 6  # levels a channel by which a pixel of a flat colour may be off, beyond its noise
_SEAM_PX = 2  # that two flat colours mix over where they meet
_LEAST_BORDER = 0.1  # unlike the first colour, for another one; typed
_SEAM_SLACK = 12.0  # levels off a mixture of two; typed
_BEYOND_NOISE = 1.5  # times a ground's noise, from which a border is another colour; typed


@dataclass(frozen=True, slots=True, eq=False)
class FlatsGround:
    """Several even colours, each where it is the nearest that shows.

    Parameters
    ----------
    rgb_srgb : (N, 3) ndarray of float32
        The colours, 0 to 255, the commonest first.
    laid : (H, W, 3) ndarray of uint8
        The ground's colour at every pixel; along a seam of two colours, their mixture there.
    noise, border_share : float
        See `Ground`.
    """

    rgb_srgb: NDArray[np.float32]
    laid: NDArray[np.uint8]
    noise: float
    border_share: float
    kind: ClassVar[str] = "flat"
    shade_weight: ClassVar[float] = 1.0
    is_even: ClassVar[bool] = False

    @property
    def hex(self) -> str:
        """The first colour as #RRGGBB."""
        return to_hex(self.rgb_srgb[0])

    @property
    def hexes(self) -> tuple[str, ...]:
        """All colours as #RRGGBB."""
        return tuple(to_hex(colour) for colour in self.rgb_srgb)

    def over(self, region: Region) -> NDArray[np.float32]:
        """Return the ground's colour at every pixel of a region, (h, w, 3) float32, 0 to 255."""
        return self.laid[region.slices].astype(np.float32)


@dataclass(frozen=True, slots=True)
class FurtherColour:
    """An even colour of the border that the ground has not, and how much of the border shows it, 0 to 1."""

    hex: str
    border_share: float


def find_further_colour(picture: Picture, ground: FlatGround | FlatsGround) -> FurtherColour | None:
    """Find what may be another flat colour of the ground, such as a panel's other half.

    Parameters
    ----------
    picture : Picture
        Pixels that came in transparent are never evidence.
    ground : FlatGround or FlatsGround
        What is known of it.

    Returns
    -------
    FurtherColour or None
        The commonest other colour, where a tenth of the border shows it, on two sides at least: a figure that
        is cut off by the picture's end is mostly on one.
    """
    rows, cols = border_places(picture)
    border = picture.rgb[rows, cols]
    known = np.atleast_2d(np.asarray(ground.rgb_srgb))
    unlike = np.ones(len(border), np.bool_)
    for colour in known:
        unlike &= away_from(border, colour) > max(NEAR, _BEYOND_NOISE * ground.noise)
    if not len(border) or unlike.mean() < _LEAST_BORDER:
        return None
    centre, _ = find_commonest(border[unlike])
    shows = unlike & (away_from(border, centre) <= NEAR)
    depth = frame_px(picture.height, picture.width)
    sides = (
        rows < depth,
        rows >= picture.height - depth,
        cols < depth,
        cols >= picture.width - depth,
    )
    on = sum(bool(shows[side].mean() >= _LEAST_BORDER) for side in sides if side.any())
    share = float(shows.mean())
    return FurtherColour(to_hex(centre), share) if share >= _LEAST_BORDER and on >= 2 else None


def measure_flats(
    picture: Picture,
    rgb_srgb: tuple[float, float, float] | None,
    also: tuple[tuple[float, float, float], ...],
) -> FlatsGround:
    """Lay several flat colours out over a picture.

    Parameters
    ----------
    picture : Picture
        The whole picture.
    rgb_srgb : tuple of 3 float or None
        The first colour, 0 to 255; None is the commonest along the border.
    also : tuple of 3 float each
        The others.

    Raises
    ------
    NoGroundError
        No first colour is given and the border came in transparent.
    """
    flats: list[FlatGround] = [measure_flat_ground(picture, rgb_srgb)]
    flats += [measure_flat_ground(picture, colour) for colour in also]
    colours = np.array([flat.rgb_srgb for flat in flats], np.float32)
    shows = np.zeros(picture.rgb.shape[:2], np.uint8)
    for number, colour in enumerate(colours):
        low, high = np.floor(colour) - _SLACK, np.ceil(colour) + _SLACK
        within = cv2.inRange(picture.rgb, tuple(map(float, low)), tuple(map(float, high)))
        shows[(np.asarray(within) > 0) & (shows == 0)] = number + 1
    if not shows.any():
        shows[0, 0] = 1
    _, found = cv2.distanceTransformWithLabels(
        (shows == 0).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    nearest = np.asarray(found)
    of_label = np.zeros(int(nearest.max()) + 1, np.uint8)
    of_label[nearest[shows > 0]] = shows[shows > 0]
    laid = np.round(colours).astype(np.uint8)[of_label[nearest] - 1]
    _lay_seams(picture.rgb, shows, colours, laid)
    noise = max(flat.noise for flat in flats)
    share = min(1.0, sum(flat.border_share for flat in flats))
    return FlatsGround(colours, laid, noise, share)


def _lay_seams(
    rgb: NDArray[np.uint8],
    shows: NDArray[np.uint8],
    colours: NDArray[np.float32],
    laid: NDArray[np.uint8],
) -> None:
    """Lay mixtures of two colours where both are close and the picture lies between them, in place."""
    side = np.ones((2 * _SEAM_PX + 1, 2 * _SEAM_PX + 1), np.uint8)
    close = [
        np.asarray(cv2.dilate((shows == number + 1).view(np.uint8), side)).astype(np.bool_)
        for number in range(len(colours))
    ]
    for first in range(len(colours)):
        for second in range(first + 1, len(colours)):
            rows, cols = np.nonzero(close[first] & close[second] & (shows == 0))
            if len(rows) == 0:
                continue
            along = colours[second] - colours[first]
            seen = rgb[rows, cols].astype(np.float32) - colours[first]
            share = np.clip(seen @ along / max(1.0, float(along @ along)), 0, 1)[:, None]
            fits = np.abs(seen - share * along).max(axis=1) <= _SEAM_SLACK
            mixed = colours[first] + share * along
            laid[rows[fits], cols[fits]] = np.round(mixed[fits]).astype(np.uint8)
