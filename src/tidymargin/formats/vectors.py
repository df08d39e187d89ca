"""Writing a cut's outlines, and its cutting line, and reading them back before they are given out."""

import io

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadOutputError
from tidymargin.core.outlines.cutline import CutLine, CutLinePlan, make_cutline
from tidymargin.core.outlines.figures import Layer, Outlines, trace_cut
from tidymargin.core.outlines.plan import OutlinePlan
from tidymargin.formats.vector_dxf import write_dxf
from tidymargin.formats.vector_pdf import write_pdf
from tidymargin.formats.vector_svg import to_number, to_path_data, write_svg

Rgba = NDArray[np.uint8]
DPI = 300.0
"""Of what has to have a size on paper, where neither the file nor anybody says one."""

_LINE_RGB = (0, 0, 0)
_HAIR_MM = 0.1  # how wide a cutting line is drawn
_MOST_OFF = 0.02  # of a figure, that may be otherwise in the file


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


def write_cutline_checked(line: CutLine, kind: str) -> bytes:
    """Return a cutting line as ``svg`` or ``dxf``, read back.

    Raises
    ------
    BadOutputError
        What was written is something else.
    """
    data = write_cutline(line, kind)
    _require_rings(data, kind, len(line.paths))
    return data


def make_vector(
    rgba: Rgba, kind: str, outlines: OutlinePlan, cutline: CutLinePlan, dots_per_inch: float | None, title: str = "",
) -> tuple[bytes, Outlines]:  # fmt: skip
    """Return a cut as one of the formats of outlines, read back, and its outlines.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    kind : str
        ``svg``, ``pdf_outlines``, ``dxf``, ``cutline_svg`` or ``cutline_dxf``.
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
    BadOutputError
        What was written is something else.
    """
    if kind.startswith("cutline_"):
        silhouette = trace_cut(rgba, OutlinePlan(smallest_px=outlines.smallest_px))
        line = make_cutline(silhouette, cutline, dots_per_inch or DPI)
        return write_cutline_checked(line, kind.removeprefix("cutline_")), silhouette
    found = trace_cut(rgba, outlines)
    form = {"svg": "svg", "pdf_outlines": "pdf", "dxf": "dxf"}[kind]
    data = write_outlines(found, form, dots_per_inch, title)
    if form == "dxf":
        _require_rings(data, form, sum(len(layer.paths) + len(layer.strokes) for layer in found.layers))  # fmt: skip
    elif outlines.cutoff is None and not outlines.as_strokes:
        _require_same(_draw(data, form, rgba.shape), rgba[..., 3])
    return data, found


def _draw(data: bytes, form: str, shape: tuple[int, ...]) -> Rgba:
    """Return how solid a file shows each pixel."""
    if form == "svg":
        import resvg_py  # seldom needed
        from PIL import Image

        png = bytes(
            resvg_py.svg_to_bytes(svg_string=data.decode(), width=shape[1], height=shape[0])
        )
        with Image.open(io.BytesIO(png)) as image:
            return np.asarray(image.convert("RGBA"))[..., 3]
    from tidymargin.formats.checking import read_back

    return read_back(data, "pdf", shape)[0][..., 3]


def _require_same(found: Rgba, matte: Rgba) -> None:
    """Refuse outlines that fill what is clear, or leave out what is solid: rims may be off by what a tolerance lets them."""
    if found.shape != matte.shape:
        raise BadOutputError("The outlines that were written have another size than the cut.")
    solid = int(np.count_nonzero(matte > 127))
    wrong = np.count_nonzero((found > 223) & (matte < 32)) + np.count_nonzero((found < 32) & (matte > 223))  # fmt: skip
    if wrong > max(16.0, _MOST_OFF * solid):
        raise BadOutputError(f"The outlines that were written differ from the cut in {wrong:,} px.")


def _require_rings(data: bytes, form: str, count: int) -> None:
    """Refuse a file in which another reader finds another number of contours."""
    if form == "dxf":
        from ezdxf.filemanagement import read

        found = len(read(io.StringIO(data.decode())).modelspace().query("LWPOLYLINE"))
    else:
        from svgelements import SVG
        from svgelements import Path as SvgPath

        parsed = SVG.parse(io.BytesIO(data))
        found = sum(isinstance(element, SvgPath) for element in parsed.elements())
    if found != count:
        raise BadOutputError(f"{count} contours were written, and {found} read back.")
