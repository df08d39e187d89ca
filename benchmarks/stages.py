"""What each stage of a cut takes: how long, as passes over the picture, and how many bytes a pixel at its peak.

A pass is the time of one copy of the picture's pixels, taken in the same run, so that machines can be compared.
"""

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import wraps
from pathlib import Path
from typing import Any
from unittest.mock import patch

from benchmarks.speed import KINDS, PICTURES, make_sheet
from tidymargin.core import facts as measuring
from tidymargin.core.base.picture import Picture, whole
from tidymargin.core.cut import cut_by_levels
from tidymargin.core.facts import SheetFacts, measure_sheet
from tidymargin.core.levels import find_levels
from tidymargin.core.plan import Plan
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.encode import encode_png
from tidymargin.process import give_memory_back, hold_memory_low
from tidymargin.services.picture.warming import warm_kernels

_MEASURED = (
    "detect_ground", "measure_fringe", "measure_difference", "seed_outside", "measure_curve", "find_jumps", "measure_rim",
    "find_pockets", "measure_inks", "measure_nature", "measure_spill", "find_closed", "find_further_colour",
)  # fmt: skip
_EVERY_S = 0.002


@dataclass(slots=True)
class Taken:
    """What a stage has taken: seconds, and bytes above what was there when it began; stages may overlap."""

    seconds: float = 0.0
    peak: int = 0


class Watch:
    """Watches the memory of this process while stages run."""

    def __init__(self) -> None:
        self.taken: dict[str, Taken] = {}
        self._running: dict[str, int] = {}
        self._ends = threading.Event()
        self._thread = threading.Thread(target=self._look, daemon=True)
        self._thread.start()

    def _look(self) -> None:
        while not self._ends.wait(_EVERY_S):
            held = _held_bytes()
            for name, before in list(self._running.items()):
                taken = self.taken[name]
                taken.peak = max(taken.peak, held - before)

    @contextmanager
    def stage(self, name: str) -> Iterator[None]:
        """Watch what is done meanwhile as a stage of that name."""
        taken = self.taken.setdefault(name, Taken())
        self._running[name] = _held_bytes()
        start = time.perf_counter()
        try:
            yield
        finally:
            taken.seconds += time.perf_counter() - start
            self._running.pop(name, None)

    def watched(self, call: Callable[..., Any]) -> Callable[..., Any]:
        """Return a function that is watched under its own name whenever it is called."""

        @wraps(call)
        def instead(*given: Any, **named: Any) -> Any:
            with self.stage(call.__name__):
                return call(*given, **named)

        return instead

    def close(self) -> None:
        """Watch no more."""
        self._ends.set()
        self._thread.join()


def _held_bytes() -> int:
    return 4096 * int(Path("/proc/self/statm").read_text().split()[1])


def _measure(watch: Watch, picture: Picture) -> SheetFacts:
    names: Any = {name: watch.watched(getattr(measuring, name)) for name in _MEASURED}
    with patch.multiple(measuring, **names):
        return measure_sheet(picture)


def measure_stages(data: bytes) -> dict[str, Taken]:
    """Cut and encode a picture once, and return what each stage took, with `a pass` for comparison."""
    watch = Watch()
    with watch.stage("decode"):
        picture = decode_picture(data).picture
    give_memory_back()
    for _ in range(3):
        start = time.perf_counter()
        picture.rgb.copy()
        seconds = time.perf_counter() - start
        known = watch.taken.setdefault("a pass", Taken(seconds))
        known.seconds = min(known.seconds, seconds)
    facts = _measure(watch, picture)
    plan = Plan()
    with watch.stage("find_levels"):
        levels = find_levels(picture, facts, plan.reach)
    with watch.stage("cut_by_levels"):
        cutter = cut_by_levels(picture, facts, levels, plan)
    with watch.stage("render"):
        rgba = cutter.render(whole(picture.height, picture.width))
    with watch.stage("encode_png"):
        encode_png(rgba)
    watch.close()
    return watch.taken


def report_stages(megapixels: int) -> None:
    """Print a table a picture, of the stages that take a tenth of a pass or more."""
    warm_kernels()
    hold_memory_low()
    for kind in KINDS:
        for name in PICTURES:
            data = make_sheet(name, kind, megapixels)
            measure_stages(data)  # whatever is loaded once
            taken = measure_stages(data)
            one = taken.pop("a pass").seconds
            print(f"\n{name}, on {kind}, {megapixels} MP: a pass is one copy of its pixels")
            print(f"  {'stage':<22}{'passes':>8}{'bytes a pixel':>15}")
            for stage, took in taken.items():
                if took.seconds >= one / 10:
                    peak = took.peak / (megapixels * 1e6)
                    print(f"  {stage:<22}{took.seconds / one:>8.1f}{peak:>15.1f}")
