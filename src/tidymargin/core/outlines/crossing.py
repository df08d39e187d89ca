"""Paths that cross themselves or one another: where they do, their contours stand in their place, which never cross."""

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.outlines.contours import Ring
from tidymargin.core.outlines.paths import Path, Piece, flatten_piece
from tidymargin.core.outlines.tracing import keep_ring, with_distance

if TYPE_CHECKING:
    from shapely import LinearRing

_FLAT_PX = 0.01  # of curves from the lines that are looked at
_ROUNDS = 3  # of pieces that give way; what crosses after them is its whole contour
_FURTHER = 12  # places of a ring, that a piece's end may be beyond its length
_SMALL = 24  # pieces of a path that is not mended, but kept as it is at once


class _Crossing:
    """Looks for paths that cross, and after some were changed at what these cross alone."""

    def __init__(self) -> None:
        self.rings: list[LinearRing | None] = []
        self.paths: list[Path] = []

    def find(self, paths: Sequence[Path]) -> list[int]:
        """Return which paths cross themselves or another one, or go round nothing; of those that stayed, only what changed ones cross."""
        import shapely  # takes a while, and is not needed to read a path

        changed = np.ones(len(paths), np.bool_)
        if self.paths:
            changed[:] = [one is not other for one, other in zip(paths, self.paths, strict=True)]
        else:
            self.rings = [None] * len(paths)
        for k in np.flatnonzero(changed).tolist():
            line = paths[k].flatten(_FLAT_PX)
            self.rings[k] = shapely.LinearRing(line) if len(line) > 2 else None
        self.paths = list(paths)
        found = {k for k, ring in enumerate(self.rings) if ring is None}
        which = np.array([k for k, ring in enumerate(self.rings) if ring is not None], np.int64)
        rings = np.array([self.rings[k] for k in which], object)
        found |= set(which[~shapely.is_simple(rings) & changed[which]].tolist())
        one, other = shapely.STRtree(rings).query(rings)
        sizes = shapely.get_num_coordinates(rings)
        # each pair once, the one of more places first, which is made ready for many
        first = (sizes[one] > sizes[other]) | ((sizes[one] == sizes[other]) & (one < other))
        first &= changed[which[one]] | changed[which[other]]
        one, other = one[first], other[first]
        shapely.prepare(rings)
        # those that only touch, as two squares at a corner do, cross nothing
        crosses = shapely.crosses(rings[one], rings[other])
        return sorted(found | set(which[one[crosses]].tolist()) | set(which[other[crosses]].tolist()))  # fmt: skip


def part_crossing(paths: Sequence[Path], rings: Sequence[Ring]) -> list[Path]:
    """Return a layer's paths, none of which crosses itself or another one, with their rings' own places where they did."""
    found = list(paths)
    kept: set[int] = set()
    number, looking = 0, _Crossing()
    while crossing := [k for k in looking.find(found) if k not in kept]:
        pieces = _find_pieces([found[k] for k in crossing])
        for k, own in zip(crossing, pieces, strict=True):
            if number >= _ROUNDS or not own or len(found[k].pieces) <= _SMALL:
                found[k] = keep_ring(rings[k])
                kept.add(k)
            else:
                found[k] = _give_way(found[k], rings[k], own)
        number += 1
    return found


def _find_pieces(paths: list[Path]) -> list[set[int]]:
    """Return of each path which of its pieces cross another piece, or themselves."""
    import shapely

    at = [(i, k) for i, path in enumerate(paths) for k in range(len(path.pieces))]
    lines = np.array(
        [
            shapely.LineString(flatten_piece(start, piece, _FLAT_PX))
            for path in paths
            for start, piece in zip(path.list_starts(), path.pieces, strict=True)
        ],
        object,
    )
    tree = shapely.STRtree(lines)
    hits = {k for how in ("crosses", "overlaps", "within") for pair in tree.query(lines, predicate=how).T for k in pair if pair[0] != pair[1]}  # fmt: skip
    hits |= set(np.flatnonzero(~shapely.is_simple(lines)).tolist())
    found: list[set[int]] = [set() for _ in paths]
    for k in hits:
        i, piece = at[int(k)]
        found[i].add(piece)
    return found


def _give_way(path: Path, ring: Ring, which: set[int]) -> Path:
    """Return a path with its ring's places in place of some pieces, and its ends there on the ring."""
    starts = path.list_starts()
    count = len(path.pieces)
    spans: dict[int, tuple[int, int]] = {}
    ends: dict[int, int] = {}  # of a path's ends, the place of the ring that it is moved to
    for k in sorted(which):
        following = (k + 1) % count
        first = ends[k] if k in ends else _find_nearest_place(ring, starts[k], 0, len(ring))
        length = np.hypot(*np.diff(flatten_piece(starts[k], path.pieces[k], _FLAT_PX), axis=0).T)
        # along the ring as far as the piece may go, so that it is no other strand
        reach = min(len(ring) // 2, int(2 * length.sum()) + _FURTHER)
        last = ends[following] if following in ends else _find_nearest_place(ring, starts[following], first, reach)  # fmt: skip
        spans[k] = first, (last - first) % len(ring)
        ends[k], ends[following] = first, last
    if any(size > len(ring) // 2 for _, size in spans.values()):
        return keep_ring(ring)
    pieces: list[Piece] = []
    for k, piece in enumerate(path.pieces):
        end = _place_of(ring, ends[(k + 1) % count]) if (k + 1) % count in ends else piece.end
        if k in spans:
            first, size = spans[k]
            pieces += [Piece("line", _place_of(ring, first + step)) for step in range(1, size + 1)]
        elif end == piece.end and k not in ends:
            pieces.append(piece)
        elif piece.kind == "curve":
            pieces.append(Piece("curve", end, piece.first, piece.second))
        else:
            pieces.append(Piece("line", end))
    start = _place_of(ring, ends[0]) if 0 in ends else path.start
    return with_distance(Path(start, tuple(pieces)), ring)


def _find_nearest_place(ring: Ring, place: tuple[float, float], first: int, reach: int) -> int:
    """Return the place of a ring, of so many from a first one on, that is nearest."""
    which = np.arange(first, first + reach + 1) % len(ring)
    return int(which[np.hypot(*(ring[which] - np.array(place)).T).argmin()])


def _place_of(ring: Ring, number: int) -> tuple[float, float]:
    place: NDArray[np.float64] = ring[number % len(ring)]
    return float(place[0]), float(place[1])
