"""A sheet's outlines and its cutting line as they would be written, and small pictures of both."""

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from tidymargin.core.outlines.cutline import CutLine
from tidymargin.core.outlines.figures import Outlines, trace_cut
from tidymargin.core.output.resizing import resize_cut
from tidymargin.formats.vector_svg import draw_svg, write_contours, write_svg
from tidymargin.services.picture.outlining import find_cutline
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.identity import outlines_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet

_LONGEST_PX = 880
_NEAR_PX, _NEAR_TIMES = 24, 8
_BYTES_PIECE = 400  # that a piece takes, for what is kept
_BACKDROP = (0xD8, 0xD8, 0xD3)  # on which white shows as well
_PAPER, _BED = (255, 255, 255), (0xC9, 0xC4, 0xBA)

Rgba = NDArray[np.uint8]


def load_outlines(workshop: Workshop, sheet: Sheet) -> Outlines:
    """Return a sheet's outlines, as its export says.

    Raises
    ------
    BadParameterError
        There is nothing to trace.
    StoppedError
        Somebody stopped it.
    """
    name = outlines_name(sheet, "outlines")
    found: Outlines | None = workshop.small.get(name)
    if found is None:

        def compute() -> Outlines:
            cut = load_cutter(workshop, sheet).render_whole()
            return trace_cut(cut, sheet.recipe.export.outlines.to_plan(), workshop.executor.tick)

        found = workshop.executor.run(name, Priority.VIEW, compute)
        workshop.small.put(name, found, _BYTES_PIECE * found.count_pieces())
    return found


def load_cutline(workshop: Workshop, sheet: Sheet) -> CutLine:
    """Return the line that a machine cuts a sheet's figure out along; raises as `load_outlines`."""
    name = outlines_name(sheet, "cutline")
    found: CutLine | None = workshop.small.get(name)
    if found is None:

        def compute() -> CutLine:
            cut = load_cutter(workshop, sheet).render_whole()
            return find_cutline(cut, sheet.recipe, sheet.dots_per_inch)

        found = workshop.executor.run(name, Priority.VIEW, compute)
        workshop.small.put(name, found, _BYTES_PIECE * sum(len(p.pieces) for p in found.paths))
    return found


def draw_outlines(workshop: Workshop, sheet: Sheet, *, with_points: bool) -> bytes:
    """Return a PNG of a sheet's outlines, filled, with their contours as two-tone lines, and points where these are asked for."""
    outlines = load_outlines(workshop, sheet)
    scale = min(1.0, _LONGEST_PX / max(outlines.width, outlines.height))
    over = write_contours(outlines.paths, 1.4 / scale, with_points=with_points)
    return _draw(write_svg(outlines), over, scale)


def draw_place(workshop: Workshop, sheet: Sheet, x: float, y: float) -> bytes:
    """Return a PNG of one place of a cut, enlarged, with the traced contour over it."""
    outlines = load_outlines(workshop, sheet)
    cut = load_cutter(workshop, sheet).render_whole()
    left = int(np.clip(x - _NEAR_PX / 2, 0, max(0, cut.shape[1] - _NEAR_PX)))
    top = int(np.clip(y - _NEAR_PX / 2, 0, max(0, cut.shape[0] - _NEAR_PX)))
    part = _lay(cut[top : top + _NEAR_PX, left : left + _NEAR_PX], _PAPER)
    large = part.repeat(_NEAR_TIMES, axis=0).repeat(_NEAR_TIMES, axis=1)
    view = f'viewBox="{left} {top} {part.shape[1]} {part.shape[0]}"'
    lines = write_contours(outlines.paths, 1.6 / _NEAR_TIMES, with_points=True)
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{large.shape[1]}" height="{large.shape[0]}" {view}>{lines}</svg>'
    return _encode(_over(large, draw_svg(svg)))


def draw_cutline(workshop: Workshop, sheet: Sheet) -> bytes:
    """Return a PNG of what a machine would leave of the paper: the cut printed on it, lifted off by a hair's breadth of shadow."""
    line = load_cutline(workshop, sheet)
    cut = load_cutter(workshop, sheet).render_whole()
    places = np.concatenate([path.flatten(0.5) for path in line.paths])
    margin = 10.0 + max(0.0, -places.min(), *(places.max(axis=0) - (line.width, line.height)))
    scale = min(1.0, _LONGEST_PX / (max(line.width, line.height) + 2 * margin))
    wide, tall = (round((side + 2 * margin) * scale) for side in (line.width, line.height))
    view = f'viewBox="{-margin} {-margin} {line.width + 2 * margin} {line.height + 2 * margin}"'
    shape = write_contours(line.paths, 0.9 / scale, with_points=False, lifted_px=2.2 / scale)
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}" height="{tall}" {view}>{shape}</svg>'
    base = np.empty((tall, wide, 3), np.uint8)
    base[:] = _BED
    base = _over(base, draw_svg(svg))
    small = resize_cut(cut, max(1, round(line.height * scale)), max(1, round(line.width * scale)))
    at = round(margin * scale)
    under = base[at : at + small.shape[0], at : at + small.shape[1]]
    under[:] = _over(under, small[: under.shape[0], : under.shape[1]])
    return _encode(base)


def _draw(svg: bytes, over: str, scale: float) -> bytes:
    text = svg.decode().replace("</svg>", f"{over}</svg>")
    drawn = draw_svg(text, scale)
    backdrop = np.empty((*drawn.shape[:2], 3), np.uint8)
    backdrop[:] = _BACKDROP
    return _encode(_over(backdrop, drawn))


def _over(base: Rgba, rgba: Rgba) -> Rgba:
    share = rgba[..., 3:].astype(np.float32) / 255
    laid: Rgba = np.round(rgba[..., :3] * share + base * (1 - share)).astype(np.uint8)
    return laid


def _lay(rgba: Rgba, backdrop: tuple[int, int, int]) -> Rgba:
    base = np.empty((*rgba.shape[:2], 3), np.uint8)
    base[:] = backdrop
    return _over(base, rgba)


def _encode(rgb: Rgba) -> bytes:
    out = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(rgb)).save(out, "PNG", compress_level=2)
    return out.getvalue()
