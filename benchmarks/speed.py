"""Speed and memory through the server's own services, as ratios to floors of the same run.

Every sheet is worked on in a process of its own: brought in, looked at, tuned, exported; then the floors are
taken there too, and a control is dragged in the real browser. Ratios only, since machines differ. See
docs/memory.md for what each stage takes.
"""

import json
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import cv2
import numpy as np

from benchmarks.figures import net, pebble
from benchmarks.painted import measure_painted
from tidymargin.demo.drawing import Drawing, mix_over
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.truth import encode_picture

MEGAPIXELS = (2, 12, 35, 140)
KINDS = ("flat", "paper", "checker", "screen")
PICTURES: dict[str, Callable[[Drawing, np.random.Generator], None]] = {
    "net, line art": net,
    "pebble, photo-like": pebble,
}
_SMALL_PX = 1400  # drawn at this size and scaled up, since only time and memory are asked for


def make_sheet(picture: str, kind: str, megapixels: int) -> bytes:
    """Make one of the pictures on a ground of some kind, as a JPEG of so many megapixels."""
    random = np.random.default_rng([20265, megapixels])
    large = round((megapixels * 1e6) ** 0.5)
    side = min(_SMALL_PX, large)
    drawing = Drawing(side, side, 3)
    PICTURES[picture](drawing, random)
    if kind == "paper":
        ground = make_paper(side, side, random)
    elif kind == "screen":
        ground = make_screen(side, side, random)
    elif kind == "checker":
        ground = make_checker(side, side, period=11.3)
    else:
        ground = np.full((side, side, 3), 255, np.float32)
    mixed = np.asarray(mix_over(drawing.render(), ground), np.float32)
    if picture.endswith("photo-like"):  # grain and soft shades all over the figure
        shade = cv2.resize(random.normal(0, 6, (40, 40)).astype(np.float32), (side, side))
        mixed += (drawing.render()[..., 3:] > 0.5) * shade[..., None]
    scaled = np.asarray(cv2.resize(mixed, (large, large), interpolation=cv2.INTER_LINEAR))
    grain = 0.0 if kind in ("flat", "checker") else 1.0
    rows = []
    for top in range(0, large, 2048):  # in bands, or the largest sheets would need gigabytes
        band = np.asarray(scaled[top : top + 2048], np.float32)
        rows.append(add_grain(band, random, grain))
    return encode_picture(np.concatenate(rows), "jpg", 92)


def measure_one(picture: str, kind: str, megapixels: int) -> dict[str, float]:
    """Work on one sheet in a process of its own; return its ratios."""
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder) / "picture.jpg"
        data = make_sheet(picture, kind, megapixels)
        place.write_bytes(data)
        done = subprocess.run(
            [sys.executable, "-m", "benchmarks.one_sheet", str(place)],
            check=True,
            capture_output=True,
            text=True,
        )
    found: dict[str, float] = json.loads(done.stdout)
    found["input to painted canvas, over an empty fetch of as many bytes"] = measure_painted(data)
    return found


def measure_speed(megapixels: tuple[int, ...] = MEGAPIXELS) -> Iterator[dict[str, object]]:
    """Yield, sheet by sheet, what each stage takes over its floor."""
    # in a process of its own, or compiling would count as memory of the first sheet
    warm = "from tidymargin.services.picture.warming import warm_kernels; warm_kernels()"
    subprocess.run([sys.executable, "-c", warm], check=True)
    for size in megapixels:
        for kind in KINDS:
            for picture in PICTURES:
                found = measure_one(picture, kind, size)
                yield {"sheet": f"{picture}, on {kind}", "megapixels": size, **found}
