"""Which kind of ground a picture has, on its own evidence."""

from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np

from tidymargin.core.base.colour import srgb_u8_to_oklab
from tidymargin.core.base.errors import NoGroundError
from tidymargin.core.base.parallel import run_together
from tidymargin.core.base.picture import Picture
from tidymargin.core.ground.checker import CheckerGround, measure_checker
from tidymargin.core.ground.filled import measure_filled_paper
from tidymargin.core.ground.kinds import FlatGround, Ground, from_hex, measure_flat_ground
from tidymargin.core.ground.surface import (
    GRID_SIDE_PX,
    ScreenGround,
    SurfaceGround,
    measure_shade,
    measure_surface,
    reduce_picture,
)

GroundKind = Literal["flat", "paper", "screen", "checker"]
GROUND_KINDS: tuple[GroundKind, ...] = ("flat", "paper", "screen", "checker")

_LEAST_PATTERN = 0.7  # share of the border that a printed-in pattern must explain
_NO_GRAIN = 0.6  # an even colour that was coded well
_EVEN_NOISE = 2.2  # grain up to this may be a coder's; more is texture or light
_BETTER = 0.8  # a surface must leave this much less grain than one colour does
_EVEN_LIGHT = 0.5  # units of difference along the border: made grounds stay below 0.1 or exceed 5
_STRONG_HUE = 7.5  # 100 x OKLab chroma from which cloth is a screen
_LIT_BESIDE = 0.2  # of the border that lit paper covers, at least; typed
_LEAST_SHARE = 0.55
"""Of the border, what a ground must explain: in a dozen photos of places and things none explains more than half, and
where there is a ground it explains two thirds and more."""
_LEAST_EVEN = 0.33
"""As much, of one truly even colour: a panel may have two or three; in those photos none has a fifth."""
_COULD_BE = 0.5  # of the border, for a kind to be offered; typed
_MOST_GRAIN = 4.0  # of difference that paper has; typed
_MUCH_LIGHTER = 0.25  # OKLab lightness
_NEARLY_ALL, _CLOSE = 0.85, 0.15  # of the border; typed


@dataclass(frozen=True, slots=True, eq=False)
class Detected:
    """A measured ground and what spoke for it.

    Parameters
    ----------
    ground : Ground
        Of the kind asked for, or of the likeliest.
    is_busy : bool
        No ground explains enough of the border; `ground` is a makeshift, and nothing is to be cleared by it unasked.
    """

    ground: Ground
    is_busy: bool = False


def _measure_pattern(picture: Picture) -> CheckerGround:
    found = measure_checker(picture)
    if found is None:
        raise NoGroundError(
            "The border of this picture shows no pattern of two tones in squares.",
            hint="Choose another kind of background.",
            field="kind",
        )
    return found


def _is_strong(ground: FlatGround | SurfaceGround) -> bool:
    lab = srgb_u8_to_oklab(np.array(from_hex(ground.hex), np.uint8))
    return 100 * float(np.hypot(lab[1], lab[2])) > _STRONG_HUE


def _is_dark_beside(flat: FlatGround, surface: SurfaceGround) -> bool:
    """Whether the border's commonest colour is a dark figure's, with lighter paper beside it."""
    if flat.border_share > _NEARLY_ALL or surface.border_share < _LIT_BESIDE:
        return False
    light, dark = (
        srgb_u8_to_oklab(np.array(from_hex(code), np.uint8))[0] for code in (surface.hex, flat.hex)
    )
    return bool(light - dark > _MUCH_LIGHTER)


def detect_ground(
    picture: Picture,
    kind: GroundKind | Literal["auto"] = "auto",
    rgb_srgb: tuple[float, float, float] | None = None,
    grid_px: int = GRID_SIDE_PX,
) -> Detected:
    """Measure a ground of the kind asked for, or find out which kind the border shows.

    Parameters
    ----------
    picture : Picture
        The whole picture.
    kind : str
        ``auto``, or what a person has said.
    rgb_srgb : tuple of 3 float, optional
        The ground's colour, 0 to 255, where a person has said it; `auto` then means flat.
    grid_px : int
        Longer side of the grid that surfaces are kept on.

    Raises
    ------
    NoGroundError
        The border came in transparent, or a pattern was asked for and there is none.
    """
    if kind == "flat" or (kind == "auto" and rgb_srgb is not None):
        flat = measure_flat_ground(picture, rgb_srgb)
        return Detected(measure_shade(picture, flat, reduce_picture(picture, grid_px)) or flat)
    if kind == "checker":
        return Detected(_measure_pattern(picture))
    if kind != "auto":
        of_kind = ScreenGround if kind == "screen" else SurfaceGround
        return Detected(
            measure_surface(picture, of_kind, rgb_srgb, reduce_picture(picture, grid_px))
        )
    flat, pattern = run_together(
        lambda: measure_flat_ground(picture), lambda: measure_checker(picture)
    )
    if pattern is not None and pattern.border_share >= _LEAST_PATTERN:
        return Detected(pattern)
    reduced = reduce_picture(picture, grid_px)
    if flat.noise <= _NO_GRAIN and flat.border_share > _NEARLY_ALL:
        return Detected(measure_shade(picture, flat, reduced) or flat)
    kinds = (SurfaceGround, ScreenGround) if _is_strong(flat) else (SurfaceGround,)
    surface, *cloths = run_together(
        *[partial(measure_surface, picture, kind, reduced=reduced) for kind in kinds]
    )
    is_even = flat.noise <= _EVEN_NOISE
    by_flat = flat.border_share >= (_LEAST_EVEN if is_even else _LEAST_SHARE)
    if not (by_flat and _is_dark_beside(flat, surface)):
        if surface.border_share < _LEAST_SHARE or surface.noise > _MOST_GRAIN:
            if by_flat:
                return Detected(flat)
            filled = measure_filled_paper(picture)
            return Detected(filled or flat, is_busy=filled is None)
        no_better = surface.noise >= _BETTER * flat.noise or flat.noise <= _NO_GRAIN
        no_better |= surface.light_span < _EVEN_LIGHT and not _is_strong(flat)
        close = flat.border_share >= surface.border_share - _CLOSE
        if is_even and no_better and close:
            return Detected(measure_shade(picture, flat, reduced) or flat)
    if _is_strong(surface):
        cloth = cloths[0] if cloths else measure_surface(picture, ScreenGround, reduced=reduced)
        return Detected(cloth)
    return Detected(surface)


def find_meant(picture: Picture) -> tuple[GroundKind, ...]:
    """Return every kind of ground that could be meant: each that explains half of the border, where it says something else.

    A picture of some hundred pixels is enough; it decides nothing.
    """
    meant: list[GroundKind] = []
    try:
        flat, surface = measure_flat_ground(picture), measure_surface(picture)
    except NoGroundError:  # the border came in transparent
        return ()
    if flat.border_share >= _COULD_BE:
        meant.append("flat")
    says_more = not meant or surface.light_span >= _EVEN_LIGHT
    if says_more and surface.border_share >= _COULD_BE and surface.noise <= _MOST_GRAIN:
        meant.append("paper")
    if _is_strong(flat) or _is_strong(surface):
        meant.append("screen")
    pattern = measure_checker(picture)
    if pattern is not None and pattern.border_share >= _COULD_BE:
        meant.append("checker")
    # where the border is busy nothing stands out, and all are shown but a pattern that is not there
    return tuple(meant) if set(meant) - {"screen"} else ("flat", "paper", "screen")


def no_ground() -> FlatGround:
    """Return the ground of a picture whose border came in transparent: everything solid is figure."""
    return FlatGround((255.0, 255.0, 255.0), 0.0, 0.0)
