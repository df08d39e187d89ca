"""Solid things that are not wanted: punched holes and their like, found as groups by likeness and place, and dust."""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.components import Pieces, find_standing
from tidymargin.core.base.picture import Region
from tidymargin.core.suggest.dust import Specks, find_specks

Edge = Literal["left", "right", "top", "bottom"]

_LEAST_MEMBERS = 4  # that make a row; typed
_ALIKE = 0.22  # how far areas and sides of a group may differ
_BAND = 0.14  # how much of the sheet counts as along an edge
_IN_LINE = 0.02  # of the picture's side; typed
_MOST_PIECES = 4000  # among which a row is looked for: speed
_LONGER = 2.2  # times as long as wide, at which a bit is compact no more; as crumbs have it
_ALIKE_SPREAD = 0.25  # of log area, within which strays are of one kind; typed


@dataclass(frozen=True, slots=True)
class StrayGroup:
    """Pieces that are alike and stand in a line along an edge.

    Parameters
    ----------
    places : tuple of (row, col)
        A place in each piece.
    edge : str
        The edge that they stand along.
    area_px : int
        What they cover together.
    box : Region
        Around one of them, for a picture.
    """

    places: tuple[tuple[int, int], ...]
    edge: Edge
    area_px: int
    box: Region


def find_strays(standing: Pieces, least_px: int = 12) -> tuple[StrayGroup, ...]:
    """Find groups of pieces that look like a pad's holes or a film's perforation.

    Parameters
    ----------
    standing : Pieces
        The pieces of a cut.
    least_px : int
        Smaller pieces are crumbs and not looked at.

    Returns
    -------
    tuple of StrayGroup
        Of at least four compact pieces each, alike in size and in one line along an edge.
    """
    stats, middles = standing.stats, standing.middles
    height, width = standing.shape
    sides = stats[:, [cv2.CC_STAT_WIDTH, cv2.CC_STAT_HEIGHT]].astype(np.float64)
    areas = standing.areas.astype(np.float64)
    compact = (areas >= least_px) & (areas > 0.5 * sides.prod(axis=1))
    compact &= sides.max(axis=1) < _LONGER * sides.min(axis=1)
    compact[0] = False
    if not _LEAST_MEMBERS <= int(compact.sum()) <= _MOST_PIECES:
        return ()
    groups: list[StrayGroup] = []
    free = compact.copy()
    for edge, along, at in (
        ("left", middles[:, 0] / width, 0), ("right", 1 - middles[:, 0] / width, 0),
        ("top", middles[:, 1] / height, 1), ("bottom", 1 - middles[:, 1] / height, 1),
    ):  # fmt: skip
        near = np.flatnonzero(free & (along < _BAND))
        for seed in near[np.argsort(-areas[near])]:
            if not free[seed]:
                continue
            alike = np.abs(areas[near] - areas[seed]) <= _ALIKE * areas[seed]
            alike &= np.abs(along[near] - along[seed]) <= _IN_LINE
            members = near[alike & free[near]]
            if len(members) < _LEAST_MEMBERS:
                continue
            spread = np.ptp(middles[members, 1 - at]) / (height if at == 0 else width)
            if spread < _ALIKE_SPREAD:
                continue
            free[members] = False
            groups.append(
                StrayGroup(
                    tuple((int(row), int(col)) for row, col in standing.starts[members]),
                    edge,  # type: ignore[arg-type]  # one of the four above
                    int(areas[members].sum()),
                    standing.box(int(members[0])),
                )
            )
    return tuple(groups)


@dataclass(frozen=True, slots=True)
class Unwanted:
    """Solid things that may not be wanted: groups along an edge, and dust."""

    groups: tuple[StrayGroup, ...]
    specks: Specks | None


def find_unwanted(cleared: NDArray[np.bool_]) -> Unwanted:
    """Find solid things that may not be wanted; `cleared`, (H, W) bool, is what is cleared."""
    standing = find_standing(cleared)
    return Unwanted(find_strays(standing), find_specks(cleared, standing))


def drop_pieces(
    cleared: NDArray[np.bool_], places: tuple[tuple[int, int], ...]
) -> NDArray[np.bool_]:
    """Return what is cleared once the standing pieces at those places are cleared too.

    Parameters
    ----------
    cleared : (H, W) ndarray of bool
        Not modified.
    places : tuple of (row, col)
        A place where nothing stands drops nothing.
    """
    standing = find_standing(cleared)
    drops = np.zeros(len(standing.stats), np.bool_)
    for row, col in places:
        drops[standing.at(row, col)] = True
    drops[0] = False
    out = cleared.copy()
    standing.mark(drops, out)
    return out
