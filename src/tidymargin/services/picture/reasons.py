"""Why a ground, a nature and a tolerance were taken: whole sentences with named slots, for page and print alike."""

from dataclasses import dataclass, field

from tidymargin.core.facts import SheetFacts
from tidymargin.core.ground.checker import CheckerGround
from tidymargin.core.ground.kinds import to_hex
from tidymargin.core.ground.surface import SurfaceGround

PLACES = (
    ("upper left", "top", "upper right"),
    ("left", "middle", "right"),
    ("lower left", "bottom", "lower right"),
)
"""Words for ninths of a sheet, by row and col."""


@dataclass(frozen=True, slots=True)
class Reason:
    """A sentence for the catalogue and what goes into its slots.

    Parameters
    ----------
    text : str
        With slots as ``%(name)s``.
    slots : dict
        Values as they are shown.
    words : tuple of str
        Names of the slots that hold a word to be translated.
    """

    text: str
    slots: dict[str, str] = field(default_factory=dict)
    words: tuple[str, ...] = ()

    def __str__(self) -> str:
        return self.text % self.slots


def format_percent(percent: float) -> str:
    """Return percent with a sign that stays with its number, and no more digits than help."""
    if 0 < percent < 0.01:
        return "<\u00a00.01\u00a0%"
    digits = 0 if percent == 0 else 2 if percent < 1 else 1 if percent < 10 else 0
    return f"{percent:.{digits}f}\u00a0%"


def _to_percent(share: float) -> str:
    return format_percent(round(100 * share))


def find_reasons(facts: SheetFacts) -> list[Reason]:
    """Return what the ground and the figure's nature were told by, in numbers."""
    return [*_explain_ground(facts), *_explain_figure(facts)]


def _explain_ground(facts: SheetFacts) -> list[Reason]:
    ground = facts.ground
    found = []
    if facts.is_busy:
        found.append(
            Reason(
                "No even colour, smooth surface or pattern explains more than %(share)s of the border: the "
                "background is busy, and nothing is removed by itself. If part of the border is plain after "
                "all, say below which kind or colour the background is, or set the work area to that part. Around "
                "places like %(ground)s, what you pick is removed.",
                {"share": _to_percent(ground.border_share), "ground": ground.hex},
            )
        )
    if facts.fringe is not None:
        found.append(
            Reason(
                "Its letters were drawn for the stripes of a screen: their coloured edges are read as "
                "mixtures of one colour, %(ink)s.",
                {"ink": to_hex(facts.fringe.ink_rgb)},
            )
        )
    if isinstance(ground, CheckerGround):
        found.append(
            Reason(
                "A pattern of %(light)s and %(dark)s in squares of %(period)s px is printed into the "
                "picture; it explains %(share)s of the border.",
                {
                    "light": ground.hex,
                    "dark": ground.dark_hex,
                    "period": f"{ground.period_px:.1f}",
                    "share": _to_percent(ground.border_share),
                },
            )
        )
    elif isinstance(ground, SurfaceGround):
        darker, row, col = ground.describe_shade()
        found.append(
            Reason(
                "%(colour)s along %(share)s of the border, %(darker)s darker at the %(place)s; grain %(noise)s.",
                {
                    "colour": ground.hex,
                    "share": _to_percent(ground.border_share),
                    "darker": _to_percent(darker),
                    "place": PLACES[row][col],
                    "noise": f"{ground.noise:.1f}",
                },
                ("place",),
            )
        )
    elif ground.border_share:
        found.append(
            Reason(
                "%(colour)s along %(share)s of the border; grain %(noise)s.",
                {
                    "colour": ground.hex,
                    "share": _to_percent(ground.border_share),
                    "noise": f"{ground.noise:.1f}",
                },
            )
        )
    else:
        found.append(Reason("The border came in transparent, so there is no background to clear."))
    if facts.further is not None:
        found.append(
            Reason(
                "%(colour)s shows along %(share)s of the border too: clear it as well if it is background.",
                {
                    "colour": facts.further.hex,
                    "share": _to_percent(facts.further.border_share),
                },
            )
        )
    return found


def _explain_figure(facts: SheetFacts) -> list[Reason]:
    inks = facts.inks
    found = []
    if facts.nature == "ink":
        found.append(
            Reason(
                "Ink: %(explained)s of the strokes lie between the background and %(inks)s, and their density "
                "varies by %(spread)s.",
                {
                    "explained": _to_percent(inks.explained),
                    "inks": ", ".join(inks.hexes) or "-",
                    "spread": _to_percent(inks.spread),
                },
            )
        )
    elif len(inks.rgb):
        found.append(
            Reason(
                "Solid: density varies by %(spread)s along the subject’s middle, %(thin)s of it is thin.",
                {"spread": _to_percent(inks.spread), "thin": _to_percent(inks.thin)},
            )
        )
    if facts.ink_parts is not None:
        count, colours = len(facts.ink_parts.boxes), map(to_hex, facts.ink_parts.rgb)
        found.append(
            Reason(
                "Ink in places: %(count)s of its drawings are strokes of %(inks)s alone, and the rest is surely no ink.",
                {"count": str(count), "inks": ", ".join(colours)},
            )
        )
    return found


def explain_tolerance(facts: SheetFacts) -> Reason:
    """Return why the starting tolerance is what it is."""
    calm = facts.calm
    slots = {"start": f"{calm.tolerance:.1f}", "noise": f"{calm.noise_end:.1f}"}
    if calm.next_jump is None:
        return Reason(
            "Measured %(start)s: all noise is gone by %(noise)s, and nothing else goes at once up to 50.",
            slots,
        )
    return Reason(
        "Measured %(start)s: all noise is gone by %(noise)s, and the next to go goes at %(jump)s.",
        {**slots, "jump": f"{calm.next_jump:.1f}"},
    )
