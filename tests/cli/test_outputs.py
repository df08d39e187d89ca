import os

import pytest
from click.testing import CliRunner

from tidymargin.cli.commands import main
from tidymargin.formats.decode import decode_picture


@pytest.fixture
def folder(tmp_path, badge_png, monkeypatch):
    (tmp_path / "a.png").write_bytes(badge_png)
    (tmp_path / "z.png").write_bytes(b"somebody's")
    (tmp_path / "r.json").write_text("{}")
    monkeypatch.chdir(tmp_path)
    return tmp_path


def run(*arguments):
    return CliRunner().invoke(main, ["key", *map(str, arguments)])


@pytest.mark.parametrize(
    ("arguments", "code", "said"),
    [
        (["a.png", "-o", "o.png", "--save-recipe", "a.png"], 64, "the original itself"),
        (["a.png", "-o", "o.png", "--save-recipe", "a.png", "--replace"], 64, "the original itself"),
        (["a.png", "-o", "nosuch/../a.png", "--replace"], 64, "the original itself"),
        (["a.png", "-o", "link.png", "--replace"], 64, "the original itself"),
        (["a.png", "-o", "same.png", "--replace"], 64, "the original itself"),
        (["a.png", "-o", "o.png", "--recipe", "r.json", "--save-recipe", "r.json"], 64, "original"),
        (["a.png", "-o", "o.png", "--save-recipe", "o.png"], 64, "Two things would be written"),
        (["a.png", "-o", "o.png", "--save-recipe", "sub/../o.png"], 64, "Two things"),
        (["a.png", "-o", "o.png", "--save-recipe", "/dev/full", "--replace"], 64, "is no file"),
        (["a.png", "-o", "o.png", "--save-recipe", "z.png"], 77, "z.png is there already"),
        (["a.png", "-o", "z.png"], 77, "z.png is there already"),
        (["sub/z.png", "-o", "./"], 77, "z.png is there already"),
    ],
)  # fmt: skip
def test_no_output_replaces_what_is_read_or_was_there(folder, arguments, code, said):
    (folder / "sub").mkdir()
    (folder / "sub" / "z.png").write_bytes((folder / "a.png").read_bytes())
    (folder / "link.png").symlink_to("a.png")
    (folder / "same.png").hardlink_to(folder / "a.png")
    before = {p: p.read_bytes() for p in folder.rglob("*") if p.is_file()}
    result = run(*arguments)
    assert (result.exit_code, result.output.count("\n")) == (code, 1)
    assert said in result.output
    after = {p: p.read_bytes() for p in folder.rglob("*") if p.is_file()}
    assert {p: after[p] for p in before} == before
    assert not [p for p in folder.rglob("*") if ".part" in p.name]


def test_a_file_may_be_replaced_when_that_is_said_and_others_beside_stay(folder):
    (folder / "o.png.part").write_bytes(b"somebody else's")
    assert run("a.png", "-o", "z.png", "--save-recipe", "s.json").exit_code == 77
    assert not (folder / "s.json").exists()
    assert run("a.png", "-o", "z.png", "--replace").exit_code == 0
    assert decode_picture((folder / "z.png").read_bytes()).picture.alpha is not None
    assert run("a.png", "-o", "o.png").exit_code == 0
    assert (folder / "o.png.part").read_bytes() == b"somebody else's"


def test_what_never_ends_or_is_too_large_is_refused_before_it_is_read(folder):
    os.mkfifo(folder / "pipe.png")
    with (folder / "huge.png").open("wb") as file:
        file.truncate(6 * 1024**3)  # takes no room on the disk
    for name, said in (("pipe.png", "a pipe"), ("/dev/full", "a device"), ("huge.png", "at most 500 MB")):  # fmt: skip
        for arguments in (["key", name, "-o", "o.png"], ["report", name], ["key", "a.png", "-o", "o.png", "--recipe", name]):  # fmt: skip
            wanted = "at most" if name == "huge.png" else said
            done = CliRunner().invoke(main, arguments)
            assert done.exit_code in (64, 65), done.output
            assert wanted in done.output
    assert not (folder / "o.png").exists()


@pytest.mark.parametrize(("kind", "name"), [("tiff", "x.tiff"), ("tiff", "x.tif"), ("tiff", "X.TIF"), ("jpeg", "x.jpg"), ("jpeg", "x.JPEG"), ("png", "x.PNG")])  # fmt: skip
def test_a_file_may_end_as_its_format_is_spelt(folder, kind, name):
    done = run("a.png", "--format", kind, "-o", name)
    assert done.exit_code == 0, done.output
    assert decode_picture((folder / name).read_bytes()).picture.width == 160
    assert run("a.png", "--format", kind, "-o", "x.gif").exit_code == 64


def test_pictures_of_one_name_but_for_case_or_form_do_not_go_into_one_folder(folder):
    for name in ("sub", "other"):
        (folder / name).mkdir()
    (folder / "sub" / "\u00e9.png").write_bytes((folder / "a.png").read_bytes())
    (folder / "other" / "E\u0301.png").write_bytes((folder / "a.png").read_bytes())
    done = run("sub/\u00e9.png", "other/E\u0301.png", "-o", "cuts/")
    assert (done.exit_code, "have the same name" in done.output) == (64, True)
