"""A scene as SVG: each cut an embedded picture, or its outlines, in a group of its name."""

import base64
from collections.abc import Sequence
from dataclasses import dataclass
from xml.sax.saxutils import escape

import numpy as np

from tidymargin.core.base.limits import MM_PER_INCH
from tidymargin.core.outlines.figures import Outlines
from tidymargin.core.scenes.placing import Place
from tidymargin.formats.encode import encode_png
from tidymargin.formats.outputs import RasterLayer
from tidymargin.formats.vector_svg import write_paths


@dataclass(frozen=True, slots=True, eq=False)
class OutlinedLayer:
    """A layer that is drawn from outlines.

    Parameters
    ----------
    name : str
        As it is called.
    outlines : Outlines
        In px of the cut.
    place : Place
        Of the whole cut in the scene.
    opacity : float
        0 to 1.
    """

    name: str
    outlines: Outlines
    place: Place
    opacity: float

    def to_transform(self) -> str:
        """Return how the cut's px become the scene's."""
        place, wide, high = self.place, self.outlines.width / 2, self.outlines.height / 2
        x, y = place.left + wide * place.scale, place.top + high * place.scale
        across = -place.scale if place.mirror else place.scale
        return f"translate({x:.4f} {y:.4f}) rotate({place.turn:g}) scale({across:.6g} {place.scale:.6g}) translate({-wide:g} {-high:g})"


def write_scene_svg(layers: Sequence[RasterLayer | OutlinedLayer], height: int, width: int, dots_per_inch: float | None) -> bytes:  # fmt: skip
    """Return layers of a scene of a size, the lowest first, as SVG; in mm where its dpi is known."""
    size = f'width="{width}" height="{height}"'
    if dots_per_inch is not None:
        mm = MM_PER_INCH / dots_per_inch
        size = f'width="{width * mm:.4f}mm" height="{height * mm:.4f}mm"'
    parts = "".join(
        f'<g id="cut-{number}" opacity="{layer.opacity:g}"><title>{escape(layer.name)}</title>{_write_one(layer, number)}</g>\n'
        for number, layer in enumerate(layers)
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 {width} {height}">\n{parts}</svg>\n'
    ).encode()


def _write_one(layer: RasterLayer | OutlinedLayer, number: int) -> str:
    if isinstance(layer, OutlinedLayer):
        paths = write_paths(layer.outlines, f"cut-{number}-")
        return f'<g transform="{layer.to_transform()}">\n{paths}</g>'
    picture = base64.b64encode(encode_png(np.ascontiguousarray(layer.rgba))).decode()
    return (
        f'<image x="{layer.left}" y="{layer.top}" width="{layer.rgba.shape[1]}" height="{layer.rgba.shape[0]}" '
        f'href="data:image/png;base64,{picture}"/>'
    )
