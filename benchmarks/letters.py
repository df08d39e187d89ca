"""Pages in two natures: handwriting, pencil or a stamp below a printed logo, a cut-out piece or a sticker.

`python -m benchmarks.letters COUNT [FIRST]` says how many cuts are usable, as parts are told apart and as one nature.
"""

import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np

from benchmarks.elsewhere import MOST_PPM, MOST_RIM
from benchmarks.families import (
    HANDS,
    ICONS,
    LINES,
    TYPES,
    Made,
    draw_pen,
    draw_pencil,
    draw_solid,
    draw_stamp,
)
from benchmarks.score import score_cut
from benchmarks.wide import INKS, draw_piece, draw_sticker, make_ground, soften, take
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.plan import GroundPlan

_HOMES = (HANDS, (*ICONS, *LINES), TYPES)


def make_letter(number: int) -> Made:
    """Return the page of a number, with its true cut."""
    random = np.random.default_rng([57, number])
    side = int(random.integers(300, 900))
    kind, ground = make_ground(random, side, ("flat", "paper", "paper"))
    code = INKS[int(random.integers(0, len(INKS)))]
    small, large = (int(side * random.uniform(*shares)) for shares in ((0.12, 0.4), (0.25, 0.55)))
    icon = ICONS[int(random.integers(0, len(ICONS)))]
    which, how = number % 3, int(random.integers(0, 3))
    if which == 0:
        solid = draw_solid(random, icon, small, code)
    else:
        solid = draw_piece(random, small) if which == 1 else draw_sticker(random, small, icon)
    home = _HOMES[how][int(random.integers(0, len(_HOMES[how])))]
    ink = (draw_pen, draw_pencil, draw_stamp)[how](random, home, large, code)
    figure = np.zeros((side, side, 4), np.float32)
    for drawn, top in ((solid, int(0.03 * side)), (ink, int(0.45 * side))):
        left = int(random.uniform(0.02, 0.96 - len(drawn) / side) * side)
        room = figure[top : top + len(drawn), left : left + len(drawn)]
        room[:] = drawn[: len(room)]
    if random.random() < 0.6:
        figure = soften(random, figure, 1.0)
    alpha = figure[..., 3:] / 255
    mixed = np.clip(figure[..., :3], 0, 255) * alpha + ground * (1 - alpha)
    family = f"{('logo', 'piece', 'sticker')[which]} and {('pen', 'pencil', 'stamp')[how]}"
    is_photo = kind == "paper" or random.random() < 0.5
    true = np.rint(np.clip(figure, 0, 255)).astype(np.uint8)
    return Made(family, "opaque", kind, take(random, mixed, is_photo=is_photo), true)


def _score(number: int) -> tuple[str, int, bool, bool]:
    """Return a page's family, how many of its drawings are cut as ink, and whether its cut is usable so and in one nature."""
    made = make_letter(number)
    picture = Picture(made.rgb)
    facts = measure_sheet(picture)
    together = (
        facts
        if facts.ink_parts is None
        else measure_sheet(picture, GroundPlan(nature=facts.nature))
    )
    usable = []
    for each in (facts, together):
        score = score_cut(cut_out(picture, each).render_whole(), made.true_rgba)
        ppm = 1e6 / score.area * max(score.eaten, score.left)
        usable.append(bool(score.rim < MOST_RIM and ppm < MOST_PPM))
    count = 0 if facts.ink_parts is None else len(facts.ink_parts.boxes)
    return made.family, count, usable[0], usable[1]


def main(count: int = 120, first: int = 0) -> None:
    """Print how many pages come right."""
    with ProcessPoolExecutor(2) as pool:
        seen = list(pool.map(_score, range(first, first + count)))
    for family in (*sorted({s[0] for s in seen}), ""):
        some = [s for s in seen if s[0] == family or not family]
        parted, parts, one = (sum(bool(s[n]) for s in some) for n in (1, 2, 3))
        print(f"{family or 'all':20} {len(some):4} pages, {parted:3} told apart: usable {parts:3}, in one nature {one:3}")  # fmt: skip


if __name__ == "__main__":
    main(*map(int, sys.argv[1:]))
