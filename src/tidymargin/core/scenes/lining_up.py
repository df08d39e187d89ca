"""Lining cuts up: places where one that is moved meets what else is there, and several aligned or spread evenly."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

Box = tuple[float, float, float, float]
"""Left, top, right, bottom, px of the scene."""

Axis = Literal["across", "down"]
Side = Literal["first", "middle", "last"]
"""Left, middle, right; or top, middle, bottom."""


@dataclass(frozen=True, slots=True)
class Stop:
    """A place where a moved box meets something.

    Parameters
    ----------
    at : float
        Of its left or upper side then, px.
    line : float
        Where they meet, px.
    kind : str
        ``edge``, ``middle`` or ``gap``.
    of : str
        What it meets: a cut's name; nothing for the scene itself.
    """

    at: float
    line: float
    kind: Literal["edge", "middle", "gap"]
    of: str = ""


def _along(box: Box, axis: Axis) -> tuple[float, float]:
    return (box[0], box[2]) if axis == "across" else (box[1], box[3])


def list_stops(held: Box, others: Sequence[tuple[str, Box]], size: tuple[float, float], axis: Axis) -> list[Stop]:  # fmt: skip
    """Return the places where a box meets edges and middles of a scene and of others, or stands at equal distances.

    Parameters
    ----------
    held : Box
        What is moved.
    others : sequence of (str, Box)
        What else is there, with names.
    size : tuple of float
        Of the scene: width, height.
    axis : str
        ``across`` or ``down``.
    """
    first, last = _along(held, axis)
    long = last - first
    whole = size[0] if axis == "across" else size[1]
    found = []
    for name, (begins, ends) in [("", (0.0, whole)), *((name, _along(box, axis)) for name, box in others)]:  # fmt: skip
        for line in (begins, ends):
            found += [Stop(line, line, "edge", name), Stop(line - long, line, "edge", name)]
        middle = (begins + ends) / 2
        found.append(Stop(middle - long / 2, middle, "middle", name))
    found += _list_gaps(long, [(name, *_along(box, axis)) for name, box in others])
    return found


def _list_gaps(long: float, others: list[tuple[str, float, float]]) -> Iterator[Stop]:
    """Yield where a box is as far from its neighbour as that from the next, or in the middle between two."""
    for (_, a_first, a_last), (name, b_first, b_last) in pairwise(sorted(others, key=lambda other: other[1])):  # fmt: skip
        gap = b_first - a_last
        if gap <= 0:
            continue
        yield Stop(b_last + gap, b_last + gap, "gap", name)
        yield Stop(a_first - gap - long, a_first - gap, "gap", name)
        if gap > long:
            yield Stop((a_last + b_first - long) / 2, (a_last + b_first) / 2, "gap", name)


def align(boxes: Sequence[Box], axis: Axis, side: Side, size: tuple[float, float]) -> list[float]:
    """Return how far each box is moved along an axis to be in line with the others; a single one, with the scene."""
    spans = [_along(box, axis) for box in boxes]
    if len(boxes) == 1:
        first, last = 0.0, size[0] if axis == "across" else size[1]
    else:
        first, last = min(span[0] for span in spans), max(span[1] for span in spans)
    if side == "first":
        return [first - span[0] for span in spans]
    if side == "last":
        return [last - span[1] for span in spans]
    return [(first + last - span[0] - span[1]) / 2 for span in spans]


def spread(boxes: Sequence[Box], axis: Axis) -> list[float]:
    """Return how far each box is moved along an axis so that the distances between them are equal; the outermost stay."""
    spans = [_along(box, axis) for box in boxes]
    order = sorted(range(len(boxes)), key=lambda number: sum(spans[number]))
    if len(order) < 3:
        return [0.0] * len(boxes)
    begins, ends = spans[order[0]][0], spans[order[-1]][1]
    gap = (ends - begins - sum(span[1] - span[0] for span in spans)) / (len(order) - 1)
    moves, at = [0.0] * len(boxes), begins
    for number in order:
        moves[number] = at - spans[number][0]
        at += spans[number][1] - spans[number][0] + gap
    moves[order[0]] = moves[order[-1]] = 0.0
    return moves
