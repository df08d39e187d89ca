"""What is done to the figure's colours once rims are solved, and what is laid under it, stage by stage.

The matte is untouched by all but what lies under the figure: a backing and a shadow are further layers, laid under it (T. Porter
and T. Duff, "Compositing digital images", 1984: over).
"""

import math
from functools import partial

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from tidymargin.core.base.colour import LUMA_BLUE, LUMA_GREEN, LUMA_RED
from tidymargin.core.base.part import Part, Slices
from tidymargin.core.base.stages import Stage
from tidymargin.core.tint.outlook import Outlook
from tidymargin.core.tint.plan import Backing, Recolour, TintPlan

Layer = NDArray[np.float32]

_RED, _GREEN, _BLUE = np.float32(LUMA_RED), np.float32(LUMA_GREEN), np.float32(LUMA_BLUE)
SET_BACK_PX = 0.7  # of a silhouette, that counts its whole rim, to where its rim is half solid
_SHADOW_PX = 3  # that a shadow's depth is averaged over
_EVEN_PX = 1.2  # spread of the bell over which a shadow is averaged: it is soft
_LEVELS = 65535  # of a share as uint16
_LEAST_SHADOW = 0.012  # of light gone, beside what noise explains
_GRAINS = 1.5  # over which a shadow is no noise; typed


_ONE, _NONE = np.float32(1), np.float32(0)
_HIGHEST, _HALF = np.float32(255), np.float32(127.5)
_LEAST_BOTH = np.float32(1e-6)
_DEEPEST = 250.0  # level that black is taken to at most, or nothing would be left to stretch
_MOST_CONTRAST = 0.96  # of a right angle, beyond which two tones are left


@njit(cache=True, nogil=True, inline="always")
def _luma(red, green, blue):  # type: ignore[no-untyped-def]
    """Return a colour's luma."""
    return np.float32(red) * _RED + np.float32(green) * _GREEN + np.float32(blue) * _BLUE


@njit(cache=True, nogil=True)
def _tone_kernel(share, figure, black, steeper, saturation, steep, lighter):  # type: ignore[no-untyped-def]
    """Change, in place, the colours of all that there is anything of."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            if share[row, col] == _NONE:
                continue
            red, green, blue = figure[row, col]
            red, green, blue = (red - black) * steeper, (green - black) * steeper, (blue - black) * steeper  # fmt: skip
            luma = _luma(red, green, blue)
            for channel, value in enumerate((red, green, blue)):
                toned = value
                if saturation != _ONE:
                    toned = luma + saturation * (toned - luma)
                if steep != _ONE:
                    toned = _HALF + steep * (toned - _HALF)
                figure[row, col, channel] = min(_HIGHEST, max(_NONE, toned + lighter))


def _tone(tint: TintPlan, darkest: float, part: Part) -> None:
    black = np.float32(min(_DEEPEST, tint.depth * darkest) if tint.depth > 0 else 0)
    steep = (
        math.tan(math.pi / 4 * (1 + min(_MOST_CONTRAST, tint.contrast))) if tint.contrast else 1.0
    )
    _tone_kernel(
        part.share, part.figure, black, np.float32(255 / (255 - black)),
        np.float32(tint.saturation), np.float32(steep), np.float32(127.5 * tint.brightness),
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _gradient_kernel(share, figure, top, left, down, right, length, colour, towards):  # type: ignore[no-untyped-def]
    """Give all that there is anything of the colour of its place; the first lies at (top, left) from the middle."""
    for row in range(share.shape[0]):
        for col in range(share.shape[1]):
            if share[row, col] > _NONE:
                along = 0.5 + ((row + top) * down + (col + left) * right) / length
                along = min(1.0, max(0.0, along))
                for channel in range(3):
                    figure[row, col, channel] = colour[channel] * (1 - along) + towards[channel] * along  # fmt: skip


def _recolour(recolour: Recolour, outlook: Outlook | None, part: Part) -> None:
    there, window = part.where(part.reach_px), part.window(part.reach_px)
    figure = part.figure[window]
    if recolour.colour is not None and recolour.towards is None:
        figure[:] = recolour.colour
    elif recolour.colour is not None and recolour.towards is not None:
        assert outlook is not None
        box, turn = outlook.box, math.radians(recolour.degrees)
        down, right = math.sin(turn), math.cos(turn)
        length = max(1.0, abs(down) * box.height + abs(right) * box.width)
        top = there.top - window[0].start + 0.5 - (box.top + box.bottom) / 2
        left = there.left - window[1].start + 0.5 - (box.left + box.right) / 2
        ends = (np.array(rgb, np.float64) for rgb in (recolour.colour, recolour.towards))
        _gradient_kernel(part.share, part.figure, top, left, down, right, length, *ends)
    for mask, colour in () if outlook is None else outlook.pieces:
        figure[mask.over(there)] = colour


@njit(cache=True, nogil=True, inline="always")
def _lay_under(share, figure, row, col, covered, colour):  # type: ignore[no-untyped-def]
    """Lay so much of a colour under one place of what is solved."""
    if covered > _NONE:
        both = share[row, col] + covered * (_ONE - share[row, col])
        weight = share[row, col] / max(both, _LEAST_BOTH)
        for channel in range(3):
            figure[row, col, channel] = weight * figure[row, col, channel] + (_ONE - weight) * colour[channel]  # fmt: skip
        share[row, col] = both


@njit(cache=True, nogil=True)
def _backing_kernel(share, figure, window, out, into, corner, most, grown, colour):  # type: ignore[no-untyped-def]
    """Lay a backing under a window; it begins at a corner of the distances from outside and into the silhouette."""
    half, set_back = np.float32(0.5), np.float32(SET_BACK_PX)
    top, left, bottom, right = window
    for row in range(top, bottom):
        for col in range(left, right):
            beyond = float(out[row - top + corner[0], col - left + corner[1]])
            within = float(into[row - top + corner[0], col - left + corner[1]])
            # squares are whole numbers, and so alike from any region
            if within > 0:
                inside = min(np.float32(math.sqrt(np.rint(within * within))), most) - half
            else:
                inside = half - min(np.float32(math.sqrt(np.rint(beyond * beyond))), most)
            covered = min(_ONE, max(_NONE, half + inside - set_back + grown))
            _lay_under(share, figure, row, col, covered, colour)


def _bound(window: Slices) -> tuple[int, int, int, int]:
    rows, cols = window
    return rows.start, cols.start, rows.stop, cols.stop


def _measure_away(mask: NDArray[np.uint8]) -> Layer:
    return np.asarray(cv2.distanceTransform(mask, cv2.DIST_L2, cv2.DIST_MASK_PRECISE), np.float32)


def _lay_backing(backing: Backing, outlook: Outlook | None, halo_px: int, part: Part) -> None:
    assert outlook is not None
    assert outlook.outside is not None
    wide, own = part.where(part.reach_px + halo_px), part.where(part.reach_px)
    outside = outlook.outside.over(wide)
    if outside.all():
        return  # it does not come so far
    # beyond the picture it goes on as at its edge, so that a figure that is cut off there is not set back
    edged = np.pad(outside.view(np.uint8), halo_px, mode="edge")
    grown, most = np.float32(backing.grown_px), np.float32(abs(backing.grown_px) + 2)
    # how far inside a place lies tells nothing more where it is covered anyhow, nor how far outside where it never is
    into = (1 - edged).astype(np.float32) if grown >= 1 else _measure_away(1 - edged)
    out = edged.astype(np.float32) if grown <= 0 else _measure_away(edged)
    corner = own.seen_from(wide)
    _backing_kernel(
        part.share, part.figure, _bound(part.window(part.reach_px)), out, into,
        (corner.top + halo_px, corner.left + halo_px), most, grown, np.array(backing.colour, np.float32),
    )  # fmt: skip


@njit(cache=True, nogil=True)
def _gone_kernel(rgb, ground, cleared, near, gone, known):  # type: ignore[no-untyped-def]
    """Fill what share of the ground's light is gone where it is cleared, and where that is; return whether any is."""
    any_gone = False
    top, left, bottom, right = near
    for row in range(top, bottom):
        for col in range(left, right):
            if not cleared[row, col]:
                continue
            known[row - top, col - left] = _LEVELS
            light = _luma(ground[row, col, 0], ground[row, col, 1], ground[row, col, 2])
            seen = _luma(rgb[row, col, 0], rgb[row, col, 1], rgb[row, col, 2])
            share = min(_ONE, max(_NONE, _ONE - seen / max(light, _ONE)))
            gone[row - top, col - left] = np.rint(share * np.float32(_LEVELS))
            any_gone = any_gone or gone[row - top, col - left] > 0
    return any_gone


@njit(cache=True, nogil=True)
def _shadow_kernel(share, figure, window, ground, corner, near, soft, weight, amount, grain, black):  # type: ignore[no-untyped-def]
    """Lay a shadow under a window, which begins at a corner of the ground; what was averaged over begins at `near`."""
    top, left, bottom, right = window
    for row in range(top, bottom):
        for col in range(left, right):
            r, c = row - top + corner[0], col - left + corner[1]
            gone, known = soft[r - near[0], c - near[1]], weight[r - near[0], c - near[1]]
            even = np.float32(gone) / max(np.float32(known), _ONE)
            if even <= np.float32(_LEAST_SHADOW):
                continue
            light = _luma(ground[r, c, 0], ground[r, c, 1], ground[r, c, 2])
            least = np.float32(_LEAST_SHADOW) + np.float32(_GRAINS) * grain / max(light, _ONE)
            covered = amount * min(_ONE, max(_NONE, (even - least) / (_ONE - least)))
            _lay_under(share, figure, row, col, covered, black)


def _lay_shadow(amount: float, grain: float, part: Part) -> None:
    wide, own = part.near(part.reach_px + _SHADOW_PX), part.near(part.reach_px)
    near = _bound(wide)
    shape = near[2] - near[0], near[3] - near[1]
    gone, known = np.zeros(shape, np.uint16), np.zeros(shape, np.uint16)
    if not _gone_kernel(part.rgb, part.lit, part.cleared, near, gone, known):
        return
    side = 2 * _SHADOW_PX + 1
    soft, weight = (
        np.asarray(cv2.GaussianBlur(layer, (side, side), _EVEN_PX, borderType=cv2.BORDER_REPLICATE), np.uint16)
        for layer in (gone, known)
    )  # fmt: skip
    corner = own[0].start, own[1].start
    _shadow_kernel(
        part.share, part.figure, _bound(part.window(part.reach_px)), part.lit, corner, near, soft, weight,
        np.float32(amount), np.float32(grain), np.zeros(3, np.float32),
    )  # fmt: skip


def backing_halo_px(backing: Backing) -> int:
    """Return how much of the surroundings a backing takes."""
    return math.ceil(abs(backing.grown_px)) + 2


def list_colour_stages(
    tint: TintPlan, darkest: float, grain: float, outlook: Outlook | None, *, is_marked: bool
) -> list[Stage]:
    """Return the stages of step 5 that follow the rim's, in order; none where nothing was decided.

    Parameters
    ----------
    tint : TintPlan
        What was decided.
    darkest : float
        Luma of the figure's darkest colour, 0 to 255.
    grain : float
        Noise of the picture in 8-bit levels.
    outlook : Outlook or None
        What is known of the whole figure, where `tint.needs_outlook`.
    is_marked : bool
        Whether there may be some figure where reach clears all.
    """
    stages = []
    if tint.depth > 0 or (tint.brightness, tint.contrast, tint.saturation) != (0, 0, 1):
        stages.append(
            Stage("tone", partial(_tone, tint, darkest), 0, on_figure=True, on_clear=is_marked)
        )
    if tint.recolour is not None:
        run = partial(_recolour, tint.recolour, outlook)
        stages.append(Stage("recolour", run, 0, on_figure=True, on_clear=is_marked))
    if tint.shadow > 0:
        run = partial(_lay_shadow, tint.shadow, grain)
        stages.append(Stage("shadow", run, _SHADOW_PX, on_clear=True))
    if tint.backing is not None:
        halo_px = backing_halo_px(tint.backing)
        run = partial(_lay_backing, tint.backing, outlook, halo_px)
        stages.append(Stage("backing", run, halo_px, on_figure=True, on_clear=True))
    return stages
