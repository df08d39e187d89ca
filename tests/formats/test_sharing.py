"""What sheets share: nothing of a place ever gets from one picture to another, and every change can be taken back."""

import json

from hypothesis import given
from hypothesis import strategies as st

from tidymargin.formats.recipe import STEPS, Recipe, change_recipe, read_recipe
from tidymargin.formats.sharing import list_exceptions, share, take_shared

COLOURS = st.sampled_from(["#112233", "#FFFFFF", "#C8553D"])
PLACE = st.fixed_dictionaries({"x": st.integers(0, 90), "y": st.integers(0, 90)})
ANSWER = st.fixed_dictionaries({"x": st.integers(0, 90), "y": st.integers(0, 90), "verdict": st.sampled_from(["clear", "keep"])})  # fmt: skip
VALUES = {
    "ground": {"kind": st.sampled_from(["auto", "flat", "paper"]), "figure": st.sampled_from(["auto", "ink"]), "area": st.sampled_from(["auto", [[0, 0], [50, 0], [50, 40], [0, 40]]])},
    "reach": {"tolerance": st.sampled_from(["auto", 0.0, 6.5, 50.0]), "start": st.sampled_from(["outside", "picks", "everywhere"]), "picks": st.lists(PLACE, max_size=2), "pocket_rules": st.lists(st.fixed_dictionaries({"under_px": st.integers(2, 99), "verdict": st.sampled_from(["clear", "keep"])}), max_size=2),
              "regions": st.lists(ANSWER, max_size=2), "pockets": st.lists(ANSWER, max_size=2), "drops": st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), max_size=2), "pinholes_px": st.integers(0, 5),
              "guards": st.lists(st.builds(lambda c, p: {"colour": c, **p}, COLOURS, PLACE), max_size=2)},
    "rim": {"choke_px": st.sampled_from([0.0, 0.4, -1.0]), "spares_lines": st.booleans(), "gamma": st.sampled_from([1.0, 2.0])},
    "colour": {"depth": st.sampled_from([0.0, 1.0]), "spill_places": st.lists(PLACE, max_size=2), "recolour": st.sampled_from([None, {"colour": "#1D3557"}, {"colour": "#1D3557", "pieces": [{"x": 4, "y": 5, "colour": "#FFFFFF"}]}])},
    "proof": {"backdrop": COLOURS, "accepted": st.lists(st.builds(lambda p: {"kind": "crumb", **p}, PLACE), max_size=2), "print_mm": st.sampled_from([None, 80.0])},
    "export": {"trim": st.booleans(), "formats": st.sampled_from([["png"], ["webp", "png"]]), "pieces": st.booleans()},
}  # fmt: skip


@st.composite
def recipes(draw):
    recipe = Recipe()
    for step, values in VALUES.items():
        chosen = draw(st.fixed_dictionaries({}, optional=values))
        if chosen:
            recipe = change_recipe(recipe, step, **chosen)
    return recipe


def list_places(value):
    """Every number under a name that is a place's, anywhere in a recipe's JSON."""
    if isinstance(value, dict):
        own = [value[name] for name in ("x", "y", "area", "drops") if name in value and value[name] not in (None, "auto", [])]  # fmt: skip
        return own + [found for inner in value.values() for found in list_places(inner)]
    return [found for inner in value for found in list_places(inner)] if isinstance(value, list) else []  # fmt: skip


@given(recipes())
def test_nothing_that_is_shared_is_a_place_and_sharing_twice_is_sharing_once(recipe):
    shared = take_shared(recipe)
    assert list_places(json.loads(shared.to_json())) == []
    assert not shared.by_hand.marks
    assert take_shared(shared) == shared
    assert read_recipe(shared.to_json()) == shared


@given(recipes(), recipes(), recipes())
def test_a_change_reaches_what_is_no_exception_and_is_taken_back_without_a_trace(first, then, own):
    before, after = take_shared(first), take_shared(then)
    was = set(list_exceptions(before, own))
    got = share(before, after, own)
    assert list_places(json.loads(got.to_json())) == list_places(json.loads(own.to_json())) or was
    for step in STEPS:
        for field in type(getattr(own, step)).model_fields:
            now, had = getattr(getattr(got, step), field), getattr(getattr(own, step), field)
            wanted = getattr(getattr(after, step), field)
            had_before = had == getattr(getattr(before, step), field)
            is_place = field in ("area", "picks", "pockets", "fences", "drops", "marks", "spill_places", "accepted")  # fmt: skip
            assert now == (wanted if had_before and not is_place else had), (step, field)
    # what had been the new value by itself cannot be told from what was given; all else comes back
    back = share(after, before, got)
    for step in STEPS:
        for field in type(getattr(own, step)).model_fields:
            had = getattr(getattr(own, step), field)
            if had != getattr(getattr(after, step), field):
                assert getattr(getattr(back, step), field) == had, (step, field)


@given(recipes())
def test_a_sheet_that_follows_has_no_exceptions(recipe):
    shared = take_shared(recipe)
    assert list_exceptions(shared, share(Recipe(), shared, Recipe())) == []
    assert list_exceptions(Recipe(), Recipe()) == []
