"""A made-up scanner: pages come into a folder one after another, bit by bit, as from a slow device."""

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np

from tidymargin.demo.drawing import mix_over
from tidymargin.demo.grounds import add_grain, make_paper
from tidymargin.demo.sketches import draw_knot_chart, draw_lighthouse, draw_signature
from tidymargin.demo.truth import encode_picture

_DRAWN = (draw_signature, draw_knot_chart, draw_lighthouse)
_PIECES = 8
_STALLS_EVERY = 4
"""Pages between those in whose middle the device stops for longer than anything rests that is done."""

_STALL_S = 5.0
_WIDTH_PX = 900


def make_page(number: int) -> bytes:
    """Return a page as a JPEG: a drawing on paper, another for each number."""
    random = np.random.default_rng([77, number])
    figure = _DRAWN[number % len(_DRAWN)](_WIDTH_PX, random)
    height, width = figure.shape[:2]
    paper = make_paper(height, width, random, darker=float(random.uniform(0.02, 0.15)))
    return encode_picture(add_grain(mix_over(figure, paper), random, 1.0), "jpg", 90)


def scan_into(
    folder: Path,
    pages: int,
    page_s: float,
    wait: Callable[[float], None] = time.sleep,
    stall_s: float = _STALL_S,
) -> Iterator[Path]:
    """Write pages into a folder and yield each when it is whole; every fourth is left half for a while.

    Parameters
    ----------
    folder : Path
        Made where it is not there. A file that is there is never written over.
    pages : int
        How many.
    page_s : float
        How long one takes.
    wait : callable
        Waits so many seconds.
    stall_s : float
        How long the device stops in the middle of every fourth page.
    """
    folder.mkdir(parents=True, exist_ok=True)
    number = 0
    for page in range(1, pages + 1):
        data = make_page(page)
        number += 1
        while (place := folder / f"page-{number:03}.jpg").exists():
            number += 1
        step = -(-len(data) // _PIECES)
        with place.open("xb") as file:
            for piece in range(_PIECES):
                wait(page_s / _PIECES)
                if piece == _PIECES // 2 and page % _STALLS_EVERY == 0:
                    wait(stall_s)
                file.write(data[piece * step : (piece + 1) * step])
                file.flush()
        yield place
