"""What lies behind the figure: what every kind of ground can tell, and the flat kind."""

from dataclasses import dataclass
from typing import ClassVar, Protocol

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import linear_to_oklab, srgb_to_linear, srgb_u8_to_oklab
from tidymargin.core.base.errors import NoGroundError
from tidymargin.core.base.picture import Picture, Region

_ENOUGH_PX = 65_536  # of the border, to know its colours and their noise
_BIN_SHIFT = 4  # 16 levels a channel: wide enough for coding, far narrower than any contrast
NEAR = 4.0  # differences up to this belong to the mode's own spread
# part of the shorter side, and px, that a border is wide; typed
_BORDER_SHARE, _WIDEST_BORDER_PX = 50, 16
TO_DEVIATION = 1.4826
"""A normal distribution's standard deviation over its median absolute one."""

NOISE_AT = 0.995
"""Quantile of a ground's own differences that is its noise: one place in two hundred has more."""


class Ground(Protocol):
    """What is known of a ground.

    `noise` is the difference that its own grain explains; `border_share` the part of the picture's
    border that shows it, 0 to 1; `shade_weight` how much of a difference along its own shades counts.
    """

    kind: ClassVar[str]

    @property
    def noise(self) -> float:
        """Difference that the ground's own grain explains, 0 and up."""

    @property
    def border_share(self) -> float:
        """Part of the picture's border that shows it, 0 to 1."""

    @property
    def shade_weight(self) -> float:
        """How much a difference along the ground's own shades counts, 0 to 1."""

    @property
    def hex(self) -> str:
        """Its typical colour as #RRGGBB."""

    @property
    def is_even(self) -> bool:
        """Whether it is one colour all over."""

    def over(self, region: Region) -> NDArray[np.float32]:
        """Return its colour at every pixel of a region, (h, w, 3) float32, 0 to 255."""


def to_hex(rgb_srgb: NDArray[np.floating] | tuple[float, float, float]) -> str:
    """Return a colour of 0 to 255 as #RRGGBB."""
    return "#" + "".join(f"{round(float(v)):02X}" for v in rgb_srgb)


def from_hex(code: str) -> tuple[int, int, int]:
    """Return #RRGGBB as three numbers 0 to 255."""
    return int(code[1:3], 16), int(code[3:5], 16), int(code[5:7], 16)


@dataclass(frozen=True, slots=True)
class FlatGround:
    """One even colour.

    Parameters
    ----------
    rgb_srgb : tuple of 3 float
        Display-coded sRGB, 0 to 255, not rounded.
    noise : float
        Difference that the ground's own grain explains, 0 and up.
    border_share : float
        Part of the picture's border that shows this colour, 0 to 1.
    """

    rgb_srgb: tuple[float, float, float]
    noise: float
    border_share: float
    kind: ClassVar[str] = "flat"
    shade_weight: ClassVar[float] = 1.0
    is_even: ClassVar[bool] = True

    @property
    def hex(self) -> str:
        """The colour as #RRGGBB."""
        return to_hex(self.rgb_srgb)

    def over(self, region: Region) -> NDArray[np.float32]:
        """Return the ground's colour at every pixel of a region, (h, w, 3) float32, 0 to 255."""
        row = np.tile(np.array(self.rgb_srgb, np.float32), region.width)
        out = np.empty((region.height, row.size), np.float32)
        out[:] = row  # whole rows: copying three values at a time takes four times as long
        return out.reshape(region.height, region.width, 3)


def frame_px(height: int, width: int) -> int:
    """Return how wide the picture's border is: a fiftieth of the shorter side, 1 to 16 pixels."""
    return int(np.clip(min(height, width) // _BORDER_SHARE, 1, _WIDEST_BORDER_PX))


def frame_mask(height: int, width: int) -> NDArray[np.bool_]:
    """Return the picture's border, (H, W) bool."""
    depth = frame_px(height, width)
    frame = np.ones((height, width), bool)
    frame[depth:-depth, depth:-depth] = False
    return frame


def frame_places(height: int, width: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the rows and the columns of the border's pixels, as `np.nonzero` of its mask would."""
    depth = frame_px(height, width)
    sides = np.concatenate([np.arange(depth), np.arange(max(depth, width - depth), width)])
    between = np.arange(depth, height - depth)
    at = np.concatenate(
        [
            np.arange(depth * width),
            (between[:, None] * width + sides).ravel(),
            np.arange(max(depth, height - depth) * width, height * width),
        ]
    )
    rows, cols = np.divmod(at, width)
    return rows, cols


def border_places(picture: Picture) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the rows and the columns of solid pixels of the picture's border.

    They are all of them, or one by chance out of every few in a large picture, so that no pattern is missed.
    """
    rows, cols = frame_places(picture.height, picture.width)
    if picture.alpha is not None:
        solid = picture.alpha[rows, cols] == 255
        rows, cols = rows[solid], cols[solid]
    every = len(rows) // _ENOUGH_PX
    if every > 1:
        some = np.arange(0, len(rows) - every, every)
        some += np.random.default_rng(0).integers(0, every, len(some))
        rows, cols = rows[some], cols[some]
    return rows, cols


def border_pixels(picture: Picture) -> NDArray[np.uint8]:
    """Return solid pixels of the picture's border, (N, 3) uint8; N may be 0. See `border_places`."""
    rows, cols = border_places(picture)
    return picture.rgb[rows, cols]


def stands_on_nothing(picture: Picture) -> bool:
    """Whether a picture came in cut out already: more of its border is transparent than of any one colour."""
    if picture.alpha is None:
        return False
    rows, cols = frame_places(picture.height, picture.width)
    clear = int((picture.alpha[rows, cols] == 0).sum())
    solid = int((picture.alpha[rows, cols] == 255).sum())
    if not clear or not solid:
        return solid == 0
    return clear >= solid * measure_flat_ground(picture).border_share


def away_from(border: NDArray[np.uint8], rgb_srgb: NDArray[np.floating]) -> NDArray[np.float64]:
    """Return each border pixel's 100 x OKLab distance from a colour."""
    centre = linear_to_oklab(srgb_to_linear(np.asarray(rgb_srgb) / 255))
    return np.asarray(100 * np.linalg.norm(srgb_u8_to_oklab(border) - centre, axis=1))


def measure_flat_ground(
    picture: Picture, rgb_srgb: tuple[float, float, float] | None = None
) -> FlatGround:
    """Find the colour that most of the border shows, or measure a given colour's noise there.

    Parameters
    ----------
    picture : Picture
        Pixels that came in transparent are never evidence.
    rgb_srgb : tuple of 3 float, optional
        A colour that a person said the ground has, 0 to 255.

    Returns
    -------
    FlatGround
        The mean of the pixels around the border's most frequent colour, and their spread.

    Raises
    ------
    NoGroundError
        No colour is given and the border has no solid pixel.
    """
    border = border_pixels(picture)
    if rgb_srgb is not None:
        away = away_from(border, np.array(rgb_srgb))
        return _to_ground(np.array(rgb_srgb), away, away <= NEAR)
    if len(border) == 0:
        raise NoGroundError(
            "The border of this picture is transparent already, so it shows no background.",
            hint="Say which colour is the background.",
            field="colour",
        )
    centre, away = find_commonest(border)
    return _to_ground(centre, away, away <= max(NEAR, float(away.min())))


def find_commonest(
    border: NDArray[np.uint8],
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the commonest colour of some pixels, 0 to 255, and each one's distance from about it."""
    coarse = border.astype(np.int64) >> _BIN_SHIFT
    key = (coarse[:, 0] << 8) | (coarse[:, 1] << 4) | coarse[:, 2]
    most = int(np.bincount(key, minlength=4096).argmax())
    centre = np.median(border[key == most], axis=0)
    for _ in range(2):  # the mode's bin may cut through the cluster: settle on the cluster itself
        away = away_from(border, centre)
        centre = border[away <= max(NEAR, float(away.min()))].mean(axis=0)
    return centre, away


def _to_ground(
    centre: NDArray[np.floating], away: NDArray[np.float64], near: NDArray[np.bool_]
) -> FlatGround:
    noise = float(np.quantile(away[near], NOISE_AT)) if near.any() else 0.0
    red, green, blue = (float(v) for v in centre)
    share = float(near.mean()) if len(near) else 0.0
    return FlatGround((red, green, blue), round(noise, 2), share)
