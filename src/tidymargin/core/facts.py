"""The facts of a sheet: what is measured of the whole picture, at full size, before anybody decides anything."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.parallel import run_together
from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.base.weighing import IN_DOUBT
from tidymargin.core.figure.fringe import Fringe, measure_fringe
from tidymargin.core.figure.inks import InkFacts
from tidymargin.core.figure.nature import find_ink_probability, is_thin_and_even
from tidymargin.core.figure.parts import InkParts, Strokes, measure_strokes
from tidymargin.core.ground.detect import Detected, detect_ground, no_ground
from tidymargin.core.ground.difference import Difference, all_figure, measure_difference
from tidymargin.core.ground.flats import (
    FlatsGround,
    FurtherColour,
    find_further_colour,
    measure_flats,
)
from tidymargin.core.ground.kinds import FlatGround, Ground, border_pixels, stands_on_nothing
from tidymargin.core.ground.plan import GroundPlan, Nature
from tidymargin.core.ground.prepare import prepare_steps
from tidymargin.core.ground.surface import GRID_SIDE_PX, ScreenGround
from tidymargin.core.reach.clearing import (
    seed_outside,
    to_step,
)
from tidymargin.core.reach.curve import Calm, Jump, find_calm, find_jumps, measure_curve
from tidymargin.core.reach.pocket_signs import Evidence, is_of_one_colour, to_evidence
from tidymargin.core.reach.pockets import Pockets, find_closed, find_pockets
from tidymargin.core.rim.facts import RimFacts
from tidymargin.core.rim.profile import measure_rim
from tidymargin.core.screen.spill import Spill, measure_spill

_SPECK_PX = 5  # which grain makes and nobody draws; typed
_GRAINY = 0.5  # of difference; typed


@dataclass(frozen=True, slots=True, eq=False)
class SheetFacts:
    """What is true of a whole sheet before anybody decides anything.

    `outside` are the levels from the border alone; `curve`, `jumps` and `calm` are theirs, `pockets`
    those at the calm's tolerance with nothing said of them. `further` is what may be another flat colour of
    the ground; `measures` what speaks for either nature, see `core.nature`, and nothing without a ground;
    `fringe` what the coloured edges of a text drawn for a screen's stripes are made of.
    """

    ground: Ground
    is_busy: bool
    difference: Difference
    outside: NDArray[np.uint8]
    curve: NDArray[np.float64]
    jumps: tuple[Jump, ...]
    calm: Calm
    rim: RimFacts
    inks: InkFacts
    nature: Nature
    pockets: Pockets
    further: FurtherColour | None = None
    measures: tuple[float, ...] = ()
    fringe: Fringe | None = None

    @property
    def ink_parts(self) -> InkParts | None:
        """Which parts are ink, where the figure is opaque but for these."""
        return self.rim.ink_parts

    @property
    def ink_probability(self) -> float:
        """How likely the figure is ink, 0 to 1, whatever was said of it."""
        return find_ink_probability(self.measures, self.inks)

    @property
    def evidence(self) -> Evidence | None:
        """What the figure says of its pockets."""
        return to_evidence(self.measures, self.inks)

    @property
    def is_nature_doubtful(self) -> bool:
        """Whether the figure may as well be of the other nature."""
        return IN_DOUBT[0] < self.ink_probability < IN_DOUBT[1]

    @property
    def crumb_px(self) -> int:
        """The size below which standing pieces are crumbs by default: specks of a grainy ground."""
        grainy = self.ground.noise > _GRAINY or self.difference.ringing > 0
        return _SPECK_PX if grainy else 0

    @property
    def size_bytes(self) -> int:
        """Memory that the arrays take."""
        laid = self.ground.laid.nbytes if isinstance(self.ground, FlatsGround) else 0
        opened = self.pockets.opened
        pockets = 0 if opened is None else opened.size_bytes
        return self.difference.steps.nbytes + self.outside.nbytes + laid + pockets


def _measure_ground(
    picture: Picture, plan: GroundPlan, tick: Tick, grid_px: int
) -> tuple[Detected, Difference, Fringe | None, Picture]:
    """Return the ground, the difference from it, and the picture that it is of: coloured edges are made up for."""
    shows_none = picture.alpha is not None and len(border_pixels(picture)) == 0
    fringe = None
    if plan.rgb is None and (shows_none or (not plan.says_ground and stands_on_nothing(picture))):
        detected = Detected(no_ground())
        difference = all_figure(picture)
    else:
        if plan.also_rgb:
            detected = Detected(measure_flats(picture, plan.rgb, plan.also_rgb))
        else:
            detected = detect_ground(picture, plan.kind, plan.rgb, grid_px)
        tick(0.3)
        if isinstance(detected.ground, FlatGround) and not detected.is_busy:
            fringe = measure_fringe(picture, detected.ground)
        if fringe is not None:
            picture = Picture(
                fringe.take_off(picture, whole(picture.height, picture.width)), picture.alpha
            )
        difference = measure_difference(picture, detected.ground)
    tick(0.55)
    if plan.preparations:
        difference = replace(difference, steps=prepare_steps(difference.steps, plan.preparations))
    return detected, difference, fringe, picture


def _measure_light(
    picture: Picture, ground: Ground, gone: NDArray[np.bool_], plan: GroundPlan
) -> Spill | None:
    if not isinstance(ground, ScreenGround) or plan.nature == "ink":
        return None
    return measure_spill(picture, ground, gone)


def _fit_to_nature(
    rim: RimFacts,
    ground: Ground,
    nature: Nature,
    strokes: Strokes,
    spill: Spill | None,
) -> RimFacts:
    """Return what is known of the rim with what a figure of that nature is solved by."""
    inks, measures = strokes.inks, strokes.measures
    rim = replace(rim, ink_parts=strokes.ink_parts)
    if nature == "ink" and len(inks.rgb):
        red, green, blue = (round(float(v)) for v in inks.rgb[0])
        return replace(rim, ink_rgb=inks.rgb, carried_rgb=(red, green, blue))
    if isinstance(ground, ScreenGround) and nature == "opaque":
        rim = replace(rim, spill=spill, is_screen=True)
    if nature == "opaque" and ground.kind != "checker" and is_thin_and_even(measures, inks):
        rim = replace(rim, one_rgb=inks.rgb)
    evidence = to_evidence(measures, inks)
    if evidence is not None and is_of_one_colour(evidence):
        rim = replace(rim, is_of_one_colour=True)
    return rim


def measure_sheet(
    picture: Picture,
    plan: GroundPlan = GroundPlan(),
    tick: Tick = no_tick,
    grid_px: int = GRID_SIDE_PX,
) -> SheetFacts:
    """Measure ground, difference, levels, curve and rim of a whole picture, at full size.

    Parameters
    ----------
    picture : Picture
        The whole picture. When more of its border came in transparent than is of any one colour, and nobody
        has said what its ground is, there is none to clear and everything solid is figure; the ground's
        `border_share` is then 0.
    plan : GroundPlan
        What a person has said of the ground and of the figure's nature.
    tick : callable
        Told the share that is done, 0 to 1.
    grid_px : int
        Longer side of the grid that uneven grounds are kept on; coarser for a draft only.

    Raises
    ------
    NoGroundError
        A printed-in pattern was asked for and there is none.
    """
    detected, difference, fringe, picture = _measure_ground(picture, plan, tick, grid_px)
    ground = detected.ground
    outside = seed_outside(difference.steps, picture.alpha, from_border=not detected.is_busy)
    tick(0.65)
    curve = measure_curve(outside)
    grain = ground.noise + difference.ringing
    jumps = find_jumps(outside, difference.steps, curve, grain)
    calm = find_calm(curve, jumps, grain)
    tick(0.8)
    step = to_step(calm.tolerance)

    shows_ground = ground.border_share > 0 and not detected.is_busy
    by_ground = ground.kind in ("screen", "checker")  # elsewhere the figure tells of its pockets
    rim, told = run_together(
        lambda: measure_rim(picture, ground, difference, outside, step),
        lambda: (
            find_pockets(difference.steps, outside, step, ground, "opaque") if by_ground else None
        ),
    )
    tick(0.87)

    gone = outside <= step
    if told is not None and told.opened is not None:
        gone |= told.opened.over(whole(picture.height, picture.width))
    # an even figure matches every other tile of a pattern, and stands all the same
    stands = ~gone if ground.kind == "checker" else difference.steps > step
    in_parts = plan.nature == "auto" and not by_ground
    strokes, spill = run_together(
        lambda: measure_strokes(picture, ground, stands, rim.grain, shows_ground, in_parts),
        lambda: _measure_light(picture, ground, gone, plan),
    )
    tick(0.9)
    told_nature: Nature = "ink" if strokes.are_ink else "opaque"
    nature = told_nature if plan.nature == "auto" else plan.nature
    if detected.is_busy:  # no place can look like ground
        pockets = Pockets((), None)
    else:
        pockets = told or find_pockets(
            difference.steps, outside, step, ground, nature,
            to_evidence(strokes.measures, strokes.inks), ink_parts=strokes.ink_parts,
        )  # fmt: skip
    if nature == "ink" and by_ground:
        pockets = pockets.between_ink(find_closed(difference.steps, outside <= step, step))
    rim = _fit_to_nature(rim, ground, nature, strokes, spill)
    further = None  # of a busy photo every colour would be
    if isinstance(ground, FlatGround | FlatsGround) and shows_ground:
        further = find_further_colour(picture, ground)
    return SheetFacts(
        ground,
        detected.is_busy,
        difference,
        outside,
        curve,
        jumps,
        calm,
        rim,
        strokes.inks,
        nature,
        pockets,
        further,
        strokes.measures,
        fringe,
    )
