"""Keying a picture that is no sheet: measured, cut and written, outside of any data folder."""

from tidymargin.core.base.area import Area, take_area
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import Cutter, cut_out
from tidymargin.core.facts import SheetFacts, measure_sheet
from tidymargin.core.suggest.page import find_page
from tidymargin.formats.decode import Decoded, decode_picture
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.writing import Written, write_cut_files, write_png


def key_file(data: bytes, recipe: Recipe) -> bytes:
    """Cut a picture file out by a recipe, without a data folder; return the PNG."""
    return key_decoded(decode_picture(data), recipe)


def key_decoded(decoded: Decoded, recipe: Recipe) -> bytes:
    """Cut a decoded picture out by a recipe; return the PNG."""
    return write_png(cut_by(recipe, decoded.picture), recipe, decoded.dots_per_inch)[0]


def key_files(decoded: Decoded, recipe: Recipe, stem: str) -> list[Written]:
    """Cut a decoded picture out by a recipe; return every file that its export asks for."""
    return write_cut_files(cut_by(recipe, decoded.picture), recipe, stem, decoded.dots_per_inch)


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
