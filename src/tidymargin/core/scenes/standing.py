"""A scene put together: a base, and on it cuts with their shadows, of which any window is drawn at any reduction."""

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.core.scenes.laying import Laid, draw_alone, lay
from tidymargin.core.scenes.placing import Place, Placed
from tidymargin.core.scenes.rims import RimLine, find_lines
from tidymargin.core.scenes.sitting import Shadow, draw_shadow, match_light
from tidymargin.core.scenes.sources import Source

Rgba = NDArray[np.uint8]
Colour = tuple[int, int, int]

_MORE_PX = 8  # around a cut, of what its rim is seen on
_MOST_RIM_PX = 4_000_000
_LIT_PX = 256  # how large the base is looked at to match light
_LEAST_SEEN, _BESIDE = 16, 2  # how solid, of 255, and how near a cut is that a click takes
_BAND_PX = 256
_CLEAR = np.zeros(4, np.uint8)


@dataclass(frozen=True, slots=True)
class Gradient:
    """Two colours and the way from one to the other.

    Parameters
    ----------
    start, end : tuple of int
        sRGB.
    turn : float
        Degrees clockwise; 0 from the top to the bottom.
    """

    start: Colour
    end: Colour
    turn: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Base:
    """What cuts lie on.

    Parameters
    ----------
    height, width : int
        Of the scene, px.
    fill : Colour, Gradient or None
        None for nothing.
    picture : Source, optional
        Over that.
    covers : bool
        Whether the picture is scaled to cover all of it, its middle in the middle; else it lies pixel on pixel in the upper left corner.
    """

    height: int
    width: int
    fill: Colour | Gradient | None = None
    picture: Source | None = None
    covers: bool = True

    @property
    def place(self) -> Place:
        """The picture's."""
        assert self.picture is not None
        height, width = self.picture.height, self.picture.width
        if not self.covers:
            return Place()
        scale = max(self.height / height, self.width / width)
        # whole pixels where nothing is scaled
        left, top = (self.width - width * scale) / 2, (self.height - height * scale) / 2
        return Place(math.floor(left), math.floor(top), 1.0) if scale == 1 else Place(left, top, scale)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Piece:
    """A cut in a scene.

    Parameters
    ----------
    name : str
        As it is called.
    source : Source
        What it shows.
    place : Place
        Where.
    opacity, light : float
        0 to 1.
    inside : int, optional
        The number, among the pieces, of the one within whose matte alone it is seen.
    shadow : Shadow, optional
        That it casts.
    is_hidden : bool
        Whether it is not shown; others may be inside of it all the same.
    """

    name: str
    source: Source
    place: Place
    opacity: float = 1.0
    inside: int | None = None
    shadow: Shadow | None = None
    light: float = 0.0
    is_hidden: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Standing:
    """One thing to be laid: a cut or its shadow."""

    of: int
    is_shadow: bool
    source: Source
    place: Place
    opacity: float
    inside: Piece | None

    def to_laid(self, left: float, top: float, cell: float) -> Laid:
        """Return it as a window shows it."""
        inside = None if self.inside is None else _see(self.inside.source, self.inside.place, left, top, cell)  # fmt: skip
        return Laid(_see(self.source, self.place, left, top, cell), self.opacity, inside)


def see_piece(piece: Piece) -> Standing:
    """Return a piece as it lies there alone, whatever of it is hidden or faded."""
    return Standing(-1, False, piece.source, piece.place, 1.0, None)


@dataclass(frozen=True, slots=True, eq=False)
class SceneLayer:
    """The base, a cut or a shadow as it lies in a scene; `of` is the number of the cut that it is."""

    name: str
    rgba: Rgba
    left: int
    top: int
    opacity: float
    of: int | None


def _see(source: Source, place: Place, left: float, top: float, cell: float) -> Placed:
    return Placed(*source.pick(source.to_figure(place.seen(left, top, cell)), cell))


class Scene:
    """A scene put together.

    Parameters
    ----------
    base : Base
        What the cuts lie on.
    pieces : sequence of Piece
        From the bottom up.
    """

    def __init__(self, base: Base, pieces: Sequence[Piece]) -> None:
        self.base = base
        self.pieces = tuple(pieces)
        self.standings = tuple(self._stand())

    def _stand(self) -> Iterable[Standing]:
        for number, piece in enumerate(self.pieces):
            if piece.is_hidden or piece.source.is_clear:
                continue
            around = None if piece.inside is None else self.pieces[piece.inside]
            if piece.shadow is not None and piece.shadow.amount:
                rgba, place = draw_shadow(piece.source, piece.place, piece.shadow)
                yield Standing(number, True, Source(rgba), place, piece.opacity, around)
            source = self._match(piece) if piece.light else piece.source
            yield Standing(number, False, source, piece.place, piece.opacity, around)

    def _match(self, piece: Piece) -> Source:
        """Return a cut as the base's light would show it."""
        left, top, right, bottom = (round(side) for side in piece.source.surround(piece.place))
        left, top = max(0, left), max(0, top)
        right, bottom = min(self.base.width, right), min(self.base.height, bottom)
        if bottom <= top or right <= left:
            return piece.source
        cell = max(1.0, max(bottom - top, right - left) / _LIT_PX)
        size = (max(1, round((bottom - top) / cell)), max(1, round((right - left) / cell)))
        return piece.source.with_colours(
            lambda rgba: match_light(rgba, self.draw_base(left, top, cell, *size), piece.light)
        )

    def draw_base(self, left: float, top: float, cell: float, height: int, width: int) -> Rgba:
        """Return a window of what the cuts lie on, as `draw` does."""
        out: Rgba = np.empty((height, width, 4), np.uint8)
        fill = self.base.fill
        if isinstance(fill, Gradient):
            out[..., :3] = draw_gradient(fill, (self.base.height, self.base.width), left, top, cell, height, width)  # fmt: skip
            out[..., 3] = 255
        else:
            out[:] = _CLEAR if fill is None else (*fill, 255)
        if self.base.picture is None:
            return out
        placed = _see(self.base.picture, self.base.place, left, top, cell)
        if placed.is_exact and placed.left <= 0 and placed.top <= 0 and placed.right >= width and placed.bottom >= height and self.base.fill is None:  # fmt: skip
            return placed.rgba[-placed.top : height - placed.top, -placed.left : width - placed.left].copy()  # fmt: skip
        return lay(out, [Laid(placed)])

    def draw(
        self, left: float, top: float, cell: float, height: int, width: int, *, tick: Tick = no_tick
    ) -> Rgba:
        """Return a window of the scene, (height, width, 4) uint8 of straight alpha.

        Parameters
        ----------
        left, top : float
            Its corner, px of the scene.
        cell : float
            Pixels of the scene for each of its own, 1 or more.
        """
        laid = [standing.to_laid(left, top, cell) for standing in self.standings]
        return lay(self.draw_base(left, top, cell, height, width), laid, tick)

    def draw_bands(self, tick: Tick = no_tick) -> Iterator[Rgba]:
        """Yield the whole scene from the top in bands of rows, each as `draw` draws it."""
        height, width = self.base.height, self.base.width
        laid = [standing.to_laid(0, 0, 1) for standing in self.standings]
        for top in range(0, height, _BAND_PX):
            tick(top / height)
            rows = min(_BAND_PX, height - top)
            yield lay(self.draw_base(0, top, 1, rows, width), laid, first=top)

    def find_rim_lines(self, number: int) -> list[RimLine]:
        """Return the lines along a cut's rim that what lies below it makes seen, the longest first, in px of the scene."""
        piece = self.pieces[number]
        if piece.is_hidden or piece.source.is_clear:
            return []
        left, top, right, bottom = piece.source.surround(piece.place)
        left, top = max(0, math.floor(left) - _MORE_PX), max(0, math.floor(top) - _MORE_PX)
        right, bottom = min(self.base.width, math.ceil(right) + _MORE_PX), min(self.base.height, math.ceil(bottom) + _MORE_PX)  # fmt: skip
        if right <= left or bottom <= top:
            return []
        cell = max(1.0, math.sqrt((right - left) * (bottom - top) / _MOST_RIM_PX))
        height, width = max(1, int((bottom - top) / cell)), max(1, int((right - left) / cell))
        (own,) = (
            k for k, one in enumerate(self.standings) if one.of == number and not one.is_shadow
        )
        laid = [one.to_laid(left, top, cell) for one in self.standings[: own + 1]]
        behind = lay(self.draw_base(left, top, cell, height, width), laid[:-1])
        alone = lay(np.zeros((height, width, 4), np.uint8), laid[-1:])
        return [
            RimLine(
                line.kind,
                round(line.length_px * cell),
                tuple(round(side + corner * cell) for side, corner in zip((left, top) * 2, line.box, strict=True)),  # type: ignore[arg-type]
            )
            for line in find_lines(alone, behind)
        ]  # fmt: skip

    def list_layers(self) -> list[SceneLayer]:
        """Return the base and each thing on it as it lies in the scene, from the bottom up; what lies beside it is left out."""
        height, width = self.base.height, self.base.width
        found = [SceneLayer("base", self.draw_base(0, 0, 1, height, width), 0, 0, 1.0, None)]
        for standing in self.standings:
            rgba, left, top = draw_alone(standing.to_laid(0, 0, 1), width, height)
            name = self.pieces[standing.of].name
            if standing.is_shadow:
                found.append(SceneLayer(f"{name}, shadow", rgba, left, top, standing.opacity, None))
            elif rgba[..., 3].any():
                found.append(SceneLayer(name, rgba, left, top, standing.opacity, standing.of))
        return found

    def find_at(self, x: float, y: float, cell: float) -> int | None:
        """Return the number of the frontmost cut that shows at a place, or beside it; None where only the base does.

        Parameters
        ----------
        x, y : float
            px of the scene.
        cell : float
            Pixels of the scene for each that is shown.
        """
        side = 2 * _BESIDE + 1
        left, top = math.floor(x / cell - _BESIDE) * cell, math.floor(y / cell - _BESIDE) * cell
        for standing in reversed(self.standings):
            if standing.is_shadow:
                continue
            rgba, _, _ = draw_alone(standing.to_laid(left, top, cell), side, side)
            if rgba[..., 3].max() * standing.opacity >= _LEAST_SEEN:
                return standing.of
        return None


def draw_gradient(
    gradient: Gradient, size: tuple[int, int], left: float, top: float, cell: float, height: int, width: int
) -> Rgba:  # fmt: skip
    """Return a window of a gradient over a size, (height, width, 3) uint8; its ends are the farthest corners along its way."""
    angle = math.radians(gradient.turn)
    down, across = math.cos(angle), -math.sin(angle)
    far = (abs(down) * size[0] + abs(across) * size[1]) / 2
    y = top + (np.arange(height) + 0.5) * cell - size[0] / 2
    x = left + (np.arange(width) + 0.5) * cell - size[1] / 2
    share = np.clip((down * y[:, None] + across * x) / (2 * far) + 0.5, 0, 1)[..., None]
    start, end = np.array(gradient.start, np.float64), np.array(gradient.end, np.float64)
    found: Rgba = np.rint(start + share * (end - start)).astype(np.uint8)
    return found
