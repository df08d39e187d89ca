"""A closed path of lines, arcs and curves, and how far it keeps from the ring that it explains."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Point = tuple[float, float]
_INSIDE_PX = 0.75


@dataclass(frozen=True, slots=True)
class Piece:
    """A line, a curve or an arc of a path; it begins where the piece before it ends.

    Parameters
    ----------
    kind : str
        ``line``, ``curve`` (cubic Bézier) or ``arc`` (of a circle).
    end : tuple of 2 float
        x and y, px.
    first, second : tuple of 2 float
        Of a curve: its inner control points.
    radius : float
        Of an arc, px.
    is_long, is_clockwise : bool
        Of an arc: whether it is more than half its circle, and which way it goes round as seen.
    """

    kind: Literal["line", "curve", "arc"]
    end: Point
    first: Point = (0.0, 0.0)
    second: Point = (0.0, 0.0)
    radius: float = 0.0
    is_long: bool = False
    is_clockwise: bool = False


@dataclass(frozen=True, slots=True)
class Path:
    """A closed path.

    Parameters
    ----------
    start : tuple of 2 float
        Where it begins, and its last piece ends.
    pieces : tuple of Piece
        In order.
    mean_px, worst_px : float
        How far it keeps from its ring on the mean, and at most.
    worst_at : tuple of 2 float
        Where that is.
    corners : tuple of int
        The pieces that begin at a corner.
    """

    start: Point
    pieces: tuple[Piece, ...]
    mean_px: float = 0.0
    worst_px: float = 0.0
    worst_at: Point = (0.0, 0.0)
    corners: tuple[int, ...] = ()

    def list_starts(self) -> list[Point]:
        """Return where each piece begins."""
        return [self.start, *(piece.end for piece in self.pieces[:-1])]

    def flatten(self, apart_px: float = 0.05) -> NDArray[np.float64]:
        """Return places along it, (N, 2), joined by lines that keep within `apart_px` of it; the first is not said again."""
        parts = []
        for start, piece in zip(self.list_starts(), self.pieces, strict=True):
            parts.append(flatten_piece(start, piece, apart_px)[:-1])
        return np.concatenate(parts)

    def find_place(self) -> Point:
        """Return a place that it goes round, close to its longest side, so that nothing that lies in it is around the place as well."""
        line = self.flatten()
        ends = np.roll(line, -1, axis=0)
        ways = ends - line
        lengths = np.hypot(*ways.T)
        k = int(lengths.argmax())
        right = np.array([-ways[k, 1], ways[k, 0]]) / max(float(lengths[k]), 1e-9)
        x, y = (line[k] + ends[k]) / 2 + (_INSIDE_PX if self.area_px > 0 else -_INSIDE_PX) * right
        return float(x), float(y)

    @property
    def area_px(self) -> float:
        """What it takes, px²; negative for a hole."""
        x, y = self.flatten().T
        return float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2


def flatten_piece(start: Point, piece: Piece, apart_px: float) -> NDArray[np.float64]:
    """Return places along a piece, both ends included."""
    if piece.kind == "line":
        return np.array([start, piece.end])
    if piece.kind == "arc":
        middle, first, sweep = find_circle(start, piece)
        step = 2 * np.arccos(max(0.0, 1 - apart_px / max(piece.radius, 1e-9)))
        count = max(4, int(np.ceil(abs(sweep) / max(step, 1e-3))) + 1)
        angles = first + np.linspace(0, sweep, count)
        found = middle + piece.radius * np.column_stack([np.cos(angles), np.sin(angles)])
        found[0], found[-1] = start, piece.end
        return found
    points = np.array([start, piece.first, piece.second, piece.end])
    bend = max(np.hypot(*(points[k] - 2 * points[k + 1] + points[k + 2])) for k in range(2))
    # of a cubic, lines over n even steps keep within 6 bend / 8 n² of it
    count = int(np.clip(np.ceil(np.sqrt(0.75 * bend / apart_px)), 2, 200)) + 1
    return find_places(points, np.linspace(0, 1, count))


def find_places(points: NDArray[np.float64], t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the places of a cubic Bézier curve, of (4, 2) control points, at `t`."""
    return find_shares(t) @ points


def find_shares(t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return what each of a curve's four control points has of its places at `t`, (N, 4)."""
    s = 1 - t
    return np.column_stack([s**3, 3 * s * s * t, 3 * s * t * t, t**3])


def find_circle(start: Point, arc: Piece) -> tuple[NDArray[np.float64], float, float]:
    """Return an arc's middle, the angle at which it begins and how far it goes, rad; clockwise as seen is positive."""
    a, b = np.array(start), np.array(arc.end)
    half = (b - a) / 2
    reach = float(np.hypot(*half))
    height = np.sqrt(max(0.0, arc.radius**2 - reach**2))
    across = np.array([-half[1], half[0]]) / max(reach, 1e-12)
    # on the right of its chord, as seen, for a short one that goes clockwise
    side = 1.0 if arc.is_clockwise != arc.is_long else -1.0
    middle = a + half + side * height * across
    first = float(np.arctan2(*(a - middle)[::-1]))
    last = float(np.arctan2(*(b - middle)[::-1]))
    sweep = (last - first) % (2 * np.pi)
    return middle, first, sweep if arc.is_clockwise else sweep - 2 * np.pi


def to_curves(start: Point, arc: Piece) -> list[Piece]:
    """Return an arc as curves of at most a quarter of its circle each, within 0.03 % of its radius."""
    middle, first, sweep = find_circle(start, arc)
    count = max(1, int(np.ceil(abs(sweep) / (np.pi / 2) - 1e-9)))
    part = sweep / count
    reach = 4 / 3 * np.tan(part / 4) * arc.radius
    found = []
    for k in range(count):
        a, b = first + k * part, first + (k + 1) * part
        p = middle + arc.radius * np.array([np.cos(a), np.sin(a)])
        q = middle + arc.radius * np.array([np.cos(b), np.sin(b)])
        c1 = p + reach * np.array([-np.sin(a), np.cos(a)])
        c2 = q - reach * np.array([-np.sin(b), np.cos(b)])
        end = arc.end if k == count - 1 else (float(q[0]), float(q[1]))
        found.append(Piece("curve", end, tuple(c1.tolist()), tuple(c2.tolist())))
    return found
