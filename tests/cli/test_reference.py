"""The reference of commands is what the commands say."""

from pathlib import Path

import click

from tidymargin.cli.commands import main
from tidymargin.cli.reference import write_reference

WRITTEN = Path(__file__).parents[2] / "docs" / "command-line.md"


def test_the_reference_is_current_and_names_every_command_and_option():
    made = write_reference()
    assert WRITTEN.read_text() == made, "run ./tidy reference"
    with click.Context(main) as above:
        for name in main.list_commands(above):
            assert f"\n## {name}\n" in made
            command = main.get_command(above, name)
            for param in command.params:
                if isinstance(param, click.Option):
                    assert any(said in made for said in param.opts), (name, param.opts)
