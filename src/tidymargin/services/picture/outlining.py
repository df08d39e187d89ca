"""A picture file's outlines and cutting line, outside of any data folder."""

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.outlines.cutline import CutLine, make_cutline
from tidymargin.core.outlines.figures import trace_cut
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.formats.decode import Decoded
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.vectors import DPI
from tidymargin.services.picture.keying import cut_by


def take_cut(decoded: Decoded, recipe: Recipe) -> NDArray[np.uint8]:
    """Return a picture's cut by a recipe, (H, W, 4) uint8, or the picture itself where it is a cut already."""
    picture = decoded.picture
    if picture.alpha is not None and bool((picture.alpha == 0).any()):
        return np.dstack([picture.rgb, picture.alpha])
    return cut_by(recipe, picture).render_whole()


def find_cutline(cut: NDArray[np.uint8], recipe: Recipe, dots_per_inch: float | None) -> CutLine:
    """Return the line that a machine cuts a cut out along, as a recipe says; `dots_per_inch` are the original's."""
    export = recipe.export
    dpi = export.to_wish(dots_per_inch).dots_per_inch or DPI
    outlines = trace_cut(cut, OutlinePlan(smallest_px=export.outlines.smallest_px))
    return make_cutline(outlines, export.cutline.to_plan(), dpi)
