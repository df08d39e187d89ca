"""Serving a data folder, and the demo."""

import logging
import os
import signal
import socket
import subprocess
import sys
import threading
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, NoReturn

import click
import platformdirs

from tidymargin.cli.telling import data_folder, told
from tidymargin.core.base.errors import DomainError, UnusableArgumentError

if TYPE_CHECKING:
    from tidymargin.services.folder.watching import Watched
    from tidymargin.services.workshop.workshop import Workshop

FIRST_PORT = 8137
_PORTS_TRIED = 50
_ALL_HERE = "all-brought-in"


def _bind(port: int | None) -> socket.socket:
    """Take the port asked for, or the first free one from 8137 on."""
    for candidate in [port] if port is not None else range(FIRST_PORT, FIRST_PORT + _PORTS_TRIED):
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind(("127.0.0.1", candidate))
        except OSError:
            listener.close()
            continue
        return listener
    raise UnusableArgumentError(
        "No port is free to serve on.", hint="Choose one with --port.", field="port"
    )


def _serve(
    workshop: "Workshop", port: int | None, watched: Path | None = None, coming: "Watched | None" = None
) -> None:  # fmt: skip
    from tidymargin.services.folder.keeping import copy_daily
    from tidymargin.services.folder.watching import Watcher
    from tidymargin.services.picture.warming import warm_behind
    from tidymargin.services.trays.keeper import TrayKeeper
    from tidymargin.services.trays.queueing import queue_url
    from tidymargin.web.server import make_server

    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    signal.signal(signal.SIGTERM, _stop)
    watcher = keeper = None
    try:
        keeper = TrayKeeper(workshop, queue_url())
        if watched is not None:
            watcher = Watcher(workshop, watched)
        listener = _bind(port)
        server = make_server(workshop, listener, watcher.seen if watcher else coming)
        threading.Thread(target=warm_behind, name="warm", daemon=True).start()
        workshop.readers.prepare()
        if coming is not None:
            bringing = (workshop, coming)
            threading.Thread(target=bring_almanac, args=bringing, daemon=True).start()
        copy_daily(workshop)
        if watcher is not None:
            watcher.start()
        keeper.start()
        click.echo(
            f"Tidy Margin is at http://127.0.0.1:{listener.getsockname()[1]}/ (Ctrl+C stops it)"
        )
        with suppress(KeyboardInterrupt):
            server.run()
        # not closed: a thread that still waits for a cut answers into it while the workshop closes
    finally:
        if watcher is not None:
            watcher.stop()
        if keeper is not None:
            keeper.stop()
        workshop.close()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(
        0
    )  # kernels may still be compiled in a thread, which bears no interpreter that is taken down


def _stop(_signal: int, _frame: object) -> NoReturn:
    """End as by Ctrl+C: what is being saved is saved, what is being computed is stopped."""
    raise SystemExit(0)


@click.command()
@click.option("--port", type=click.IntRange(1, 65535), help="Use this port, and no other.")
@click.option(
    "--watch",
    type=click.Path(path_type=Path),
    metavar="FOLDER",
    help="Add every picture that comes into this folder.",
)
@told
def serve(port: int | None, watch: Path | None) -> None:
    """Start the application with your own data folder."""
    from tidymargin.services.workshop.workshop import open_workshop

    _serve(open_workshop(data_folder()), port, watch)


@click.command()
@click.option("--port", type=click.IntRange(1, 65535), help="Use this port, and no other.")
@told
def demo(port: int | None) -> None:
    """Make the demo data, and start the application with it."""
    from tidymargin.demo.almanac import SHEETS
    from tidymargin.services.folder.watching import Watched
    from tidymargin.services.workshop.workshop import open_workshop

    asked = os.environ.get("TIDYMARGIN_DATA") or os.environ.get("TIDYMARGIN_DEMO")
    folder = Path(asked or Path(platformdirs.user_data_dir("tidymargin")) / "demo")
    workshop = open_workshop(folder / "data")
    truth = folder / "almanac"
    if (truth / _ALL_HERE).exists():
        _serve(workshop, port)
    else:
        click.echo("Meanwhile the Skerrow Almanac's pictures are being drawn…", err=True)
        coming = Watched(truth, most=len(SHEETS))
        _serve(workshop, port, coming=coming)


def _bring_harbour(workshop: "Workshop") -> None:
    """Bring in the picture that the demo's scene lies on; nothing of it is cleared."""
    from tidymargin.demo.harbour import CARD_PX, draw_harbour
    from tidymargin.demo.truth import encode_picture
    from tidymargin.formats.recipe import Recipe
    from tidymargin.formats.steps import ReachStep
    from tidymargin.services.folder.bringing import keep_picture
    from tidymargin.services.scenes.showing import BASE
    from tidymargin.store.originals import name_of

    data = encode_picture(draw_harbour(*CARD_PX), "jpg", 92)
    if name_of(data) not in workshop.sheets.list_originals():
        keep_picture(workshop, data, f"{BASE}.jpg", Recipe(reach=ReachStep(start="picks")))


def bring_almanac(workshop: "Workshop", coming: "Watched") -> None:
    """Have the demo's sheets drawn, and each brought in as it is there, but for those that were brought in before."""
    from tidymargin.demo.almanac import draw_almanac
    from tidymargin.services.folder.bringing import keep_picture
    from tidymargin.services.scenes.showing import make_scenes
    from tidymargin.store.originals import name_of

    known = workshop.sheets.list_originals()
    try:
        for place in draw_almanac(coming.folder):
            (picture,) = place.glob("picture.*")
            data = picture.read_bytes()
            if name_of(data) not in known:
                keep_picture(workshop, data, f"{place.name}{picture.suffix}")
            coming.came += 1
            if coming.came == 1:  # not before somebody has a sheet to look at
                _bring_harbour(workshop)
        if not (workshop.scenes.list_all() or workshop.scenes.list_all(in_bin=True)):
            make_scenes(workshop)
        (coming.folder / _ALL_HERE).touch()
    except subprocess.CalledProcessError as error:
        coming.trouble = f"A picture of the almanac could not be drawn: its process ended with {error.returncode}."
    except DomainError as error:
        coming.trouble = " ".join(part for part in (error.message, error.hint) if part)
