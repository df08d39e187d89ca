"""Spill: the light that a screen casts on the figure, most along its outline.

F = (1 - c) F0 + c S, with S the screen's colour. How `c` falls off with depth is a fact of the whole
picture: the figure's mean lean towards the screen's hue, depth by depth, against what it is deep inside.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import (
    BLUE_SCALE,
    LUMA,
    RED_SCALE,
    lean_kernel,
    to_luma_chroma_kernel,
    to_rgb_kernel,
)
from tidymargin.core.base.distance import list_round
from tidymargin.core.base.picture import Picture
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.ground.surface import ScreenGround

DEPTH_PX = 48
"""How far inside spill is looked for and taken off."""

HOLD_PX = 10
"""How far away the figure's own lean is looked for."""

_ROUND = list_round(HOLD_PX)
_AS_LIGHT = 24.0  # levels of luma between places of one colour
_MOST_STAIN = 0.4  # of the screen's light; typed
_ENOUGH = 8  # places just inside
_MOST_CAST = 0.4  # of the screen's light; typed
_LEAST_CAST = 0.02  # of the screen's light: under it nothing is seen
_MOST_REST, _REST = 0.05, 0.4  # of a constant lean, and as a part of the light just inside
_STAINED_PX = 6  # that the rim itself is mixed over
_LEAST_FIT = 0.5  # what a fit may leave over
_FALLS_PX = (5.0, 6.0, 8.0, 10.0, 12.0, 14.0, 16.0, 19.0, 22.0, 26.0, 30.0)
_AGREED = 2.0  # shading hides a part of the slope
_MOSTLY = 0.9  # of a place, from which what is seen tells of the figure
_INSIDE = 0.12  # of the screen's colour, everywhere, at an amount of 2
_ONE_PART = 12  # levels between neighbours, at most
_LEAST_PX = 200  # a depth with fewer pixels says nothing
_MOST_TAKEN, _NOTHING = 0.6, 0.002  # of a colour's lean to the screen; typed
_OTHER_SIDE = 40.0  # levels to the other side of the hue circle
# depths that tell how spill falls off, and one of them at most so deep; typed
_FEW, _NEAR_PX = 12, 8


def lean_of(rgb_srgb: NDArray[np.floating]) -> NDArray[np.float64]:
    """Return a colour's chroma as a plane vector, (..., 2): its scaled colour differences (BT.601)."""
    luma = rgb_srgb @ LUMA
    return np.stack(
        [BLUE_SCALE * (rgb_srgb[..., 2] - luma), RED_SCALE * (rgb_srgb[..., 0] - luma)], axis=-1
    )


@njit(cache=True, nogil=True)
def _lean_kernel(rgb, inside_px, direction, counts, sums, rises, runs):  # type: ignore[no-untyped-def]
    """Sum, by depth, how far colours lean along a direction of RGB, and how that falls inwards.

    `rises` and `runs` are the sums of a slope by least squares, from neighbours of much the same colour:
    where another part of the figure begins, a change of lean is its own.
    """
    height, width = inside_px.shape
    for row in range(height):
        for col in range(width):
            depth = int(inside_px[row, col])
            if not 2 <= depth < counts.shape[0]:
                continue
            lean = 0.0
            for channel in range(3):
                lean += direction[channel] * rgb[row, col, channel]
            counts[depth] += 1
            sums[depth] += lean
            for side in range(2):
                y, x = row + side, col + 1 - side
                if y >= height or x >= width or inside_px[y, x] < 2.0:
                    continue
                run = inside_px[y, x] - inside_px[row, col]
                rise, most = 0.0, 0
                for channel in range(3):
                    step = int(rgb[row, col, channel]) - int(rgb[y, x, channel])
                    rise += direction[channel] * step
                    most = max(most, abs(step))
                if most <= _ONE_PART:
                    rises[depth] += rise * run
                    runs[depth] += run * run


def screen_direction(ground: ScreenGround) -> tuple[NDArray[np.float64], float]:
    """Return the direction of RGB that measures a lean to the screen's hue, and the screen's own lean."""
    colour = np.array(from_hex(ground.hex), np.float64)
    lean = lean_of(colour)
    size = max(float(np.linalg.norm(lean)), 1e-6)
    unit = lean / size
    blue_way, red_way = -BLUE_SCALE * LUMA, -RED_SCALE * LUMA
    blue_way[2] += BLUE_SCALE
    red_way[0] += RED_SCALE
    return unit[0] * blue_way + unit[1] * red_way, size


@njit(cache=True, nogil=True)
def _take_off_kernel(figure, share, inside_px, taken, cast, amount, screen, direction):  # type: ignore[no-untyped-def]
    for row in range(figure.shape[0]):
        for col in range(figure.shape[1]):
            if share[row, col] <= 0.0:
                continue
            depth = min(cast.shape[0] - 1, int(inside_px[row, col]))
            there = max(0.0, min(1.0, amount) * cast[depth] - taken[row, col])
            c = min(_MOST_TAKEN, there + _INSIDE * max(0.0, amount - 1.0))
            if c <= _NOTHING:
                continue
            lean = 0.0
            for channel in range(3):
                lean += direction[channel] * figure[row, col, channel]
            if lean <= -_OTHER_SIDE:  # far on the other side of the hue circle: nothing to take off
                continue
            for channel in range(3):
                value = (figure[row, col, channel] - c * screen[channel]) / (1.0 - c)
                figure[row, col, channel] = min(255.0, max(0.0, value))


@njit(cache=True, nogil=True)
def _lean_inside(figure, share, inside_px, ground, row, col, luma, depth_px):  # type: ignore[no-untyped-def]
    """Return how far the figure leans to the ground's hue just inside, where it is as light; 1 where nowhere.

    It is the most of a few places, since what lies behind an outline may stain some of them.
    """
    most, count = -1.0, 0
    for number in range(_ROUND.shape[0]):
        there, here = row + _ROUND[number, 0], col + _ROUND[number, 1]
        if not (0 <= there < share.shape[0] and 0 <= here < share.shape[1]):
            continue
        if share[there, here] < 1.0 or inside_px[there, here] <= depth_px:
            continue
        y, u, v = to_luma_chroma_kernel(
            figure[there, here, 0], figure[there, here, 1], figure[there, here, 2]
        )
        if abs(y - luma) > _AS_LIGHT:
            continue
        _, bu, bv = to_luma_chroma_kernel(
            ground[there, here, 0], ground[there, here, 1], ground[there, here, 2]
        )
        most = max(most, lean_kernel(u, v, bu, bv)[0])
        count += 1
        if count == _ENOUGH:
            return most
    return 1.0


@njit(cache=True, nogil=True)
def hold_lean_kernel(figure, share, inside_px, ground, most, depth_px):  # type: ignore[no-untyped-def]
    """Hold back, along the rim, how far figure colours lean to the ground's hue.

    Coding blurs the screen's chroma into thin and outermost things. `most` is how far the figure's own
    colours lean, as a share of the ground's chroma, and just inside they lean no less; `inside_px` and
    `ground` are of the same places.
    """
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            if share[row, col] <= 0.0 or inside_px[row, col] > depth_px:
                continue
            _, bu, bv = to_luma_chroma_kernel(
                ground[row, col, 0], ground[row, col, 1], ground[row, col, 2]
            )
            y, u, v = to_luma_chroma_kernel(
                figure[row, col, 0], figure[row, col, 1], figure[row, col, 2]
            )
            lean, _ = lean_kernel(u, v, bu, bv)
            inside = _lean_inside(figure, share, inside_px, ground, row, col, y, depth_px)
            held = min(most, inside)
            if lean > held:
                # how much of the ground's chroma was mixed in; beyond all of it there is no telling
                stain = (lean - held) / (1.0 - held) if held < 1.0 else 1.0
                if stain < _MOST_STAIN:
                    u, v = (u - stain * bu) / (1.0 - stain), (v - stain * bv) / (1.0 - stain)
                else:
                    u, v = u - (lean - held) * bu, v - (lean - held) * bv
                red, green, blue = to_rgb_kernel(y, u, v)
                figure[row, col, 0] = min(255.0, max(0.0, red))
                figure[row, col, 1] = min(255.0, max(0.0, green))
                figure[row, col, 2] = min(255.0, max(0.0, blue))


@dataclass(frozen=True, slots=True, eq=False)
class Spill:
    """A screen's light on the figure.

    Parameters
    ----------
    cast : (DEPTH_PX,) ndarray of float32
        Share of the screen's colour at whole pixels of depth, falling to 0.
    screen_rgb, direction : (3,) ndarray of float64
        The screen's colour, 0 to 255, and the direction of RGB that leans to its hue.
    """

    cast: NDArray[np.float32]
    screen_rgb: NDArray[np.float64]
    direction: NDArray[np.float64]

    def take_off(
        self,
        figure: NDArray[np.float32],
        share: NDArray[np.float32],
        inside_px: NDArray[np.float32],
        amount: float,
        taken: NDArray[np.float32] | None = None,
    ) -> None:
        """Take the light off figure colours, in place.

        Parameters
        ----------
        figure : (h, w, 3) ndarray of float32
            Figure colours, 0 to 255; written into.
        share, inside_px : (h, w) ndarray of float32
            Matte, and depth in pixels, right up to `DEPTH_PX`.
        amount : float
            1 takes off what was measured; from there to 2 more and more of the screen's colour comes off
            everywhere, since light that lies evenly on the whole figure cannot be measured.
        taken : (h, w) ndarray of float32, optional
            What of it is off already, see `find_taken`.
        """
        none = np.zeros(share.shape, np.float32) if taken is None else taken
        _take_off_kernel(
            figure, share, inside_px, none, self.cast, amount, self.screen_rgb, self.direction
        )

    def find_taken(
        self,
        rgb: NDArray[np.uint8],
        ground: NDArray[np.float32],
        figure: NDArray[np.float32],
        share: NDArray[np.float32],
    ) -> NDArray[np.float32]:
        """Return how much of the screen's colour a solved figure has less than is seen, (h, w), 0 and up.

        Where coding stains a figure with the screen, the stain is taken for one of the figure's own colours, and the
        light that lay on it has gone with it. All are of the same region; nothing is known where little of it is figure.
        """
        solid = np.maximum(share, np.float32(_MOSTLY))[..., None]
        unmixed = (rgb - (1 - solid) * ground) / solid
        of_screen = float(self.screen_rgb @ self.direction)
        taken = np.maximum(0, (unmixed - figure) @ self.direction) / max(of_screen, 1.0)
        return np.where(share >= _MOSTLY, taken, 0).astype(np.float32)


def _fit_fall(cast: NDArray[np.float64], counts: NDArray[np.int64]) -> tuple[float, float]:
    """Fit, by least squares, an amount at the outline and the depth in which it falls to 1/e.

    A constant is fitted with them, since what the figure leans deep inside is known only so well. The amount
    is 0 where there is none that falls.
    """
    depth = np.arange(cast.size)
    last = (
        _STAINED_PX + 4 + int(np.argmin(cast[_STAINED_PX + 4 :]))
    )  # deeper it is shading that leans
    shallow = float(cast[_STAINED_PX : _STAINED_PX + 4].mean())
    if cast[last] > 0.5 * shallow:
        return 0.0, 1.0
    weight = np.where((depth >= _STAINED_PX) & (depth <= last), counts, 0).astype(np.float64)
    most_rest = min(_MOST_REST, _REST * max(0.0, shallow))
    best = (_LEAST_FIT * float(weight @ cast**2), 0.0, 1.0)
    for fall_px in _FALLS_PX:
        shape = np.exp(-depth / fall_px)
        power, sum_of = float(weight @ shape**2), float(weight @ shape)
        both = np.array([[power, sum_of], [sum_of, weight.sum()]])
        if np.linalg.det(both) < 1e-9 * power * weight.sum():
            continue
        _, rest = np.linalg.solve(both, [weight @ (shape * cast), weight @ cast])
        rest = float(np.clip(rest, -most_rest, most_rest))
        amount = max(0.0, float(weight @ (shape * (cast - rest))) / power)
        left = float(weight @ (cast - rest - amount * shape) ** 2)
        if left < best[0]:
            best = (left, amount, fall_px)
    return best[1:]


def measure_spill(
    picture: Picture, ground: ScreenGround, cleared: NDArray[np.bool_]
) -> Spill | None:
    """Measure how much of the screen's light lies on the figure at each depth.

    Parameters
    ----------
    picture : Picture
        The whole picture.
    ground : ScreenGround
        As measured from it.
    cleared : (H, W) ndarray of bool
        At the starting tolerance.

    Returns
    -------
    Spill or None
        None where there is no sign of any.
    """
    inside_px = np.asarray(
        cv2.distanceTransform((~cleared).view(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    )
    direction, size = screen_direction(ground)
    counts = np.zeros(2 * DEPTH_PX, np.int64)
    sums, rises, runs = (np.zeros(2 * DEPTH_PX) for _ in range(3))
    _lean_kernel(picture.rgb, inside_px, direction, counts, sums, rises, runs)
    known = (counts >= _LEAST_PX) & (runs >= _LEAST_PX / 4)
    if known.sum() < _FEW or not known[:_NEAR_PX].any():
        return None
    last = int(np.flatnonzero(known)[-1])
    deep = float(np.median((sums / np.maximum(counts, 1))[known][-max(1, last // 3) :]))
    slope = np.where(known, rises / np.maximum(runs, 1), 0)
    slope[:_STAINED_PX] = 0  # there coding blurs the ground itself into the figure
    evenly = np.cumsum(slope[::-1])[
        ::-1
    ]  # how much more than deep inside, summed from there outwards
    lean = np.where(known, sums / np.maximum(counts, 1), deep)
    more = np.minimum(lean - deep, _AGREED * evenly)
    cast = more / max(size - deep, 1.0)
    most, fall_px = _fit_fall(cast[:DEPTH_PX], counts[:DEPTH_PX])
    if most * np.exp(-_STAINED_PX / fall_px) < _LEAST_CAST:
        return None
    depth = np.arange(DEPTH_PX)
    fitted = np.minimum(_MOST_CAST, most * np.exp(-depth / fall_px))
    fitted *= np.minimum(
        1, (DEPTH_PX - 1 - depth) / (DEPTH_PX / 2)
    )  # at the last depth nothing is left
    fallen: NDArray[np.float32] = fitted.astype(np.float32)
    return Spill(fallen, np.array(from_hex(ground.hex), np.float64), direction)
