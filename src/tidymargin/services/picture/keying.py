"""Keying a picture that is no sheet: measured, cut and written, outside of any data folder."""

from tidymargin.core.base.area import Area, take_area
from tidymargin.core.base.picture import Picture
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.cut import Cutter, cut_out
from tidymargin.core.facts import SheetFacts, measure_sheet
from tidymargin.core.suggest.page import find_page
from tidymargin.formats.decode import Decoded
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.writing import Written, write_files


def key_picture(decoded: Decoded, recipe: Recipe, stem: str, tick: Tick = no_tick) -> list[Written]:
    """Cut a decoded picture out by a recipe; return every file that its export asks for."""
    cutter = cut_by(recipe, decoded.picture)
    return write_files(cutter, recipe, stem, decoded.dots_per_inch, tick)


def cut_by(recipe: Recipe, picture: Picture) -> Cutter:
    """Measure and cut a whole picture by a recipe, outside of any data folder."""
    area = recipe.to_area(picture.height, picture.width)
    work, plan = take_area(picture, area), recipe.to_plan(area)
    return cut_out(work, measure_sheet(work, plan.ground), plan)


_CLEAN = 0.05  # the noise below which a ground was made, not photographed or scanned


def propose_page(recipe: Recipe, picture: Picture, facts: SheetFacts) -> Area | None:
    """Return the page to square up, where nobody has set a work area and the ground is no clean one."""
    is_clean = facts.ground.noise < _CLEAN and not facts.is_busy
    if recipe.ground.area != "auto" or is_clean or facts.ground.kind == "checker":
        return None
    return find_page(picture)
