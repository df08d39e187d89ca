"""Scoring the cut of a whole truth set beside a plain flood, a softened flood and the limit."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import asdict, dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.contact import crop_worst
from benchmarks.figures import FIGURES, SCALE
from benchmarks.inks import INKS
from benchmarks.score import Score, digest_cut, flood_cut, limit_cut, score_cut
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.difference import STEP
from tidymargin.core.ground.kinds import from_hex
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.demo.drawing import Drawing, mix_over, to_true_cut
from tidymargin.demo.grounds import add_grain, make_checker, make_paper, make_screen
from tidymargin.demo.truth import TrueCase, encode_picture, find_pocket_picks, read_case
from tidymargin.formats.decode import decode_picture

SIZES = (420, 1100)
UNEVEN_SIZES = (700, 1000)
FLOOD_TOLERANCE = 10.0
Rgb = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class Row:
    """One ground of the truth set, and how its pictures are saved."""

    name: str
    kind: str
    make: Callable[[int, np.random.Generator], Rgb]
    suffix: str
    quality: int = 85
    grain: float = 0.0
    sizes: tuple[int, int] = UNEVEN_SIZES
    light_ink: bool = False


def _flat(code: str) -> Callable[[int, np.random.Generator], Rgb]:
    return lambda size, _: np.full((size, size, 3), from_hex(code), np.float32)


def _checker(size: int, random: np.random.Generator) -> Rgb:
    phase = (float(random.uniform(0, 20)), float(random.uniform(0, 20)))
    return make_checker(size, size, period=float(random.uniform(7, 18)), phase=phase)


def _paper(size: int, random: np.random.Generator) -> Rgb:
    return make_paper(size, size, random, vignette=0.1)


def _screen(size: int, random: np.random.Generator) -> Rgb:
    return make_screen(size, size, random)


ROWS = (
    Row("white, lossless", "flat", _flat("#FFFFFF"), "png", sizes=SIZES),
    Row("black, lossless", "flat", _flat("#000000"), "png", sizes=SIZES, light_ink=True),
    Row("teal, JPEG 85", "flat", _flat("#2A9D8F"), "jpg", sizes=SIZES),
    Row("checker, JPEG 93", "checker", _checker, "jpg", 93),
    Row("green cloth, JPEG 92", "screen", _screen, "jpg", 92, grain=2.0),
    Row("paper, JPEG 90", "paper", _paper, "jpg", 90, grain=1.0),
)


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
    digest: str
    crop: NDArray[np.uint8]


def _draw(row: Row) -> Iterator[tuple[str, str, NDArray[np.float32]]]:
    """Draw every figure of a row: its name, nature and RGBA."""
    for size in row.sizes:
        for number, figure in enumerate(FIGURES):
            drawing = Drawing(size, size, SCALE)
            figure(drawing, np.random.default_rng([20261, size, number]))
            yield f"{figure.__name__}-{size}", "opaque", drawing.render()
        for number, ink in enumerate(INKS):
            random = np.random.default_rng([20262, size, number])
            yield f"{ink.__name__}-{size}", "ink", ink(size, random, light=row.light_ink)


def make_cases(only: str = "") -> Iterator[tuple[str, TrueCase, Rgb]]:
    """Make the truth set, every figure on every ground: row, case and the true ground."""
    for place, row in enumerate(ROWS):
        if only not in row.name:
            continue
        for number, (name, nature, rgba) in enumerate(_draw(row)):
            random = np.random.default_rng([20263, place, number])
            ground = row.make(rgba.shape[0], random)
            picture = add_grain(mix_over(rgba, ground), random, row.grain)
            true = to_true_cut(rgba)
            encoded = encode_picture(picture, row.suffix, row.quality)
            picks = find_pocket_picks(true[..., 3]) if nature == "opaque" else []
            case = TrueCase(name, encoded, row.suffix, true, row.kind, nature, picks)
            yield f"{row.name}: {nature}", case, ground


def score_case(row: str, case: TrueCase, ground: NDArray[np.floating] | None) -> Result:
    """Cut one picture with no hand on a control but the picks, and score it."""
    picture = decode_picture(case.encoded).picture
    facts = measure_sheet(picture)
    picks = tuple(Pick(y, x) for x, y in case.picks)
    cutter = cut_out(picture, facts, Plan(reach=ReachPlan(picks=picks)))
    floods = [
        score_cut(flood_cut(picture.rgb, cutter.reach.levels, round(FLOOD_TOLERANCE / STEP), soft=soft), case.true_rgba)
        for soft in (False, True)
    ]  # fmt: skip
    limit = None
    if ground is not None:
        limit = score_cut(limit_cut(picture.rgb, case.true_rgba, ground), case.true_rgba)
    found = cutter.render_whole()
    ours = score_cut(found, case.true_rgba)
    crop = crop_worst(picture.rgb, case.true_rgba, found)
    return Result(
        row, case.name, cutter.tolerance, ours, floods[0], floods[1], limit, digest_cut(found), crop
    )


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
    return [{k: v for k, v in asdict(r).items() if k != "crop"} for r in results]


def find_worst(results: list[Result], count: int = 10) -> list[Result]:
    """Return the pictures that are farthest beyond their limit, the worst first."""
    known = [(r.ours.rim - r.limit.rim, r) for r in results if r.limit is not None]
    known.sort(key=lambda pair: -pair[0])
    return [r for _, r in known[:count]]
