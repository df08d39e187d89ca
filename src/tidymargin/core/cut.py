"""From a picture and a few decisions to the cut: global facts once, then any region on its own."""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.curve import Calm, Jump, find_calm, find_jumps, measure_curve
from tidymargin.core.difference import Difference, all_figure, measure_difference
from tidymargin.core.detect import Detected, GroundKind, detect_ground, no_ground
from tidymargin.core.ground import Ground, border_pixels
from tidymargin.core.picture import Picture, Region, whole
from tidymargin.core.profile import measure_rim
from tidymargin.core.reach import Pick, Reach, build_reach, clear, seed_outside, to_step
from tidymargin.core.rim import HALO_PX, RimFacts, solve_cut


_HAZE = 40.0  # how much a lossy picture's haze lengthens the tail of the ground's noise


@dataclass(frozen=True, slots=True, eq=False)
class SheetFacts:
    """What is true of a whole sheet before anybody decides anything.

    `outside` are the levels from the border alone; `curve`, `jumps` and `calm` are theirs.
    """

    ground: Ground
    is_busy: bool
    difference: Difference
    outside: NDArray[np.uint8]
    curve: NDArray[np.float64]
    jumps: tuple[Jump, ...]
    calm: Calm
    rim: RimFacts

    @property
    def size_bytes(self) -> int:
        """Memory that the arrays take."""
        return self.difference.steps.nbytes + self.outside.nbytes


def measure_sheet(
    picture: Picture,
    ground_rgb: tuple[float, float, float] | None = None,
    ground_kind: GroundKind | Literal["auto"] = "auto",
) -> SheetFacts:
    """Measure ground, difference, levels, curve and rim of a whole picture, at full size.

    Parameters
    ----------
    picture : Picture
        The whole picture. When its border came in transparent, there is no ground to clear and
        everything solid is figure; the ground's `border_share` is then 0.
    ground_rgb : tuple of 3 float, optional
        The ground's colour, 0 to 255, where a person has said it.
    ground_kind : str
        The ground's kind, where a person has said it.

    Raises
    ------
    NoGroundError
        A printed-in pattern was asked for and there is none.
    """
    if picture.alpha is not None and len(border_pixels(picture)) == 0 and ground_rgb is None:
        detected = Detected(no_ground())
        difference = all_figure(picture)
    else:
        detected = detect_ground(picture, ground_kind, ground_rgb)
        difference = measure_difference(picture, detected.ground)
    ground = detected.ground
    outside = seed_outside(difference.steps, picture.alpha)
    curve = measure_curve(outside)
    grain = ground.noise + _HAZE * difference.ringing
    jumps = find_jumps(outside, difference.steps, grain)
    calm = find_calm(curve, jumps, grain)
    rim = measure_rim(picture, ground, difference, outside, to_step(calm.tolerance))
    return SheetFacts(ground, detected.is_busy, difference, outside, curve, jumps, calm, rim)


@dataclass(frozen=True, slots=True, eq=False)
class Cutter:
    """A sheet's facts and its decisions, ready to render any region.

    Parameters
    ----------
    picture, facts :
        The sheet.
    reach : Reach
        Levels with the picks.
    tolerance : float
        The sheet's, 0 to 50.
    """

    picture: Picture
    facts: SheetFacts
    reach: Reach
    tolerance: float

    def render(self, region: Region) -> NDArray[np.uint8]:
        """Return the cut in a region, (h, w, 4) uint8 straight RGBA; equals the crop of the whole."""
        outer = region.grown(HALO_PX, whole(self.picture.height, self.picture.width))
        alpha = None if self.picture.alpha is None else self.picture.alpha[outer.slices]
        cleared = clear(self.reach, self.tolerance, outer)
        if alpha is not None:  # what came in transparent has no ground behind it to unmix
            cleared &= alpha > 0
        return solve_cut(
            self.picture.rgb[outer.slices],
            self.facts.ground.over(outer),
            cleared,
            self.facts.rim,
            margins=(
                region.top - outer.top,
                region.left - outer.left,
                outer.bottom - region.bottom,
                outer.right - region.right,
            ),
            alpha=alpha,
        )

    def render_whole(self) -> NDArray[np.uint8]:
        """Return the whole cut, (H, W, 4) uint8."""
        return self.render(whole(self.picture.height, self.picture.width))


def cut_out(
    picture: Picture,
    facts: SheetFacts,
    *,
    picks: tuple[Pick, ...] = (),
    tolerance: float | None = None,
) -> Cutter:
    """Apply decisions to a measured sheet; `tolerance` None is the one the calm proposes."""
    reach = build_reach(facts.difference.steps, facts.outside, picks)
    return Cutter(picture, facts, reach, facts.calm.tolerance if tolerance is None else tolerance)


def find_spot(facts: SheetFacts, tolerance: float) -> tuple[int, int]:
    """Return row, col of the rim where a fringe would show most: the strongest contrast beside ground."""
    step = to_step(tolerance)
    cleared = (facts.outside <= step).view(np.uint8)
    rim = np.asarray(cv2.dilate(cleared, np.ones((3, 3), np.uint8))) > cleared
    if not rim.any():
        return facts.outside.shape[0] // 2, facts.outside.shape[1] // 2
    near = cv2.dilate(facts.difference.steps, np.ones((7, 7), np.uint8))
    crowd = cv2.boxFilter(rim.astype(np.float32), -1, (65, 65), normalize=True)
    worth = np.where(rim, np.asarray(near).astype(np.float32) / 255 + 4 * crowd, -1)
    row, col = np.unravel_index(int(worth.argmax()), worth.shape)
    return int(row), int(col)


BLOTTER_TONES = {"pale": 244.0, "middle": 150.0, "deep": 52.0}
"""Luma, 0 to 255, of the blotters that transparent can be shown on."""


def choose_blotter(picture: Picture, facts: SheetFacts) -> str:
    """Return the blotter tone farthest from the figure's commoner lights and darks."""
    coarse = max(1, int((picture.area_px / 250_000) ** 0.5))
    sample = (slice(None, None, coarse), slice(None, None, coarse))
    kept = picture.rgb[sample][facts.outside[sample] > to_step(facts.calm.tolerance)]
    if len(kept) == 0:
        return "pale"
    luma = kept @ np.array([0.299, 0.587, 0.114])
    share = np.bincount((luma / 16).astype(int), minlength=16) / len(luma)
    shown = (np.flatnonzero(share > 0.02) + 0.5) * 16
    return max(BLOTTER_TONES, key=lambda tone: float(np.abs(shown - BLOTTER_TONES[tone]).min()))
