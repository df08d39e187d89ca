"""A sheet's outlines and its cutting line as they would be written, and small pictures of both."""

import io
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from tidymargin.core.outlines.arranging import Arranged, arrange, lay_pieces
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
_MOST_DRAWN, _LOOSEST_DRAWN_PX = (
    40_000,
    5.0,
)  # places of lines over the picture, and px that these may keep off
_MOST_POINTS = 6_000
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


def load_arranged(workshop: Workshop, sheet: Sheet) -> Arranged | None:
    """Return a sheet's pieces laid out as its export says, or None where they stay; raises as `load_outlines`."""
    plan = sheet.recipe.export.cutline.to_plan().sheet
    return None if plan is None else arrange(load_cutline(workshop, sheet), plan)


def draw_outlines(workshop: Workshop, sheet: Sheet, *, with_points: bool) -> bytes:
    """Return a PNG of a sheet's outlines, filled, with their contours as two-tone lines, and points where these are asked for."""
    outlines = load_outlines(workshop, sheet)
    scale = min(1.0, _LONGEST_PX / max(outlines.width, outlines.height))
    over = write_contours(outlines.paths, 1.4 / scale, with_points=with_points)
    return _draw(write_svg(outlines), over, scale)


@dataclass(frozen=True, slots=True)
class Drawn:
    """Outlines as they are shown over the picture, in its px.

    Parameters
    ----------
    lines : list of list of (float, float)
        Closed.
    points : list of (float, float)
        Where pieces meet.
    handles : list of (float, float, float, float)
        From a curve's end to where its handle is.
    off : list of (float, float)
        Where a line is off by more than its tolerance.
    """

    lines: list[list[tuple[float, float]]]
    points: list[tuple[float, float]]
    handles: list[tuple[float, float, float, float]]
    off: list[tuple[float, float]]


def list_drawn(workshop: Workshop, sheet: Sheet) -> Drawn:
    """Return a sheet's outlines as they are shown over it; at most so many points of them; raises as `load_outlines`."""
    outlines = load_outlines(workshop, sheet)
    drawn = Drawn([], [], [], [])
    apart = 0.1
    while True:
        lines = [path.flatten(apart) for path in outlines.paths]
        if sum(map(len, lines)) <= _MOST_DRAWN or apart > _LOOSEST_DRAWN_PX:
            break
        apart *= 3
    for path, line in zip(outlines.paths, lines, strict=True):
        drawn.lines.append(np.round(line, 2).tolist())
        starts = np.round(path.list_starts(), 2).tolist()
        if len(drawn.points) < _MOST_POINTS:
            drawn.points.extend(starts)
            for k, piece in enumerate(path.pieces):
                if piece.kind == "curve":
                    for end, handle in ((starts[k], piece.first), (starts[(k + 1) % len(starts)], piece.second)):  # fmt: skip
                        drawn.handles.append((*end, *np.round(handle, 2).tolist()))
        if path.worst_px > outlines.tolerance_px:
            drawn.off.append((round(path.worst_at[0], 2), round(path.worst_at[1], 2)))
    return drawn


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
    arranged = load_arranged(workshop, sheet)
    if arranged is not None:
        return _draw_sheet(cut, arranged)
    places = np.concatenate([path.flatten(0.5) for path in line.paths])
    margin = 10.0 + max(0.0, -places.min(), *(places.max(axis=0) - (line.width, line.height)))
    scale = min(1.0, _LONGEST_PX / (max(line.width, line.height) + 2 * margin))
    wide, tall = (round((side + 2 * margin) * scale) for side in (line.width, line.height))
    view = (-margin, -margin, line.width + 2 * margin, line.height + 2 * margin)
    base = _lift(line, view, (wide, tall), scale)
    small = resize_cut(cut, max(1, round(line.height * scale)), max(1, round(line.width * scale)))
    at = round(margin * scale)
    under = base[at : at + small.shape[0], at : at + small.shape[1]]
    under[:] = _over(under, small[: under.shape[0], : under.shape[1]])
    return _encode(base)


def _draw_sheet(cut: Rgba, arranged: Arranged) -> bytes:
    """Return a PNG of a sheet with its pieces lifted off."""
    line = arranged.line
    scale = min(1.0, _LONGEST_PX / max(line.width, line.height))
    small = resize_cut(
        cut, max(1, round(cut.shape[0] * scale)), max(1, round(cut.shape[1] * scale))
    )
    printed = lay_pieces(small, arranged, scale)
    base = _lift(line, (0, 0, line.width, line.height), (printed.shape[1], printed.shape[0]), scale)
    return _encode(_over(base, printed))


def _lift(line: CutLine, view: tuple[float, float, float, float], size: tuple[int, int], scale: float) -> Rgba:  # fmt: skip
    """Return what is cut as paper that is lifted off a bed by a hair's breadth of shadow, (H, W, 3)."""
    shape = write_contours(line.paths, 0.9 / scale, with_points=False, lifted_px=2.2 / scale)
    box = " ".join(map(str, view))
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" width="{size[0]}" height="{size[1]}" viewBox="{box}">{shape}</svg>'
    base: Rgba = np.empty((size[1], size[0], 3), np.uint8)
    base[:] = _BED
    return _over(base, draw_svg(svg))


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
