"""What questions bring: truth folders keyed with no hand, then answered from the top by a rule that looks at the true cut."""

from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from benchmarks.elsewhere import MOST_PPM, MOST_RIM
from benchmarks.score import score_cut
from tidymargin.core.base.area import Area
from tidymargin.core.cut import Cutter, cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.questions.asking import Question, Verdict, find_questions
from tidymargin.demo.truth import read_case
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.picture.asking import add_answer

_MOST_ANSWERS = 4
_IDLE_PX = 100
_LOOKED_AT = 4  # questions of a usable picture


@dataclass(frozen=True, slots=True)
class Answered:
    """What came of one picture: whether it was usable at first, after its answers and with picks, and how it was asked."""

    name: str
    usable: tuple[bool, ...]
    with_picks: bool
    asked: int
    idle: int
    mixed: int
    groups: int
    told: str


def judge(cutter: Cutter, true: NDArray[np.uint8]) -> tuple[bool, str]:
    """Return whether a cut is usable, and its figures."""
    score = score_cut(cutter.render_whole(), true)
    ppm = [1e6 * count / score.area for count in (score.eaten, score.left)]
    return score.rim < MOST_RIM and max(ppm) < MOST_PPM, f"{score.rim:.2f}/{ppm[0]:.0f}/{ppm[1]:.0f}"  # fmt: skip


def find_verdicts(question: Question, true: NDArray[np.uint8]) -> list[Verdict]:
    """Return what the true cut says of each place of a question."""
    return ["clear" if true[spot.row, spot.col, 3] < 128 else "keep" for spot in question.spots]


def _answer(place: Path) -> Answered:
    case = read_case(place)
    picture, true = decode_picture(case.encoded).picture, case.true_rgba
    recipe = Recipe()
    area = recipe.to_area(picture.height, picture.width)
    facts = measure_sheet(picture)

    def cut(chosen: Recipe) -> Cutter:
        return cut_out(picture, facts, chosen.to_plan(area))

    cutter = cut(recipe)
    usable, told = [], []
    idle, mixed, groups = 0, 0, 0
    asked = find_questions(cutter)
    for answers in range(_MOST_ANSWERS + 1):
        is_usable, figures = judge(cutter, true)
        usable.append(is_usable)
        told.append(figures)
        if answers == 0 and is_usable:
            idle = sum(_is_idle(cut, recipe, area, q, true) for q in asked[:_LOOKED_AT])
        open_ones = find_questions(cutter)
        if not open_ones or answers == _MOST_ANSWERS:
            break
        verdicts = find_verdicts(open_ones[0], true)
        if len(verdicts) > 1:
            groups += 1
            mixed += len(set(verdicts)) > 1
        weights = [spot.area_px for spot in open_ones[0].spots]
        clears = np.average([v == "clear" for v in verdicts], weights=weights) > 0.5
        recipe = add_answer(recipe, area, open_ones[0].spots, "clear" if clears else "keep")
        cutter = cut(recipe)
    picks = [{"x": x, "y": y, "marks": "ground"} for x, y in case.picks]
    with_picks, _ = judge(cut(change_recipe(Recipe(), "reach", picks=picks)), true)
    return Answered(case.name, tuple(usable), with_picks, min(_LOOKED_AT, len(asked)), idle, mixed, groups, " ".join(told))  # fmt: skip


def _is_idle(
    cut: Callable[[Recipe], Cutter],
    recipe: Recipe,
    area: Area,
    question: Question,
    true: NDArray[np.uint8],
) -> bool:
    """Whether a question's right answer changes next to nothing."""
    verdict = find_verdicts(question, true)[0]
    answered = add_answer(recipe, area, question.spots, verdict)
    before, after = (cut(chosen).render_whole()[..., 3] for chosen in (recipe, answered))
    return int((np.abs(after.astype(int) - before) > 25).sum()) < _IDLE_PX


def answer_folder(folder: Path) -> None:
    """Answer every truth folder's questions and print what came of it."""
    places = sorted(place.parent for place in folder.rglob("case.json"))
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(_answer, places))
    for line in _say(found):
        print(line)


def _say(found: list[Answered]) -> Iterator[str]:
    wrong = [one for one in found if not one.usable[0]]
    right = [one for one in found if one.usable[0]]
    yield f"{len(found)} pictures: {len(right)} usable at first, {sum(one.with_picks for one in found)} with a pick per pocket"
    yield f"of {len(wrong)} not usable {sum(any(one.usable) for one in wrong)} are with at most {_MOST_ANSWERS} answers (asked: half)"
    yield f"of {len(right)} usable {sum(not all(one.usable) for one in right)} are made worse (asked: none)"
    yield f"asked on usable ones {sum(one.asked for one in right)} of the first four each, idle {sum(one.idle for one in right)} (asked: a third)"
    yield f"groups {sum(one.groups for one in found)}, of them mixed {sum(one.mixed for one in found)}"
    for one in found:
        if not all(one.usable):
            yield f"  {one.name}: {one.told}"
