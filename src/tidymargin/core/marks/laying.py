"""Laying marks over a cut: where each covers a pixel by part, it decides of that part.

A mark that clears takes its cover off the matte; one that keeps lays the picture as it came over the cut, by its cover (T. Porter
and T. Duff, "Compositing digital images", 1984: over). So its edge is as sharp as it was drawn, at any zoom. What was
worked out, by the key or in a band, is brought back by a mark that says so after another one that decided.
"""

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.part import Part
from tidymargin.core.base.picture import Region
from tidymargin.core.marks.covering import cover, cover_edge
from tidymargin.core.marks.plan import Mark, MarksPlan

Layer = NDArray[np.float32]


def lay_marks(plan: MarksPlan, part: Part) -> None:
    """Lay marks over what is solved of a part, in their order."""
    there = part.where(part.solved_px)
    marks = plan.near(there).marks
    if not marks:
        return
    near, window = part.near(part.solved_px), part.window(part.solved_px)
    share, figure, rgb = part.share[window], part.figure[window], part.rgb[near]
    solved = share.copy(), figure.copy()
    is_solved = True  # nothing but what was worked out stands there yet
    for mark in marks:
        if mark.like is not None:
            if not is_solved:
                _bring_back_some(mark, cover(mark, there), share, figure, solved)
            continue
        if mark.verdict == "solve":
            if not is_solved:
                _bring_back(cover(mark, there), share, figure, solved)
            continue
        band = cover_edge(mark, there)
        decided = cover(mark, there) * (1 - band)
        if not is_solved and band.any():
            _bring_back(band, share, figure, solved)
        if mark.verdict == "clear":
            share *= 1 - decided
        else:
            _lay_over(rgb, decided, share, figure)
        is_solved = False


def _lay_over(rgb: NDArray[np.uint8], covered: Layer, share: Layer, figure: Layer) -> None:
    left = share * (1 - covered)
    both = left + covered
    weight = (covered / np.maximum(both, 1e-6))[..., None]
    figure += weight * (rgb - figure)
    share[:] = both


def _bring_back(covered: Layer, share: Layer, figure: Layer, solved: tuple[Layer, Layer]) -> None:
    """Bring back what was worked out, by what is covered."""
    left, back = share * (1 - covered), solved[0] * covered
    weight = (back / np.maximum(left + back, 1e-6))[..., None]
    figure += weight * (solved[1] - figure)
    share[:] = left + back


def _bring_back_some(
    mark: Mark, covered: Layer, share: Layer, figure: Layer, solved: tuple[Layer, Layer]
) -> None:
    """Bring back what a mark worked out where it is what it wants: less to be seen, or more."""
    wanted = solved[0] < share if mark.verdict == "clear" else solved[0] > share
    _bring_back(np.where(wanted, covered, 0), share, figure, solved)


def lay_on_share(plan: MarksPlan, region: Region, share: Layer) -> Layer:
    """Lay what marks decide over a matte before any rim is solved, (h, w) 0 to 1, in place; return how much they decide."""
    decided = np.zeros_like(share)
    for mark in plan.near(region).marks:
        if mark.like is not None or mark.verdict == "solve":
            continue
        covered = cover(mark, region)
        share *= 1 - covered
        if mark.verdict == "keep":
            share += covered
        np.maximum(decided, covered, out=decided)
    return decided


def lay_on_mask(plan: MarksPlan, region: Region, stands: NDArray[np.bool_]) -> None:
    """Lay what marks decide for sure over a mask of what stands in a region, (h, w) bool, in place."""
    for mark in plan.near(region).marks:
        if mark.like is None and mark.verdict != "solve":
            stands[cover(mark, region) > 0.5] = mark.verdict == "keep"
