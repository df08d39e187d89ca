"""The simulated scanner."""

from pathlib import Path

import click

from tidymargin.cli.telling import told


@click.command()
@click.option(
    "--into",
    required=True,
    type=click.Path(path_type=Path),
    help="Folder that the pages come into.",
)
@click.option(
    "--pages", type=click.IntRange(1, 500), default=6, show_default=True, help="Number of pages."
)
@click.option(
    "--page-s",
    type=click.FloatRange(0, 600),
    default=4.0,
    show_default=True,
    help="Seconds for each page.",
)
@told
def scan(into: Path, pages: int, page_s: float) -> None:
    """Put made-up pages into a folder, as a slow scanner would, to try out a watched folder."""
    from tidymargin.demo.scanner import scan_into

    for place in scan_into(into, pages, page_s):
        click.echo(f"scanned {place}")
