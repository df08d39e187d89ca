"""Which places of a reduced picture are ground, in whatever light and shade it lies.

Light is smooth and multiplies; a soft shadow is ground made darker at like hue. Ground has no closed sharp edges, so
what one surrounds is figure, however near its colour. An edge is a narrow ridge of change, while shade changes over a
broad stretch; a gap in an edge counts as closed up to `2 * _GAP_PX`.
"""

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import most_of_channels
from tidymargin.core.ground.kinds import NOISE_AT, TO_DEVIATION, frame_mask

_GAP_PX = 2  # cells: half of the gap in an edge that nothing gets through
_RIDGE_CELLS = 7  # change over less than this is an edge; over more, shade
_LEAST_RIDGE = 0.35  # units of difference a cell: edges of figures as pale as the ground
_RIDGE_OVER_GRAIN = 1.2  # times what 199 of 200 places of the ground's own grain make
_STEEPEST = 2.5  # units of difference a cell, in shade
_STEEPEST_OVER_CALM = 3.0  # times what the border has; typed
_HUE_REACH = 0.035  # OKLab chroma over lightness
_SCREEN_HUE_REACH = 0.09  # of OKLab: cloth varies more than paper; typed
_LEAST_SOUND = 50  # places
_ROUNDS, _FITS = 3, 4  # after which it stands still on the families
_LEAST_SPREAD = 0.003  # of log light
_SHADE_FROM = 2.5  # deviations below the light, from where a place is shade
_DEVIATIONS = 4.0  # beyond which it is no grain: one in 16,000
_LIGHTER = 0.02  # of log light, beyond the deviations: what a ground is never quite free of
_TINTED = 0.01  # as much, of its hue
_TINTED_BY_SHADE = 0.15  # of its depth: what stands beside lends shade its colour
_SEAM_CELLS = 6  # how far shade is carried on under a rim
_SLOPE_HOLD = 0.3  # cells squared, as if so much of a place's weight spoke against any slope
_LEAST_SHADE = 0.03  # of log light: a unit of difference on white
_DEEPEST = 1.6  # log light: a fifth of it is left
_SMOOTH_CELLS = 0.8  # sigma, against grain
# OKLab lightness, under which hue counts no more, and up to which it is steady; typed
_DARK, _DIM = 0.05, 0.15
# chroma over lightness: of a screen, of a bin, and around its middle; typed
_HUED, _HUE_BIN, _HUE_NEAR = 0.1, 0.02, 0.03
# quantile of the border's roughness that is calm, and times that; typed
_CALM_AT, _CALM_TIMES = 0.4, 2.5
# quantile of light, and OKLab lightness below it where growth begins; typed
_LIGHT_AT, _DARKER, _SCREEN_DARKER = 0.9, 0.16, 0.3
# of a surface: speed, and what holds back bends that little speaks for; typed
_FIT_SAMPLES, _FIT_HOLD = 20_000, 1e-5
_RIM_CELLS = (5, 5)  # that a rim takes of sound ground

Mask = NDArray[np.bool_]


def measure_roughness(lab: NDArray[np.float64]) -> NDArray[np.float32]:
    """Return the largest difference between a place and its four neighbours, smoothed by a little."""
    out = np.zeros(lab.shape[:2], np.float32)
    for axis in (0, 1):
        step = 100 * np.linalg.norm(np.diff(lab, axis=axis), axis=2).astype(np.float32)
        first = (slice(None, -1), slice(None)) if axis == 0 else (slice(None), slice(None, -1))
        second = (slice(1, None), slice(None)) if axis == 0 else (slice(None), slice(1, None))
        out[first] = np.maximum(out[first], step)
        out[second] = np.maximum(out[second], step)
    return np.asarray(cv2.GaussianBlur(out, (0, 0), _SMOOTH_CELLS), np.float32)


def _commonest_hue(
    hue: NDArray[np.float64], light: NDArray[np.float64], is_screen: bool
) -> NDArray[np.float64]:
    """Return the densest place among hues; dark places, whose hue is uncertain, count less."""
    weight = np.clip(light, _DARK, 1) ** 2
    if is_screen:
        weight = weight * np.minimum(1, np.linalg.norm(hue, axis=1) / _HUED)
    bins = np.floor(hue / _HUE_BIN).astype(np.int64) + 100
    key = np.clip(bins[:, 0], 0, 199) * 200 + np.clip(bins[:, 1], 0, 199)
    crowd = np.bincount(key, weights=weight, minlength=40_000).reshape(200, 200)
    crowd = np.asarray(cv2.GaussianBlur(crowd, (3, 3), 0))
    row, col = np.unravel_index(int(crowd.argmax()), crowd.shape)
    middle = (np.array([row, col]) - 100 + 0.5) * _HUE_BIN
    near = np.linalg.norm(hue - middle, axis=1) <= _HUE_NEAR
    return np.asarray(np.median(hue[near], axis=0) if near.any() else middle)


class Growth:
    """Where ground can be grown from the border of a reduced picture.

    Parameters
    ----------
    lab : (h, w, 3) ndarray of float64
        The picture in OKLab.
    solid : (h, w) ndarray of bool
        Where it came in solid.
    is_screen : bool
        Whether hue counts for more than lightness.
    pull : (3,) ndarray or None
        A colour in OKLab that a person said the ground has.
    """

    def __init__(self, lab: NDArray[np.float64], solid: Mask, is_screen: bool, pull: NDArray[np.float64] | None) -> None:  # fmt: skip
        frame = frame_mask(*solid.shape) & solid
        rough = measure_roughness(lab)
        ridge = cv2.morphologyEx(rough, cv2.MORPH_TOPHAT, np.ones((_RIDGE_CELLS,) * 2, np.uint8))
        calm = float(np.quantile(rough[frame], _CALM_AT))
        smooth = frame & (rough <= max(1.0, _CALM_TIMES * calm))
        if smooth.sum() < 8:
            smooth = frame
        hue = lab[..., 1:] / np.maximum(lab[..., :1], _DIM)  # steady under a change of light
        if pull is not None:
            centre = pull[1:] / max(float(pull[0]), _DIM)
        else:
            centre = _commonest_hue(hue[smooth], lab[smooth][:, 0], is_screen)
        like = np.linalg.norm(hue - centre, axis=2) <= (
            _SCREEN_HUE_REACH if is_screen else _HUE_REACH
        )
        edge = max(_LEAST_RIDGE, _RIDGE_OVER_GRAIN * float(np.quantile(ridge[smooth], NOISE_AT)))
        steepest = max(_STEEPEST, _STEEPEST_OVER_CALM * calm)
        self._passable = (rough <= steepest) & (np.asarray(ridge) <= edge) & like & solid
        seeds = smooth & like
        if (
            seeds.any()
        ):  # a dark figure at the border may have the paper's hue: start from the lighter part
            light = lab[..., 0]
            seeds &= light >= np.quantile(light[seeds], _LIGHT_AT) - (
                _SCREEN_DARKER if is_screen else _DARKER
            )
        self._seeds = seeds

    def grow(self, allowed: Mask | None = None) -> Mask:
        """Return what hangs together with the border's ground through passages that are wide enough."""
        passable = self._passable if allowed is None else self._passable & allowed
        near = np.ones((2 * _GAP_PX + 1,) * 2, np.uint8)
        beyond = np.pad(passable.view(np.uint8), _GAP_PX, constant_values=1)
        wide = np.asarray(cv2.erode(beyond, near))[_GAP_PX:-_GAP_PX, _GAP_PX:-_GAP_PX]
        count, labels = cv2.connectedComponents(np.ascontiguousarray(wide), connectivity=4)
        held = np.zeros(count, np.bool_)
        held[np.unique(np.asarray(labels)[self._seeds])] = True
        held[0] = False
        grown = held[np.asarray(labels)].view(np.uint8)
        return np.asarray((np.asarray(cv2.dilate(grown, near)) > 0) & passable)


def fit_light(logs: NDArray[np.float32], mask: Mask) -> NDArray[np.float32]:
    """Fit a polynomial up to degree 3 on a mask; its higher terms are held back, so that it stays sane beyond."""
    height, width = mask.shape
    down = np.vander(np.linspace(-1, 1, height), 4, increasing=True)
    across = np.vander(np.linspace(-1, 1, width), 4, increasing=True)
    terms = [(i, j) for i in range(4) for j in range(4 - i)]
    at = np.flatnonzero(mask)
    at = at[:: max(1, len(at) // _FIT_SAMPLES)]
    rows, cols = np.divmod(at, width)
    known = np.stack([across[cols, i] * down[rows, j] for i, j in terms], axis=1)
    values = logs.reshape(-1, 3)[at]
    degree = np.array([i + j for i, j in terms], np.float64)
    hold = np.diag(_FIT_HOLD * len(at) * np.maximum(0, degree - 1) ** 2)
    solved = np.linalg.solve(known.T @ known + hold + 1e-9 * np.eye(len(degree)), known.T @ values)
    weights = np.zeros((4, 4, 3))
    for term, (i, j) in enumerate(terms):
        weights[j, i] = solved[term]
    along = np.tensordot(down, weights, axes=1)
    found = np.einsum(
        "hic,wi->hwc", along.astype(np.float32), across.astype(np.float32), optimize=True
    )
    return np.ascontiguousarray(found)


def _find_sound(mask: Mask, solid: Mask) -> Mask:
    """Return what is surely ground: the mask away from rims, or where nothing is even, the border."""
    sound = _shrink(mask)
    if sound.sum() > _LEAST_SOUND:
        return sound
    return mask if mask.any() else frame_mask(*solid.shape) & solid


def _find_shaded(logs: NDArray[np.float32], sound: Mask) -> Mask:
    """Return what may be ground in the light that lies on the sound part of it, or in shade of that light.

    The light is a polynomial fitted from above: what lies far below it is shade and is left out of the next fit.
    """
    lit = sound
    rest = np.empty_like(logs)
    for turn in range(_FITS):
        rest = logs - fit_light(logs, lit)
        light = rest.mean(axis=2)
        spread = _deviation(light[lit]) + _LEAST_SPREAD
        if turn < _FITS - 1:
            above = sound & (light >= -_SHADE_FROM * spread)
            if above.sum() <= _LEAST_SOUND or np.array_equal(above, lit):
                break  # the next fit would be the same
            lit = above
    tint = most_of_channels(np.abs(rest - light[..., None]))
    return _is_ground(light, tint, spread, _deviation(tint[lit]) + _LEAST_SPREAD)


def _is_ground(
    light: NDArray[np.float32], tint: NDArray[np.float32], spread: float, tint_spread: float
) -> Mask:
    """Return what is no lighter than the ground, not too dark for shade, and of like hue."""
    most_tint = _DEVIATIONS * tint_spread + _TINTED + _TINTED_BY_SHADE * np.maximum(-light, 0)
    is_shade = (light <= _DEVIATIONS * spread + _LIGHTER) & (light > -_DEEPEST)
    return np.asarray(is_shade & (tint <= most_tint))


def _deviation(values: NDArray[np.float32]) -> float:
    """Return the standard deviation of values around 0, by their median."""
    return TO_DEVIATION * float(np.median(np.abs(values)))


def _shrink(mask: Mask) -> Mask:
    """Take the mask in by a little, away from rims that are ground only in part."""
    padded = np.pad(mask.astype(np.uint8), 2, constant_values=1)
    return np.asarray(cv2.erode(padded, np.ones(_RIM_CELLS, np.uint8)))[2:-2, 2:-2] > 0


def find_lit(
    lab: NDArray[np.float64],
    logs: NDArray[np.float32],
    solid: Mask,
    *,
    is_screen: bool = False,
    pull: NDArray[np.float64] | None = None,
) -> Mask:
    """Return what is surely ground of a reduced picture, in light or in shade, (h, w) bool, never empty.

    `logs` is its linear light, (h, w, 3), in natural logarithms; the rest as in `Growth`.
    """
    growth = Growth(lab, solid, is_screen, pull)
    mask = growth.grow()
    for _ in range(_ROUNDS):
        before, mask = mask, growth.grow(_find_shaded(logs, _find_sound(mask, solid)))
        if np.array_equal(before, mask):
            break
    return _find_sound(mask, solid)


def find_shade(
    lab: NDArray[np.float64],
    rest: NDArray[np.float32],
    solid: Mask,
    colour_lab: NDArray[np.float64],
) -> tuple[Mask, Mask]:
    """Return what is surely an even ground of a reduced picture, and what of that lies in shade, (h, w) bool.

    `rest` is log light less that of the ground's own colour, (h, w, 3), and `colour_lab` that colour.
    """
    growth = Growth(lab, solid, False, colour_lab)
    light = rest.mean(axis=2)
    tint = most_of_channels(np.abs(rest - light[..., None]))
    sound = _shrink(growth.grow(_is_ground(light, tint, _LEAST_SPREAD, _LEAST_SPREAD)))
    shaded = (sound & (light < -_LEAST_SHADE)).view(np.uint8)
    broad = cv2.morphologyEx(shaded, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    return sound, np.asarray(broad) > 0


def extend(rest: NDArray[np.float32], sound: Mask) -> tuple[NDArray[np.float32], Mask]:
    """Return what a surface leaves over, carried on a little way beyond sound ground, and how far it is known then.

    Shade grows darker right up to what casts it, where a rim hides it. There a plane is laid through what is sound near
    by (normalised convolution of the first order: H. Knutsson and C.-F. Westin, CVPR 1993), its slope held back.
    """
    far = cv2.dilate(sound.view(np.uint8), np.ones((2 * _SEAM_CELLS + 1,) * 2, np.uint8))
    ring = (np.asarray(far) > 0) & ~sound
    planes = _LocalPlanes(sound)
    out = rest.copy()
    for channel in range(3):
        out[..., channel][ring] = planes.carry_on(rest[..., channel])[ring]
    return out, sound | ring


class _LocalPlanes:
    """At each place a plane through what is known near by, by weighted least squares.

    Its slopes (down, right) solve, with the weighted (co)variances of the places that are known::

        [ tall    across ] [ down  ]   [ covariance of values and rows ]
        [ across  wide   ] [ right ] = [ covariance of values and cols ]

    `tall` and `wide` are held up where little is known, so that slopes there tend to nothing.
    """

    def __init__(self, known: Mask) -> None:
        height, width = known.shape
        middle = np.array((height / 2, width / 2))[:, None, None]
        self._rows, self._cols = np.mgrid[:height, :width] - middle
        self._weight = known.astype(np.float32)
        self._count = self._near(self._weight) + np.float32(1e-6)
        self._row, self._col = self._mean(self._rows), self._mean(self._cols)
        hold = np.float32(_SLOPE_HOLD) / self._count
        self._across = self._mean(self._rows * self._cols) - self._row * self._col
        self._tall = self._mean(self._rows * self._rows) - self._row * self._row + 1 + hold
        self._wide = self._mean(self._cols * self._cols) - self._col * self._col + 1 + hold
        self._det = self._tall * self._wide - self._across * self._across

    @staticmethod
    def _near(values: NDArray[np.floating]) -> NDArray[np.float32]:
        return np.asarray(cv2.GaussianBlur(values.astype(np.float32), (0, 0), _SEAM_CELLS / 2))

    def _mean(self, values: NDArray[np.floating]) -> NDArray[np.float32]:
        return self._near(self._weight * values) / self._count

    def carry_on(self, values: NDArray[np.float32]) -> NDArray[np.float32]:
        """Return the planes' own values, each at its place; never above the mean of what is known: shade only darkens."""
        mean = self._mean(values)
        by_row = self._mean(values * self._rows) - mean * self._row
        by_col = self._mean(values * self._cols) - mean * self._col
        down = (by_row * self._wide - by_col * self._across) / self._det
        right = (by_col * self._tall - by_row * self._across) / self._det
        rise = down * (self._rows - self._row).astype(np.float32)
        rise += right * (self._cols - self._col).astype(np.float32)
        return np.asarray(mean + np.minimum(0, rise))
