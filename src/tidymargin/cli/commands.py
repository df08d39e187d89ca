"""All commands together; each is imported when it is asked for."""

from importlib import import_module

import click

from tidymargin.process import hold_memory_low

_HOMES = {
    "serve": "serving", "demo": "serving", "scan": "scanning", "work": "working", "key": "keying", "rough": "roughing",
    "report": "keying", "trace": "outlining", "cutline": "outlining", "cut-out": "machining", "scene": "arranging", "faults": "judging", "doctor": "caring", "backup": "caring", "restore": "caring",
}  # fmt: skip


class _Commands(click.Group):
    """Knows its commands by name, and where each is; none of these modules imports more than its options need."""

    def list_commands(self, _ctx: click.Context) -> list[str]:
        return list(_HOMES)

    def get_command(self, _ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _HOMES:
            return None
        found: click.Command = getattr(
            import_module(f"tidymargin.cli.{_HOMES[cmd_name]}"), cmd_name.replace("-", "_")
        )
        return found


@click.group(cls=_Commands)
def main() -> None:
    """Key plain grounds out of pictures."""
    hold_memory_low()


def run() -> None:
    """Run a command as the installed `tidymargin` does."""
    main(prog_name="tidymargin")
