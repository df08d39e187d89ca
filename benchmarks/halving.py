"""A cut exported at half its size, against the true cut halved the same way: its error over that at full size."""

import sys
from pathlib import Path

import numpy as np

from benchmarks.score import score_cut
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.output.resizing import resize_cut
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.truth import read_case
from tidymargin.formats.decode import decode_picture

_TIMES, _MORE = 1.3, 0.1  # asked


def report_halving(truth: Path) -> None:
    """Print how many folders with truth keep within 1.3 times the error at full size and 0.1, either way of averaging."""
    kept, ratios = {False: 0, True: 0}, {False: list[float](), True: list[float]()}
    count = 0
    for place in sorted(p.parent for p in truth.rglob("case.json")):
        case = read_case(place)
        picture = decode_picture(case.encoded).picture
        picks = tuple(Pick(y, x) for x, y in case.picks)
        found = cut_out(picture, measure_sheet(picture), Plan(reach=ReachPlan(picks=picks))).render_whole()  # fmt: skip
        full = score_cut(found, case.true_rgba).rim
        count += 1
        height, width = found.shape[0] // 2, found.shape[1] // 2
        for in_linear in (False, True):
            half = score_cut(
                resize_cut(found, height, width, in_linear=in_linear),
                resize_cut(case.true_rgba, height, width, in_linear=in_linear),
            ).rim
            is_kept = half <= _TIMES * full + _MORE
            kept[in_linear] += is_kept
            ratios[in_linear].append(half / max(full, 0.05))
            if not is_kept:
                print(f"  {place.name}: {full:.2f} at full size, {half:.2f} halved, {'light' if in_linear else 'coded'}")  # fmt: skip
    for in_linear, word in ((False, "coded colours"), (True, "light")):
        print(f"{word}: {kept[in_linear]} of {count} within {_TIMES} times and {_MORE}; median {np.median(ratios[in_linear]):.2f} times, most {max(ratios[in_linear]):.2f}")  # fmt: skip


if __name__ == "__main__":
    report_halving(Path(sys.argv[1]))
