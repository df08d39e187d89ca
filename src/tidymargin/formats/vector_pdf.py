"""Outlines as a page of PDF with true curves, as large as they are at their dpi."""

import io

from tidymargin.core.outlines.figures import Outlines
from tidymargin.core.outlines.gradients import Gradient
from tidymargin.core.outlines.paths import Path, to_curves
from tidymargin.core.outlines.strokes import Stroke

_POINTS_PER_INCH = 72.0
_DPI = 300.0  # where neither the file nor anybody says
_EVEN_ODD = 0  # of reportlab's fill modes


def write_pdf(outlines: Outlines, dots_per_inch: float | None = None, title: str = "") -> bytes:
    """Return outlines as a PDF file; 300 dots per inch where none are said."""
    from reportlab.pdfgen.canvas import Canvas  # larger than all else here, and seldom needed

    scale = _POINTS_PER_INCH / (dots_per_inch or _DPI)
    page = (outlines.width * scale, outlines.height * scale)
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=page, invariant=1, pageCompression=1)
    if title:
        canvas.setTitle(title)
    canvas.transform(scale, 0, 0, -scale, 0, page[1])  # px, from the top
    for layer in outlines.layers:
        r, g, b = (value / 255 for value in layer.rgb)
        canvas.setFillColorRGB(r, g, b)
        canvas.setStrokeColorRGB(r, g, b)
        canvas.setLineCap(1)
        canvas.setLineJoin(1)
        for stroke in layer.strokes:
            line = canvas.beginPath()
            draw_path(line, stroke)
            canvas.setLineWidth(stroke.width_px)
            canvas.drawPath(line, stroke=1, fill=0)
        if layer.paths:
            shape = canvas.beginPath()
            for path in layer.paths:
                draw_path(shape, path)
            if layer.gradient is None:
                canvas.drawPath(shape, stroke=0, fill=1, fillMode=_EVEN_ODD)
                continue
            canvas.saveState()
            canvas.clipPath(shape, stroke=0, fill=0, fillMode=_EVEN_ODD)
            _shade(canvas, layer.gradient)
            canvas.restoreState()
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _shade(canvas: object, gradient: Gradient) -> None:
    from reportlab.lib.colors import Color

    colours = [Color(*(value / 255 for value in rgb)) for _, rgb in gradient.stops]
    at = [share for share, _ in gradient.stops]
    # PDF draws from the first stop to the last, whatever they are called
    if at[0] > 0:
        at, colours = [0.0, *at], [colours[0], *colours]
    if gradient.kind == "radial":
        canvas.radialGradient(*gradient.start, gradient.radius, colours, at)  # type: ignore[attr-defined]
    else:
        canvas.linearGradient(*gradient.start, *gradient.end, colours, at)  # type: ignore[attr-defined]


def draw_path(line: object, path: Path | Stroke) -> None:
    """Draw a path with true curves onto a path of reportlab."""
    line.moveTo(*path.start)  # type: ignore[attr-defined]
    at = path.start
    for piece in path.pieces:
        if piece.kind == "line":
            line.lineTo(*piece.end)  # type: ignore[attr-defined]
        for curve in (
            to_curves(at, piece)
            if piece.kind == "arc"
            else [piece]
            if piece.kind == "curve"
            else []
        ):
            line.curveTo(*curve.first, *curve.second, *curve.end)  # type: ignore[attr-defined]
        at = piece.end
    if not isinstance(path, Stroke) or path.is_closed:
        line.close()  # type: ignore[attr-defined]
