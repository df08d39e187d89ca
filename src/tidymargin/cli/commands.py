"""All commands together; each is imported when it is asked for."""

from importlib import import_module

import click

from tidymargin.process import hold_memory_low, program

_HOMES = {
    "serve": "serving", "demo": "serving", "scan": "scanning", "work": "working", "key": "keying", "rough": "roughing",
    "report": "keying", "trace": "outlining", "cutline": "outlining", "cut-out": "machining", "scene": "arranging", "faults": "judging", "doctor": "caring", "backup": "caring", "restore": "caring",
}  # fmt: skip

EXAMPLES: dict[str, tuple[str, ...]] = {
    "serve": ("serve", "serve --watch scans"),
    "demo": ("demo",),
    "scan": ("scan --into scans --pages 3 --page-s 1",),
    "work": ("work",),
    "key": (
        "key logo.jpg -o logo.png",
        "key bell.jpg -o bell.webp --ground screen --trim 8 --format webp",
        "key signature.jpg -o signature.png --figure ink --depth 60 --recolour '#1C325E'",
        "key scans -o cuts/ --jobs 2",
    ),
    "rough": (
        "rough photo.jpg -o thing.png --keep-scribble 60,80,100,90 --clear-scribble 5,5,5,150",
    ),
    "report": ("report logo.jpg", "report logo.jpg --json"),
    "trace": (
        "trace logo.jpg -o logo.svg --colours auto",
        "trace signature.jpg -o signature.dxf --strokes",
    ),
    "cutline": (
        "cutline sticker.png -o line.svg --offset 2mm",
        "cutline sticker.png -o sheet.pdf --offset 2mm --sheet 210x297mm --copies 2 --marks",
    ),
    "cut-out": ("cut-out line.svg -o cut-out.png",),
    "scene": ("scene card.json -o card.pdf", "scene --schema"),
    "faults": ("faults logo.png", "faults logo.jpg --print-mm 80 --json"),
    "doctor": ("doctor", "doctor --fix"),
    "backup": ("backup kept.zip",),
    "restore": ("restore kept.zip",),
}
"""Commands as they are typed, which stand in the help and in the reference; a test runs every one."""


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
        typed = "\n".join(f"  {program()} {said}" for said in EXAMPLES[cmd_name])
        found.epilog = f"\b\nFor example:\n{typed}"
        return found


@click.group(cls=_Commands)
def main() -> None:
    """Remove plain backgrounds from pictures."""
    hold_memory_low()


def run() -> None:
    """Run a command as the installed `tidymargin` does."""
    main(prog_name="tidymargin")
