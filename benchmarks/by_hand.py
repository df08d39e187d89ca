"""Marks by a rule, on pictures with true cuts: rubbing along the ground, and hair that is worked out."""

from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from benchmarks.score import score_cut
from tidymargin.core.base.picture import whole
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.difference import STEP
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.marks.covering import cover_stroke
from tidymargin.core.marks.plan import Like, Mark, MarksPlan, Stroke
from tidymargin.core.plan import Plan
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.grounds import make_paper, make_screen
from tidymargin.demo.truth import read_case
from tidymargin.formats.decode import decode_picture

_ACROSS_PX = 18.0
_CLEAR, _SOLID, _UNLIKE = 0.02, 0.98, 10.0
_GONE, _EATEN = 0.06, 0.1  # of the matte that is found, as the score has it


def rub_around(alpha: NDArray[np.float64], across_px: float) -> Iterator[Stroke]:
    """Yield strokes all round a figure, with two thirds of their width on the ground."""
    solid = np.pad(alpha > 0.5, 1).astype(np.uint8)
    outside = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5)
    inside = cv2.distanceTransform(solid, cv2.DIST_L2, 5)
    level = np.where(solid > 0, 0.5 - inside, outside - 0.5) < across_px / 6
    contours, _ = cv2.findContours(level.astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    for contour in contours:
        line = contour[:, 0, :].astype(np.float64) - 0.5
        if len(line) > 3:
            closed = np.concatenate([line[::2], line[:1]])
            yield Stroke(np.column_stack([closed, np.full(len(closed), across_px / 2)]))


def report_rubbing(folder: Path, tolerance: float | None = None, *, is_joined: bool = True) -> None:
    """Print what ground-only strokes all round the figure clear and eat, picture by picture, with nothing keyed."""
    rows = []
    for place in sorted(folder.iterdir()):
        if not (place / "true.png").exists():
            continue
        case = read_case(place)
        if case.nature != "opaque":
            continue
        picture = decode_picture(case.encoded).picture
        true = case.true_rgba[..., 3] / 255.0
        facts = measure_sheet(picture, GroundPlan(kind=case.ground, nature="opaque"))  # type: ignore[arg-type]
        strokes = list(rub_around(true, _ACROSS_PX))
        marks = tuple(
            Mark(f"{place.name}:{n}", "clear", stroke, like=Like("ground", tolerance, is_joined))
            for n, stroke in enumerate(strokes)
        )
        cutter = cut_out(
            picture, facts, Plan(reach=ReachPlan(start="picks"), marks=MarksPlan(marks))
        )
        found = cutter.render_whole()[..., 3] / 255.0
        by_key = cut_out(picture, facts).render_whole()[..., 3] / 255.0
        everywhere = whole(picture.height, picture.width)
        under = np.zeros(true.shape, bool)
        for stroke in strokes:
            under |= cover_stroke(stroke, everywhere) > 0.99
        differs = facts.difference.steps * STEP > _UNLIKE
        ground, figure = under & (true < _CLEAR), under & (true > _SOLID) & differs
        cleared = float((found[ground] < _GONE).mean()) if ground.any() else 1.0
        eaten = float((true - found > _EATEN)[figure].mean()) if figure.any() else 0.0
        keyed = float((true - by_key > _EATEN)[figure].mean()) if figure.any() else 0.0
        rows.append((cleared, eaten, int(ground.sum()), int(figure.sum()), keyed))
        print(
            f"{place.name:34} cleared {100 * cleared:6.2f} %  eaten {100 * eaten:5.2f} %, by the key {100 * keyed:5.2f} %"
        )
    found_rows = np.array(rows)
    good = (found_rows[:, 0] >= 0.98) & (found_rows[:, 1] <= 0.005)
    pooled = [np.average(found_rows[:, n], weights=found_rows[:, n + 2]) for n in (0, 1)]
    print(f"{len(rows)} pictures, {int(good.sum())} within both bounds; pooled: cleared {100 * pooled[0]:.2f} %, eaten {100 * pooled[1]:.2f} %")  # fmt: skip


_HEAD_PX, _HAIR_BAND_PX, _FINE = 130.0, 40.0, 4


def draw_hair(seed: int, side: int = 640) -> NDArray[np.uint8]:
    """Return a head of hair, straight RGBA: strands from one pixel wide, that end up to 34 px beyond a round head."""
    random = np.random.default_rng(seed)
    fine, middle = side * _FINE, side * _FINE / 2
    alpha = np.zeros((fine, fine), np.float32)
    cv2.circle(alpha, (int(middle), int(middle)), int(_HEAD_PX * _FINE), 1.0, -1, cv2.LINE_AA)
    shade = np.full((fine, fine), 0.5, np.float32)
    for angle in np.sort(random.uniform(0, 2 * np.pi, 620)):
        out = _HEAD_PX + random.uniform(4, 34)
        turn = random.normal(0, 0.12)
        way = np.linspace(0.4 * _HEAD_PX, out, 24)
        angles = angle + turn * np.linspace(0, 1, 24) ** 2
        places = middle + _FINE * way[:, None] * np.column_stack([np.cos(angles), np.sin(angles)])
        line = [np.rint(places).astype(np.int32)]
        wide = max(_FINE, int(random.uniform(1.0, 2.6) * _FINE))
        cv2.polylines(alpha, line, False, 1.0, wide, cv2.LINE_AA)
        cv2.polylines(shade, line, False, float(random.uniform(0, 1)), wide, cv2.LINE_AA)
    small = (
        cv2.resize(layer, (side, side), interpolation=cv2.INTER_AREA) for layer in (alpha, shade)
    )
    covered, light = (np.asarray(layer)[..., None] for layer in small)
    rgb = np.array((54, 34, 22)) + light * np.array((72, 52, 34))
    return np.asarray(np.rint(np.dstack([rgb, 255 * covered])), np.uint8)


def report_hair() -> None:
    """Print the mean rim of made hair with and without a band that is worked out, on screen and on paper."""
    angles = np.linspace(0, 2 * np.pi, 200)
    grounds: tuple[Literal["screen", "paper"], ...] = ("screen", "paper")
    for ground in grounds:
        for seed in (1, 2, 3):
            true = draw_hair(seed)
            random = np.random.default_rng(100 + seed)
            height, width = true.shape[:2]
            behind = (
                make_screen(height, width, random)
                if ground == "screen"
                else make_paper(height, width, random)
            )
            alpha = true[..., 3:] / 255.0
            both = (
                true[..., :3] * alpha + behind * (1 - alpha) + random.normal(0, 1.5, behind.shape)
            )
            coded = cv2.imencode(
                ".jpg",
                np.clip(np.rint(both), 0, 255).astype(np.uint8)[..., ::-1],
                [cv2.IMWRITE_JPEG_QUALITY, 92],
            )[1]
            picture = decode_picture(coded.tobytes()).picture
            facts = measure_sheet(picture, GroundPlan(kind=ground, nature="opaque"))
            middle = true.shape[0] / 2
            radius = _HEAD_PX + 17
            line = np.column_stack(
                [
                    middle + radius * np.cos(angles),
                    middle + radius * np.sin(angles),
                    np.full(200, _HAIR_BAND_PX / 2),
                ]
            )
            band = Mark(f"band:{seed}", "solve", Stroke(line))
            rims = [
                score_cut(
                    cut_out(picture, facts, Plan(marks=MarksPlan(marks))).render_whole(), true
                ).rim
                for marks in ((), (band,))
            ]
            print(
                f"hair {seed} on {ground:8} without {rims[0]:5.2f}  solved {rims[1]:5.2f}  {rims[0] / rims[1]:4.2f} times as good"
            )
