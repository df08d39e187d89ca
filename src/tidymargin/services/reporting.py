"""What was found in a picture and why, as plain values."""

from typing import Any

from tidymargin.core.checker import CheckerGround
from tidymargin.core.cut import SheetFacts
from tidymargin.core.picture import whole
from tidymargin.core.strays import find_strays
from tidymargin.core.surface import SurfaceGround
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.opening import cut_by, propose_page

_ROWS = ("upper", "middle", "lower")
_COLS = ("left", "middle", "right")


def explain(facts: SheetFacts) -> list[str]:
    """Return what the ground and the figure's nature were told by, in words with numbers."""
    ground = facts.ground
    said = []
    if facts.is_busy:
        said.append(
            "The border shows no even colour, no smooth surface and no pattern: what is picked goes, "
            "but no tolerance parts figure from background by itself."
        )
    if isinstance(ground, CheckerGround):
        said.append(
            f"A pattern of {ground.hex} and {ground.dark_hex} in squares of {ground.period_px:.1f} px is "
            f"printed into the picture; it explains {100 * ground.border_share:.0f} % of the border."
        )
    elif isinstance(ground, SurfaceGround):
        darker, row, col = ground.describe_shade()
        said.append(
            f"{ground.hex} along {100 * ground.border_share:.0f} % of the border, {100 * darker:.0f} % "
            f"darker at the {_ROWS[row]} {_COLS[col]}; grain {ground.noise:.1f}."
        )
    elif ground.border_share:
        said.append(
            f"{ground.hex} along {100 * ground.border_share:.0f} % of the border; grain {ground.noise:.1f}."
        )
    else:
        said.append("The border came in transparent, so there is no ground to clear.")
    inks = facts.inks
    if facts.nature == "ink":
        said.append(
            f"{100 * inks.explained:.0f} % of the strokes lie between the ground and {', '.join(inks.hexes)}, "
            f"and their density varies by {100 * inks.spread:.0f} %."
        )
    elif len(inks.rgb):
        said.append(
            f"The figure is opaque: density varies by {100 * inks.spread:.0f} % along its middle, "
            f"{100 * inks.thin:.0f} % of it is thin."
        )
    calm = facts.calm
    following = "nothing" if calm.next_jump is None else f"the next jump is at {calm.next_jump:.1f}"
    said.append(f"Noise ends at {calm.noise_end:.1f}, {following}: tolerance {calm.tolerance:.1f}.")
    return said


def report_file(data: bytes, recipe: Recipe) -> dict[str, Any]:
    """Report on a picture file: size, ground, nature, reasons, tolerance, pockets, jumps, groups."""
    picture = decode_picture(data).picture
    cutter = cut_by(recipe, picture)
    facts = cutter.facts
    work = cutter.picture
    strays = find_strays(cutter.cleared(whole(work.height, work.width)))
    page = propose_page(recipe, work, facts)
    return {
        "width": work.width,
        "height": work.height,
        "page": None if page is None else [list(corner) for corner in page.corners],
        "ground": facts.ground.kind if facts.ground.border_share else "none",
        "colour": facts.ground.hex,
        "is_busy": facts.is_busy,
        "nature": facts.nature,
        "inks": list(facts.inks.hexes) if facts.nature == "ink" else [],
        "reasons": explain(facts),
        "tolerance": cutter.tolerance,
        "pockets": [
            {"x": p.col, "y": p.row, "area_px": p.area_px, "verdict": p.verdict, "reason": p.reason}
            for p in cutter.pockets.listed
        ],
        "jumps": [
            {"tolerance": j.tolerance, "x": j.col, "y": j.row, "area_px": j.area_px}
            for j in facts.jumps
        ],
        "groups": [{"count": len(g.places), "edge": g.edge, "area_px": g.area_px} for g in strays],
    }
