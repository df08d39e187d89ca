"""The curve of area against tolerance, laid out for the page."""

from dataclasses import dataclass
from math import sqrt

from tidymargin.core.facts import SheetFacts
from tidymargin.core.ground.difference import STEP
from tidymargin.core.reach.clearing import HIGHEST_TOLERANCE
from tidymargin.web.words import format_share

CURVE_WIDTH, CURVE_HEIGHT, CURVE_TOP = 280, 96, 18


@dataclass(frozen=True, slots=True)
class JumpView:
    """A jump as a tick of the curve and, for the next ones, as a row."""

    number: int
    tolerance: float
    x: float
    share: str


@dataclass(frozen=True, slots=True)
class CurveView:
    """The curve of area against tolerance, in the coordinates of its drawing."""

    steps: str
    area: str
    jumps: tuple[JumpView, ...]
    following: tuple[JumpView, ...]
    grip_x: float
    stops: str
    step: float = STEP
    most: float = HIGHEST_TOLERANCE


def to_curve_x(tolerance: float) -> float:
    """Return where a tolerance stands: square-rooted, since small tolerances matter more."""
    return round(CURVE_WIDTH * sqrt(max(0.0, tolerance) / HIGHEST_TOLERANCE), 1)


def draw_curve(facts: SheetFacts, tolerance: float) -> CurveView:
    """Lay the curve out as a stepped line with its jumps."""
    bottom = CURVE_HEIGHT
    points: list[str] = []
    last_y = float(bottom)
    least, most = float(facts.curve[0]), float(facts.curve[-1])
    for step in range(251):
        y = round(bottom - (bottom - CURVE_TOP) * (0.15 + 0.85 * (float(facts.curve[step]) - least) / max(1e-9, most - least)), 1)  # fmt: skip
        if y != last_y:
            x = to_curve_x(step * 0.2)
            points.append(f"{x},{last_y} {x},{y}")
            last_y = y
    points.append(f"{CURVE_WIDTH},{last_y}")
    line = " ".join(points)
    total = facts.outside.size
    jumps = tuple(
        JumpView(
            number,
            jump.tolerance,
            to_curve_x(jump.tolerance),
            format_share(jump.area_px / total),
        )
        for number, jump in enumerate(facts.jumps)
        if jump.tolerance <= HIGHEST_TOLERANCE
    )
    following = tuple(jump for jump in jumps if jump.tolerance > tolerance)[:2]
    return CurveView(
        line,
        f"0,{bottom} {line} {CURVE_WIDTH},{bottom}",
        jumps,
        following,
        to_curve_x(tolerance),
        " ".join(f"{jump.tolerance}" for jump in jumps),
    )
