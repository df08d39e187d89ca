"""No place of an opaque figure is more see-through than every way to it from the ground.

A thin dark outline around a white fill, before a white ground, mixes with the fill on its inner side as it does with the
ground on its outer side. By colour alone the inner side comes out see-through. But whoever walks there from the ground has
to cross the outline. Shares on the way in, and what they are raised to::

    ground   outline      fill
    0  .3  .8  .9   .6   .4   .7    1
    0  .3  .8  .9   .9   .9   .9    1

The level of a place is the least that any way from what is cleared has as its greatest share: a bottleneck path, or
grey-scale reconstruction by erosion (L. Vincent 1993), over as many steps from pixel to pixel as coding stains deep.
"""

import cv2
import numpy as np

from tidymargin.core.base.part import Part

_BESIDE = np.asarray(cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3)))
_NO_WAY = np.float32(
    2
)  # more than any share: no way of so many steps goes there, as into a long gap
_SEEN = 1e-3  # of a share, that it has to be raised by; rounding


def fill_dips(steps: int, part: Part) -> None:
    """Raise what is more see-through than every way to it of so many steps, and give it the colour that this leaves."""
    wide, near = part.window(part.reach_px + steps), part.near(part.reach_px + steps)
    share = np.ascontiguousarray(part.share[wide])
    level = np.where(part.cleared[near], share, _NO_WAY)
    for _ in range(steps):
        before, level = level, np.maximum(share, cv2.erode(level, _BESIDE))
        if np.array_equal(before, level):
            break
    raised = (level > share + _SEEN) & (level < _NO_WAY)
    if not raised.any():
        return
    rgb, ground, figure = part.rgb[near][raised], part.ground[near][raised], part.figure[wide]
    figure[raised] = np.clip(ground + (rgb - ground) / level[raised][:, None], 0, 255)
    part.share[wide][raised] = level[raised]
