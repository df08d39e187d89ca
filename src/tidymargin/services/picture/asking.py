"""Questions about a picture that is no sheet, and answers to them by places."""

from typing import Any

from tidymargin.core.base.area import Area
from tidymargin.core.base.picture import Picture, Region
from tidymargin.core.cut import Cutter
from tidymargin.core.questions.asking import Question, Spot, Verdict, find_questions
from tidymargin.core.reach.clearing import to_step
from tidymargin.core.reach.pockets import PocketChoice
from tidymargin.formats.recipe import Recipe, change_recipe
from tidymargin.services.picture.keying import cut_by
from tidymargin.services.picture.words import word_question


def list_questions(cutter: Cutter, area: Area) -> list[dict[str, Any]]:
    """Return what is asked about a cut, ranked, as plain values; places are those of the whole picture."""
    return [_to_row(question, area) for question in find_questions(cutter)]


def _to_row(question: Question, area: Area) -> dict[str, Any]:
    first = question.spots[0]
    x, y = area.to_picture(first.col, first.row)
    return {
        "x": round(x),
        "y": round(y),
        "px": question.area_px,
        "box": first.box.edges,
        "now": question.now,
        "chance": round(question.chance, 3),
        "alike": len(question.spots) - 1,
        "words": word_question(question),
    }


def find_at(
    cutter: Cutter, questions: tuple[Question, ...], row: int, col: int
) -> tuple[Question, Spot] | None:
    """Return the question that asks about a place, and its own place there; None where none does."""
    height, width = cutter.levels.steps.shape
    if not (0 <= row < height and 0 <= col < width):
        return None
    # what a pocket's outline goes around may hold figure again
    like_ground = bool(cutter.levels.steps[row, col] <= to_step(cutter.tolerance))
    holding = [
        (question, spot)
        for question in questions
        for spot in question.spots
        if (spot.pocket is None or like_ground) and spot.holds(row, col)
    ]
    return min(holding, key=lambda found: found[1].box.height * found[1].box.width, default=None)


def add_answer(recipe: Recipe, area: Area, spots: tuple[Spot, ...], verdict: Verdict) -> Recipe:
    """Return a recipe in which what is asked about some places is answered; the later holds over the earlier."""
    pockets = [entry.model_dump() for entry in recipe.reach.pockets]
    regions = [entry.model_dump() for entry in recipe.reach.regions]
    for spot in spots:
        choice = spot.to_choice(verdict)
        said: dict[str, Any] = {**_to_spot(area, choice.row, choice.col), "verdict": verdict}
        if isinstance(choice, PocketChoice):
            also = [tuple(_to_spot(area, *place).values()) for place in choice.also]
            pockets.append({**said, "also": also})
        else:
            regions.append({**said, "px": choice.area_px})
    return change_recipe(recipe, "reach", pockets=pockets, regions=regions)


def _to_spot(area: Area, row: int, col: int) -> dict[str, float]:
    x, y = area.to_picture(col, row)
    most_x, most_y = area.picture_width - 1, area.picture_height - 1
    return {"x": min(max(0.0, round(x, 2)), most_x), "y": min(max(0.0, round(y, 2)), most_y)}


def _goes(cutter: Cutter, row: int, col: int) -> bool:
    """Whether a place goes as it is, so that a pick there says nothing of others."""
    return bool(cutter.cleared(Region(row, col, row + 1, col + 1)).all())


def answer_by_places(picture: Picture, recipe: Recipe, given: int) -> Recipe:
    """Turn the last picks of a recipe that are at places asked about into answers, which all alike follow.

    Parameters
    ----------
    picture, recipe :
        What is keyed.
    given : int
        How many of its picks, from the end, may be answers; others stay what they are.

    Raises
    ------
    BadParameterError
        A pick lies outside the picture.
    """
    if given == 0:
        return recipe
    area = recipe.to_area(picture.height, picture.width)
    picks = [pick.model_dump() for pick in recipe.reach.picks]
    before, own = picks[:-given], recipe.reach.picks[-given:]
    answered = change_recipe(recipe, "reach", picks=before)
    cutter = cut_by(answered, picture)
    asked = find_questions(cutter)
    said: list[tuple[Question, Spot, Verdict]] = []
    for pick in own:
        col, row = (round(value) for value in area.to_area(pick.x, pick.y))
        verdict: Verdict = "clear" if pick.marks == "ground" else "keep"
        found = find_at(cutter, asked, row, col)
        if found is None or (verdict == "clear" and _goes(cutter, row, col)):
            before.append(pick.model_dump())
        else:
            said.append((*found, verdict))
    for question, _, verdict in said:
        answered = add_answer(answered, area, question.spots, verdict)
    # where two say otherwise of what is alike, each holds at its own place
    for _, spot, verdict in said:
        answered = add_answer(answered, area, (spot,), verdict)
    return change_recipe(answered, "reach", picks=before)
