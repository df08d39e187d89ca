import hashlib
import json
from typing import ClassVar

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidymargin.core.base.errors import BadRecipeError, UnreadableStepError
from tidymargin.formats.recipe import (
    STEPS,
    Recipe,
    change_recipe,
    from_steps,
    read_recipe,
)
from tidymargin.formats.step import Step
from tidymargin.formats.steps import MOST_FENCE_PLACES

picks_st = st.lists(
    st.fixed_dictionaries(
        {
            "x": st.integers(0, 9000),
            "y": st.integers(0, 9000),
            "marks": st.sampled_from(["ground", "figure"]),
            "tolerance": st.just("auto") | st.floats(0, 50),
        }
    ),
    max_size=4,
)


@given(tolerance=st.just("auto") | st.floats(0, 50), picks=picks_st)
def test_a_recipe_survives_json_and_its_steps_both_ways(tolerance, picks):
    recipe = change_recipe(Recipe(), "reach", tolerance=tolerance, picks=picks)
    assert read_recipe(recipe.to_json()) == recipe
    assert from_steps({name: step.to_json() for name, step in recipe.steps.items()}) == recipe


def test_equal_steps_have_equal_names_and_other_steps_others():
    first = change_recipe(Recipe(), "reach", tolerance=5)
    again = change_recipe(Recipe(), "reach", tolerance=5.0)
    assert first.reach.name == again.reach.name != Recipe().reach.name
    assert first.ground.name == Recipe().ground.name


class Shifted(Step):
    """A step as a later version may have it: one field was renamed, and another is new."""

    VERSION: ClassVar[int] = 3
    UPGRADES: ClassVar[dict] = {
        1: lambda body: {"edge_px": body["choke_px"] / 2},
        2: lambda body: {**body, "soft": body["edge_px"] > 4},
    }

    edge_px: float = 0.0
    soft: bool = False


def test_a_step_of_an_older_version_is_brought_up_and_keeps_the_name_it_was_stored_under():
    stored = '{"choke_px":10}'
    step = Shifted.read(stored)
    assert (step.edge_px, step.soft) == (5.0, True)
    assert step.name == hashlib.sha256(stored.encode()).hexdigest()
    assert step.to_json() == stored
    changed = Shifted(edge_px=5.0, soft=True)
    assert step == changed
    assert hash(step) == hash(changed)
    assert changed.to_json() == '{"edge_px":5.0,"soft":true,"version":3}'
    assert Shifted.read(changed.to_json()) == changed
    assert Shifted.model_validate({"version": 2, "edge_px": 5.0}).soft


@pytest.mark.parametrize(
    "body", ['{"version":4,"edge_px":1.0}', '{"version":3,"gone":1}', "{", '{"version":"x"}']
)
def test_a_step_that_cannot_be_read_is_said_in_a_sentence(body):
    with pytest.raises(UnreadableStepError, match="The step “shifted” "):
        Shifted.read(body)
    with pytest.raises(BadRecipeError, match="step “reach” is of version 2"):
        read_recipe('{"reach": {"version": 2}}')


BAD = {
    '{"reach": {"tolerence": 3}}': ("reach.tolerence", "not a field"),
    '{"reach": {"tolerance": 51}}': ("reach.tolerance", "less than or equal to 50"),
    '{"reach": {"tolerance": NaN}}': ("reach.tolerance", "finite"),
    '{"ground": {"colour": "red"}}': ("ground.colour", "got red"),
    '{"reach": {"picks": [{"x": 1}]}}': ("reach.picks.0.y", "required"),
    '{"recipe_version": 2}': ("recipe_version", "version 2"),
    "[1]": ("recipe", "object"),
    "{": (None, "not JSON"),
}


@pytest.mark.parametrize("text", BAD)
def test_a_bad_recipe_is_refused_with_the_place_and_what_came(text):
    field, said = BAD[text]
    with pytest.raises(BadRecipeError, match=said) as caught:
        read_recipe(text)
    assert caught.value.field == field


def test_the_schema_names_the_seven_steps_and_allows_nothing_else():
    schema = Recipe.model_json_schema()
    assert list(schema["properties"]) == ["recipe_version", *STEPS]
    assert schema["additionalProperties"] is False
    assert all(part["additionalProperties"] is False for part in schema["$defs"].values())
    json.dumps(schema)


def test_lists_are_bounded_where_they_come_in_and_what_was_stored_before_is_still_read_and_shortened():
    long = [[n % 90, n // 90] for n in range(MOST_FENCE_PLACES + 1)]
    for values in ({"fences": [long]}, {"fences": [long[:2]] * 101}, {"picks": [{"x": 1, "y": 2}] * 1001},
                   {"drops": long * 20}, {"guards": [{"colour": "#ffffff"}] * 101}):  # fmt: skip
        with pytest.raises(BadRecipeError, match="at most"):
            change_recipe(Recipe(), "reach", **values)
        with pytest.raises(BadRecipeError, match="at most"):
            read_recipe(json.dumps({"reach": values}))
    assert (
        Recipe.model_json_schema()["$defs"]["ReachStep"]["properties"]["picks"]["maxItems"] == 1000
    )
    bodies = {name: step.to_json() for name, step in Recipe().steps.items()}
    bodies["reach"] = json.dumps({"fences": [long, long]})
    stored = from_steps(bodies)
    assert len(stored.reach.fences[0]) == MOST_FENCE_PLACES + 1
    tuned = change_recipe(stored, "reach", tolerance=7)
    assert len(change_recipe(tuned, "reach", fences=[long]).reach.fences) == 1
    with pytest.raises(BadRecipeError, match="at most"):
        change_recipe(tuned, "reach", fences=[long, long, [*long, [1, 1]]])
