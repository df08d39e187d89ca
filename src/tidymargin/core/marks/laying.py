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
    comes_back = any(mark.like or mark.solved_px > 0 for mark in marks[1:])
    solved = (share.copy(), figure.copy()) if comes_back else (share, figure)
    is_solved = True  # nothing but what was worked out stands there yet
    for mark in marks:
        here = mark.box.within(there)
        inner = here.seen_from(there).slices
        was = solved[0][inner], solved[1][inner]
        is_solved = _lay_one(mark, here, (rgb[inner], share[inner], figure[inner]), was, is_solved)


def _lay_one(
    mark: Mark, here: Region, layers: tuple[NDArray[np.uint8], Layer, Layer], solved: tuple[Layer, Layer], is_solved: bool
) -> bool:  # fmt: skip
    """Lay a mark over its part of a region; return whether nothing but what was worked out stands there still."""
    rgb, share, figure = layers
    if mark.like is not None or mark.verdict == "solve":
        if not is_solved:
            covered = cover(mark, here)
            if mark.like is not None:
                wanted = solved[0] < share if mark.verdict == "clear" else solved[0] > share
                covered = np.where(wanted, covered, 0)
            _bring_back(covered, share, figure, solved)
        return is_solved
    decided = cover(mark, here)
    if mark.edge_px > 0:
        band = cover_edge(mark, here)
        decided *= 1 - band
        if not is_solved:
            _bring_back(band, share, figure, solved)
    if mark.verdict == "clear":
        share *= 1 - decided
    else:
        _lay_over(rgb, decided, share, figure)
    return False


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
