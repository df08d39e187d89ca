"""Grounds to lay figures on: paper under a lamp, creased cloth, printed-in patterns; all from a seed."""

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import linear_to_srgb, srgb_to_linear
from tidymargin.core.ground.kinds import from_hex

Random = np.random.Generator
Rgb = NDArray[np.float32]


def _grid(height: int, width: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return row and col of every pixel as shares of the sides, broadcastable."""
    return (np.arange(height)[:, None] + 0.5) / height, (np.arange(width)[None, :] + 0.5) / width


def _light(code: str, gain: NDArray[np.floating]) -> Rgb:
    linear = srgb_to_linear(np.array(from_hex(code)) / 255) * gain[..., None]
    return np.asarray(linear_to_srgb(np.clip(linear, 0, 1)) * 255, np.float32)


def _fibres(height: int, width: int, random: Random) -> NDArray[np.float32]:
    """Return noise with a standard deviation of 1 that hangs together over a few pixels."""
    fine = cv2.GaussianBlur(random.standard_normal((height, width)).astype(np.float32), (0, 0), 0.9)
    coarse = cv2.GaussianBlur(
        random.standard_normal((height, width)).astype(np.float32), (0, 0), 3.0
    )
    mixed = np.asarray(fine / fine.std() + 0.7 * coarse / coarse.std(), np.float32)
    return mixed / np.float32(mixed.std())


def make_paper(
    height: int,
    width: int,
    random: Random,
    *,
    code: str = "#F4EBD6",
    darker: float = 0.3,
    vignette: float = 0.0,
    fold: bool = False,
    texture: float = 1.5,
) -> Rgb:
    """Make paper under a lamp.

    Parameters
    ----------
    height, width : int
        In pixels.
    random : Generator
        Where the light comes from, and the fibres.
    code : str
        The paper's colour in full light.
    darker, vignette : float
        Share of the light lost at the far corner, and at all corners.
    fold : bool
        Whether a crease runs across.
    texture : float
        Standard deviation of the fibres in 8-bit levels.

    Returns
    -------
    (height, width, 3) ndarray of float32
        Display-coded, 0 to 255, not rounded.
    """
    row, col = _grid(height, width)
    at = random.uniform(0.0, 0.35, 2)
    if random.random() < 0.5:
        at[1] = 1 - at[1]
    away = np.hypot(row - at[0], col - at[1]) / 1.3
    gain = 1 - darker * np.clip(away, 0, 1) ** 1.5
    gain = gain * (1 - vignette * np.clip((row - 0.5) ** 2 + (col - 0.5) ** 2, 0, 0.5) * 2)
    if fold:
        slant = random.uniform(-0.2, 0.2)
        across = (col - random.uniform(0.35, 0.65) + slant * (row - 0.5)) * width
        gain = gain * (1 + 0.035 * np.tanh(across / 9) - 0.05 * np.exp(-((across / 3.5) ** 2)))
    return _light(code, gain) + texture * _fibres(height, width, random)[..., None]


def make_screen(
    height: int,
    width: int,
    random: Random,
    *,
    code: str = "#3E9B4F",
    uneven: float = 0.25,
    creases: int = 4,
    texture: float = 1.0,
) -> Rgb:
    """Make cloth of one hue, unevenly lit, with soft creases; parameters as for `make_paper`."""
    row, col = _grid(height, width)
    turn = random.uniform(0, 2 * np.pi)
    slope = np.cos(turn) * (row - 0.5) + np.sin(turn) * (col - 0.5)
    gain = 1 - uneven * np.clip(0.5 + slope, 0, 1)
    for _ in range(creases):
        turn = random.uniform(-0.5, 0.5)
        across = np.cos(turn) * (col - random.uniform(0, 1)) + np.sin(turn) * (row - 0.5)
        gain = gain * (
            1 + random.uniform(-0.10, 0.10) * np.exp(-((across / random.uniform(0.015, 0.05)) ** 2))
        )
    return _light(code, gain) + texture * _fibres(height, width, random)[..., None]


def _square_wave(length: int, period: float, phase: float) -> NDArray[np.float64]:
    """Return a wave of ±1 with tiles of `period` px, averaged over each pixel."""
    edges = (np.arange(length + 1) - phase) / (2 * period)
    # the integral of the wave is a triangle of the same period
    integral = np.abs((edges % 1.0) - 0.5) * -2 * period
    return np.diff(integral)


def make_checker(
    height: int,
    width: int,
    *,
    period: float,
    phase: tuple[float, float] = (0.0, 0.0),
    tones: tuple[str, str] = ("#FFFFFF", "#CCCCCC"),
) -> Rgb:
    """Make a pattern of two tones in squares of `period` px, which need not be whole."""
    light, dark = (np.array(from_hex(code), np.float64) for code in tones)
    wave = np.outer(_square_wave(height, period, phase[0]), _square_wave(width, period, phase[1]))
    mixed = (light + dark) / 2 + (light - dark) / 2 * wave[..., None]
    return np.asarray(mixed, np.float32)


def add_grain(picture: NDArray[np.floating], random: Random, deviation: float) -> NDArray[np.uint8]:
    """Add a sensor's grain to a picture of 0 to 255 and round it."""
    grain = random.standard_normal(picture.shape) * deviation
    return np.clip(np.round(picture + grain), 0, 255).astype(np.uint8)


def make_wood(height: int, width: int, random: Random, *, code: str = "#7A5236") -> Rgb:
    """Make a table top with a grain along its rows; parameters as for `make_paper`."""
    rings = cv2.GaussianBlur(
        random.standard_normal((height, width)).astype(np.float32), (0, 0), 30, sigmaY=1.6
    )
    return _light(code, 1 + 0.12 * np.clip(rings / rings.std(), -2.5, 2.5).astype(np.float64))


def photograph_page(
    page: NDArray[np.floating], table: NDArray[np.floating], corners: NDArray[np.floating]
) -> Rgb:
    """Lay a page on a table, seen askew.

    Parameters
    ----------
    page : (h, w, 3) ndarray
        0 to 255.
    table : (H, W, 3) ndarray
        0 to 255. Not modified.
    corners : (4, 2) ndarray
        x, y on the table of the page's upper left, upper right, lower right and lower left corner.

    Returns
    -------
    (H, W, 3) ndarray of float32
    """
    height, width = page.shape[:2]
    upright = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float32)
    lay = cv2.getPerspectiveTransform(upright - 0.5, corners.astype(np.float32) - 0.5)
    size = (table.shape[1], table.shape[0])
    solid = np.ones((height, width), np.float32)
    laid = cv2.warpPerspective(page.astype(np.float32), lay, size, borderMode=cv2.BORDER_REPLICATE)
    cover = np.asarray(cv2.warpPerspective(solid, lay, size))[..., None]
    return np.asarray(cover * laid + (1 - cover) * table, np.float32)
