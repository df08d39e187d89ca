"""What is regular in traced paths: lines that run one way or at right angles, equal widths, and a mirror's two sides.

Each is taken for exact where the contour's noise lets it be: no line or end is moved further than a few times that.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.outlines.paths import Path, Piece, Point

_WITHIN = 2.0  # times the noise that a line may be moved at its ends
_ENDS_WITHIN = 5.0  # and a place where two pieces meet: sharp ones move further than their sides
_LEAST_PX = 4.0  # long, of a line that says which way it runs
_EIGHTH = np.pi / 4  # directions are compared by eighths of a turn
_PARALLEL = 1e-9
_SMOOTH = np.radians(4.0)  # between a line and a curve that goes on from it
_ROUNDS = 30  # of widths that are made equal; each halves what is left
_MOST_LINES = 2000  # beyond them a picture is no drawing of a few shapes
_MOST_MIRRORED = 200  # paths

Vector = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Regular:
    """What was found to be regular.

    Parameters
    ----------
    aligned : int
        Lines that run exactly along or across others, or the picture.
    widths : int
        Distances between facing sides that are equal to another.
    is_mirrored : bool
        Whether all of it is its own mirror image.
    """

    aligned: int = 0
    widths: int = 0
    is_mirrored: bool = False


@dataclass(slots=True, eq=False)
class _Lines:
    """The straight pieces of all paths: where each is, which way it runs (rad), and how far from the origin, px to its right."""

    at: list[tuple[int, int]]
    starts: Vector
    ends: Vector
    angles: Vector
    offsets: Vector
    is_set: NDArray[np.bool_]

    @property
    def lengths(self) -> Vector:
        return np.asarray(np.hypot(*(self.ends - self.starts).T))

    def measure_offsets(self, which: NDArray[np.int64]) -> None:
        middle = (self.starts[which] + self.ends[which]) / 2
        angles = self.angles[which]
        self.offsets[which] = middle[:, 1] * np.cos(angles) - middle[:, 0] * np.sin(angles)


def make_regular(paths: Sequence[Path], noise_px: float) -> tuple[list[Path], Regular]:
    """Return paths with what is regular of them made exact, and what that was.

    Parameters
    ----------
    paths : sequence of Path
        Of one figure; what they know of their contours goes by the old places.
    noise_px : float
        How far contours are off, rms.
    """
    mirrored, is_mirrored = _mirror_together(paths, noise_px)
    lines = _find_lines(mirrored)
    if not 2 <= len(lines.at) <= _MOST_LINES:
        return mirrored, Regular(is_mirrored=is_mirrored)
    aligned = _align(lines, noise_px)
    widths = _even_widths(lines, noise_px)
    return _move_ends(mirrored, lines, noise_px), Regular(aligned, widths, is_mirrored)


def _find_lines(paths: Sequence[Path]) -> _Lines:
    at = [(i, k) for i, path in enumerate(paths) for k, p in enumerate(path.pieces) if p.kind == "line"]  # fmt: skip
    knots = [path.list_starts() for path in paths]
    starts = np.array([knots[i][k] for i, k in at]).reshape(-1, 2)
    ends = np.array([paths[i].pieces[k].end for i, k in at]).reshape(-1, 2)
    ways = ends - starts
    lines = _Lines(at, starts, ends, np.arctan2(ways[:, 1], ways[:, 0]), np.zeros(len(at)), np.zeros(len(at), np.bool_))  # fmt: skip
    lines.measure_offsets(np.arange(len(at)))
    return lines


def _turn_to(angles: Vector, base: float) -> Vector:
    """Return how far directions are from the nearest eighth of a turn from a base, rad."""
    return (angles - base + _EIGHTH / 2) % _EIGHTH - _EIGHTH / 2


def _align(lines: _Lines, noise_px: float) -> int:
    """Turn lines to the picture's own directions, then to one another's, the longest first; return how many were."""
    lengths = lines.lengths
    speaks = lengths >= _LEAST_PX
    order = [-1, *np.argsort(-lengths, kind="stable").tolist()]
    turned = 0
    for seed in order:
        if seed >= 0 and (lines.is_set[seed] or not speaks[seed]):
            continue
        base = 0.0 if seed < 0 else float(lines.angles[seed])
        off = _turn_to(lines.angles, base)
        # the seed's own doubt is the longest line's, and smaller than all others
        alike = ~lines.is_set & speaks & (np.abs(off) * lengths / 2 <= _WITHIN * noise_px)
        which = np.flatnonzero(alike)
        if seed >= 0:
            if len(which) < 2:
                continue
            base += float(np.average(off[which], weights=lengths[which] ** 3))
            off = _turn_to(lines.angles, base)
        lines.angles[which] -= off[which]
        lines.is_set[which] = True
        lines.measure_offsets(which)
        turned += len(which)
    return turned


def _even_widths(lines: _Lines, noise_px: float) -> int:
    """Lay lines of one direction on each other that nearly are, and make widths equal that nearly are; return how many widths."""
    facing = list(_list_facing(lines))
    ways, lengths = _group_by_way(lines), lines.lengths
    _lay_together(lines, ways, lengths, noise_px)
    groups = _group_widths(lines, facing, noise_px)
    before = lines.offsets.copy()
    for _ in range(_ROUNDS if groups else 0):
        for group in groups:
            wide = [_measure_width(lines, a, b) for a, b in group]
            aim = float(np.average(wide, weights=[min(lengths[a], lengths[b]) for a, b in group]))
            for (a, b), now in zip(group, wide, strict=True):
                share = lengths[b] / (lengths[a] + lengths[b])
                # what faces runs the other way, so that both offsets grow with the width
                lines.offsets[a] += share * (now - aim)
                lines.offsets[b] += (1 - share) * (now - aim)
        _lay_together(lines, ways, lengths, noise_px)
    far = np.abs(lines.offsets - before) > _WITHIN * noise_px
    lines.offsets[far] = before[far]
    return sum(map(len, groups))


def _measure_width(lines: _Lines, a: int, b: int) -> float:
    """Return how far apart two lines are that face each other: what is solid lies to the right of both."""
    return -float(lines.offsets[a] + lines.offsets[b])


def _list_facing(lines: _Lines) -> Iterator[tuple[int, int]]:
    """Yield pairs of lines that run against each other with what is solid between them, each with its nearest."""
    which = np.flatnonzero(lines.is_set)
    ways = np.column_stack([np.cos(lines.angles), np.sin(lines.angles)])
    seen = set()
    for a in which.tolist():
        against = which[np.abs(np.cos(lines.angles[which] - lines.angles[a]) + 1) < _PARALLEL]
        if not len(against):
            continue
        along = np.sort([lines.starts[a] @ ways[a], lines.ends[a] @ ways[a]])
        one, other = lines.starts[against] @ ways[a], lines.ends[against] @ ways[a]
        common = np.minimum(along[1], np.maximum(one, other)) - np.maximum(along[0], np.minimum(one, other))  # fmt: skip
        wide = lines.offsets[against] + lines.offsets[a]
        fits = (common > 0.3 * np.minimum(along[1] - along[0], np.abs(one - other))) & (-wide > 0)
        if not fits.any():
            continue
        b = int(against[fits][np.argmin(-wide[fits])])
        pair = (min(a, b), max(a, b))
        if pair not in seen:
            seen.add(pair)
            yield pair


def _group_by_way(lines: _Lines) -> list[NDArray[np.int64]]:
    """Return which lines run one way exactly, where more than one does."""
    which = np.flatnonzero(lines.is_set)
    keys = np.round(np.column_stack([np.cos(lines.angles[which]), np.sin(lines.angles[which])]), 6) + 0.0  # fmt: skip
    _, group = np.unique(keys, axis=0, return_inverse=True)
    order = np.argsort(group.ravel(), kind="stable")
    cuts = np.flatnonzero(np.diff(group.ravel()[order])) + 1
    return [same for same in np.split(which[order], cuts) if len(same) > 1]


def _lay_together(lines: _Lines, ways: list[NDArray[np.int64]], lengths: Vector, noise_px: float) -> None:  # fmt: skip
    """Give lines that run the same way, and all but on each other, one place."""
    for way in ways:
        same = way[np.argsort(lines.offsets[way], kind="stable")]
        if not (np.diff(lines.offsets[same]) <= _WITHIN * noise_px).any():
            continue
        for run in _split_runs(lines.offsets[same], _WITHIN * noise_px):
            if len(run) > 1:
                lines.offsets[same[run]] = np.average(lines.offsets[same[run]], weights=lengths[same[run]])  # fmt: skip


def _split_runs(values: Vector, most: float) -> Iterator[NDArray[np.int64]]:
    """Yield where runs of ordered values are that differ by so much at most from first to last."""
    first = 0
    for k in range(1, len(values) + 1):
        if k == len(values) or values[k] - values[first] > most:
            yield np.arange(first, k)
            first = k


def _group_widths(lines: _Lines, facing: list[tuple[int, int]], noise_px: float) -> list[list[tuple[int, int]]]:  # fmt: skip
    """Return pairs of facing lines by their width, where more than one have it."""
    if not facing:
        return []
    wide = np.array([_measure_width(lines, a, b) for a, b in facing])
    order = np.argsort(wide, kind="stable")
    runs = _split_runs(wide[order], _WITHIN * noise_px)
    return [[facing[k] for k in order[run].tolist()] for run in runs if len(run) > 1]


def _move_ends(paths: Sequence[Path], lines: _Lines, noise_px: float) -> list[Path]:
    """Return paths whose straight pieces lie where the lines were moved to, with what is beside them moved along."""
    number = {at: k for k, at in enumerate(lines.at)}
    found = []
    for i, path in enumerate(paths):
        count = len(path.pieces)
        own = [number.get((i, k), -1) for k in range(count)]
        if not any(k >= 0 and lines.is_set[k] for k in own):
            found.append(path)
            continue
        old = np.array(path.list_starts())
        new = np.array([_find_end(old[k], own[k - 1], own[k], lines, noise_px) for k in range(count)])  # fmt: skip
        found.append(_with_ends(path, old, new, own, lines))
    return found


def _find_end(at: Vector, before: int, after: int, lines: _Lines, noise_px: float) -> Vector:
    """Return where two pieces meet, one of which or both are lines; where that is far off, the old place."""
    sides = [k for k in (before, after) if k >= 0]
    normals = np.array([(-np.sin(lines.angles[k]), np.cos(lines.angles[k])) for k in sides]).reshape(-1, 2)  # fmt: skip
    if not any(lines.is_set[k] for k in sides):
        return at
    left = lines.offsets[sides] - normals @ at
    # the least move that lies on both; on one, straight towards it
    move = np.linalg.lstsq(normals, left, rcond=1e-3)[0]
    return at + move if float(np.hypot(*move)) <= _ENDS_WITHIN * noise_px else at


def _with_ends(path: Path, old: Vector, new: Vector, own: list[int], lines: _Lines) -> Path:
    """Return a path with its ends moved, and the handles beside them; what went on smoothly from a line still does."""
    count = len(path.pieces)
    pieces = []
    for k, piece in enumerate(path.pieces):
        following = (k + 1) % count
        a, b = new[k], new[following]
        end = (float(b[0]), float(b[1]))
        if piece.kind == "line":
            pieces.append(Piece("line", end))
        elif piece.kind == "arc":
            chord = float(np.hypot(*(b - a)))
            pieces.append(replace(piece, end=end, radius=max(piece.radius, chord / 2)))
        else:
            first = _carry(np.array(piece.first), old[k], a, own[k - 1], lines)
            second = _carry(np.array(piece.second), old[following], b, own[following], lines)
            pieces.append(Piece("curve", end, first, second))
    return replace(path, start=(float(new[0, 0]), float(new[0, 1])), pieces=tuple(pieces))


def _carry(handle: Vector, old: Vector, new: Vector, line: int, lines: _Lines) -> Point:
    reach = handle - old
    moved = new + reach
    if line >= 0 and lines.is_set[line]:
        way = np.array([np.cos(lines.angles[line]), np.sin(lines.angles[line])])
        along, across = float(reach @ way), float(reach[1] * way[0] - reach[0] * way[1])
        if abs(np.arctan2(across, abs(along))) < _SMOOTH:
            moved = new + along * way
    return float(moved[0]), float(moved[1])


def _mirror_together(paths: Sequence[Path], noise_px: float) -> tuple[list[Path], bool]:
    """Return paths that are a mirror image of themselves exactly, where all but that they are."""
    if not 0 < len(paths) <= _MOST_MIRRORED:
        return list(paths), False
    areas = np.array([path.area_px for path in paths])
    middles = np.array([_find_centroid(path) for path in paths])
    if abs(areas.sum()) < 1.0:
        return list(paths), False
    middle = (middles * areas[:, None]).sum(axis=0) / areas.sum()
    for angle in (np.pi / 2, 0.0, np.pi / 4, -np.pi / 4):
        across = np.array([-np.sin(angle), np.cos(angle)])
        partners = _match(paths, middle, across, noise_px)
        if partners is not None:
            return _average(paths, partners, across), True
    return list(paths), False


def _find_centroid(path: Path) -> Vector:
    line = path.flatten()
    x, y = line.T
    cross = x * np.roll(y, -1) - np.roll(x, -1) * y
    total = float(cross.sum())
    if abs(total) < 1e-9:
        return np.asarray(line.mean(axis=0))
    return np.array([((x + np.roll(x, -1)) * cross).sum(), ((y + np.roll(y, -1)) * cross).sum()]) / (3 * total)  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Partner:
    """The path that is another one's mirror image, the first of its ends' partner among its ends, and where the mirror stands, px across."""

    path: int
    first: int


def _match(paths: Sequence[Path], middle: Vector, across: Vector, noise_px: float) -> tuple[list[_Partner], float] | None:  # fmt: skip
    """Return each path's partner across a mirror, if all have one: the same pieces the other way round, with their ends where it shows them."""
    ends = [np.array(path.list_starts()) for path in paths]
    partners: list[_Partner] = []
    stands: list[float] = []
    for i, path in enumerate(paths):
        seen = _reflect(ends[i], across, float(middle @ across))
        found = None
        for j, other in enumerate(paths):
            if len(other.pieces) != len(path.pieces):
                continue
            first = int(np.hypot(*(ends[j] - seen[0]).T).argmin())
            order = (first - np.arange(len(seen))) % len(seen)
            off = np.hypot(*(ends[j][order] - seen).T)
            kinds = all(path.pieces[k].kind == other.pieces[(order[k] - 1) % len(seen)].kind for k in range(len(seen)))  # fmt: skip
            if kinds and off.max() <= 2 * _ENDS_WITHIN * noise_px and np.median(off) <= _WITHIN * noise_px:  # fmt: skip
                found = _Partner(j, first)
                stands += ((ends[i] + ends[j][order]) @ across / 2).tolist()
                break
        if found is None:
            return None
        partners.append(found)
    return partners, float(np.mean(stands))


def _reflect(places: Vector, across: Vector, stands: float) -> Vector:
    return np.asarray(places - 2 * ((places @ across) - stands)[..., None] * across)


def _average(paths: Sequence[Path], partners: tuple[list[_Partner], float], across: Vector) -> list[Path]:  # fmt: skip
    """Return each path half way to its partner's mirror image."""
    matched, stands = partners

    def halfway(one: Point, other: Point) -> Point:
        x, y = (np.array(one) + _reflect(np.array(other), across, stands)) / 2
        return float(x), float(y)

    found = []
    for i, path in enumerate(paths):
        partner = paths[matched[i].path]
        starts, count = partner.list_starts(), len(partner.pieces)
        pieces = []
        for k, piece in enumerate(path.pieces):
            # what goes from k on goes, in the mirror, to where k is seen
            other = partner.pieces[(matched[i].first - k - 1) % count]
            end = halfway(piece.end, starts[(matched[i].first - k - 1) % count])
            made = replace(piece, end=end)
            if piece.kind == "curve":
                made = replace(made, first=halfway(piece.first, other.second), second=halfway(piece.second, other.first))  # fmt: skip
            elif piece.kind == "arc":
                made = replace(made, radius=(piece.radius + other.radius) / 2)
            pieces.append(made)
        start = halfway(path.start, starts[matched[i].first])
        found.append(replace(path, start=start, pieces=tuple(pieces)))
    return found
