"""Pieces of a cutting line laid out on a sheet of a given size: none nearer to another than a gap, turned where they fit better.

By a skyline, the lowest place first, as in E. K. Burke, G. Kendall and G. Whitwell, "A new placement heuristic for the orthogonal
stock-cutting problem", Operations Research 52, 2004.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.outlines.cutline import CutLine, SheetPlan
from tidymargin.core.outlines.paths import Path, Point

MARKS_MM = 10.0
"""Along a sheet's sides, which marks take."""

Box = tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Placement:
    """Where a piece was laid: turned by a quarter clockwise, or not, then moved.

    Parameters
    ----------
    paths : tuple of Path
        The piece where it was in the picture: its outer line, then its holes.
    is_turned : bool
        Whether it was turned.
    across, down : float
        By which it was moved then, px.
    """

    paths: tuple[Path, ...]
    is_turned: bool
    across: float
    down: float

    def move(self, place: Point) -> Point:
        """Return where a place of the picture lies on the sheet."""
        x, y = (-place[1], place[0]) if self.is_turned else place
        return x + self.across, y + self.down

    def list_moved(self) -> tuple[Path, ...]:
        """Return its lines where they lie on the sheet."""
        return tuple(_move_path(path, self) for path in self.paths)


@dataclass(frozen=True, slots=True)
class Arranged:
    """A sheet with pieces.

    Parameters
    ----------
    line : CutLine
        As large as the sheet, with every piece's lines; its parts are where they are in the picture.
    placements : tuple of Placement
        Of its pieces.
    """

    line: CutLine
    placements: tuple[Placement, ...]


def split_pieces(line: CutLine) -> list[tuple[Path, ...]]:
    """Return a cutting line's pieces, the outer line of each and its holes."""
    pieces: list[list[Path]] = []
    for path in line.paths:
        if path.area_px > 0 or not pieces:
            pieces.append([path])
        else:
            pieces[-1].append(path)
    return [tuple(piece) for piece in pieces]


def arrange(line: CutLine, plan: SheetPlan) -> Arranged:
    """Return a cutting line's pieces laid out on a sheet.

    Parameters
    ----------
    line : CutLine
        Of a picture.
    plan : SheetPlan
        The sheet's size, how often each piece is on it, and how near they may be.

    Raises
    ------
    BadParameterError
        They do not all fit.
    """
    scale = 1 / line.mm_per_px
    gap = plan.gap_mm * scale
    margin = max(plan.gap_mm, MARKS_MM if plan.with_marks else 0.0) * scale
    wide, tall = plan.width_mm * scale, plan.height_mm * scale
    pieces = [piece for piece in split_pieces(line) for _ in range(plan.copies)]
    boxes = [_find_box(piece) for piece in pieces]
    sizes = [(box[2] - box[0] + gap, box[3] - box[1] + gap) for box in boxes]
    order = sorted(range(len(pieces)), key=lambda k: (-max(sizes[k]), k))
    # a gap is beside each piece, to its right and below; the last ones need none
    skyline = _Skyline(wide - 2 * margin + gap, tall - 2 * margin + gap)
    placements: dict[int, Placement] = {}
    for k in order:
        spot = skyline.take(*sizes[k])
        if spot is None:
            said = f"{len(placements)} of {len(pieces)} pieces fit on a sheet of {plan.width_mm:g} × {plan.height_mm:g} mm with gaps of {plan.gap_mm:g} mm."  # fmt: skip
            raise BadParameterError(
                said, hint="Take a larger sheet, fewer copies or a smaller gap.", field="sheet"
            )
        x, y, is_turned = spot
        left, top, _, bottom = boxes[k]
        corner = (-bottom, left) if is_turned else (left, top)
        placements[k] = Placement(pieces[k], is_turned, x + margin - corner[0], y + margin - corner[1])  # fmt: skip
    laid = tuple(placements[k] for k in range(len(pieces)))
    paths = tuple(path for placement in laid for path in placement.list_moved())
    return Arranged(replace(line, width=wide, height=tall, paths=paths), laid)


class _Skyline:
    """How far down a sheet is taken, from left to right: steps of where they begin, and how far down."""

    def __init__(self, wide: float, tall: float) -> None:
        self.wide, self.tall = wide, tall
        self.steps: list[tuple[float, float]] = [(0.0, 0.0)]

    def take(self, wide: float, tall: float) -> tuple[float, float, bool] | None:
        """Take the place for a box that ends highest up, turned or not; None if there is none."""
        best: tuple[float, float, float, bool] | None = None
        for is_turned in (False, True):
            w, h = (tall, wide) if is_turned else (wide, tall)
            for x, _ in self.steps:
                y = self._find_depth(x, x + w)
                if x + w > self.wide + 1e-9 or y + h > self.tall + 1e-9:
                    continue
                if best is None or (y + h, x) < best[:2]:
                    best = (y + h, x, y, is_turned)
        if best is None:
            return None
        bottom, x, y, is_turned = best
        self._lower(x, x + (tall if is_turned else wide), bottom)
        return x, y, is_turned

    def _find_depth(self, left: float, right: float) -> float:
        ends = [x for x, _ in self.steps[1:]] + [math.inf]
        return max(
            depth
            for (x, depth), end in zip(self.steps, ends, strict=True)
            if x < right - 1e-9 and end > left + 1e-9
        )

    def _lower(self, left: float, right: float, depth: float) -> None:
        after = next(d for x, d in reversed(self.steps) if x <= right + 1e-9)
        kept = [step for step in self.steps if step[0] < left - 1e-9]
        later = [step for step in self.steps if step[0] > right + 1e-9]
        self.steps = [*kept, (left, depth), (right, after), *later]


def _find_box(piece: tuple[Path, ...]) -> Box:
    places = piece[0].flatten(0.02)
    (left, top), (right, bottom) = places.min(axis=0).tolist(), places.max(axis=0).tolist()
    return left, top, right, bottom


def _move_path(path: Path, placement: Placement) -> Path:
    """Return a path turned and moved; arcs go round as they did."""
    move = placement.move
    pieces = tuple(
        replace(piece, end=move(piece.end), first=move(piece.first), second=move(piece.second))
        for piece in path.pieces
    )
    return replace(path, start=move(path.start), pieces=pieces, worst_at=move(path.worst_at))


def lay_pieces(cut: NDArray[np.uint8], arranged: Arranged, scale: float) -> NDArray[np.uint8]:
    """Return the picture on each piece of a sheet, as it would be printed, (H, W, 4) uint8 of straight alpha.

    Parameters
    ----------
    cut : (H, W, 4) ndarray of uint8
        The picture, at `scale` of its size.
    scale : float
        Of the sheet as well.
    """
    line = arranged.line
    sheet = np.zeros((round(line.height * scale), round(line.width * scale), 4), np.uint8)
    for placement in arranged.placements:
        left, top, right, bottom = _find_box(placement.paths)
        rows = slice(max(0, math.floor(top * scale)), max(0, math.ceil(bottom * scale)))
        cols = slice(max(0, math.floor(left * scale)), max(0, math.ceil(right * scale)))
        part = cut[rows, cols]
        if not part.size:
            continue
        corner = (cols.start / scale, (rows.start + part.shape[0]) / scale if placement.is_turned else rows.start / scale)  # fmt: skip
        x, y = placement.move(corner)
        part = np.rot90(part, -1) if placement.is_turned else part
        at, down = max(0, round(x * scale)), max(0, round(y * scale))
        into = sheet[down : down + part.shape[0], at : at + part.shape[1]]
        part = part[: into.shape[0], : into.shape[1]]
        # what of a neighbour lies in its box is none of it
        np.copyto(into, part, where=part[..., 3:] > into[..., 3:])
    return sheet
