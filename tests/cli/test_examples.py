"""Every command that the reference and README give as an example does what is said there, as it is typed."""

import json
import re
import shlex
import signal
import subprocess
import sys
from pathlib import Path

import pytest
from click.testing import CliRunner

from benchmarks.run import main as measure
from tests.conftest import draw_pad, read_png
from tests.services.test_trays import redis_url  # noqa: F401 - a fixture
from tidymargin.cli.commands import EXAMPLES, main
from tidymargin.demo import almanac

ROOT = Path(__file__).parents[2]
_STAY = {"serve": "Tidy Margin is at http://127.0.0.1:", "demo": "Tidy Margin is at http://127.0.0.1:", "work": "waits for jobs"}  # fmt: skip
"""What those say that go on until they are stopped."""


@pytest.fixture
def desk(tmp_path, monkeypatch, badge_png, badge_jpg):
    """A folder with what the examples name, and a data folder."""
    for name in ("logo.jpg", "bell.jpg", "signature.jpg", "photo.jpg"):
        (tmp_path / name).write_bytes(badge_jpg)
    (tmp_path / "sticker.png").write_bytes(badge_png)
    (tmp_path / "scans").mkdir()
    (tmp_path / "scans" / "pad.png").write_bytes(draw_pad())
    cut = {"picture": "sticker.png", "name": "sticker", "left": 10, "top": 12}
    scene = {"base": "#F4EBD9", "width": 300, "height": 200, "cuts": [cut]}
    (tmp_path / "card.json").write_text(json.dumps(scene))
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("TIDYMARGIN_DATA", str(tmp_path / "data"))
    monkeypatch.setenv("TIDYMARGIN_DEMO", str(tmp_path / "demo"))
    return tmp_path


def _start_and_stop(said: str, expected: str) -> None:
    """Run what goes on until it is stopped, and stop it once it says that it has begun."""
    with subprocess.Popen(
        [sys.executable, "-m", "tidymargin.cli", *shlex.split(said)],
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
    ) as running:  # fmt: skip
        line = running.stdout.readline()
        running.send_signal(signal.SIGTERM)
        assert expected in line, (said, line)
        assert running.wait(60) == 0, said


def test_every_example_runs_as_it_is_typed(desk, monkeypatch, redis_url):  # noqa: F811
    monkeypatch.setenv("TIDYMARGIN_QUEUE", redis_url)
    for name, typed in EXAMPLES.items():
        if name in _STAY:
            for said in typed:
                _start_and_stop(said, _STAY[name])
            continue
        if name == "restore":
            (desk / "data").rename(desk / "lost")
        for said in typed:
            # as a shell reads it: an unquoted number sign begins a comment
            done = CliRunner().invoke(main, shlex.split(said, comments=True))
            assert done.exit_code in ((0, 3) if name == "faults" else (0,)), (said, done.output)
    written = {path.name for path in desk.iterdir() if path.is_file()}
    assert {"logo.png", "bell.webp", "thing.png", "logo.svg", "signature.dxf", "line.svg", "sheet.pdf", "cut-out.png", "card.pdf", "kept.zip"} <= written  # fmt: skip
    assert "pad.png" in {path.name for path in (desk / "cuts").iterdir()}
    assert len(list((desk / "scans").iterdir())) == 1 + 3  # that the simulated scanner put there
    ink = read_png((desk / "signature.png").read_bytes())
    solid = ink[ink[..., 3] > 250][:, :3]
    assert (abs(solid.astype(int) - (0x1C, 0x32, 0x5E)).max(axis=0) <= 1).all()
    assert (desk / "data" / "sheets.sqlite").is_file()


def test_the_benchmark_that_readme_quotes_prints_its_table(desk, monkeypatch, capsys):
    monkeypatch.setattr(almanac, "SHEETS", ("tide-stamp",))
    list(almanac.draw_almanac(desk / "truth"))
    arguments = ["--truth", str(desk / "truth"), "--no-speed", "--no-detection"]
    monkeypatch.setattr(sys, "argv", ["bench", *arguments])
    measure()
    said = capsys.readouterr().out
    assert "Mean rim, OKLab x 100" in said
    assert re.search(r"flat, png +1 .*tide-stamp", said)


def test_readme_names_no_command_that_no_test_runs():
    """Its own two run this test, and the wheel is built and tried, on every change: see `.ci/run`."""
    said = re.findall(r"`?\./tidy ([a-z-]+(?: --?[a-z-]+)?)", (ROOT / "README.md").read_text())
    said += re.findall(r"`tidymargin ([a-z-]+)", (ROOT / "README.md").read_text())
    assert len(said) > 4
    built = (ROOT / ".ci" / "run").read_text()
    for command in said:
        name = command.split()[0]
        is_example = any(one.startswith(command) for one in EXAMPLES.get(name, ()))
        is_measured = name == "bench"  # as the test above does
        assert is_example or is_measured or f"./tidy {name}" in built, command
