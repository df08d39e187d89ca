"""What is done to the figure's colours once rims are solved, and what is laid under it, stage by stage.

The matte is untouched by all but what lies under the figure: a backing and a shadow are further layers, laid under it (T. Porter
and T. Duff, "Compositing digital images", 1984: over).
"""

import math
from functools import partial

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.part import Part
from tidymargin.core.base.stages import Stage
from tidymargin.core.tint.outlook import Outlook
from tidymargin.core.tint.plan import Backing, Recolour, Rgb, TintPlan

Layer = NDArray[np.float32]

SHADOW = "shadow"

_RED, _GREEN, _BLUE = np.float32(0.299), np.float32(0.587), np.float32(0.114)
SET_BACK_PX = 0.7  # of a silhouette, that counts its whole rim, to where its rim is half solid
_SHADOW_PX = 3
_EVEN_PX = 1.2  # spread of the bell over which a shadow is averaged: it is soft
_LEVELS = 65535
_LEAST_SHADOW = 0.012  # of light gone, beside what noise explains
_GRAINS = 1.5


def _luma(rgb: NDArray[np.floating] | NDArray[np.uint8]) -> Layer:
    """Return each colour's luma; summed term by term, or it would differ by how a region lies in memory."""
    return np.asarray(rgb[..., 0] * _RED + rgb[..., 1] * _GREEN + rgb[..., 2] * _BLUE, np.float32)


def _tone(tint: TintPlan, darkest: float, part: Part) -> None:
    figure: NDArray[np.floating] = part.figure
    if tint.depth > 0:
        black = np.float32(min(250.0, tint.depth * darkest))
        figure = (figure - black) * np.float32(255 / (255 - black))
    if tint.saturation != 1:
        luma = _luma(figure)[..., None]
        figure = luma + np.float32(tint.saturation) * (figure - luma)
    if tint.contrast:
        steep = np.float32(math.tan(math.pi / 4 * (1 + min(0.96, tint.contrast))))
        figure = np.float32(127.5) + steep * (figure - np.float32(127.5))
    if tint.brightness:
        figure = figure + np.float32(127.5 * tint.brightness)
    part.figure = np.clip(figure, 0, 255, dtype=np.float32)


def _recolour(recolour: Recolour, outlook: Outlook | None, part: Part) -> None:
    there, window = part.where(part.reach_px), part.window(part.reach_px)
    figure = part.figure[window]
    if recolour.colour is not None and recolour.towards is None:
        figure[:] = recolour.colour
    elif recolour.colour is not None and recolour.towards is not None:
        assert outlook is not None
        box, turn = outlook.box, math.radians(recolour.degrees)
        down, right = math.sin(turn), math.cos(turn)
        rows = np.arange(there.top, there.bottom)[:, None] + 0.5 - (box.top + box.bottom) / 2
        cols = np.arange(there.left, there.right)[None] + 0.5 - (box.left + box.right) / 2
        length = max(1.0, abs(down) * box.height + abs(right) * box.width)
        share = np.clip(0.5 + (rows * down + cols * right) / length, 0, 1)[..., None]
        figure[:] = np.array(recolour.colour) * (1 - share) + np.array(recolour.towards) * share
    for mask, colour in () if outlook is None else outlook.pieces:
        figure[mask.over(there)] = colour
    part.figure[window] = figure


def _lay_under(part: Part, covered: Layer, colour: Rgb) -> None:
    """Lay a layer of one colour under what is solved of a part, where it lies in the picture."""
    window = part.window(part.reach_px)
    share, figure = part.share[window], part.figure[window]
    both = share + covered * (1 - share)
    weight = (share / np.maximum(both, 1e-6))[..., None]
    laid = weight * figure + (1 - weight) * np.array(colour, np.float32)
    part.figure[window] = np.where(covered[..., None] > 0, laid, figure)
    part.share[window] = both


def _measure_away(mask: NDArray[np.uint8]) -> Layer:
    """Return each place's distance to the nearest 0: squares are whole numbers, and so alike from any region."""
    away = np.asarray(cv2.distanceTransform(mask, cv2.DIST_L2, cv2.DIST_MASK_PRECISE), np.float64)
    return np.asarray(np.sqrt(np.rint(away * away)), np.float32)


def _lay_backing(backing: Backing, outlook: Outlook | None, halo_px: int, part: Part) -> None:
    assert outlook is not None
    assert outlook.outside is not None
    wide, own = part.where(part.reach_px + halo_px), part.where(part.reach_px)
    outside = outlook.outside.over(wide).view(np.uint8)
    most = np.float32(abs(backing.grown_px) + 2)
    # beyond the picture it goes on as at its edge, so that a figure that is cut off there is not set back
    edged = np.pad(outside, halo_px, mode="edge")
    inner = np.s_[halo_px:-halo_px, halo_px:-halo_px]
    out, into = (np.minimum(_measure_away(mask), most)[inner] for mask in (edged, 1 - edged))
    inside = np.where(into > 0, into - 0.5, 0.5 - out)[own.seen_from(wide).slices]
    covered = np.clip(0.5 + inside - SET_BACK_PX + np.float32(backing.grown_px), 0, 1)
    _lay_under(part, covered.astype(np.float32), backing.colour)


def _lay_shadow(amount: float, grain: float, part: Part) -> None:
    reach_px = part.reach_px + _SHADOW_PX
    near = part.near(reach_px)
    light = _luma(part.ground[near])
    gone = np.clip(1 - _luma(part.rgb[near]) / np.maximum(light, 1), 0, 1)
    gone = np.where(part.cleared[near], gone, 0)
    whole = np.rint(gone * _LEVELS).astype(np.uint16)
    side = 2 * _SHADOW_PX + 1
    known = np.where(part.cleared[near], _LEVELS, 0).astype(np.uint16)
    soft, weight = (
        np.asarray(cv2.GaussianBlur(layer, (side, side), _EVEN_PX, borderType=cv2.BORDER_REPLICATE), np.float32)
        for layer in (whole, known)
    )  # fmt: skip
    even = soft / np.maximum(weight, 1)
    least = np.float32(_LEAST_SHADOW) + _GRAINS * np.float32(grain) / np.maximum(light, 1)
    own = part.where(part.reach_px).seen_from(part.where(reach_px)).slices
    covered = amount * np.clip((even - least) / (1 - least), 0, 1)[own]
    _lay_under(part, covered.astype(np.float32), (0, 0, 0))


def backing_halo_px(backing: Backing) -> int:
    """Return how much of the surroundings a backing takes."""
    return math.ceil(abs(backing.grown_px)) + 2


def list_colour_stages(
    tint: TintPlan, darkest: float, grain: float, outlook: Outlook | None
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
    """
    stages = []
    if tint.depth > 0 or (tint.brightness, tint.contrast, tint.saturation) != (0, 0, 1):
        stages.append(Stage("tone", partial(_tone, tint, darkest), 0, also_plain=True))
    if tint.recolour is not None:
        run = partial(_recolour, tint.recolour, outlook)
        stages.append(Stage("recolour", run, 0, also_plain=True))
    if tint.shadow > 0:
        stages.append(Stage(SHADOW, partial(_lay_shadow, tint.shadow, grain), _SHADOW_PX))
    if tint.backing is not None:
        halo_px = backing_halo_px(tint.backing)
        run = partial(_lay_backing, tint.backing, outlook, halo_px)
        stages.append(Stage("backing", run, halo_px, also_plain=True))
    return stages
