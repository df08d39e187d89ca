"""A window of a scene taken apart for a hand that moves some of its cuts: what stays, what moves, and within what it shows."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.scenes.laying import Laid, lay
from tidymargin.core.scenes.standing import Scene, Standing, see_piece

Rgba = NDArray[np.uint8]

_MOST_PARTS = 12  # each is as large as the window at worst

Kind = tuple[bool, int | None]


@dataclass(frozen=True, slots=True, eq=False)
class Film:
    """A picture that is laid on a window.

    Parameters
    ----------
    rgba : (H, W, 4) ndarray of uint8
        Straight alpha.
    left, top : int
        Where it begins, px of the window; what moves may begin before it.
    moves : bool
        Whether the hand has it.
    """

    rgba: Rgba
    left: int
    top: int
    moves: bool


@dataclass(frozen=True, slots=True, eq=False)
class Part:
    """A film, and the one within whose matte alone it shows where only one of the two moves."""

    film: Film
    within: Film | None = None


def lift_cuts(
    scene: Scene, chosen: set[int], left: float, top: float, cell: float, height: int, width: int
) -> list[Part]:
    """Return a window of a scene as parts to be laid on one another, the base with what lies lowest first.

    Laid where they are they show what `Scene.draw` does. What moves is there beyond the window as well, by half of it on each side.

    Parameters
    ----------
    chosen : set of int
        Numbers of the pieces that the hand has.
    left, top, cell, height, width :
        As in `Scene.draw`.
    """

    def find_kind(standing: Standing) -> Kind:
        moves, inside = standing.of in chosen, scene.pieces[standing.of].inside
        return moves, None if inside is None or (inside in chosen) == moves else inside

    def to_runs(standings: Sequence[Standing]) -> list[tuple[Kind, list[Standing]]]:
        """Join what may be drawn as one: two that show within a soft matte would cover one another otherwise there."""
        runs: list[tuple[Kind, list[Standing]]] = []
        for kind, run in groupby(standings, find_kind):
            like = list(run)
            runs += [(kind, like)] if kind[1] is None else [(kind, [one]) for one in like]
        return runs

    runs = to_runs(scene.standings)
    if len(runs) > _MOST_PARTS:  # while they are moved, all of them lie where the lowest does
        first = next(k for k, one in enumerate(scene.standings) if find_kind(one) != (False, None))
        rest = sorted(scene.standings[first:], key=lambda one: find_kind(one) == (False, None))
        runs = to_runs([*scene.standings[:first], *rest])
    window = (0, 0, width, height)
    beyond = (-(width // 2), -(height // 2), width + width // 2, height + height // 2)

    def draw(standings: Sequence[Standing], moves: bool) -> Film | None:
        around = beyond if moves else window
        boxes = [one.to_laid(left, top, cell).placed for one in standings]
        first, last = max(around[0], min(b.left for b in boxes)), min(around[2], max(b.right for b in boxes))  # fmt: skip
        upper, lower = max(around[1], min(b.top for b in boxes)), min(around[3], max(b.bottom for b in boxes))  # fmt: skip
        if last <= first or lower <= upper:
            return None
        laid = [one.to_laid(left + first * cell, top + upper * cell, cell) for one in standings]
        return Film(lay(np.zeros((lower - upper, last - first, 4), np.uint8), laid), first, upper, moves)  # fmt: skip

    lowest: list[Laid] = []
    if runs and runs[0][0] == (False, None):
        lowest = [one.to_laid(left, top, cell) for one in runs.pop(0)[1]]
    base = lay(scene.draw_base(left, top, cell, height, width), lowest)
    parts = [Part(Film(base, 0, 0, False))]
    for (moves, inside), run in runs:
        if inside is None:
            film, within = draw(run, moves), None
        else:
            film = draw([replace(one, inside=None) for one in run], moves)
            within = draw([see_piece(scene.pieces[inside])], not moves)
            if within is None:
                continue
        if film is not None:
            parts.append(Part(film, within))
    return parts
