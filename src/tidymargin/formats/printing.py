"""Print and cut: a page with the picture on one layer and the cutting line on another, with marks where they are asked for."""

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.core.outlines.arranging import Arranged
from tidymargin.core.outlines.cutline import CutLine, SheetPlan
from tidymargin.formats.vector_pdf import draw_path

_MARGIN_MM, _MARK_MM, _MARK_WIDE_MM = 10.0, 5.0, 0.5
_POINTS_PER_MM = 72.0 / MM_PER_INCH
_HAIR_PT = 0.25
_LAYERS = {"picture": "Picture", "line": "Cutting line"}


def find_page_mm(line: CutLine, sheet: SheetPlan | None) -> tuple[float, float]:
    """Return how large a page is: a sheet, or the picture with all of its line and a margin."""
    if sheet is not None:
        return sheet.width_mm, sheet.height_mm
    margin = _MARGIN_MM + _find_reach(line) * line.mm_per_px
    return line.width * line.mm_per_px + 2 * margin, line.height * line.mm_per_px + 2 * margin


def write_print_and_cut(
    cut: NDArray[np.uint8], line: CutLine, arranged: Arranged | None = None, *, with_marks: bool
) -> bytes:
    """Return a PDF of one page, at its true size: the cut, and over it the line, each as a layer that can be hidden.

    Parameters
    ----------
    cut : (H, W, 4) ndarray of uint8
        The picture that is printed.
    line : CutLine
        Of it.
    arranged : Arranged, optional
        Its pieces on a sheet, which is the page then.
    with_marks : bool
        Whether there are square brackets at the corners, by which a machine finds the sheet.
    """
    from reportlab.lib.utils import ImageReader  # larger than all else here, and seldom needed
    from reportlab.pdfgen.canvas import Canvas

    points = _POINTS_PER_MM * line.mm_per_px  # in a px
    sheet = None if arranged is None else (arranged.line.width * line.mm_per_px, arranged.line.height * line.mm_per_px)  # fmt: skip
    page_mm = sheet or find_page_mm(line, None)
    page = (page_mm[0] * _POINTS_PER_MM, page_mm[1] * _POINTS_PER_MM)
    margin = 0.0 if arranged is not None else (_MARGIN_MM + _find_reach(line) * line.mm_per_px) * _POINTS_PER_MM  # fmt: skip
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=page, invariant=1, pageCompression=1)
    image = ImageReader(Image.fromarray(np.ascontiguousarray(cut)))
    canvas._code.append(
        "/OC /picture BDC"
    )  # as PDF 1.7 has optional content, 8.11; reportlab has no words for it
    canvas.saveState()
    canvas.transform(points, 0, 0, -points, margin, page[1] - margin)  # px, from the top
    for placement in arranged.placements if arranged is not None else (None,):
        canvas.saveState()
        if placement is not None:
            turn = (0, 1, -1, 0) if placement.is_turned else (1, 0, 0, 1)
            canvas.transform(*turn, placement.across, placement.down)
            clip = canvas.beginPath()
            draw_path(clip, placement.paths[0])
            canvas.clipPath(clip, stroke=0, fill=0)
        canvas.transform(1, 0, 0, -1, 0, line.height)  # pictures are drawn from their foot
        canvas.drawImage(image, 0, 0, line.width, line.height, mask="auto")
        canvas.restoreState()
    canvas.restoreState()
    if with_marks:
        _draw_marks(canvas, page)
    canvas._code += ["EMC", "/OC /line BDC"]
    canvas.saveState()
    canvas.transform(points, 0, 0, -points, margin, page[1] - margin)
    canvas.setStrokeColorRGB(1, 0, 1)  # what no print has
    canvas.setLineWidth(_HAIR_PT / points)
    canvas.setStrokeOverprint(1)
    for path in arranged.line.paths if arranged is not None else line.paths:
        drawn = canvas.beginPath()
        draw_path(drawn, path)
        canvas.drawPath(drawn, stroke=1, fill=0)
    canvas.restoreState()
    canvas._code.append("EMC")
    canvas.showPage()
    canvas.save()
    return _name_layers(out.getvalue())


def _name_layers(data: bytes) -> bytes:
    """Return a page whose two parts are known as layers, both shown."""
    from pypdf import PdfReader, PdfWriter
    from pypdf.generic import ArrayObject, DictionaryObject, NameObject, TextStringObject

    writer = PdfWriter(PdfReader(io.BytesIO(data)))
    layers = {}
    for mark, title in _LAYERS.items():
        group = DictionaryObject({NameObject("/Type"): NameObject("/OCG"), NameObject("/Name"): TextStringObject(title)})  # fmt: skip
        layers[NameObject(f"/{mark}")] = writer._add_object(group)
    resources = writer.pages[0][NameObject("/Resources")].get_object()
    resources[NameObject("/Properties")] = DictionaryObject(layers)  # type: ignore[index]
    order = ArrayObject(layers.values())
    shown = DictionaryObject({NameObject("/ON"): order, NameObject("/Order"): order})
    writer.root_object[NameObject("/OCProperties")] = DictionaryObject(
        {NameObject("/OCGs"): order, NameObject("/D"): shown}
    )
    out = io.BytesIO()
    writer.write(out)
    return out.getvalue()


def _find_reach(line: CutLine) -> float:
    """Return how far the line reaches out of the picture, px."""
    places = np.concatenate([path.flatten(0.5) for path in line.paths])
    low, high = places.min(axis=0), places.max(axis=0)
    return float(max(0.0, -low.min(), high[0] - line.width, high[1] - line.height))


def _draw_marks(canvas: object, page: tuple[float, float]) -> None:
    inset, length = 3 * _POINTS_PER_MM, _MARK_MM * _POINTS_PER_MM
    canvas.setLineWidth(_MARK_WIDE_MM * _POINTS_PER_MM)  # type: ignore[attr-defined]
    for x, across in ((inset, length), (page[0] - inset, -length)):
        for y, up in ((inset, length), (page[1] - inset, -length)):
            canvas.line(x, y, x + across, y)  # type: ignore[attr-defined]
            canvas.line(x, y, x, y + up)  # type: ignore[attr-defined]
