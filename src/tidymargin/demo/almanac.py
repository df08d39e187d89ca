"""The Skerrow Almanac's sheets: a small publisher of tide tables that was made up for Tidy Margin."""

import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Collection, Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import FileThereError
from tidymargin.demo.drawing import Drawing, Points, lay_over, mix_over, to_true_cut
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.sketches import (
    Rgba,
    add_pad_traces,
    cast_spill,
    draw_bell,
    draw_feather,
    draw_knot_chart,
    draw_lighthouse,
    draw_signature,
)
from tidymargin.demo.truth import TrueCase, encode_picture, find_pocket_picks, write_case
from tidymargin.process import end_with_parent

NAVY, TEAL, VERMILION, WHITE = "#1D3557", "#2A6F8E", "#C8553D", "#FFFFFF"
STICKER_TONES = ("#DEDEDE", "#B8B8B8")
_NICENESS = 10
_ASIDE = "drawing-"


def _needle(x: float, y: float, angle: float, length: float, half: float) -> tuple[Points, Points]:
    """Return the two halves of a compass point, split along its middle."""
    along = np.array([np.cos(angle), np.sin(angle)])
    across = np.array([-along[1], along[0]])
    centre = np.array([x, y])
    tip = tuple(centre + along * length)
    foot = half * 1.05
    left = tuple(centre + along * foot + across * foot)
    right = tuple(centre + along * foot - across * foot)
    middle = (x, y)
    return [middle, left, tip], [middle, right, tip]


def draw_compass_rose(size: int) -> Drawing:
    """Draw the logo: a ring, a see-through gap, and a white face with a sixteen-pointed rose."""
    d = Drawing(size, size, 4 if size > 1200 else 8)
    navy, teal, red, white = (d.colour(c) for c in (NAVY, TEAL, VERMILION, WHITE))
    c = size / 2
    d.ring(c, c, size * 0.43, size * 0.028, navy)
    d.ellipse(c, c, size * 0.392, navy)
    d.ellipse(c, c, size * 0.386, white)
    for number in range(72):
        angle = number * np.pi / 36
        far, near = size * 0.386, size * (0.352 if number % 6 == 0 else 0.372)
        width = size * (0.005 if number % 6 == 0 else 0.0016)
        d.stroke([(c + r * np.cos(angle), c + r * np.sin(angle)) for r in (near, far)], width, navy)
    for offset, length, half, label in (
        (np.pi / 8, 0.20, 0.022, red),
        (np.pi / 4, 0.25, 0.032, teal),
        (0.0, 0.335, 0.045, navy),
    ):
        step = np.pi / 4 if offset == np.pi / 8 else np.pi / 2
        for number in range(round(2 * np.pi / step)):
            light, dark = _needle(c, c, offset + number * step, size * length, size * half)
            d.polygon(light, white)
            d.polygon(dark, label)
            d.stroke([*light[1:], light[0]], max(1.5, size * 0.0015), label)
    d.ellipse(c, c, size * 0.045, navy)
    d.ellipse(c, c, size * 0.012, white)
    return d


def draw_tide_stamp(size: int) -> Drawing:
    """Draw the stamp: two white rings, a name between waves, all see-through between its lines."""
    height = round(size * 0.62)
    d = Drawing(height, size, 8)
    white = d.colour(WHITE)
    left, top, right, bottom = size * 0.05, height * 0.08, size * 0.95, height * 0.92
    for inset, width in ((0.0, 0.012), (0.022, 0.004)):
        corner = size * (0.05 - inset * 0.6)
        outer = size * inset
        d.rounded(left + outer, top + outer, right - outer, bottom - outer, corner, white)
        inner = outer + size * width
        d.rounded(
            left + inner, top + inner, right - inner, bottom - inner, corner - size * width * 0.6, 0
        )
    d.text("TIDE CLERK", size * 0.145, height * 0.42, size * 0.082, size * 0.013, white)
    d.text("SKERROW 1926", size * 0.155, height * 0.80, size * 0.066, size * 0.007, white)
    x = np.linspace(size * 0.14, size * 0.86, 220)
    for lift in (0.0, 0.045):
        y = height * (0.53 + lift) + size * 0.008 * np.sin(x / size * 2 * np.pi * 9)
        d.stroke([(float(a), float(b)) for a, b in zip(x, y, strict=True)], size * 0.005, white)
    return d


def draw_buoy_sticker(size: int) -> Drawing:
    """Draw the sticker: a striped buoy on water, with the white margin of a die-cut sticker."""
    d = Drawing(size, size, 8)
    navy, teal, red, white, amber, pale = (
        d.colour(c) for c in (NAVY, TEAL, VERMILION, WHITE, "#E8B23A", "#BFE0EA")
    )
    s = size

    def body(grown: float, label: int) -> None:
        d.polygon(
            [
                (s * (0.30 - grown), s * (0.70 + grown)),
                (s * (0.42 - grown), s * (0.28 - grown)),
                (s * (0.58 + grown), s * (0.28 - grown)),
                (s * (0.70 + grown), s * (0.70 + grown)),
            ],
            label,
        )
        d.ellipse(s * 0.5, s * 0.72, s * (0.34 + grown), label, s * (0.11 + grown))
        d.ellipse(s * 0.5, s * 0.19, s * (0.062 + grown), label)
        d.rounded(s * (0.475 - grown), s * 0.19, s * (0.525 + grown), s * 0.30, s * 0.004, label)

    body(0.032, white)
    body(0.0, navy)
    d.ellipse(s * 0.5, s * 0.72, s * 0.328, teal, s * 0.098)
    for row, label in ((0, red), (1, white), (2, red), (3, white)):
        upper, lower = 0.292 + row * 0.1, 0.292 + (row + 1) * 0.1
        edge = [0.42 - (y - 0.28) * 0.286 + 0.012 for y in (upper, lower)]
        d.polygon(
            [
                (s * edge[0], s * upper),
                (s * (1 - edge[0]), s * upper),
                (s * (1 - edge[1]), s * lower),
                (s * edge[1], s * lower),
            ],
            label,
        )
    for lift, wide in ((0.735, 0.22), (0.77, 0.15)):
        x = np.linspace(s * (0.5 - wide), s * (0.5 + wide), 120)
        y = s * lift + s * 0.008 * np.sin(x / s * 2 * np.pi * 12)
        d.stroke([(float(a), float(b)) for a, b in zip(x, y, strict=True)], s * 0.012, pale)
    d.ellipse(s * 0.5, s * 0.19, s * 0.050, amber)
    d.ellipse(s * 0.485, s * 0.175, s * 0.014, white)
    return d


def _size(figure: Rgba) -> tuple[int, int]:
    return figure.shape[0], figure.shape[1]


def _case(
    name: str,
    figure: Rgba,
    picture: NDArray[np.uint8],
    suffix: str,
    kind: str = "flat",
    nature: str = "opaque",
) -> TrueCase:
    true = to_true_cut(figure)
    picks = find_pocket_picks(true[..., 3]) if nature == "opaque" else []
    return TrueCase(name, encode_picture(picture, suffix, 90), suffix, true, kind, nature, picks)


SHEETS = (
    "compass-rose", "tide-stamp", "buoy-sticker", "harbour-signature",
    "knot-chart", "pencil-lighthouse", "brass-bell", "feather",
)  # fmt: skip
"""The demo's sheets by name, as the trays show them from the last to the first."""


def make_almanac(scale: float = 1.0, names: Collection[str] = ()) -> list[TrueCase]:
    """Make the demo's sheets with their true cuts.

    Parameters
    ----------
    scale : float
        1 for the demo; tests make them smaller.
    names : collection of str
        Only those; all of them without any.
    """

    def px(size: int) -> int:
        return round(size * scale)

    def by(seed: int) -> np.random.Generator:
        return np.random.default_rng([1926, seed])

    def make_rose() -> TrueCase:
        rose = draw_compass_rose(px(2400)).render()
        return _case("compass-rose", rose, lay_over(rose, np.array((255.0, 255, 255))), "jpg")

    def make_stamp() -> TrueCase:
        stamp = draw_tide_stamp(px(1500)).render()
        return _case("tide-stamp", stamp, lay_over(stamp, np.array((0.0, 0, 0))), "png")

    def make_sticker() -> TrueCase:
        sticker = draw_buoy_sticker(px(1200)).render()
        pattern = make_checker(*_size(sticker), period=13.6 * max(scale, 0.4), phase=(5.2, 2.7), tones=STICKER_TONES)  # fmt: skip
        return _case("buoy-sticker", sticker, lay_over(sticker, pattern), "jpg", "checker")

    def make_signature() -> TrueCase:
        signature = draw_signature(px(1800), by(1))
        paper = make_paper(*_size(signature), by(2), code="#F3E7CF", darker=0.34, vignette=0.1)
        photo = add_grain(mix_over(signature, paper), by(3), 1.5)
        return _case("harbour-signature", signature, photo, "jpg", "paper", "ink")

    def make_chart() -> TrueCase:
        chart = draw_knot_chart(px(1600), by(4))
        paper = make_paper(*_size(chart), by(5), code="#F7F4EA", darker=0.07, texture=1.0)
        scan = add_grain(add_pad_traces(mix_over(chart, paper), by(6)), by(7), 0.8)
        return _case("knot-chart", chart, scan, "jpg", "paper", "ink")

    def make_lighthouse() -> TrueCase:
        pencil = draw_lighthouse(px(1500), by(8))
        paper = make_paper(*_size(pencil), by(9), code="#EFEDE6", darker=0.22, fold=True)
        scan = add_grain(mix_over(pencil, paper), by(10), 1.0)
        return _case("pencil-lighthouse", pencil, scan, "jpg", "paper", "ink")

    def make_bell() -> TrueCase:
        bell = draw_bell(px(1600))
        cloth = make_screen(*_size(bell), by(11), code="#3E9B4F", creases=5)
        shot = add_grain(mix_over(cast_spill(bell, (62, 155, 79), 22 * scale), cloth), by(12), 2.5)
        return _case("brass-bell", bell, shot, "jpg", "screen")

    def make_feather() -> TrueCase:
        feather = draw_feather(px(1600), by(13))
        cloth = make_screen(*_size(feather), by(14), code="#2F57A8", uneven=0.15, creases=2)
        shot = add_grain(mix_over(feather, cloth), by(15), 1.0)
        return _case("feather", feather, shot, "jpg", "screen")

    makers = (
        make_rose, make_stamp, make_sticker, make_signature,
        make_chart, make_lighthouse, make_bell, make_feather,
    )  # fmt: skip
    made = zip(SHEETS, makers, strict=True)
    return [make() for name, make in made if not names or name in names]


def _make_sheet(name: str) -> TrueCase:
    (case,) = make_almanac(names=[name])
    return case


def draw_almanac(folder: Path) -> Iterator[Path]:
    """Yield the demo's sheets as truth folders, by name from the last; each is drawn unless it is there.

    They are drawn by processes of their own, which give way to all else and end with this one: somebody may be at
    a picture of theirs already.

    Raises
    ------
    FileThereError
        Something else stands in the place of one.
    """
    folder.mkdir(parents=True, exist_ok=True)
    for left in folder.glob(f"{_ASIDE}*"):  # of a server that was ended
        shutil.rmtree(left, ignore_errors=True)
    names = sorted(SHEETS, reverse=True)
    missing = [name for name in names if not (folder / name / "case.json").exists()]
    with (
        tempfile.TemporaryDirectory(prefix=_ASIDE, dir=folder) as aside,
        ThreadPoolExecutor(os.cpu_count()) as waiting,
    ):
        drawn = {name: waiting.submit(_draw, name, aside) for name in missing}
        for name in names:
            if name in drawn:  # each whole or not at all, and never over anything that is there
                drawn[name].result()
                try:
                    (Path(aside) / name).rename(folder / name)
                except OSError as error:
                    raise FileThereError(
                        f"{folder / name} is there and is no demo sheet.",
                        hint="Move it away, or choose another folder with TIDYMARGIN_DATA.",
                    ) from error
            yield folder / name


def _draw(name: str, aside: str) -> None:
    """Have a process of its own draw a sheet: plain Python would hold up all that this one does."""
    command = [sys.executable, "-m", "tidymargin.demo.almanac", name, aside, str(os.getpid())]
    paths = [str(Path(__file__).parents[2]), os.environ.get("PYTHONPATH", "")]
    env = {**os.environ, "PYTHONPATH": os.pathsep.join(filter(None, paths))}
    subprocess.run(command, env=env, check=True, stdout=subprocess.DEVNULL)


if __name__ == "__main__":
    _name, _aside, _parent = sys.argv[1:]
    end_with_parent(int(_parent))
    if hasattr(os, "nice"):
        os.nice(_NICENESS)
    write_case(_make_sheet(_name), Path(_aside))
