"""Making the PNG that a sheet or a file on the command line is exported as."""

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.cut import Cutter
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.encode import encode_png
from tidymargin.formats.recipe import Recipe
from tidymargin.services.executor import Priority
from tidymargin.services.opening import cut_by, cut_name, load_cutter, read_recipe_of
from tidymargin.services.workshop import Workshop
from tidymargin.store.sheets import Sheet


def trim_cut(rgba: NDArray[np.uint8], margin_px: int) -> NDArray[np.uint8]:
    """Return the cut cropped to its figure, with a transparent margin around it.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        The cut.
    margin_px : int
        Added on every side, beyond the picture's own edge where it must be.

    Returns
    -------
    (h, w, 4) ndarray of uint8
        The whole cut where it has no figure at all.
    """
    rows = np.flatnonzero(rgba[..., 3].any(axis=1))
    cols = np.flatnonzero(rgba[..., 3].any(axis=0))
    if len(rows) == 0:
        return rgba
    top, bottom = int(rows[0]) - margin_px, int(rows[-1]) + 1 + margin_px
    left, right = int(cols[0]) - margin_px, int(cols[-1]) + 1 + margin_px
    height, width = rgba.shape[:2]
    inner = rgba[max(0, top) : bottom, max(0, left) : right]
    padded = cv2.copyMakeBorder(
        inner,
        max(0, -top),
        max(0, bottom - height),
        max(0, -left),
        max(0, right - width),
        cv2.BORDER_REPLICATE,  # carries the colours on; the alpha is set to nothing below
    )
    out = np.asarray(padded, np.uint8)
    for beyond in (
        np.s_[: max(0, -top)],
        np.s_[out.shape[0] - max(0, bottom - height) :],
        np.s_[:, : max(0, -left)],
        np.s_[:, out.shape[1] - max(0, right - width) :],
    ):
        out[beyond][..., 3] = 0
    return out


def _to_png(cutter: Cutter, recipe: Recipe, dots_per_inch: float | None) -> bytes:
    rgba = cutter.render_whole()
    if recipe.export.trim:
        rgba = trim_cut(rgba, recipe.export.margin_px)
    return encode_png(rgba, dots_per_inch=dots_per_inch)


def export_sheet(workshop: Workshop, sheet: Sheet) -> bytes:
    """Return a sheet's cut as PNG, as its recipe says."""
    recipe = read_recipe_of(sheet)

    def compute() -> bytes:
        return _to_png(load_cutter(workshop, sheet, recipe), recipe, sheet.dots_per_inch)

    name = f"export:{cut_name(sheet, recipe)}:{recipe.export.name}"
    return workshop.executor.run(name, Priority.EXPORT, compute)


def key_file(data: bytes, recipe: Recipe) -> bytes:
    """Cut a picture file out by a recipe, without a data folder; return the PNG."""
    decoded = decode_picture(data)
    cutter = cut_by(recipe, decoded.picture)
    return _to_png(cutter, recipe, decoded.dots_per_inch)


def to_export_name(name: str) -> str:
    """Return a file name for a sheet's export: its own, ending in .png."""
    stem = name.rsplit(".", 1)[0] if "." in name else name
    return f"{stem or 'cut'}.png"
