"""Speed and memory on the demo's largest sheet, as ratios to floors measured in the same run."""

import time
from collections.abc import Callable

import numpy as np

from tidymargin.core.cut import cut_out, measure_sheet
from tidymargin.core.difference import measure_difference
from tidymargin.core.ground import measure_flat_ground
from tidymargin.core.picture import Region
from tidymargin.core.reach import seed_outside
from tidymargin.demo.almanac import make_almanac
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.encode import encode_png


def _best_of(count: int, call: Callable[[], object]) -> float:
    times = []
    for _ in range(count):
        start = time.perf_counter()
        call()
        times.append(time.perf_counter() - start)
    return min(times)


def measure_speed() -> list[dict[str, object]]:
    """Return what each stage takes over its floor; ratios only, since machines differ."""
    rows: list[dict[str, object]] = []
    for case in make_almanac():
        data = case.encoded
        picture = decode_picture(data).picture
        facts = measure_sheet(picture)
        cutter = cut_out(picture, facts)
        rgba = cutter.render_whole()
        decode = _best_of(3, lambda data=data: decode_picture(data))  # type: ignore[misc]
        ground = measure_flat_ground(picture)
        difference = measure_difference(picture, ground)
        alone = _best_of(2, lambda p=picture, g=ground: measure_difference(p, g))  # type: ignore[misc]
        alone += _best_of(2, lambda d=difference: seed_outside(d.steps, None))  # type: ignore[misc]
        encode = _best_of(2, lambda r=rgba: encode_png(r))  # type: ignore[misc]
        settle = _best_of(2, lambda p=picture: measure_sheet(p))  # type: ignore[misc]
        render = _best_of(2, lambda c=cutter: c.render_whole())  # type: ignore[misc]
        tall, wide = min(700, picture.height), min(1100, picture.width)
        view = Region(0, 0, tall, wide)
        window = np.ascontiguousarray(rgba[view.slices])
        shown = _best_of(3, lambda c=cutter, v=view: c.render(v))  # type: ignore[misc]
        quick = _best_of(3, lambda w=window: encode_png(w, quick=True))  # type: ignore[misc]
        rows.append(
            {
                "sheet": case.name,
                "megapixels": picture.area_px / 1e6,
                "settled over decode, difference and levels alone": (decode + settle) / (decode + alone),
                "export over those and PNG encode": (decode + settle + render + encode) / (decode + alone + encode),
                "a view at 100 % over encoding it as PNG": shown / quick,
            }
        )  # fmt: skip
    return rows
