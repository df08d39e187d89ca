"""A scene as SVG: each cut an embedded picture in a group of its name."""

import base64
from xml.sax.saxutils import escape

import numpy as np

from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.formats.encode import encode_png
from tidymargin.formats.outputs import RasterLayer


def write_scene_svg(layers: list[RasterLayer], dots_per_inch: float | None) -> bytes:
    """Return layers, the lowest first and as large as the scene, as SVG; in mm where its dpi is known."""
    height, width = layers[0].rgba.shape[:2]
    size = f'width="{width}" height="{height}"'
    if dots_per_inch is not None:
        mm = MM_PER_INCH / dots_per_inch
        size = f'width="{width * mm:.4f}mm" height="{height * mm:.4f}mm"'
    parts = "".join(
        f'<g id="cut-{number}" opacity="{layer.opacity:g}"><title>{escape(layer.name)}</title>'
        f'<image x="{layer.left}" y="{layer.top}" width="{layer.rgba.shape[1]}" height="{layer.rgba.shape[0]}" '
        f'href="data:image/png;base64,{base64.b64encode(encode_png(np.ascontiguousarray(layer.rgba))).decode()}"/></g>\n'
        for number, layer in enumerate(layers)
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 {width} {height}">\n{parts}</svg>\n'
    ).encode()
