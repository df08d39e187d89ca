"""Outlines as DXF, in mm: one closed polyline of lines and arcs for each path, on a layer for each colour."""

import io

import numpy as np

from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.core.outlines.figures import Outlines
from tidymargin.core.outlines.paths import Path, Piece, Point, find_circle, flatten_piece
from tidymargin.core.outlines.strokes import Stroke

_DPI = 300.0  # where neither the file nor anybody says
_APART_PX = 0.02  # of a curve from the lines that stand for it
_VERSION = "R2010"
_MM = 4  # of a DXF's units


def write_dxf(outlines: Outlines, dots_per_inch: float | None = None) -> bytes:
    """Return outlines as a DXF file of R2010; 300 dots per inch where none are said."""
    from ezdxf._options import options
    from ezdxf.colors import rgb2int  # takes a while, and is seldom needed
    from ezdxf.document import Drawing

    options.write_fixed_meta_data_for_testing = True  # no date: the same cut gives the same file

    mm = MM_PER_INCH / (dots_per_inch or _DPI)
    document = Drawing.new(_VERSION)
    document.units = _MM
    space = document.modelspace()
    for layer in outlines.layers:
        name = f"{layer.name} {''.join(f'{value:02X}' for value in layer.rgb)}"
        if name not in document.layers:
            document.layers.add(name, true_color=rgb2int(layer.rgb))
        drawn: tuple[Path | Stroke, ...] = (*layer.paths, *layer.strokes)
        for path in drawn:
            points = [
                (x * mm, (outlines.height - y) * mm, bulge) for x, y, bulge in to_vertices(path)
            ]
            is_closed = path.is_closed if isinstance(path, Stroke) else True
            line = space.add_lwpolyline(points, format="xyb", close=is_closed, dxfattribs={"layer": name})  # fmt: skip
            if isinstance(path, Stroke):
                line.dxf.const_width = path.width_px * mm
    out = io.StringIO()
    document.write(out)
    return out.getvalue().encode()


def to_vertices(path: Path | Stroke) -> list[tuple[float, float, float]]:
    """Return a path's vertices, x and y in px, and the bulge of what follows each: the tangent of a quarter of its angle.

    DXF counts y upwards, so that what goes clockwise as seen has a negative bulge.
    """
    found: list[tuple[float, float, float]] = []
    at: Point = path.start
    for piece in path.pieces:
        found += _list_vertices(at, piece)
        at = piece.end
    is_closed = path.is_closed if isinstance(path, Stroke) else True
    if not is_closed:
        found.append((*at, 0.0))
    return found


def _list_vertices(start: Point, piece: Piece) -> list[tuple[float, float, float]]:
    if piece.kind == "arc":
        sweep = find_circle(start, piece)[2]
        return [(*start, float(-np.tan(sweep / 4)))]
    return [(float(x), float(y), 0.0) for x, y in flatten_piece(start, piece, _APART_PX)[:-1]]
