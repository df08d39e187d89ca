"""A scene file as pixels: its cuts made or read, put together, and written as one picture or as layers."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadOutputError, BadParameterError
from tidymargin.core.base.limits import MAX_PIXELS
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.output.resizing import lay_on
from tidymargin.core.scenes.sources import Source
from tidymargin.core.scenes.standing import Base, Gradient, Piece, Scene, SceneLayer, draw_gradient
from tidymargin.formats.checking import Witness, read_back
from tidymargin.formats.decode import Decoded
from tidymargin.formats.encode import encode_bands
from tidymargin.formats.outputs import RasterLayer, Wish, write_cut, write_layers
from tidymargin.formats.recipe import Recipe, read_recipe
from tidymargin.formats.scene_cut import FillSaid, GradientSaid, PlacedCut, find_titled
from tidymargin.formats.scene_file import Scene as SceneFile
from tidymargin.formats.scene_file import SceneCut
from tidymargin.formats.scene_svg import OutlinedLayer, write_scene_svg
from tidymargin.services.picture.outlining import take_cut

Rgba = NDArray[np.uint8]
Read = Callable[[str], bytes]
"""Returns the bytes of a path beside the scene; raises where it is not there, or not beside it."""

_LOSSY = ("jpeg", "avif")
_EXACT = {"pdf": 2, "svg": 2}  # levels: their readers lay soft pixels with one or two of rounding
_BAND_PX, _BANDS = 8, 64
# Levels in the mean of a block of 8 px, which is what JPEG keeps best; outlines may be half a px off at a rim.
_OFF_LOSSY, _OFF_OUTLINES = 8.0, 24.0
_ON_WHITE = ((255, 255, 255),)
_BACKDROPS = ((0, 0, 0), (255, 255, 255))


@dataclass(frozen=True, slots=True, eq=False)
class Opened:
    """A scene with its pictures.

    Parameters
    ----------
    scene : Scene
        Put together.
    dots_per_inch : float or None
        The scene's.
    enlarged : tuple of (str, float)
        Cuts that are shown larger than their own pixels, and how much.
    """

    scene: Scene
    dots_per_inch: float | None
    enlarged: tuple[tuple[str, float], ...]


def fill_source(fill: FillSaid) -> Source:
    """Return a gradient of a size as a cut."""
    return Source(_to_solid(draw_gradient(fill.to_gradient(), (fill.height, fill.width), 0, 0, 1, fill.height, fill.width)))  # fmt: skip


def to_piece(cut: PlacedCut, title: str, source: Source, around: int | None) -> Piece:
    """Return a cut of a scene with what it shows, as the core takes it."""
    shadow = None if cut.shadow is None else cut.shadow.to_shadow()
    return Piece(title, source, cut.to_place(), cut.opacity, around, shadow, cut.light, cut.hidden)


def find_enlarged(pieces: Sequence[Piece]) -> tuple[tuple[str, float], ...]:
    """Return the cuts that are shown larger than their own pixels, and how much."""
    return tuple((piece.name, piece.place.scale) for piece in pieces if piece.place.scale > 1)


def open_scene(scene: SceneFile, read: Read, decode: Callable[[bytes], Decoded]) -> Opened:
    """Return a scene with its pictures read, and keyed where they are no cuts yet.

    Raises
    ------
    BadParameterError
        Its base is larger than any picture may be, or is a colour that is none.
    """
    base, dpi = _open_base(scene, read, decode)
    made: dict[tuple[str, str | None], Source] = {}

    def make(cut: SceneCut) -> Source:
        if cut.fill is not None:
            return fill_source(cut.fill)
        assert cut.picture is not None
        key = (cut.picture, cut.recipe)
        if key not in made:  # a picture that is there twice is keyed once
            recipe = Recipe() if cut.recipe is None else read_recipe(read(cut.recipe))
            made[key] = Source(take_cut(decode(read(cut.picture)), recipe))
        return made[key]

    pieces = [
        to_piece(cut, cut.title, make(cut), None if cut.inside is None else find_titled(scene.cuts, cut.inside))
        for cut in scene.cuts
    ]  # fmt: skip
    shown = [piece for piece in pieces if not piece.is_hidden]
    return Opened(Scene(base, pieces), scene.dots_per_inch or dpi, find_enlarged(shown))


def _open_base(scene: SceneFile, read: Read, decode: Callable[[bytes], Decoded]) -> tuple[Base, float | None]:  # fmt: skip
    picture, dpi = None, None
    fill: Gradient | tuple[int, int, int] | None = None
    width, height = scene.width or 1, scene.height or 1
    if scene.base_picture is not None:
        decoded = decode(read(scene.base_picture))
        dpi = decoded.dots_per_inch
        picture = Source(_to_solid(decoded.picture.rgb, decoded.picture.alpha))
        if scene.width is None:
            height, width = picture.height, picture.width
    elif isinstance(scene.base, GradientSaid):
        fill = scene.base.to_gradient()
    elif scene.base is not None:
        fill = _read_colour(scene.base)
    if width * height > MAX_PIXELS:
        raise BadParameterError(
            f"This scene has {width:,} × {height:,} pixels, more than the {MAX_PIXELS:,} that can be drawn.",
            field="width",
        )
    return Base(height, width, fill, picture, scene.cover), dpi


def _to_solid(rgb: NDArray[np.uint8], alpha: NDArray[np.uint8] | None = None) -> Rgba:
    """Return colours with their alpha, or solid."""
    return np.dstack([rgb, np.full(rgb.shape[:2], 255, np.uint8) if alpha is None else alpha])


def _read_colour(text: str) -> tuple[int, int, int]:
    digits = text.removeprefix("#")
    if len(digits) != 6 or any(digit not in "0123456789abcdefABCDEF" for digit in digits):
        raise BadParameterError(f"Expected a colour like #1C325E, got “{text[:40]}”.", field="base")
    return from_hex(text)


def render_scene(
    scene: Scene, kind: str, dots_per_inch: float | None, tick: Tick = no_tick, drawn: Mapping[int, OutlinedLayer] = {}
) -> bytes:  # fmt: skip
    """Return a scene as a file that was read back: ``png``, ``jpeg``, ``webp``, ``avif``, ``pdf``, or with its cuts as layers ``ora`` and ``svg``.

    `drawn` are those cuts, by their numbers, of which SVG holds the outlines.

    Raises
    ------
    BadOutputError
        What was written is not what the scene shows.
    """
    height, width = scene.base.height, scene.base.width
    if kind == "png":
        witness = Witness()
        seen = witness.watch(scene.draw_bands(tick))
        data = b"".join(encode_bands(seen, height, width, dots_per_inch=dots_per_inch))
        witness.check(data, dots_per_inch)
        return data
    data = _write(scene, kind, dots_per_inch, tick, drawn)
    check_scene(scene, kind, data, has_outlines=bool(drawn))
    return data


def _write(scene: Scene, kind: str, dots_per_inch: float | None, tick: Tick, drawn: Mapping[int, OutlinedLayer]) -> bytes:  # fmt: skip
    height, width = scene.base.height, scene.base.width
    if kind == "svg":
        layers = [drawn.get(-1 if one.of is None else one.of) or _to_raster(one) for one in scene.list_layers()]  # fmt: skip
        return write_scene_svg(layers, height, width, dots_per_inch)
    merged = scene.draw(0, 0, 1, height, width, tick=tick)
    if kind == "ora":
        return write_layers([_to_raster(one) for one in scene.list_layers()][::-1], merged, dots_per_inch)  # fmt: skip
    return write_cut(merged, kind, Wish(dots_per_inch))  # type: ignore[arg-type]


def check_scene(scene: Scene, kind: str, data: bytes, *, has_outlines: bool = False) -> None:
    """Read a scene's file back with another reader, and compare what it shows with the scene, a few rows here and there.

    Raises
    ------
    BadOutputError
        It is not of the scene's size, or what it shows is something else.
    """
    height, width = scene.base.height, scene.base.width
    found, _ = read_back(data, kind, (height, width, 4))  # type: ignore[arg-type]
    if found.shape[:2] != (height, width):
        raise BadOutputError(f"The file that was written is {found.shape[1]} × {found.shape[0]} px, not {width} × {height}.")  # fmt: skip
    backdrops = _ON_WHITE if kind == "jpeg" else _BACKDROPS
    is_exact = kind not in _LOSSY and not has_outlines
    most = _EXACT.get(kind, 0) if is_exact else _OFF_OUTLINES if has_outlines else _OFF_LOSSY
    step = max(1, height // _BANDS // _BAND_PX) * _BAND_PX
    for top in range(0, height, step):  # what goes wrong goes wrong all over
        expected = scene.draw(0, top, 1, min(_BAND_PX, height - top), width)
        off = max(_find_off(found[top : top + _BAND_PX], expected, on, is_exact) for on in backdrops)  # fmt: skip
        if off > most:
            raise BadOutputError("The file that was written does not show what the scene shows.", hint="Export it again; nothing that was saved is lost.")  # fmt: skip


def _find_off(found: Rgba, expected: Rgba, backdrop: tuple[int, int, int], is_exact: bool) -> float:
    """Return by how many levels two bands differ, laid on a colour: at a pixel, or in the mean of a block."""
    pair: list[NDArray[Any]] = [lay_on(one, backdrop).astype(np.float32) for one in (found, expected)]  # fmt: skip
    if not is_exact:
        wide = -(-found.shape[1] // _BAND_PX)
        pair = [cv2.resize(band, (wide, 1), interpolation=cv2.INTER_AREA) for band in pair]
    return float(np.abs(pair[0] - pair[1]).max())


def _to_raster(layer: SceneLayer) -> RasterLayer:
    return RasterLayer(layer.name, layer.rgba, layer.left, layer.top, layer.opacity)
