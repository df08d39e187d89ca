"""Work on one sheet through the services and print, as JSON, what that takes over its floors."""

import json
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from benchmarks.keying import key_file
from tidymargin.core.ground.difference import measure_difference
from tidymargin.core.reach.clearing import seed_outside
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.encode import encode_quick
from tidymargin.formats.recipe import Recipe
from tidymargin.process import hold_memory_low
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.warming import warm_kernels
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.finding import load_narrows, load_unwanted
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.viewing import render_draft, render_original, render_view
from tidymargin.services.views.windows import View
from tidymargin.services.workshop.workshop import Workshop, open_workshop
from tidymargin.store.values import Sheet

_VIEW = (1100, 700)
_MOVES = 7
_ROUNDS = 3  # of each sheet, since other work on the machine disturbs single ones
_LARGE_PX = 40_000_000


def timed(call: Callable[[], object]) -> float:
    """Return how long a call takes, in seconds."""
    start = time.perf_counter()
    call()
    return time.perf_counter() - start


def _peak_mb() -> float:
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) / 1024


def _children_mb() -> float:
    """Return the most that processes of ours have taken that they share with nobody, of those that are there now."""
    held = 0
    for status in Path("/proc").glob("[0-9]*/status"):
        text = status.read_text()
        if f"PPid:\t{os.getpid()}\n" in text:
            held += int(text.split("RssAnon:")[1].split()[0])
    return held / 1024


def list_views(height: int, width: int) -> dict[str, View]:
    """Return the views that a person has of a sheet: all of it, as it is, and close to."""
    wide, tall = _VIEW
    cell = max(1.0, width / wide, height / tall)
    top, left = max(0, height // 8 - tall // 2), max(0, width // 2 - wide // 2)
    quarter = View(left, top, 1, min(width, wide // 4), min(height, tall // 4))
    return {
        "whole": View(0, 0, cell, int(width / cell), int(height / cell)),
        "100 %": View(left, top, 1, min(width, wide), min(height, tall)),
        "400 %": quarter,
    }


def _measure_moves(workshop: Workshop, sheet: Sheet) -> dict[str, float]:
    """Return, by view, the median time of a control moved over encoding what is seen as PNG."""
    facts = load_measured(workshop, sheet).facts
    found = {}
    for name, view in list_views(*facts.outside.shape).items():
        seen = render_view(workshop, sheet, view)
        render_view(workshop, sheet, view, facts.calm.tolerance + 0.2)
        times = []
        for number in range(2, _MOVES + 2):
            tried = round(facts.calm.tolerance + 0.2 * number, 1)
            times.append(timed(lambda v=view, t=tried: render_view(workshop, sheet, v, t)))  # type: ignore[misc]
        shown = np.repeat(np.repeat(seen, 4, 0), 4, 1) if name == "400 %" else seen
        floor = min(timed(lambda s=shown: encode_quick(s)) for _ in range(3))  # type: ignore[misc]
        found[f"control moved at {name}, over encoding the view"] = statistics.median(times) / floor
    return found


def find_proposals(workshop: Workshop, sheet: Sheet) -> None:
    """Find what an open sheet's ledger proposes; it follows once the sheet has settled, and takes memory too."""
    load_unwanted(workshop, sheet)
    load_narrows(workshop, sheet)


def _work_once(data: bytes) -> tuple[dict[str, float], float]:
    """Bring the sheet in, look at it, tune and export it; return the ratios, and the peak of memory in MB.

    Every floor is taken beside what it is for, as the machine's own pace changes from round to round.
    """
    decode = min(timed(lambda: decode_picture(data)) for _ in range(2))
    with tempfile.TemporaryDirectory() as folder:
        workshop = open_workshop(Path(folder))
        workshop.readers.measure_size(
            encode_quick(np.zeros((8, 8, 4), np.uint8))
        )  # as in a server at rest
        start = time.perf_counter()
        sheet = add_sheet(workshop, data, "sheet.jpg")
        whole = list_views(sheet.height, sheet.width)["whole"]
        render_original(workshop, sheet, whole)
        shown = time.perf_counter() - start
        render_draft(workshop, sheet, whole)
        drafted = time.perf_counter() - start
        load_measured(workshop, sheet)
        settled = time.perf_counter() - start
        find_proposals(workshop, sheet)
        moves = _measure_moves(workshop, sheet)
        cut = export_sheet(workshop, sheet).data
        peak = _peak_mb() + _children_mb()
        workshop.close()
    picture = decode_picture(data).picture
    facts = load_measured(workshop, sheet).facts
    alone = timed(lambda: measure_difference(picture, facts.ground))
    alone += timed(lambda: seed_outside(facts.difference.steps, None))
    exported = timed(lambda: key_file(data, Recipe()))
    result = decode_picture(cut).picture
    solid = np.full(result.rgb.shape[:2], 255, np.uint8)
    rgba = np.dstack([result.rgb, solid if result.alpha is None else result.alpha])
    encoded = timed(lambda: encode_quick(rgba))
    ratios = {
        "original shown, over decode": shown / decode,
        "draft, over decode": drafted / decode,
        "settled, over decode, difference and levels alone": settled / (decode + alone),
        **moves,
        "export from the file, over those and encoding alone": exported
        / (decode + alone + encoded),
    }
    return ratios, peak


def main() -> None:
    """Measure the sheet named on the command line: the median of each ratio, of three rounds up to 40 megapixels."""
    hold_memory_low()
    warm_kernels()
    data = Path(sys.argv[1]).read_bytes()
    first = decode_picture(data).picture
    area_px = first.area_px
    small = np.asarray(cv2.resize(first.rgb, (700, 700)), np.uint8)
    del first
    key_file(encode_picture(small, "jpg", 92), Recipe())  # kernels that only such a picture needs
    rounds = []
    peak = 0.0
    for number in range(_ROUNDS if area_px < _LARGE_PX else 1):
        ratios, seen = _work_once(data)
        rounds.append(ratios)
        if number == 0:  # later ones begin with what the floors took
            peak = seen
    medians = {name: statistics.median(each[name] for each in rounds) for name in rounds[0]}
    allowed = 16 * area_px / 1024 / 1024 + 300
    print(
        json.dumps({**medians, "peak of memory over 16 bytes a pixel and 300 MB": peak / allowed})
    )


if __name__ == "__main__":
    main()
