"""What was found in a picture and why, as plain values."""

from typing import Any

from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.suggest.strays import find_unwanted
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.asking import list_questions
from tidymargin.services.picture.keying import cut_by, propose_page
from tidymargin.services.picture.reasons import explain_tolerance, find_reasons


def report_picture(picture: Picture, recipe: Recipe) -> dict[str, Any]:
    """Report on a picture: size, ground, nature, reasons, tolerance, pockets, jumps, groups."""
    cutter = cut_by(recipe, picture)
    facts = cutter.facts
    work = cutter.picture
    unwanted = find_unwanted(cutter.cleared(whole(work.height, work.width)))
    specks = unwanted.specks
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
        "ink_parts": [list(box.edges) for box in facts.ink_parts.boxes] if facts.ink_parts else [],
        "reasons": [
            str(reason).replace("\u00a0", " ")
            for reason in (*find_reasons(facts), explain_tolerance(facts))
        ],
        "tolerance": cutter.tolerance,
        "pockets": [
            {"x": p.col, "y": p.row, "area_px": p.area_px, "verdict": p.verdict, "reason": p.reason}
            for p in cutter.pockets.listed
        ],
        "jumps": [
            {"tolerance": j.tolerance, "x": j.col, "y": j.row, "area_px": j.area_px}
            for j in facts.jumps
        ],
        "groups": [
            {"count": len(g.places), "edge": g.edge, "area_px": g.area_px} for g in unwanted.groups
        ],
        "questions": list_questions(cutter, recipe.to_area(picture.height, picture.width)),
        "specks": specks and {"count": specks.count, "most_px": specks.most_px},
    }
