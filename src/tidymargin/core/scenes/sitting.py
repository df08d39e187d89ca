"""Sitting a cut in: a shadow that its own matte casts, and its light matched to what lies behind it."""

import math
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.scenes.placing import Place, Placed
from tidymargin.core.scenes.sources import Source

Rgba = NDArray[np.uint8]

ShadowKind = Literal["contact", "cast"]

_SIDE_PX = 480  # a shadow is soft: it is drawn no larger than that, and enlarged
_FOOT = 0.12  # of the cut's height: what of it is near enough to the floor to darken it
_CONTACT_SOFT, _CAST_SOFT = 0.018, 0.012  # of the cut's longer side
_STEADY = (0.6, 1.6)  # by how much the spread of a cut's colours may be changed
_SOLID = 128


@dataclass(frozen=True, slots=True)
class Shadow:
    """A shadow of a cut.

    Parameters
    ----------
    kind : str
        ``contact``: where its foot meets the floor; ``cast``: all of it, laid on the floor.
    amount : float
        0 to 1: how dark.
    lean : float
        Of a cast one: -80 to 80 degrees off straight behind, to the right.
    length : float
        Of a cast one: times the cut's height, over 0.
    """

    kind: ShadowKind
    amount: float
    lean: float = 35.0
    length: float = 0.5


def draw_shadow(source: Source, place: Place, shadow: Shadow) -> tuple[Rgba, Place]:
    """Return a shadow as a cut of its own, and its place; the light does not turn with the cut.

    Parameters
    ----------
    source : Source
        The cut that casts it.
    place : Place
        The cut's.
    shadow : Shadow
        Its kind and measures.
    """
    left, top, right, bottom = source.surround(place)
    cell = max(1.0, max(right - left, bottom - top) / _SIDE_PX)
    placed = Placed(*source.pick(source.to_figure(place.seen(left, top, cell)), cell))
    matte = (placed.take_band(placed.top, placed.bottom)[..., 3] / 255).astype(np.float32)
    height, width = matte.shape
    side = max(height, width)
    margin = math.ceil(4 * side * _CONTACT_SOFT) + 2
    if shadow.kind == "contact":
        drawn, across, down = _draw_contact(matte, margin)
    else:
        drawn, across, down = _draw_cast(matte, shadow, margin)
    rgba: Rgba = np.zeros((*drawn.shape, 4), np.uint8)
    rgba[..., 3] = np.rint(255 * np.clip(drawn * shadow.amount, 0, 1))
    at = (left + (placed.left + across) * cell, top + (placed.top + down) * cell)
    return rgba, Place(*at, cell)


def _draw_contact(matte: NDArray[np.float32], margin: int) -> tuple[NDArray[np.float32], int, int]:
    """Return how dark the floor is where a foot meets it, and where that lies beside the matte."""
    height, width = matte.shape
    foot = max(2, round(height * _FOOT))
    # the nearer to the floor, the darker below
    near = (matte[-foot:] * np.linspace(0, 1, foot, dtype=np.float32)[:, None]).max(axis=0)
    tall = max(2, round(foot * 0.5))
    drawn = np.zeros((tall + 2 * margin, width + 2 * margin), np.float32)
    drawn[margin : margin + tall, margin : margin + width] = near
    soft = max(1.0, max(height, width) * _CONTACT_SOFT)
    drawn = np.asarray(cv2.GaussianBlur(drawn, (0, 0), soft * 1.6, sigmaY=soft * 0.7), np.float32)
    return drawn, -margin, height - tall // 2 - margin


def _draw_cast(matte: NDArray[np.float32], shadow: Shadow, margin: int) -> tuple[NDArray[np.float32], int, int]:  # fmt: skip
    """Return how dark the floor is behind a cut that is lit from the front, and where that lies beside the matte."""
    height, width = matte.shape
    tall = max(2, round(height * shadow.length))
    shift = math.tan(math.radians(shadow.lean)) * tall
    across = math.ceil(abs(shift))
    drawn = np.zeros((tall + 2 * margin, width + across + 2 * margin), np.float32)
    # its foot stays where it is; what is above leans away, and lies flatter
    to_right = margin + (across if shift < 0 else 0)
    linear = np.array([[1.0, -shift / height, to_right + shift], [0.0, tall / height, margin]])
    drawn = np.asarray(cv2.warpAffine(matte, linear, drawn.shape[::-1], dst=drawn, flags=cv2.INTER_AREA))  # fmt: skip
    soft = max(1.0, max(height, width) * _CAST_SOFT)
    drawn = np.asarray(cv2.GaussianBlur(drawn, (0, 0), soft), np.float32)
    return drawn, -to_right, height - tall - margin


def match_light(rgba: Rgba, behind: Rgba, amount: float) -> Rgba:
    """Return a cut with its colours' mean and spread brought towards what lies behind it.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha; its matte stays.
    behind : (h, w, 4) ndarray of uint8
        What the base shows at its place.
    amount : float
        0 to 1; at 1 both have the same mean, and the same spread as far as that stays within 0.6 to 1.6 times its own.
    """
    own, other = rgba[rgba[..., 3] >= _SOLID][:, :3], behind[behind[..., 3] >= _SOLID][:, :3]
    if not amount or not len(own) or not len(other):
        return rgba
    own = own[:: max(1, len(own) // 200_000)].astype(np.float64)
    mean, spread = own.mean(axis=0), own.std(axis=0)
    wanted, wide = other.mean(axis=0), other.std(axis=0)
    by = np.clip(wide / np.maximum(spread, 1), *_STEADY)
    values = np.arange(256)[:, None]
    matched = values + amount * ((values - mean) * by + wanted - values)
    table = np.rint(np.clip(matched, 0, 255)).astype(np.uint8)
    out = rgba.copy()
    for channel in range(3):
        out[..., channel] = table[rgba[..., channel], channel]
    return out
