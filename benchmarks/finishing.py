"""Every control of rim and colour on one large sheet: over encoding the view that it changes, and over what an export takes at least."""

import sys
import tempfile
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.keying import key_file
from benchmarks.one_sheet import list_views, timed
from benchmarks.speed import make_sheet
from tidymargin.core.facts import SheetFacts
from tidymargin.core.ground.difference import measure_difference
from tidymargin.core.reach.clearing import seed_outside
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.encode import encode_quick
from tidymargin.formats.recipe import Recipe
from tidymargin.services.edits.changing import Edit
from tidymargin.services.edits.finishing import recolour, set_backing
from tidymargin.services.edits.settings import set_values
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.viewing import render_sketch, render_view
from tidymargin.services.workshop.workshop import Workshop, open_workshop
from tidymargin.store.values import Sheet

Set = Callable[[Workshop, Sheet, float], Sheet]


def _of(call: Callable[..., Sheet], *said: str, **values: Callable[[float], Any]) -> Set:
    def set_to(workshop: Workshop, sheet: Sheet, share: float) -> Sheet:
        edit = Edit(workshop, sheet, sheet.head)
        return call(edit, *said, **{n: v(share) for n, v in values.items()})

    return set_to


CONTROLS: dict[str, Set] = {
    "choke": _of(set_values, "rim", choke_px=lambda t: 0.4 + t),
    "spread": _of(set_values, "rim", choke_px=lambda t: -0.4 - t),
    "smooth": _of(set_values, "rim", smooth_px=lambda t: 1 + t),
    "feather": _of(set_values, "rim", feather_px=lambda t: 1 + 2 * t),
    "black, white and gamma": _of(
        set_values, "rim", black=lambda t: t / 5, white=lambda t: 1 - t / 5, gamma=lambda t: 1 + t
    ),
    "fringe": _of(set_values, "rim", fringe=lambda t: 0.2 + t / 2, fringe_px=lambda t: 2.0),
    "tone": _of(
        set_values, "tone", depth=lambda t: t / 2, saturation=lambda t: t / 2, contrast=lambda t: t / 3
    ),
    "recolour": _of(recolour, colour=lambda t: f"#{int(200 * t):02X}3557"),
    "gradient": _of(
        recolour, colour=lambda t: "#1D3557", towards=lambda t: "#F4C430", degrees=lambda t: 90 * t
    ),
    "backing": _of(set_backing, backing=lambda t: {"colour": "#FFFFFF", "grown_px": 4 + 8 * t}),
    "shadow": _of(set_values, "shadow", shadow=lambda t: 0.2 + t / 2),
}  # fmt: skip
_STEPS = 3


def _measure_least(data: bytes, facts: SheetFacts) -> float:
    """Return how long decoding a file, its difference map and its levels take alone."""
    picture = decode_picture(data).picture
    calls = (
        lambda: decode_picture(data),
        lambda: measure_difference(picture, facts.ground),
        lambda: seed_outside(facts.difference.steps, None),
    )
    return sum(min(timed(call) for _ in range(2)) for call in calls)


def _measure_export(data: bytes, recipe: Recipe, least: float) -> float:
    """Return what an export from the file takes over those and encoding what comes out."""
    took = min(timed(lambda: key_file(data, recipe)) for _ in range(2))
    cut = decode_picture(key_file(data, recipe)).picture
    assert cut.alpha is not None
    rgba = np.dstack([cut.rgb, cut.alpha])
    return took / (least + timed(lambda: encode_quick(rgba)))


def measure_finishing(picture: str, kind: str, megapixels: int) -> Iterator[tuple[str, dict[str, float]]]:  # fmt: skip
    """Yield each control with what it takes at each view, and at export, over the same without it and encoding."""
    data = make_sheet(picture, kind, megapixels)
    with tempfile.TemporaryDirectory() as folder:
        workshop = open_workshop(Path(folder))
        sheet = add_sheet(workshop, data, "sheet.jpg")
        load_measured(workshop, sheet)
        first, without = sheet.head, sheet
        least = _measure_least(data, load_measured(workshop, sheet).facts)
        plain = min(timed(lambda: export_sheet(workshop, sheet).data) for _ in range(2))
        views = list_views(sheet.height, sheet.width)
        for name, set_to in CONTROLS.items():
            found: dict[str, float] = {}
            sheet = set_to(workshop, sheet, 0.05)
            for at, view in views.items():
                render_view(workshop, without, view)  # as it was looked at before
                seen = render_view(workshop, sheet, view)  # compiled, and looked at before
                times, drafts = [], []
                for number in range(_STEPS):
                    sheet = set_to(workshop, sheet, 0.2 + 0.2 * number + 0.01 * len(found))
                    drafts.append(timed(lambda v=view, s=sheet: render_sketch(workshop, s, v)))  # type: ignore[misc]
                    times.append(timed(lambda v=view, s=sheet: render_view(workshop, s, v)))  # type: ignore[misc]
                shown = np.repeat(np.repeat(seen, 4, 0), 4, 1) if at == "400 %" else seen
                floor = min(timed(lambda s=shown: encode_quick(s)) for _ in range(3))  # type: ignore[misc]
                found[f"{at} draft"] = float(np.median(drafts)) / floor
                found[f"{at} exact"] = float(np.median(times)) / floor
            found["export over a plain one"] = (
                min(timed(partial(export_sheet, workshop, sheet)) for _ in range(2)) / plain
            )
            found["over its floor"] = _measure_export(data, sheet.recipe, least)
            yield name, found
            sheet = workshop.sheets.visit(sheet.id, sheet.head, first)
        workshop.close()


def main(megapixels: int) -> None:
    """Print the table for a line drawing on paper and something photo-like on a flat ground."""
    for picture, kind in (("net, line art", "paper"), ("pebble, photo-like", "flat")):
        print(
            f"{picture} on {kind}, {megapixels} MP: over encoding the view; export; from the file over decoding, difference, levels and encoding"
        )
        for name, found in measure_finishing(picture, kind, megapixels):
            print(f"  {name:24}" + "".join(f"  {at} {ratio:6.2f}" for at, ratio in found.items()), flush=True)  # fmt: skip


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 35)
