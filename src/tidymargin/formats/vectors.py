"""Writing a cut's outlines, and its cutting line, and reading them back before they are given out."""

import math
import re

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadOutputError
from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.core.outlines.arranging import arrange
from tidymargin.core.outlines.cutline import CutLine, CutLinePlan, make_cutline
from tidymargin.core.outlines.figures import Layer, Outlines, trace_cut
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.formats.cut_files import read_dxf, read_dxf_layers, read_svg
from tidymargin.formats.format_names import CUT_LINES
from tidymargin.formats.printing import find_page_mm, write_print_and_cut
from tidymargin.formats.vector_dxf import write_dxf
from tidymargin.formats.vector_pdf import write_pdf
from tidymargin.formats.vector_svg import draw_svg, to_number, to_path_data, write_svg

Rgba = NDArray[np.uint8]
DPI = 300.0
"""Of what has to have a size on paper, where neither the file nor anybody says one."""

_POINTS_PER_INCH = 72.0
_LESS_PX = 1e-3  # so that a page that comes out whole is not rounded up to a px more
_ALLOWED_MM, _ALLOWED_MM2 = 0.05, 0.05
_LINE_RGB = (0, 0, 0)
_HAIR_MM = 0.1  # how wide a cutting line is drawn
_HALF = 127
_SURELY = 223
_LOOSEST_PX = 1.2  # that a tolerance by a contour's noise is
_MOST_OFF, _ALLOWED_PX = (
    0.02,
    16.0,
)  # of a figure, that may be otherwise in the file: what is too small to be traced


def write_outlines(
    outlines: Outlines, kind: str, dots_per_inch: float | None, title: str = ""
) -> bytes:
    """Return outlines as ``svg``, ``pdf`` or ``dxf``."""
    if kind == "svg":
        return write_svg(outlines, dots_per_inch, title)
    if kind == "pdf":
        return write_pdf(outlines, dots_per_inch, title)
    return write_dxf(outlines, dots_per_inch)


def write_cutline(line: CutLine, kind: str) -> bytes:
    """Return a cutting line as ``svg``, in mm, or ``dxf``; one closed path for each contour."""
    if kind == "dxf":
        layer = Layer(_LINE_RGB, "cut", line.paths)
        return write_dxf(Outlines(line.width, line.height, (layer,)), line.dots_per_inch)
    mm = line.mm_per_px
    wide, high = to_number(line.width * mm), to_number(line.height * mm)
    paths = "".join(
        f'<path id="cut-{number}" d="{to_path_data(path, mm)}"/>\n'
        for number, path in enumerate(line.paths, 1)
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide}mm" height="{high}mm" viewBox="0 0 {wide} {high}">\n'
        f'<g id="cutting-line" fill="none" stroke="#000000" stroke-width="{_HAIR_MM}">\n<title>Cutting line</title>\n{paths}</g>\n</svg>\n'
    ).encode()


def write_cut_kind(rgba: Rgba, line: CutLine, kind: str, plan: CutLinePlan) -> bytes:
    """Return a cutting line as one of its formats, its pieces on a sheet where one is asked for.

    Raises
    ------
    BadParameterError
        They do not fit on it.
    """
    arranged = None if plan.sheet is None else arrange(line, plan.sheet)
    if kind == "print_and_cut":
        return write_print_and_cut(rgba, line, arranged, with_marks=plan.with_marks)
    return write_cutline(line if arranged is None else arranged.line, kind.removeprefix("cutline_"))


def make_vector(
    rgba: Rgba, kind: str, outlines: OutlinePlan, cutline: CutLinePlan, dots_per_inch: float | None, title: str = "",
) -> tuple[bytes, Outlines]:  # fmt: skip
    """Return a cut as one of the formats of outlines, and its outlines.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    kind : str
        ``svg``, ``pdf_outlines``, ``dxf``, ``cutline_svg``, ``cutline_dxf`` or ``print_and_cut``.
    outlines, cutline :
        How it is traced, and cut.
    dots_per_inch : float or None
        The picture's.
    title : str
        Its name.

    Raises
    ------
    BadParameterError
        There is nothing to trace or to cut.
    """
    if kind in CUT_LINES:
        silhouette = trace_cut(rgba, OutlinePlan(smallest_px=outlines.smallest_px))
        line = make_cutline(silhouette, cutline, dots_per_inch or DPI)
        return write_cut_kind(rgba, line, kind, cutline), silhouette
    found = trace_cut(rgba, outlines)
    form = {"svg": "svg", "pdf_outlines": "pdf", "dxf": "dxf"}[kind]
    return write_outlines(found, form, dots_per_inch, title), found


def check_vector(
    data: bytes, rgba: Rgba, kind: str, outlines: OutlinePlan, cutline: CutLinePlan, dots_per_inch: float | None,
) -> None:  # fmt: skip
    """Read a file of lines and curves back with another reader, and compare what it shows with the cut.

    Raises
    ------
    BadOutputError
        It shows something else: rims may be off by what a tolerance lets them.
    """
    matte = rgba[..., 3]
    if kind in CUT_LINES:
        silhouette = trace_cut(rgba, OutlinePlan(smallest_px=outlines.smallest_px))
        check_cutline(data, rgba, make_cutline(silhouette, cutline, dots_per_inch or DPI), kind, cutline)  # fmt: skip
        return
    if kind in ("svg", "pdf_outlines"):
        shown = np.ascontiguousarray(draw_back(data, kind, matte.shape[1])[0][..., 3])
        if shown.shape != matte.shape:
            raise BadOutputError(f"What was written is {shown.shape[1]} × {shown.shape[0]} px in place of {matte.shape[1]} × {matte.shape[0]}.")  # fmt: skip
    else:
        shown = _fill(data, kind, matte.shape, dots_per_inch or DPI)
    matte = outlines.limit(rgba)[..., 3]
    is_whole = outlines.cutoff is None and not outlines.as_strokes and not outlines.pieces
    if is_whole:
        loose = _LOOSEST_PX if outlines.tolerance_px == "auto" else outlines.tolerance_px
        _require_same(shown, matte, 1 + math.ceil(loose))


def check_cutline(data: bytes, rgba: Rgba, line: CutLine, kind: str, plan: CutLinePlan) -> None:
    """Read a cutting line back with another reader, and compare it with the line that was to be written.

    Raises
    ------
    BadOutputError
        It is another one: another number of lines, another area, off the sheet, or not around the figure.
    """
    if kind == "print_and_cut":
        _check_printed(data, line, plan)
        return
    found = read_dxf(data) if kind.endswith("dxf") else read_svg(data)
    mm = line.mm_per_px
    copies = plan.sheet.copies if plan.sheet is not None else 1
    if len(found) != copies * len(line.paths):
        raise BadOutputError(f"{copies * len(line.paths)} contours were written, and {len(found)} read back.")  # fmt: skip
    area = copies * mm**2 * sum(abs(path.area_px) for path in line.paths)
    read = sum(abs(_measure_area(ring)) for ring in found)
    if abs(read - area) > _MOST_OFF * area + _ALLOWED_MM2:
        raise BadOutputError(f"Lines around {area:.1f} mm² were written, and around {read:.1f} read back.")  # fmt: skip
    if plan.sheet is not None:
        places = np.concatenate(found)
        high = (plan.sheet.width_mm, plan.sheet.height_mm)
        if (places < -_ALLOWED_MM).any() or (places > np.array(high) + _ALLOWED_MM).any():
            raise BadOutputError("A piece was written that reaches out of its sheet.")
        return
    matte = rgba[..., 3]
    # what a line further out goes round holds the figure; what of it is left out was said to be
    if plan.offset_mm >= 0 and not plan.dropped and plan.smallest_mm == 0:
        shown = _fill(data, kind, matte.shape, line.dots_per_inch)
        shown = np.maximum(shown, np.where(matte > _HALF, 0, 255).astype(np.uint8))
        _require_same(shown, np.full_like(matte, 255), 2)


def _measure_area(ring: NDArray[np.float64]) -> float:
    x, y = ring.T
    return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2


def _check_printed(data: bytes, line: CutLine, plan: CutLinePlan) -> None:
    import pypdfium2  # seldom needed

    expected = find_page_mm(line, plan.sheet)
    document = pypdfium2.PdfDocument(data)
    try:
        width, height = (side / _POINTS_PER_INCH * MM_PER_INCH for side in document[0].get_size())
        kinds = [thing.type for thing in document[0].get_objects()]
    finally:
        document.close()
    copies = plan.sheet.copies if plan.sheet is not None else 1
    lines = kinds.count(pypdfium2.raw.FPDF_PAGEOBJ_PATH) - (8 if plan.with_marks else 0)
    if math.dist((width, height), expected) > _ALLOWED_MM or lines != copies * len(line.paths):
        raise BadOutputError(f"A page of {expected[0]:.1f} × {expected[1]:.1f} mm with {copies * len(line.paths)} lines was written, and one of {width:.1f} × {height:.1f} mm with {lines} read back.")  # fmt: skip


def _fill(data: bytes, kind: str, shape: tuple[int, ...], dots_per_inch: float) -> Rgba:
    """Return what lines in mm go round, drawn as large as the picture; each layer on its own, as they lie on one another."""
    scale = dots_per_inch / MM_PER_INCH
    if kind.endswith("dxf"):
        layers = [
            [np.column_stack([line[:, 0] * scale, shape[0] - line[:, 1] * scale]) for line in lines]
            for lines in read_dxf_layers(data).values()
        ]
    else:
        layers = [[line * scale for line in read_svg(data)]]
    filled: Rgba = np.zeros(shape, np.uint8)
    for lines in layers:
        own: Rgba = np.zeros(shape, np.uint8)
        rings = [np.round((line - 0.5) * 16).astype(np.int32) for line in lines if len(line) > 2]
        cv2.fillPoly(own, rings, (255,), cv2.LINE_8, 4)
        np.maximum(filled, own, out=filled)
    return filled


def draw_back(data: bytes, kind: str, width: int) -> tuple[Rgba, float | None]:
    """Return what another reader shows of an SVG, or else of the first page of a PDF, `width` px wide, (H, W, 4) uint8, and its dpi."""
    if kind == "svg":
        # in px, whatever it is on paper
        head = re.sub(r'width="[^"]*" height="[^"]*" viewBox="0 0 ([\d.]+) ([\d.]+)"', r'width="\1" height="\2" viewBox="0 0 \1 \2"', data.decode(), count=1)  # fmt: skip
        return draw_svg(head), None
    import pypdfium2  # seldom needed

    document = pypdfium2.PdfDocument(data)
    try:
        page = document[0]
        scale = (width - _LESS_PX) / page.get_width()
        drawn = page.render(scale=scale, fill_color=(0, 0, 0, 0), rev_byteorder=True, maybe_alpha=True)  # fmt: skip
        return np.array(drawn.to_numpy()), scale * _POINTS_PER_INCH
    finally:
        document.close()


def _require_same(found: Rgba, matte: Rgba, rim_px: int) -> None:
    """Refuse outlines that fill what is clear, or leave out what is solid, further from the rim than a tolerance lets them."""
    kernel = np.ones((2 * rim_px + 1, 2 * rim_px + 1), np.uint8)
    filled = (found > _SURELY) & (cv2.dilate(matte, kernel) < 255 - _SURELY)
    left = (found < 255 - _SURELY) & (cv2.erode(matte, kernel) > _SURELY)
    wrong = np.count_nonzero(filled) + np.count_nonzero(left)
    if wrong > max(_ALLOWED_PX, _MOST_OFF * np.count_nonzero(matte > _HALF)):
        raise BadOutputError(f"The outlines that were written differ from the cut in {wrong:,} px.")
