"""Speed and memory of every ground at 2, 12 and 35 megapixels, as ratios to floors of the same run."""

import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from benchmarks.figures import badge
from tidymargin.core.cut import cut_out, measure_sheet
from tidymargin.core.difference import measure_difference
from tidymargin.core.picture import Region
from tidymargin.core.reach import seed_outside
from tidymargin.demo.drawing import Drawing, mix_over
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.encode import encode_quick

MEGAPIXELS = (2, 12, 35)
_SMALL_PX = 1400  # drawn at this size and scaled up, since only time and memory are asked for
_CHILD = """
import sys
from pathlib import Path
from tidymargin.formats.recipe import Recipe
from tidymargin.services.exporting import key_file
from tidymargin.services.workshop import warm_kernels

def peak_kb():
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0])

warm_kernels()
before = peak_kb()
key_file(Path(sys.argv[1]).read_bytes(), Recipe())
print(before, peak_kb())
"""


def _best_of(count: int, call: Callable[[], object]) -> float:
    times = []
    for _ in range(count):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
    return min(times)


def make_sheet(kind: str, megapixels: int) -> bytes:
    """Make a badge on a ground of some kind, as a JPEG of so many megapixels."""
    random = np.random.default_rng([20265, megapixels])
    side = min(_SMALL_PX, round((megapixels * 1e6) ** 0.5))
    drawing = Drawing(side, side, 3)
    badge(drawing, random)
    if kind == "paper":
        ground = make_paper(side, side, random)
    elif kind == "screen":
        ground = make_screen(side, side, random)
    elif kind == "checker":
        ground = make_checker(side, side, period=11.3)
    else:
        ground = np.full((side, side, 3), 255, np.float32)
    mixed = np.asarray(mix_over(drawing.render(), ground), np.float32)
    large = round((megapixels * 1e6) ** 0.5)
    scaled = cv2.resize(mixed, (large, large), interpolation=cv2.INTER_LINEAR)
    grain = 0.0 if kind in ("flat", "checker") else 1.0
    return encode_picture(add_grain(np.asarray(scaled, np.float32), random, grain), "jpg", 92)


def measure_memory(encoded: bytes) -> tuple[float, float]:
    """Return the megabytes that a process holds before any picture, and at its peak keying this one."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "picture.jpg"
        place.write_bytes(encoded)
        done = subprocess.run(
            [sys.executable, "-c", _CHILD, str(place)], check=True, capture_output=True, text=True
        )
    before, peak = (int(part) / 1024 for part in done.stdout.split())
    return before, peak


def measure_speed() -> list[dict[str, object]]:
    """Return what each stage takes over its floor; ratios only, since machines differ."""
    rows: list[dict[str, object]] = []
    for megapixels in MEGAPIXELS:
        for kind in ("flat", "paper", "screen", "checker"):
            data = make_sheet(kind, megapixels)
            picture = decode_picture(data).picture
            facts = measure_sheet(picture)
            times = 1 if megapixels > 12 else 2
            decode = _best_of(times, lambda d=data: decode_picture(d))  # type: ignore[misc]
            alone = _best_of(times, lambda p=picture, f=facts: measure_difference(p, f.ground))  # type: ignore[misc]
            alone += _best_of(times, lambda f=facts: seed_outside(f.difference.steps, None))  # type: ignore[misc]
            settle = _best_of(times, lambda p=picture: measure_sheet(p))  # type: ignore[misc]
            cutter = cut_out(picture, facts)
            middle = picture.height // 2
            left, top = max(0, middle - 550), max(0, middle // 4 - 350)
            view = Region(
                top, left, min(picture.height, top + 700), min(picture.width, left + 1100)
            )
            shown = _best_of(3, lambda c=cutter, v=view: c.render(v))  # type: ignore[misc]
            window = np.ascontiguousarray(cutter.render(view))
            quick = _best_of(3, lambda w=window: encode_quick(w))  # type: ignore[misc]
            del cutter, facts, picture
            before, peak = measure_memory(data)
            rows.append(
                {
                    "sheet": kind,
                    "megapixels": megapixels,
                    "detected and settled over decode, difference and levels alone": (decode + settle) / (decode + alone),
                    "a view at 100 % over encoding it as PNG": shown / quick,
                    "peak bytes a pixel above the empty process, key included": (peak - before) / megapixels * 1.048576,
                    "megabytes before any picture": before,
                }
            )  # fmt: skip
    return rows
