"""Keying a folder: several at once, one recipe's rules, a manifest, and the doubtful named."""

import csv
import hashlib
import io
import json

import numpy as np
import pytest
from click.testing import CliRunner

from benchmarks.keying import key_file
from tests.conftest import to_png
from tests.core.test_pieces import draw_page
from tests.formats.test_unpacking import write_pdf, write_zip
from tidymargin.cli.commands import main
from tidymargin.formats.decode import decode_picture
from tidymargin.formats.recipe import Recipe, change_recipe


def run(*arguments):
    return CliRunner().invoke(main, ["key", *map(str, arguments)])


def busy_png():
    random = np.random.default_rng(1)
    return to_png(random.integers(0, 255, (90, 120, 3), np.uint8).repeat(3, 0).repeat(3, 1))


@pytest.fixture
def folder(tmp_path, badge_png):
    scans = tmp_path / "scans"
    scans.mkdir()
    (scans / "badge.png").write_bytes(badge_png)
    (scans / "Badge.jpg.png").write_bytes(badge_png)
    (scans / "busy.png").write_bytes(busy_png())
    (scans / ".hidden").write_text("not looked at")
    return scans


def test_a_folder_is_keyed_as_its_pictures_are_with_a_manifest_and_the_doubtful_first(folder, badge_png, tmp_path):  # fmt: skip
    (folder / "bad.png").write_text("no picture")
    recipe = change_recipe(Recipe(), "reach", tolerance=3.5, picks=[{"x": 20, "y": 80}])
    (tmp_path / "r.json").write_text(recipe.to_json())
    out = tmp_path / "cuts"
    result = run(folder, "-o", out, "--recipe", tmp_path / "r.json", "--jobs", "2")
    assert result.exit_code == 65
    assert "places in the recipe are of one picture" in result.output
    assert "4 pictures: " in result.output
    told = [line for line in result.output.splitlines() if "busy.png" in line or "bad.png" in line]
    assert "bad.png" in told[0]  # what failed, then what is most in doubt
    assert "no background was found" in told[1]
    shared = change_recipe(Recipe(), "reach", tolerance=3.5)
    assert (out / "badge.png").read_bytes() == key_file(badge_png, shared)
    assert sorted(p.name for p in out.iterdir()) == [
        "Badge.jpg.png", "badge.png", "busy.png", "manifest.csv", "manifest.json",
    ]  # fmt: skip
    rows = json.loads((out / "manifest.json").read_text())["pictures"]
    assert [row["name"] for row in rows] == ["bad.png", "Badge.jpg.png", "badge.png", "busy.png"]
    assert rows[0]["failed"].startswith("This file’s content is none of PNG")
    assert (rows[2]["ground"], rows[2]["files"], rows[3]["ground"]) == ("flat", ["badge.png"], "none")  # fmt: skip
    table = list(csv.DictReader(io.StringIO((out / "manifest.csv").read_text("utf-8-sig"))))
    assert [row["name"] for row in table] == [row["name"] for row in rows]
    assert table[3]["to_look_at"] == "True"
    # nothing is written over unless it is asked for
    again = run(folder, "-o", out)
    assert again.exit_code == 77
    assert run(folder, "-o", out, "--replace", "--jobs", "2").exit_code == 65


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["{folder}", "{folder}/badge.png", "-o", "{folder}/../x"], "one folder, or pictures"),
        (["{folder}", "-o", "{folder}"], "another folder as output"),
        (["{folder}", "-o", "{folder}/badge.png"], "is a file"),
        (["{folder}", "-o", "{folder}/../x", "--jobs", "0"], "1 to 64 jobs"),
        (["{folder}/../empty", "-o", "{folder}/../x"], "There are no pictures in"),
    ],
)
def test_what_cannot_be_done_with_a_folder_is_one_sentence_and_writes_nothing(folder, arguments, said):  # fmt: skip
    (folder.parent / "empty").mkdir()
    result = run(*(argument.format(folder=folder) for argument in arguments))
    assert result.exit_code == 64
    assert said in result.output
    assert not (folder.parent / "x").exists()


def test_every_drawing_of_a_page_is_a_file_of_its_own_named_by_a_pattern(tmp_path):
    alpha, _ = draw_page(0.6, is_untidy=False)
    page = np.where(alpha[..., None] > 100, (20, 30, 90), (255, 255, 255)).astype(np.uint8)
    (tmp_path / "page.png").write_bytes(to_png(page))
    result = run(tmp_path / "page.png", "-o", f"{tmp_path}/cuts/", "--pieces", "--trim", "4",
                 "--names", "{name} no {piece}")  # fmt: skip
    assert result.exit_code == 0, result.output
    names = sorted(p.name for p in (tmp_path / "cuts").iterdir())
    assert names == [f"page no {number:02d}.png" for number in range(1, 13)]
    whole = decode_picture(key_file((tmp_path / "page.png").read_bytes(), Recipe())).picture.alpha
    solid = 0
    for name in names:
        piece = decode_picture((tmp_path / "cuts" / name).read_bytes()).picture
        assert not piece.alpha[:3].any()  # its margin
        assert piece.alpha[4].any()
        solid += int((piece.alpha > 0).sum())
    assert solid == (whole > 0).sum()


def test_files_that_hold_several_pictures_give_a_cut_of_each(folder, badge_png, tmp_path):
    (folder / "client.pdf").write_bytes(write_pdf())
    (folder / "logos.zip").write_bytes(write_zip({"one.png": badge_png, "two.png": badge_png}))
    out = tmp_path / "cuts"
    assert run(folder / "client.pdf", "-o", f"{out}/", "--page-dpi", "72").exit_code == 0
    assert sorted(p.name for p in out.iterdir()) == ["client page 1.png", "client page 2.png"]
    assert decode_picture((out / "client page 2.png").read_bytes()).picture.width == 144
    one = run(folder / "client.pdf", "-o", tmp_path / "one.png")
    assert one.exit_code == 64
    assert "holds 2 pictures" in one.output
    every = run(folder, "-o", tmp_path / "all", "--page-dpi", "72", "--jobs", "2")
    assert every.exit_code == 0, every.output
    rows = json.loads((tmp_path / "all" / "manifest.json").read_text())["pictures"]
    assert [row["name"] for row in rows if "," in row["name"]] == [
        "client.pdf, client page 1", "client.pdf, client page 2", "logos.zip, one", "logos.zip, two",
    ]  # fmt: skip
    assert (tmp_path / "all" / "two.png").read_bytes() == key_file(badge_png, Recipe())


def test_no_two_cuts_of_a_folder_are_alike_and_what_was_renamed_is_said(tmp_path, badge_png):
    scans = tmp_path / "scans"
    scans.mkdir()
    for name in ("a.png", "b.png", "B.png", ".hidden.png"):
        (scans / name).write_bytes(badge_png)
    done = CliRunner().invoke(main, ["key", str(scans), "-o", str(tmp_path / "cuts"), "--names", "cut", "--jobs", "2"])  # fmt: skip
    assert done.exit_code == 0, done.output
    assert "Renamed, because the name was taken: cut.png as cut-2.png, cut.png as cut-3.png." in done.output  # fmt: skip
    rows = json.loads((tmp_path / "cuts" / "manifest.json").read_text())["pictures"]
    assert [(row["name"], row["files"]) for row in rows] == [("a.png", ["cut.png"]), ("B.png", ["cut-2.png"]), ("b.png", ["cut-3.png"])]  # fmt: skip
    assert all(hashlib.sha256((tmp_path / "cuts" / row["files"][0]).read_bytes()).hexdigest() == row["sha256"][0] for row in rows)  # fmt: skip
