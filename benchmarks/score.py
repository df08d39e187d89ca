"""How far a cut is from the true one: rim, left behind, eaten."""

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import linear_to_oklab, srgb_to_linear

BACKDROPS = np.array(
    [(0, 0, 0), (255, 255, 255), (128, 128, 128), (220, 30, 30), (20, 160, 60), (30, 60, 210)], np.float64
)  # fmt: skip
BAND_PX = 4.0
FLARE = 0.005
Rgba = NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class Score:
    """What is measured of one picture.

    `rim` and `rim_99` are OKLab differences x 100; `left` and `eaten` count pixels of `area`.
    """

    rim: float
    rim_99: float
    left: int
    eaten: int
    area: int


def find_rim(true_alpha: NDArray[np.uint8]) -> NDArray[np.bool_]:
    """Return the pixels within 4 px of the true 0.5 contour."""
    solid = (true_alpha >= 128).astype(np.uint8)
    inside = cv2.distanceTransform(np.pad(solid, 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    if not solid.any():
        return np.zeros(solid.shape, bool)
    outside = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5)
    return np.asarray(np.where(solid == 1, inside, outside) - 0.5 <= BAND_PX)


def _seen(rgba: NDArray[np.floating], backdrop: NDArray[np.float64]) -> NDArray[np.float64]:
    alpha = rgba[:, 3:] / 255
    mixed = rgba[:, :3] * alpha + backdrop * (1 - alpha)
    return linear_to_oklab(srgb_to_linear(mixed / 255) + FLARE)


def score_cut(found: Rgba, true: Rgba) -> Score:
    """Score a cut; both (H, W, 4) uint8 straight RGBA."""
    rim = find_rim(true[..., 3])
    mine, ideal = found[rim].astype(np.float64), true[rim].astype(np.float64)
    away = np.concatenate(
        [100 * np.linalg.norm(_seen(mine, b) - _seen(ideal, b), axis=1) for b in BACKDROPS]
    )
    any_figure = (true[..., 3] > 0).astype(np.uint8)
    outside = cv2.distanceTransform(1 - any_figure, cv2.DIST_L2, 5)
    inside = cv2.distanceTransform(np.pad(any_figure, 1), cv2.DIST_L2, 5)[1:-1, 1:-1]
    left = (found[..., 3] > 0.06 * 255) & (outside > 7)
    gap = true[..., 3].astype(int) - found[..., 3].astype(int)
    eaten = (gap > 0.1 * 255) & (inside >= 3)
    return Score(
        float(away.mean()) if away.size else 0.0,
        float(np.quantile(away, 0.99)) if away.size else 0.0,
        int(left.sum()),
        int(eaten.sum()),
        int(rim.size),
    )


def limit_cut(
    rgb: NDArray[np.uint8], true: Rgba, ground_rgb: NDArray[np.floating]
) -> NDArray[np.uint8]:
    """Return the projection, pixel by pixel, with the true ground and the true rim colour.

    Where the true cut has no colour of its own, the nearest true colour stands in; outside the rim
    the truth itself is taken.
    """
    empty = (true[..., 3] == 0).astype(np.uint8)
    _, labels = cv2.distanceTransformWithLabels(
        empty, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    colours = np.zeros((int(labels.max()) + 1, 3), np.float64)
    colours[labels[empty == 0]] = true[empty == 0][:, :3]
    figure = colours[labels]
    away = figure - ground_rgb
    power = np.maximum((away**2).sum(axis=2), 1e-6)
    share = np.clip((((rgb - ground_rgb) * away).sum(axis=2)) / power, 0, 1)
    out = true.copy()
    rim = find_rim(true[..., 3])
    out[..., :3][rim] = np.round(figure[rim])
    out[..., 3][rim] = np.round(share[rim] * 255)
    return out


def flood_cut(
    rgb: NDArray[np.uint8], levels: NDArray[np.uint8], step: int, *, soft: bool
) -> NDArray[np.uint8]:
    """Return what a flood at one tolerance gives; `soft` takes it in by 1 px and feathers it by 2."""
    solid = (levels > step).astype(np.uint8) * 255
    if soft:
        taken_in = cv2.erode(solid, np.ones((3, 3), np.uint8))
        solid = np.asarray(cv2.GaussianBlur(taken_in, (5, 5), 1.0), np.uint8)
    return np.dstack([rgb, solid])


def digest_cut(rgba: NDArray[np.uint8]) -> str:
    """Return a digest of every byte of a cut."""
    return hashlib.sha256(np.ascontiguousarray(rgba).data).hexdigest()[:16]


def digest_all(digests: Iterable[str]) -> str:
    """Return one digest of several, in their order: two engines that give the same one cut all of them alike."""
    return hashlib.sha256(" ".join(digests).encode()).hexdigest()[:16]
