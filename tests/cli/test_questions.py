"""What is still asked, and answers by place on the command line."""

import json

import cv2
import numpy as np
import pytest
from click.testing import CliRunner

from tests.conftest import to_png
from tidymargin.cli.commands import main
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import read_recipe

RINGS = [(60 + 70 * n, 80) for n in range(5)]


@pytest.fixture
def rings(tmp_path):
    """A picture of rings of two colours with white insides, on white."""
    rgb = np.full((160, 400, 3), 255, np.uint8)
    for number, middle in enumerate(RINGS):
        cv2.circle(rgb, middle, 28, (40, 90, 170) if number % 2 else (200, 60, 40), -1, cv2.LINE_AA)
        cv2.circle(rgb, middle, 12, (255, 255, 255), -1, cv2.LINE_AA)
    (tmp_path / "rings.png").write_bytes(to_png(rgb))
    return tmp_path / "rings.png"


def call(*arguments):
    result = CliRunner().invoke(main, [*map(str, arguments)])
    assert result.exit_code == 0, result.output
    return result.output


def test_a_report_lists_what_is_asked_and_a_pick_answers_it_and_all_alike(rings, tmp_path):
    (asked, *_) = json.loads(call("report", rings, "--json", "--figure", "opaque"))["questions"]
    assert set(asked) == {"x", "y", "px", "box", "now", "chance", "alike", "words"}
    left, top, right, bottom = asked["box"]
    assert left <= asked["x"] < right
    assert top <= asked["y"] < bottom
    assert (asked["now"], asked["alike"]) == ("stays", 4)
    assert 0 <= asked["chance"] <= 1
    assert asked["px"] == pytest.approx(5 * np.pi * 12**2, rel=0.1)
    assert asked["words"].endswith("4 more like this.")

    place, options = f"{asked['x']},{asked['y']}", ("--figure", "opaque")
    for word, expected in (("--pick", 0), ("--keep", 255)):
        cut, recipe = tmp_path / f"{word}.png", tmp_path / f"{word}.json"
        call("key", rings, "-o", cut, word, place, *options, "--save-recipe", recipe)
        alpha = decode_picture(cut.read_bytes()).picture.alpha
        assert [int(alpha[y, x]) for x, y in RINGS] == [expected] * 5
        assert alpha[80, 60 + 20] == 255
        assert len(read_recipe(recipe.read_bytes()).reach.pockets) == 6
        # the place that was said holds over what is alike with it
        call("key", rings, "-o", tmp_path / f"again{word}.png", "--recipe", recipe)
        assert (tmp_path / f"again{word}.png").read_bytes() == cut.read_bytes()
        still = json.loads(call("report", rings, "--json", word, place, *options))["questions"]
        assert not any((q["x"], q["y"]) == (asked["x"], asked["y"]) for q in still)


def test_a_pick_where_nothing_is_asked_stays_a_pick(rings, tmp_path):
    recipe = tmp_path / "r.json"
    call("key", rings, "-o", tmp_path / "cut.png", "--keep", "80,80", "--save-recipe", recipe)
    reach = read_recipe(recipe.read_bytes()).reach
    assert [(p.x, p.y, p.marks) for p in reach.picks] == [(80, 80, "figure")]
    assert not reach.pockets
    assert not reach.regions


def test_a_rule_of_a_recipe_decides_small_enclosed_areas_and_is_refused_where_it_means_nothing(rings, tmp_path):  # fmt: skip
    recipe = tmp_path / "rule.json"
    for under_px, expected in ((400, 255), (500, 0)):  # an inside has 452 px
        rule = {"under_px": under_px, "verdict": "clear"}
        recipe.write_text(json.dumps({"ground": {"figure": "opaque"}, "reach": {"pocket_rules": [rule]}}))  # fmt: skip
        cut = tmp_path / f"cut{under_px}.png"
        call("key", rings, "-o", cut, "--recipe", recipe)
        alpha = decode_picture(cut.read_bytes()).picture.alpha
        assert [int(alpha[y, x]) for x, y in RINGS] == [expected] * 5
    recipe.write_text('{"reach": {"pocket_rules": [{"under_px": 1, "verdict": "clear"}]}}')
    refused = CliRunner().invoke(
        main, ["key", str(rings), "-o", str(tmp_path / "no.png"), "--recipe", str(recipe)]
    )
    assert refused.exit_code == 65
    assert "pocket_rules.0.under_px" in refused.output
