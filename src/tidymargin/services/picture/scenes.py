"""A scene file as pixels: its cuts made or read, laid on its base, and written as one picture or as layers."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.limits import MAX_PIXELS
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.scenes.laying import Laid, draw_alone, lay
from tidymargin.core.scenes.placing import Placed
from tidymargin.formats.decode import Decoded
from tidymargin.formats.outputs import RasterLayer, Wish, write_cut, write_layers
from tidymargin.formats.recipe import Recipe, read_recipe
from tidymargin.formats.scene_file import Scene, SceneCut
from tidymargin.formats.scene_svg import write_scene_svg
from tidymargin.services.picture.outlining import take_cut

Rgba = NDArray[np.uint8]
Read = Callable[[str], bytes]
"""Returns the bytes of a path beside the scene; raises where it is not there, or not beside it."""


@dataclass(frozen=True, slots=True, eq=False)
class Opened:
    """A scene with its pictures.

    Parameters
    ----------
    base : (H, W, 4) ndarray of uint8
        What the cuts lie on.
    cuts : tuple of (str, Laid)
        From the bottom up, with their names.
    dots_per_inch : float or None
        The scene's.
    enlarged : tuple of (str, float)
        Cuts that are shown larger than their own pixels, and how much.
    """

    base: Rgba
    cuts: tuple[tuple[str, Laid], ...]
    dots_per_inch: float | None
    enlarged: tuple[tuple[str, float], ...]


def open_scene(scene: Scene, read: Read, decode: Callable[[bytes], Decoded]) -> Opened:
    """Return a scene with its pictures read, and keyed where they are no cuts yet.

    Raises
    ------
    BadParameterError
        Its base is larger than any picture may be, or is a colour that is none.
    """
    base, dpi = _open_base(scene, read, decode)
    made: dict[tuple[str, str | None], Rgba] = {}
    placed: dict[int, Placed] = {}
    for number, cut in enumerate(scene.cuts):
        key = (cut.picture, cut.recipe)
        if key not in made:  # a picture that is there twice is keyed once
            recipe = Recipe() if cut.recipe is None else read_recipe(read(cut.recipe))
            made[key] = take_cut(decode(read(cut.picture)), recipe)
        placed[number] = Placed(made[key], cut.to_place())
    numbers = {id(cut): number for number, cut in enumerate(scene.cuts)}

    def find_around(cut: SceneCut) -> Placed | None:
        return None if cut.inside is None else placed[numbers[id(scene.find(cut.inside))]]

    cuts = tuple((cut.title, Laid(placed[k], cut.opacity, find_around(cut))) for k, cut in enumerate(scene.cuts))  # fmt: skip
    enlarged = tuple((cut.title, cut.scale) for cut in scene.cuts if cut.scale > 1)
    return Opened(base, cuts, scene.dots_per_inch or dpi, enlarged)


def _open_base(scene: Scene, read: Read, decode: Callable[[bytes], Decoded]) -> tuple[Rgba, float | None]:  # fmt: skip
    picture, dpi = None, None
    colour = (0, 0, 0, 0)
    if scene.base is not None and scene.base.startswith("#"):
        colour = (*_read_colour(scene.base), 255)
    elif scene.base is not None:
        decoded = decode(read(scene.base))
        dpi = decoded.dots_per_inch
        alpha = decoded.picture.alpha
        picture = np.dstack([decoded.picture.rgb, np.full(decoded.picture.rgb.shape[:2], 255, np.uint8) if alpha is None else alpha])  # fmt: skip
        if scene.width is None:
            return picture, dpi
    width, height = scene.width or 1, scene.height or 1
    if width * height > MAX_PIXELS:
        raise BadParameterError(
            f"Expected a scene of at most {MAX_PIXELS:,} pixels, this one has {width:,} × {height:,}.",
            field="width",
        )
    base: Rgba = np.empty((height, width, 4), np.uint8)
    base[:] = colour
    if picture is not None:  # from its upper left corner; what it does not reach is clear
        part = picture[:height, :width]
        base[: part.shape[0], : part.shape[1]] = part
    return base, dpi


def _read_colour(text: str) -> tuple[int, int, int]:
    digits = text.removeprefix("#")
    if len(digits) != 6 or any(digit not in "0123456789abcdefABCDEF" for digit in digits):
        raise BadParameterError(f"Expected a colour like #1C325E, got “{text[:40]}”.", field="base")
    return from_hex(text)


def render_scene(opened: Opened, kind: str, tick: Tick = no_tick) -> bytes:
    """Return a scene as a file: ``png``, ``jpeg``, ``webp``, ``avif``, ``pdf``, or with its cuts as layers ``ora`` and ``svg``."""
    merged = lay(opened.base, [cut for _, cut in opened.cuts], tick)
    if kind not in ("ora", "svg"):
        return write_cut(merged, kind, Wish(opened.dots_per_inch))  # type: ignore[arg-type]
    layers = [RasterLayer("base", opened.base), *(_to_layer(name, cut, opened.base) for name, cut in opened.cuts)]  # fmt: skip
    if kind == "ora":
        return write_layers(layers[::-1], merged, opened.dots_per_inch)
    return write_scene_svg(layers, opened.dots_per_inch)


def _to_layer(name: str, cut: Laid, base: Rgba) -> RasterLayer:
    """Return a cut as it lies over the scene, in the scene's pixels; no more of it than the scene shows."""
    height, width = base.shape[:2]
    rgba, left, top = draw_alone(cut, width, height)
    return RasterLayer(name, rgba, left, top, cut.opacity)
