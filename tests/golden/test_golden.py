"""No cut changes without a new engine version: sheets that were cut already would change under their owners' hands."""

from pathlib import Path

import numpy as np

from tests.conftest import read_png
from tests.golden.pictures import cut_all
from tidymargin import ENGINE_VERSION

FOLDER = Path(__file__).parent / "cuts"
VERSION = FOLDER / "engine-version.txt"
MOST_LEVELS = 2
SEEN = 16  # alpha from which a colour shows


def test_cuts_are_as_they_were_with_this_engine():
    assert int(VERSION.read_text()) == ENGINE_VERSION, (
        "a new engine: look at what changed, then python -m tests.golden"
    )
    kept = {place.name.split(".")[0]: place for place in FOLDER.glob("*.png")}
    changed, seen = [], []
    for name, cut in cut_all():
        seen.append(name)
        _, top, left, _ = kept[name].name.split(".")
        before = read_png(kept[name].read_bytes()).astype(int)
        height, width = before.shape[:2]
        now = cut[int(top) :, int(left) :][:height, :width].astype(int)
        gap = np.abs(now - before)
        gap[..., :3][np.minimum(now, before)[..., 3] < SEEN] = 0
        if gap.max() > MOST_LEVELS:
            changed.append(f"{name}: {int((gap.max(axis=2) > MOST_LEVELS).sum())} pixels")
    assert sorted(seen) == sorted(kept)
    assert not changed, f"these cuts changed, and the engine’s version did not: {changed}"
