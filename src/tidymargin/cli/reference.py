"""The reference of commands, made from the commands themselves."""

import click

from tidymargin.cli.commands import EXAMPLES, main

_HEAD = """# Commands

Made from the commands themselves by `./tidy reference`. `./tidy NAME --help` says the same. Installed as a Python application
they are called `tidymargin NAME`.

Exit codes: 0 done, 3 a severe problem was found, 64 a wrong argument, 65 a file that cannot be used, 66 a file that is not there, 70 a mistake of
ours, 74 no room on the disk, 75 changed elsewhere meanwhile, 77 refused. A file that exists is replaced only where `--replace` allows it, and a file
that is read never is. `TIDYMARGIN_DATA` names the data folder; with `TIDYMARGIN_QUEUE=redis://HOST` workers on any machine take the jobs of a server.
"""


def write_reference() -> str:
    """Return all commands with their arguments and options, as Markdown."""
    parts = [_HEAD]
    with click.Context(main, info_name="./tidy") as above:
        for name in main.list_commands(above):
            command = main.get_command(above, name)
            if command is not None:
                parts.append(_write_command(command, click.Context(command, above, name)))
    return "\n".join(parts)


def _write_command(command: click.Command, context: click.Context) -> str:
    usage = " ".join(command.collect_usage_pieces(context))
    text = " ".join((command.help or "").split())
    lines = [
        f"## {context.info_name}",
        "",
        f"`{context.command_path} {usage}`",
        "",
        text,
        "",
        "```sh",
    ]
    lines += [*(f"./tidy {said}" for said in EXAMPLES[str(context.info_name)]), "```"]
    options = [one.get_help_record(context) for one in command.params]
    rows = [f"| `{_escape(said)}` | {_escape(words)} |" for said, words in filter(None, options)]
    if rows:
        lines += ["", "| option | what it does |", "|---|---|", *rows]
    return "\n".join([*lines, ""])


def _escape(text: str) -> str:
    return " ".join(text.split()).replace("|", "\\|")
