"""Looking after a data folder: what state it is in, a backup of it, and restoring that."""

from pathlib import Path

import click

from tidymargin.cli.telling import data_folder, told
from tidymargin.core.base.errors import DamagedFileError
from tidymargin.outcomes import OUTCOMES
from tidymargin.process import program


@click.command()
@click.option("--fix", is_flag=True, help="Repair what can be repaired without loss.")
@click.option(
    "--use-copy",
    metavar="NAME",
    help="Together with --fix: put this copy of the database in place.",
)
@told
def doctor(fix: bool, use_copy: str | None) -> None:
    """Check the data folder. The exit code is 65 if something is wrong with it."""
    from tidymargin.services.folder.doctoring import examine, mend

    folder = data_folder()
    if fix or use_copy:
        examine(folder)  # says that there is none
        mend(folder, click.echo, use_copy=use_copy)
    found = examine(folder)
    for finding in found:
        click.echo(f"{'WRONG: ' if finding.is_wrong else ''}{finding.said}")
    wrong = sum(finding.is_wrong for finding in found)
    if not wrong:
        click.echo("Nothing is wrong.")
        return
    if not fix:
        click.echo(f"{program()} doctor --fix repairs what can be repaired without loss.")
    raise SystemExit(OUTCOMES[DamagedFileError][1])


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--replace", is_flag=True, help="Allow a file to be replaced.")
@told
def backup(file: Path, replace: bool) -> None:
    """Write all originals, histories and settings into one file, and check it by reading it back."""
    from tidymargin.cli.outputs import Outputs
    from tidymargin.services.folder.backing import back_up

    place = Outputs((), replace=replace).claim(file)
    done = back_up(data_folder(), place, replace=replace)
    click.echo(
        f"{file}: {done.sheets} pictures, {done.originals} originals, {done.size_bytes / 1e6:,.1f} MB, read back and complete"
    )


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option(
    "--replace",
    is_flag=True,
    help="Allow a data folder to be replaced; it is kept beside the new one under another name.",
)
@told
def restore(file: Path, replace: bool) -> None:
    """Make a data folder from a backup."""
    from tidymargin.services.folder.backing import restore as restore_backup

    folder = data_folder()
    done, moved = restore_backup(file, folder, replace=replace)
    click.echo(f"{folder}: {done.sheets} pictures as of {done.made_at}, complete")
    if moved is not None:
        click.echo(f"The data folder that was there is now at {moved}")
