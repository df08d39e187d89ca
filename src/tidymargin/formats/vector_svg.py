"""Outlines as SVG 1.1: one path a colour, with a title and a name; in px, or in mm."""

import io
from xml.sax.saxutils import escape, quoteattr

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.core.outlines.figures import Layer, Outlines
from tidymargin.core.outlines.gradients import Gradient
from tidymargin.core.outlines.paths import Path, Piece, Point
from tidymargin.core.outlines.strokes import Stroke

_DIGITS = 3  # of a px: a thousandth


def to_number(value: float) -> str:
    """Return a number as short as it is right to a thousandth."""
    text = f"{value:.{_DIGITS}f}".rstrip("0").rstrip(".")
    return "0" if text in ("-0", "") else text


def _to_point(point: Point, scale: float) -> str:
    return f"{to_number(point[0] * scale)} {to_number(point[1] * scale)}"


def _to_step(piece: Piece, scale: float) -> str:
    if piece.kind == "line":
        return f"L{_to_point(piece.end, scale)}"
    if piece.kind == "arc":
        radius = f"{piece.radius * scale:.{_DIGITS + 1}f}"
        return f"A{radius} {radius} 0 {int(piece.is_long)} {int(piece.is_clockwise)} {_to_point(piece.end, scale)}"
    return "C" + " ".join(_to_point(p, scale) for p in (piece.first, piece.second, piece.end))


def to_path_data(path: Path | Stroke, scale: float = 1.0) -> str:
    """Return a path as the `d` of SVG; closed, but for a stroke that is open."""
    pieces = list(path.pieces)
    is_closed = path.is_closed if isinstance(path, Stroke) else True
    if is_closed and pieces and pieces[-1].kind == "line":
        pieces.pop()  # Z draws it
    steps = "".join(_to_step(piece, scale) for piece in pieces)
    return f"M{_to_point(path.start, scale)}{steps}{'Z' if is_closed else ''}"


def to_hex(rgb: tuple[int, int, int]) -> str:
    """Return a colour as #RRGGBB."""
    return "#{:02X}{:02X}{:02X}".format(*rgb)


def _write_layer(layer: Layer, number: int, scale: float, prefix: str = "") -> str:
    name = quoteattr(prefix + (f"{layer.name}-{number}" if number else layer.name))
    title = f"<title>{escape(layer.name)}, {to_hex(layer.rgb)}</title>"
    if layer.strokes:
        lines = "".join(
            f'<path d="{to_path_data(stroke, scale)}" stroke-width="{to_number(stroke.width_px * scale)}"/>'
            for stroke in layer.strokes
        )
        return f'<g id={name} fill="none" stroke="{to_hex(layer.rgb)}" stroke-linecap="round" stroke-linejoin="round">{title}{lines}</g>\n'
    data = "".join(to_path_data(path, scale) for path in layer.paths)
    fill = to_hex(layer.rgb)
    if layer.gradient is not None:
        known = f"{prefix}gradient-{max(number, 1)}"
        fill = f"url(#{known})"
        return f'{_write_gradient(layer.gradient, known, scale)}<path id={name} fill="{fill}" fill-rule="evenodd" d="{data}">{title}</path>\n'
    return f'<path id={name} fill="{fill}" fill-rule="evenodd" d="{data}">{title}</path>\n'


def _write_gradient(gradient: Gradient, name: str, scale: float) -> str:
    (x1, y1), (x2, y2) = gradient.start, gradient.end
    numbers = {"x1": x1, "y1": y1, "x2": x2, "y2": y2}
    if gradient.kind == "radial":
        numbers = {"cx": x1, "cy": y1, "r": gradient.radius}
    said = " ".join(f'{key}="{to_number(value * scale)}"' for key, value in numbers.items())
    stops = "".join(f'<stop offset="{at:g}" stop-color="{to_hex(rgb)}"/>' for at, rgb in gradient.stops)  # fmt: skip
    kind = f"{gradient.kind}Gradient"
    return (
        f'<defs><{kind} id="{name}" gradientUnits="userSpaceOnUse" {said}>{stops}</{kind}></defs>\n'
    )


def write_paths(outlines: Outlines, prefix: str = "") -> str:
    """Return outlines as the elements of a drawing, in px; `prefix` begins their ids, where there are others."""
    return "".join(
        _write_layer(layer, number if len(outlines.layers) > 1 else 0, 1.0, prefix)
        for number, layer in enumerate(outlines.layers, 1)
    )


def write_svg(outlines: Outlines, dots_per_inch: float | None = None, title: str = "") -> bytes:
    """Return outlines as an SVG file.

    Parameters
    ----------
    outlines : Outlines
        In px.
    dots_per_inch : float, optional
        Where it is known, the drawing's size is given in mm; its coordinates stay px.
    title : str
        Of the drawing.
    """
    wide, high = to_number(outlines.width), to_number(outlines.height)
    size = f'width="{wide}" height="{high}"'
    if dots_per_inch is not None:
        mm = MM_PER_INCH / dots_per_inch
        size = f'width="{outlines.width * mm:.4f}mm" height="{outlines.height * mm:.4f}mm"'
    layers = write_paths(outlines)
    head = f"<title>{escape(title)}</title>\n" if title else ""
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 {wide} {high}">\n{head}{layers}</svg>\n'
    ).encode()


def write_contours(
    paths: tuple[Path, ...], wide_px: float, *, with_points: bool, lifted_px: float = 0.0
) -> str:
    """Return paths as thin two-tone lines of SVG, with squares where pieces meet; lifted ones are paper with a shadow."""
    data = "".join(map(to_path_data, paths))
    line = f'<path fill="none" stroke-width="{{}}" stroke="{{}}" d="{data}"/>'
    points = ""
    if lifted_px:
        shadow = f'<path transform="translate({lifted_px} {lifted_px})" fill="#23292F" fill-opacity="0.45" fill-rule="evenodd" d="{data}"/>'
        return f'{shadow}<path fill="#FFFFFF" fill-rule="evenodd" d="{data}"/>' + line.format(to_number(wide_px), "#23292F")  # fmt: skip
    if with_points:
        side = 3.2 * wide_px
        marks = "".join(
            f"M{to_number(x - side / 2)} {to_number(y - side / 2)}h{to_number(side)}v{to_number(side)}h{to_number(-side)}Z"
            for path in paths
            for x, y in path.list_starts()
        )
        points = f'<path fill="#FFFFFF" stroke="#23292F" stroke-width="{to_number(0.6 * wide_px)}" d="{marks}"/>'
    return line.format(to_number(1.9 * wide_px), "#FFFFFF") + line.format(to_number(0.8 * wide_px), "#C8371E") + points  # fmt: skip


def draw_svg(svg: str, scale: float = 1.0) -> NDArray[np.uint8]:
    """Return a drawing as pixels, (H, W, 4) uint8 straight RGBA, at a scale of its own size."""
    import resvg_py  # seldom needed
    from PIL import Image

    zoom = None if scale == 1.0 else scale
    png = bytes(resvg_py.svg_to_bytes(svg_string=svg, zoom=zoom, skip_system_fonts=True))
    with Image.open(io.BytesIO(png)) as image:
        return np.asarray(image.convert("RGBA"))
