import json
import os
import subprocess
import sys

import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

from benchmarks.keying import key_file
from tests.conftest import to_png
from tidymargin.cli.commands import main
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe, read_recipe


@pytest.fixture
def folder(tmp_path, badge_png):
    (tmp_path / "badge.png").write_bytes(badge_png)
    return tmp_path


def run(*arguments):
    return CliRunner().invoke(main, ["key", *map(str, arguments)])


def test_key_gives_what_the_bench_would_by_default(folder, badge_png):
    result = run(folder / "badge.png", "-o", folder / "out.png")
    assert (result.exit_code, result.output) == (0, "")
    assert (folder / "out.png").read_bytes() == key_file(badge_png, Recipe())


def test_a_pick_opens_a_pocket_and_the_recipe_saved_gives_it_again(folder):
    first = run(folder / "badge.png", "-o", folder / "1.png", "--pick", "20,80", "--tolerance", "3.5",
                "--keep", "80,80", "--save-recipe", folder / "r.json")  # fmt: skip
    assert first.exit_code == 0, first.output
    recipe = read_recipe((folder / "r.json").read_bytes())
    assert recipe.reach.tolerance == 3.5
    # what is asked about a place is answered there
    assert [entry.verdict for entry in recipe.reach.pockets][-1] == "clear"
    assert [(pick.x, pick.marks) for pick in recipe.reach.picks] == [(80, "figure")]
    assert (
        run(folder / "badge.png", "-o", folder / "2.png", "--recipe", folder / "r.json").exit_code
        == 0
    )
    assert (folder / "1.png").read_bytes() == (folder / "2.png").read_bytes()
    picture = decode_picture((folder / "1.png").read_bytes()).picture
    assert picture.alpha[80, 20] == 0
    assert picture.alpha[80, 80] == 255


def test_many_pictures_go_into_a_folder_and_a_bad_one_spoils_nothing(folder):
    (folder / "bad.png").write_text("no picture")
    result = run(folder / "bad.png", folder / "badge.png", "-o", f"{folder}/cuts/")
    assert result.exit_code == 65
    assert result.output.count("\n") == 1
    assert "bad.png" in result.output
    assert [p.name for p in (folder / "cuts").iterdir()] == ["badge.png"]


@pytest.mark.parametrize(
    ("arguments", "code", "said"),
    [
        (["nothing.png", "-o", "x.png"], 64, "cannot be read"),
        (["badge.png", "-o", "x.gif"], 64, "ending in .png"),
        (["badge.png", "badge.png", "-o", "x.png"], 64, "2 pictures cannot go into the one file"),
        (["badge.png", "-o", "badge.png"], 64, "the original itself"),
        (["badge.png", "-o", "x.png", "--tolerance", "60"], 64, "from 0 to 50, got 60"),
        (["badge.png", "-o", "x.png", "--pick", "9"], 64, "X,Y in pixels"),
        (["badge.png", "-o", "x.png", "--pick", "160,3"], 64, "inside 160 × 160 px"),
        (
            ["badge.png", "-o", "x.png", "--ground", "sky"],
            65,
            "'paper', 'screen' or 'checker'; got sky",
        ),
        (["badge.png", "-o", "x.png", "--ground", "checker"], 65, "no pattern of two tones"),
        (["badge.png", "-o", "x.png", "--guard", "#12"], 65, "a colour as #RRGGBB; got #12"),
        (["badge.png", "-o", "x.png", "--guard", "#123456:much"], 64, "#RRGGBB:TOLERANCE"),
        (["badge.png", "-o", "x.png", "--choke", "13"], 65, "12"),
        (
            ["badge.png", "-o", "x.png", "--recolour", "#1D3557:#FFFFFF:wide"],
            64,
            "a number, got “wide”",
        ),
        (["badge.png", "-o", "x.png", "--backing", "white"], 65, "#RRGGBB"),
        (["badge.png", "-o", "x.png", "--recipe", "r.json"], 65, "not a field of a recipe"),
    ],
)
def test_what_cannot_be_done_is_one_sentence_and_an_exit_code(folder, monkeypatch, arguments, code, said):  # fmt: skip
    monkeypatch.chdir(folder)
    (folder / "r.json").write_text(json.dumps({"reach": {"speed": 3}}))
    before = (folder / "badge.png").read_bytes()
    result = run(*arguments)
    assert result.exit_code == code
    assert said in result.output
    assert result.output.count("\n") == 1
    assert not (folder / "x.png").exists()
    assert (folder / "badge.png").read_bytes() == before
    assert np.frombuffer(before, np.uint8).size > 0


def test_every_decision_of_the_command_line_ends_up_in_the_recipe(folder):
    result = run(folder / "badge.png", "-o", folder / "1.png", "--ground", "flat", "--figure", "opaque",
                 "--reach", "everywhere", "--guard", "#FFFFFF:2", "--crumbs", "9",
                 "--choke", "0.4", "--smooth", "1", "--feather", "0.5", "--fringe", "60", "--depth", "50",
                 "--recolour", "#1D3557:#FFFFFF:90", "--backing", "#FFFFFF:8", "--shadow", "30",
                 "--save-recipe", folder / "r.json")  # fmt: skip
    assert result.exit_code == 0, result.output
    recipe = read_recipe((folder / "r.json").read_bytes())
    assert (recipe.ground.kind, recipe.ground.figure, recipe.reach.start) == ("flat", "opaque", "everywhere")  # fmt: skip
    assert (recipe.reach.guards[0].colour, recipe.reach.guards[0].tolerance) == ("#FFFFFF", 2)
    assert recipe.reach.crumbs_px == 9
    rim, colour = recipe.rim, recipe.colour
    assert (rim.choke_px, rim.smooth_px, rim.feather_px, rim.fringe) == (0.4, 1, 0.5, 0.6)
    assert (colour.depth, colour.shadow, colour.backing.grown_px) == (0.5, 0.3, 8)
    assert (colour.recolour.towards, colour.recolour.degrees) == ("#FFFFFF", 90)
    assert decode_picture((folder / "1.png").read_bytes()).picture.alpha is None  # white is guarded


def test_a_report_says_what_was_found_and_why(folder):
    told = CliRunner().invoke(main, ["report", str(folder / "badge.png"), "--json"])
    assert told.exit_code == 0, told.output
    found = json.loads(told.output)
    assert (found["ground"], found["nature"], found["colour"]) == ("flat", "opaque", "#FFFFFF")
    assert "100 % of the border" in found["reasons"][0]
    assert 0 < found["tolerance"] < 10
    assert {p["verdict"] for p in found["pockets"]} == {"keep"}
    assert all(jump["tolerance"] > found["tolerance"] for jump in found["jumps"])
    words = CliRunner().invoke(main, ["report", str(folder / "badge.png")]).output
    assert words.startswith("badge.png: 160 × 160 px")


def test_two_pictures_of_one_name_are_refused_before_anything_is_written(folder, badge_png):
    (folder / "other").mkdir()
    (folder / "other" / "badge.png").write_bytes(badge_png)
    result = run(folder / "badge.png", folder / "other" / "badge.png", "-o", f"{folder}/cuts/")
    assert result.exit_code == 64
    assert "would overwrite each other" in result.output
    assert not (folder / "cuts").exists()


def test_a_report_counts_holes_and_dust(folder):
    rgb = np.full((400, 300, 3), 255, np.uint8)
    rgb[150:160, 60:270] = (30, 40, 90)
    for number in range(9):
        rgb[20 + 42 * number : 32 + 42 * number, 8:20] = 60  # holes along the left edge
        rgb[20 + number % 3 * 150 : 22 + number % 3 * 150, 60 + number // 3 * 90] = 90
    (folder / "pad.png").write_bytes(to_png(rgb))
    told = CliRunner().invoke(main, ["report", str(folder / "pad.png"), "--json"])
    found = json.loads(told.output)
    assert [(group["count"], group["edge"]) for group in found["groups"]] == [(9, "left")]
    assert found["specks"] == {"count": 9, "most_px": 2}
    assert run(folder / "pad.png", "-o", folder / "cut.png", "--crumbs", "3").exit_code == 0
    alpha = decode_picture((folder / "cut.png").read_bytes()).picture.alpha
    assert (alpha[:, 280:] == 0).all()
    assert alpha[20, 60] == 0  # a speck
    assert alpha[25, 12] == 255  # a hole: dropped in the bench, by its button


def test_faults_are_listed_for_a_build_and_a_severe_one_has_an_exit_code_of_its_own(folder):
    keyed = run(folder / "badge.png", "-o", folder / "cut.png", "--reach", "everywhere")
    assert keyed.exit_code == 0, keyed.output
    fine = CliRunner().invoke(main, ["faults", str(folder / "cut.png"), "--json"])
    assert (fine.exit_code, json.loads(fine.output)) == (0, [])
    told = CliRunner().invoke(main, ["faults", str(folder / "badge.png"), "--tolerance", "50", "--json"])  # fmt: skip
    rows = json.loads(told.output)
    assert {"kind", "severity", "x", "y", "box", "words"} == set(rows[0])
    assert rows == sorted(rows, key=lambda row: -row["severity"])
    assert told.exit_code == (3 if rows[0]["severity"] >= 0.6 else 0) == 3
    printed = CliRunner().invoke(main, ["faults", str(folder / "cut.png"), "--print-mm", "200"])
    assert "dots to the inch" in printed.output


def test_any_format_and_any_sizes_are_written_in_a_folder_by_a_pattern(folder):
    done = run(folder / "badge.png", "-o", f"{folder}/out/", "--format", "webp", "--format", "png", "--size", "80, 50%",
               "--trim", "4", "--square", "--names", "{name}-{width}")  # fmt: skip
    assert (done.exit_code, done.output) == (0, "")
    made = {place.name: Image.open(place).convert("RGBA") for place in (folder / "out").iterdir()}
    sizes = {image.size for image in made.values()}
    assert len(made) == 4
    assert (80, 80) in sizes
    assert all(width == height for width, height in sizes)
    assert all(image.getchannel("A").getextrema() == (0, 255) for image in made.values())
    one = run(
        folder / "badge.png", "-o", folder / "flat.jpg", "--format", "jpeg", "--laid-on", "#10C81E"
    )
    assert one.exit_code == 0, one.output
    corner = Image.open(folder / "flat.jpg").getpixel((1, 1))
    assert max(abs(a - b) for a, b in zip(corner, (0x10, 0xC8, 0x1E), strict=True)) <= 3


@pytest.mark.parametrize(
    ("arguments", "code", "said"),
    [
        (["--format", "gif"], 64, "Expected one of png, png_palette"),
        (["--size", "huge"], 64, "Expected sizes like 1024"),
        (["--format", "webp", "--size", "16400"], 64, "WEBP holds at most 16,383 px a side"),
        (["--size", "30000 wide", "--names", "{evil}"], 65, "nothing in braces but name"),
        (["--size", "64, 65", "--names", "{name}"], 64, "Two files would both be named"),
        (["--size", "29999", "--size", "30000"], 64, "megapixels"),
    ],
)  # fmt: skip
def test_what_cannot_be_written_is_one_sentence_and_leaves_nothing(folder, arguments, code, said):
    Image.open(folder / "badge.png").crop((0, 60, 160, 100)).save(folder / "strip.png")
    done = run(folder / "strip.png", "-o", f"{folder}/out/", *arguments)
    assert done.exit_code == code, done.output
    assert said in done.output
    assert not (folder / "out").exists() or not list((folder / "out").iterdir())


@pytest.mark.parametrize(
    ("does", "unneeded"),
    [
        (
            "from tidymargin.cli.commands import main; main(['key', '--help'], standalone_mode=False)",
            ("numpy", "numba", "cv2", "PIL", "pydantic", "sqlalchemy", "flask", "redis"),
        ),
        (
            "import tidymargin.cli.cutting",
            ("sqlalchemy", "alembic", "redis", "huey", "flask", "reportlab", "pypdfium2"),
        ),
        (
            "import tidymargin.core.cut, tidymargin.core.faults.finding",
            ("PIL", "pydantic", "sqlalchemy", "click", "flask"),
        ),
    ],
)
def test_nothing_is_loaded_that_is_not_needed(does, unneeded):
    tell = "import sys; print(*sorted({name.split('.')[0] for name in sys.modules}))"
    done = subprocess.run(
        [sys.executable, "-c", f"{does}; {tell}"], capture_output=True, text=True, check=True,
        env={**os.environ, "PYTHONPATH": os.pathsep.join(sys.path)},
    )  # fmt: skip
    assert set(unneeded) & set(done.stdout.splitlines()[-1].split()) == set()
