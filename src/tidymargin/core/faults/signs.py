"""Signs of faults, place by place: what a region shows by itself, with a little around it."""

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.colour import srgb_u8_to_oklab
from tidymargin.core.faults.judged import Seen
from tidymargin.core.faults.kinds import Limits

Mask = NDArray[np.bool_]
Layer = NDArray[np.float32]

AROUND_PX = 24
"""How far around a place its signs are looked for."""

STANDS, FRINGE, SEE_THROUGH, LOST, LEFTOVER, JAGGED, CHANGED, GROUND_LIKE = (
    1 << bit for bit in range(8)
)

_STANDS = 0.12  # of matte
_SOLID_CRUMB = 0.35  # of matte, from which a crumb is more than the faint ink it may be
_LIKE_GROUND = 0.35  # of what the figure is away from the ground, up to which a crumb is ground
_CLEAR, _SOLID = 0.06, 0.98  # of alpha, as the yardstick has it
_RIM_PX, _INSIDE_PX = 2.5, (3.5, 9.0)  # from what does not stand; typed
_AROUND_INSIDE = (15, 15)  # px that a figure's own colour is averaged over; typed
_LEAST_PULL = 20.0  # levels that a rim's colour is pulled, so that it can be seen
_BESIDE_LEVELS = 5.0  # that noise puts a mixture beside the way from figure to ground
_FULL_INK = 0.85  # of the most around, from which ink shows its own colour
_PALER, _NEARLY_GROUND = 0.4, 0.75  # of the way to the ground; typed
_LEAST_APART = 25.0  # levels between figure and ground, below which there is no telling
_DEEP_PX = 5.0  # inside a figure, from where it should be solid
_TWO_RIMS = np.asarray(cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (5, 5)))
_BESIDE_PX = 2.5  # beside a figure, where its rim ends
_FAINT_PX = 4.0  # from what stands, beyond which faint is left over; typed
_EDGE_SIDE = 5  # over which structure shows, and shade does not
_SHADE_OFF, _DARKEST_SHADE = 22.0, 0.35  # levels off the ground's hue; of its light
_SLANTS = 0.25  # of a direction across rows and columns, from which a rim slants
_SEEN, _RIM_FROM, _NOTHING = 0.3, 0.25, 0.02  # of matte, typed
_FAINT_TO, _STRONG_FROM = 0.6, 0.7  # of matte: what is faint beside what stands; typed
_FEW_PX, _MOSTLY = 8, 0.75  # places that tell something, and of them; typed
_BESIDE_SHARE = 0.2  # of a pull that may lie beside the way; typed
_SHALLOW = 0.4  # of the limit of a fringe, typed
_DIM = 0.3  # of the ground's light, under which hue is told no better; typed
# windows; typed
_DEEPER_PX, _ALONG_PX, _LOOKED_AT_PX, _RIM_TELLS_PX = (7, 7), (15, 15), (5, 5), (9, 9)


def _away_from(mask: Mask) -> Layer:
    """Return each place's distance to the nearest in a mask."""
    if not mask.any():
        return np.full(mask.shape, 1000, np.float32)
    return np.asarray(cv2.distanceTransform((~mask).view(np.uint8), cv2.DIST_L2, 5), np.float32)


def _mean_of(colours: Layer, mask: Mask) -> tuple[Layer, Layer]:
    """Return the mean colour of a mask around each place, and how many places that is the mean of."""
    weight = mask.astype(np.float32)
    count = np.asarray(cv2.boxFilter(weight, -1, _AROUND_INSIDE, normalize=False), np.float32)
    total = cv2.boxFilter(colours * weight[..., None], -1, _AROUND_INSIDE, normalize=False)
    return np.asarray(np.asarray(total) / np.maximum(count, 1)[..., None], np.float32), count


def _find_fringe(seen: Seen, share: Layer, limits: Limits, of_ink: Mask) -> Mask:
    """Return where the figure's colour at the rim is pulled from what it is inside to the old ground."""
    inside_px = _away_from(share < 0.5)
    core = (inside_px >= _INSIDE_PX[0]) & (inside_px <= _INSIDE_PX[1]) & (share >= _SOLID)
    if of_ink.any():  # a stroke's middle, solid or not
        most = np.asarray(cv2.dilate(share, np.ones(_AROUND_INSIDE, np.uint8)))
        middle = (share >= _FULL_INK * most) & (most > _SEEN) & (inside_px > 1)
        core = np.where(of_ink, middle, core)
    own = seen.rgba[..., :3].astype(np.float32)
    inner, count = _mean_of(own, core)
    rim = (inside_px <= _RIM_PX) & (share >= _RIM_FROM) & (count >= _FEW_PX)
    found = np.zeros(share.shape, np.bool_)
    grounds = (
        [np.asarray(seen.ground, np.float32)]
        if seen.ground is not None
        else [np.full_like(own, 255), np.zeros_like(own)]
    )
    deeper = (inside_px > _RIM_PX) & (inside_px <= _RIM_PX + 2)
    for ground in grounds:
        way = ground - inner
        apart = np.sqrt((way * way).sum(axis=2))
        pull = ((own - inner) * way).sum(axis=2) / np.maximum(apart, 1) ** 2
        off = own - inner - pull[..., None] * way
        beside = np.sqrt((off * off).sum(axis=2))
        strength = pull * apart * share
        is_pulled = rim & (apart > _LEAST_APART) & (pull > limits.fringe) & (strength > _LEAST_PULL)
        is_pulled &= beside < _BESIDE_LEVELS + _BESIDE_SHARE * pull * apart
        if seen.rgb is not None:
            # a pale rim of the figure's own gives the picture again; ground in a colour makes it paler than that, unless
            # the matte is too wide, when that colour is nearly ground
            part = share[..., None]
            paler = ((part * own + (1 - part) * ground - seen.rgb) * way).sum(axis=2) / np.maximum(apart, 1)  # fmt: skip
            is_mixed = paler > _PALER * np.minimum(share, 1 - share) * pull * apart
            is_pulled &= is_mixed | (share >= _SOLID) | (pull > _NEARLY_GROUND)
        # an outline of the figure's own goes on deeper
        pulled_deeper = np.where(deeper, np.clip(pull, 0, 1), 0).astype(np.float32)
        depth = cv2.boxFilter(pulled_deeper, -1, _DEEPER_PX, normalize=False)
        places = np.maximum(cv2.boxFilter(deeper.astype(np.float32), -1, _DEEPER_PX, normalize=False), 1)  # fmt: skip
        found |= is_pulled & (np.asarray(depth) / np.asarray(places) < _SHALLOW * limits.fringe)
    return found


def _find_lost(seen: Seen, share: Layer, limits: Limits) -> Mask:
    """Return where there is structure in the picture and nothing in the cut: shade has none, and rims are left out."""
    assert seen.away is not None
    clear = (share <= _CLEAR) & (_away_from(share >= _SEEN) > _BESIDE_PX)
    is_shade = _is_shade(seen)
    is_other = (seen.away > limits.eaten) & ~is_shade
    # what is of the ground's own hue is shade, unless its edge is as sharp as a stroke's
    is_sharp = _spread_of(seen.away, clear, 3) > 2 * limits.eaten
    return np.asarray(clear & (is_other | (is_shade & is_sharp & (seen.away > limits.eaten))))


def _spread_of(values: Layer, mask: Mask, side: int) -> Layer:
    """Return the difference between the most and the least of a mask's values in a square around each place."""
    around = np.ones((side, side), np.uint8)
    most = np.asarray(cv2.dilate(np.where(mask, values, 0), around), np.float32)
    least = np.asarray(cv2.erode(np.where(mask, values, 1000), around), np.float32)
    return most - np.minimum(least, most)


def _is_shade(seen: Seen) -> Mask:
    """Return where the picture shows the ground in less light: of like hue, and not much darker."""
    assert seen.rgb is not None
    assert seen.ground is not None
    rgb, ground = np.asarray(seen.rgb, np.float32), np.asarray(seen.ground, np.float32)
    light = (rgb * ground).sum(axis=2) / np.maximum((ground * ground).sum(axis=2), 1)
    off = rgb - light[..., None] * ground
    is_alike = np.sqrt((off * off).sum(axis=2)) < _SHADE_OFF * np.maximum(light, _DIM)
    return np.asarray(is_alike & (light > _DARKEST_SHADE) & (light < 1))


def _find_jags(share: Layer, limits: Limits) -> Mask:
    """Return where a slanting rim goes from nothing to all of the figure without anything between."""
    solid, none = share >= _SOLID, share <= _NOTHING
    hard, edge = np.zeros(share.shape, np.bool_), np.zeros(share.shape, np.bool_)
    for axis in (0, 1):
        for way in (1, -1):
            other_none = np.roll(none, way, axis)
            other_less = np.roll(share, way, axis) < 0.5
            hard |= solid & other_none
            edge |= (share >= 0.5) & other_less
    soft = cv2.GaussianBlur(share, (0, 0), 3)
    down, right = np.gradient(np.asarray(soft, np.float32))
    size = np.hypot(down, right) + 1e-6
    slants = np.minimum(np.abs(down), np.abs(right)) / size > _SLANTS
    count = np.asarray(cv2.boxFilter((hard & slants).astype(np.float32), -1, _ALONG_PX, normalize=False))  # fmt: skip
    among = np.asarray(cv2.boxFilter((edge & slants).astype(np.float32), -1, _ALONG_PX, normalize=False))  # fmt: skip
    return np.asarray(hard & slants & (among >= _FEW_PX) & (count > _MOSTLY * among))


def _find_changed(seen: Seen, share: Layer, limits: Limits) -> Mask:
    assert seen.ground is not None
    assert seen.rgb is not None
    part = share[..., None]
    laid = part * seen.rgba[..., :3] + (1 - part) * seen.ground
    # coding and grain go both ways around a place; what was changed does not
    laid, was = (np.asarray(cv2.blur(np.asarray(layer, np.float32), _LOOKED_AT_PX)) for layer in (laid, seen.rgb))  # fmt: skip
    lab, lab_was = (srgb_u8_to_oklab(np.clip(np.rint(c), 0, 255).astype(np.uint8)) for c in (laid, was))  # fmt: skip
    away = 100 * np.linalg.norm(lab - lab_was, axis=2)
    solid = (share >= _SOLID).view(np.uint8)
    inside = (
        np.asarray(cv2.erode(solid, np.ones(_RIM_TELLS_PX, np.uint8))) > 0
    )  # beyond what a rim tells
    return np.asarray(inside & (away > limits.changed))


def find_signs(seen: Seen, limits: Limits, *, is_opaque: bool, has_own_colours: bool) -> NDArray[np.uint8]:  # fmt: skip
    """Return the signs at each place of a region, (h, w) uint8, a bit a sign; right but for its outer `AROUND_PX`."""
    share = np.asarray(seen.rgba[..., 3] / np.float32(255), np.float32)
    signs = np.zeros(share.shape, np.uint8)
    of_ink = np.full(share.shape, not is_opaque) if seen.of_ink is None else seen.of_ink

    def mark(mask: Mask, sign: int) -> None:
        signs[mask] |= np.uint8(sign)

    stands = share > _STANDS
    mark(stands, STANDS)
    if seen.away is not None:  # ink is as far from the ground as all other ink is
        far = float(np.median(seen.away[share > 0.5])) if (share > 0.5).any() else 0.0
        mark((share > _SOLID_CRUMB) & (seen.away < _LIKE_GROUND * far), GROUND_LIKE)
    if has_own_colours or seen.rgb is None:
        mark(_find_fringe(seen, share, limits, of_ink), FRINGE)
    if not of_ink.all():
        inner = _away_from(share <= _CLEAR)
        patch = (share < 1 - limits.see_through) & (share > _CLEAR) & (inner >= _DEEP_PX)
        # two rims face to face, as those of a slit, are no patch
        patch = np.asarray(cv2.morphologyEx(patch.view(np.uint8), cv2.MORPH_OPEN, _TWO_RIMS)) > 0
        mark(patch & ~of_ink, SEE_THROUGH)
        faint = (
            (share > limits.leftover)
            & (share < _FAINT_TO)
            & (_away_from(share >= _STRONG_FROM) > _FAINT_PX)
        )
        if seen.away is not None:  # a faint line is one; what is left over has no edges
            everywhere = np.ones(share.shape, np.bool_)
            faint &= _spread_of(seen.away, everywhere, _EDGE_SIDE) < limits.eaten
        mark(faint & ~of_ink, LEFTOVER)
    mark(_find_jags(share, limits), JAGGED)
    if seen.away is not None:
        mark(_find_lost(seen, share, limits), LOST)
    if has_own_colours and seen.ground is not None:
        mark(_find_changed(seen, share, limits), CHANGED)
    return signs
