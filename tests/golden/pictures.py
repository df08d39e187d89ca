"""The pictures whose cuts are pinned: the demo's sheets, and a dozen more that the project's own code draws."""

from collections.abc import Iterator

import numpy as np

from tests.conftest import draw_badge, photograph_letter, to_png
from tidymargin.core.base.picture import Picture
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.almanac import draw_buoy_sticker, make_almanac
from tidymargin.demo.drawing import lay_over, mix_over, to_true_cut
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.sketches import draw_signature
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

SCALE = 0.35
SIDE = 300
GREY, TEAL, BLACK = (140.0, 140.0, 140.0), (20.0, 120.0, 120.0), (0.0, 0.0, 0.0)


def _draw_figures() -> dict[str, np.ndarray]:
    signature = np.zeros((SIDE, SIDE, 4), np.float32)
    drawn = draw_signature(SIDE, np.random.default_rng(21))
    signature[60 : 60 + drawn.shape[0]] = drawn
    return {"buoy": draw_buoy_sticker(SIDE).render(), "signature": signature}


def _lay_grounds() -> dict[str, tuple[np.ndarray, float]]:
    random = np.random.default_rng(22)
    return {
        "paper": (make_paper(SIDE, SIDE, random, darker=0.2), 1.2),
        "screen": (make_screen(SIDE, SIDE, random), 1.5),
        "checker": (make_checker(SIDE, SIDE, period=11.3), 0.0),
        "teal": (np.broadcast_to(np.array(TEAL), (SIDE, SIDE, 3)), 0.0),
    }


def _draw_others() -> Iterator[tuple[str, Picture]]:
    badge = draw_badge(220, 4).render()
    plain = np.rint(mix_over(badge, np.array(GREY))).astype(np.uint8)
    yield "badge-on-grey", Picture(plain)
    yield "badge-on-black", decode_picture(encode_picture(lay_over(badge, np.array(BLACK)), "jpg", 90)).picture  # fmt: skip
    true = to_true_cut(badge)
    yield "badge-cut-out", Picture(np.ascontiguousarray(true[..., :3]), np.ascontiguousarray(true[..., 3]))  # fmt: skip
    halves = np.full((220, 220, 3), 250.0)
    halves[:, :110] = (235.0, 215.0, 200.0)
    yield "badge-on-two-colours", Picture(np.rint(mix_over(badge, halves)).astype(np.uint8))
    rows, cols = np.mgrid[:220, :220]
    away = np.hypot((rows - 190) / 30, (cols - 110) / 90)
    shaded = 255 * (1 - 0.35 * np.exp(-(away**2)))[..., None].repeat(3, axis=2)
    yield "badge-in-shade", Picture(np.rint(mix_over(badge, shaded)).astype(np.uint8))
    yield "letter-on-a-table", Picture(photograph_letter(1)[0])


def make_pictures() -> Iterator[tuple[str, Picture, Plan]]:
    """Yield each picture with its name and the few decisions of it."""
    for case in make_almanac(SCALE):
        picks = tuple(Pick(y, x) for x, y in case.picks)
        yield case.name, decode_picture(case.encoded).picture, Plan(reach=ReachPlan(picks=picks))
    for ground_name, (ground, grain) in _lay_grounds().items():
        for figure_name, figure in _draw_figures().items():
            rgb = add_grain(mix_over(figure, ground), np.random.default_rng(23), grain)
            picture = decode_picture(encode_picture(rgb, "jpg", 90)).picture
            yield f"{figure_name}-on-{ground_name}", picture, Plan()
    for name, picture in _draw_others():
        yield name, decode_picture(to_png(picture.rgb)).picture if picture.alpha is None else picture, Plan()  # fmt: skip


def cut_all() -> Iterator[tuple[str, np.ndarray]]:
    """Yield the name and the whole cut of each picture, straight RGBA."""
    for name, picture, decisions in make_pictures():
        yield name, cut_out(picture, measure_sheet(picture), decisions).render_whole()
