"""Scoring the cut of a whole truth set beside a plain flood, a softened flood and the limit."""

from collections.abc import Iterable, Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np

from benchmarks.figures import FIGURES, SCALE
from benchmarks.score import Score, flood_cut, limit_cut, score_cut
from tidymargin.core.cut import cut_out, measure_sheet
from tidymargin.core.difference import STEP
from tidymargin.core.reach import Pick
from tidymargin.demo.drawing import Drawing, lay_over, to_true_cut
from tidymargin.demo.truth import TrueCase, encode_picture, find_pocket_picks, read_case
from tidymargin.formats.decode import decode_picture

SIZES = (420, 1100)
FLOOD_TOLERANCE = 10.0
ROWS: dict[str, tuple[str, str]] = {  # row: (ground, file)
    "white, lossless": ("#FFFFFF", "png"),
    "black, lossless": ("#000000", "png"),
    "teal, JPEG 85": ("#2A9D8F", "jpg"),
}


@dataclass(frozen=True, slots=True)
class Result:
    """One picture's scores."""

    row: str
    name: str
    tolerance: float
    ours: Score
    flood: Score
    soft: Score
    limit: Score | None


def make_cases() -> Iterator[tuple[str, TrueCase, tuple[int, int, int]]]:
    """Make the truth set: every figure at two sizes on every ground."""
    for row, (code, suffix) in ROWS.items():
        ground = (int(code[1:3], 16), int(code[3:5], 16), int(code[5:7], 16))
        for size in SIZES:
            for number, figure in enumerate(FIGURES):
                drawing = Drawing(size, size, SCALE)
                figure(drawing, np.random.default_rng([20261, size, number]))
                rgba = drawing.render()
                true = to_true_cut(rgba)
                picture = lay_over(rgba, np.array(ground, np.float32))
                yield (
                    row,
                    TrueCase(
                        f"{figure.__name__}-{size}",
                        encode_picture(picture, suffix),
                        suffix,
                        true,
                        picks=find_pocket_picks(true[..., 3]),
                    ),
                    ground,
                )


def score_case(row: str, case: TrueCase, ground: tuple[int, int, int] | None) -> Result:
    """Cut one picture with no hand on a control but the picks, and score it."""
    picture = decode_picture(case.encoded).picture
    facts = measure_sheet(picture)
    picks = tuple(Pick(y, x) for x, y in case.picks)
    cutter = cut_out(picture, facts, picks=picks)
    floods = [
        score_cut(flood_cut(picture.rgb, cutter.reach.levels, round(FLOOD_TOLERANCE / STEP), soft=soft), case.true_rgba)
        for soft in (False, True)
    ]  # fmt: skip
    limit = None
    if ground is not None:
        limit = score_cut(limit_cut(picture.rgb, case.true_rgba, np.array(ground)), case.true_rgba)
    ours = score_cut(cutter.render_whole(), case.true_rgba)
    return Result(row, case.name, cutter.tolerance, ours, floods[0], floods[1], limit)


def score_folder(folder: Path) -> Iterable[Result]:
    """Score every truth folder below `folder`; the limit needs a ground that only made cases know."""
    for place in sorted(p.parent for p in folder.rglob("case.json")):
        case = read_case(place)
        yield score_case(f"{case.ground}, {case.suffix}", case, None)


def summarise(results: list[Result]) -> list[dict[str, object]]:
    """Pool results into one dictionary a row."""
    table = []
    for row in dict.fromkeys(r.row for r in results):
        of_row = [r for r in results if r.row == row]
        area = sum(r.ours.area for r in of_row)
        mean = float(np.mean([r.ours.rim for r in of_row]))
        worst = max(of_row, key=lambda r: r.ours.rim)
        limits = [r.limit.rim for r in of_row if r.limit is not None]
        table.append(
            {
                "row": row,
                "pictures": len(of_row),
                "flood": float(np.mean([r.flood.rim for r in of_row])),
                "soft": float(np.mean([r.soft.rim for r in of_row])),
                "ours": mean,
                "ours_99": float(np.mean([r.ours.rim_99 for r in of_row])),
                "limit": float(np.mean(limits)) if limits else None,
                "worst": worst.ours.rim,
                "worst_name": worst.name,
                "worst_ratio": worst.ours.rim / mean if mean else 0.0,
                "left_ppm": 1e6 * sum(r.ours.left for r in of_row) / area,
                "eaten_ppm": 1e6 * sum(r.ours.eaten for r in of_row) / area,
            }
        )
    return table


def to_rows(results: list[Result]) -> list[dict[str, object]]:
    """Return every picture's scores as plain dictionaries."""
    return [asdict(r) for r in results]
