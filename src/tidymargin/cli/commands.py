"""All commands together."""

import click

from tidymargin.cli.caring import backup, doctor, restore
from tidymargin.cli.judging import faults
from tidymargin.cli.keying import key, report
from tidymargin.cli.roughing import rough
from tidymargin.cli.scanning import scan
from tidymargin.cli.serving import demo, serve
from tidymargin.cli.working import work
from tidymargin.process import hold_memory_low


@click.group()
def main() -> None:
    """Key plain grounds out of pictures."""
    hold_memory_low()


for _command in (serve, demo, scan, work, key, rough, report, faults, doctor, backup, restore):
    main.add_command(_command)


def run() -> None:
    """Run a command as the installed `tidymargin` does."""
    main(prog_name="tidymargin")
