"""The references of commands and keys are what these are."""

import re
from pathlib import Path

import click

from tidymargin.cli.commands import main
from tidymargin.cli.reference import write_reference
from tidymargin.web.sentences.keys import KEYS, write_keys

DOCS = Path(__file__).parents[2] / "docs"


def test_the_reference_is_current_and_names_every_command_and_option():
    made = write_reference()
    assert (DOCS / "command-line.md").read_text() == made, "run ./tidy reference"
    with click.Context(main) as above:
        for name in main.list_commands(above):
            assert f"\n## {name}\n" in made
            command = main.get_command(above, name)
            for param in command.params:
                if isinstance(param, click.Option):
                    assert any(said in made for said in param.opts), (name, param.opts)


def test_the_list_of_keys_is_current_and_has_each_letter_that_the_stages_take():
    assert (DOCS / "keys.md").read_text() == write_keys(), "run ./tidy reference"
    scripts = Path(__file__).parents[2] / "src" / "tidymargin" / "web" / "static" / "js"
    taken = {
        "On the stage of a picture": [*re.findall(r"^      (\w): ", (scripts / "tools" / "index.js").read_text(), re.M), *re.findall(r'letter === "(\w)"', (scripts / "pointer.js").read_text())],
        "On the stage of a scene": re.findall(r'letter === "(\w)"', (scripts / "scene" / "hand.js").read_text()),
    }  # fmt: skip
    for place, letters in taken.items():
        named = {part.strip() for key in KEYS[place] for part in key.name.split(",")}
        assert len(letters) > 4
        assert {letter.upper() for letter in letters} <= named, place
