"""The web server that the application runs in."""

import socket
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import NoReturn

from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.receiver import FixedStreamReceiver
from waitress.server import BaseWSGIServer, MultiSocketServer, create_server

from tidymargin.core.base.errors import StorageFullError
from tidymargin.process import FULL
from tidymargin.services.folder.watching import Watched
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.web.app import create_app
from tidymargin.web.context import IN_MEMORY_BYTES

_MOST_REQUEST_BYTES = 600 * 1024 * 1024
_MOST_CONNECTIONS = 300
_THREADS = 64
"""They only wait for what the executor computes; a browser asks for six things at a time, and ten may be open."""


class _Forgotten:
    """A request's body that the disk had no room for: to its end it is let pass, and reading it says so."""

    def append(self, _data: bytes) -> None:
        """Let it pass."""

    def __len__(self) -> int:
        return 0

    def getfile(self) -> "_Forgotten":
        return self

    def read(self, _size: int = -1) -> NoReturn:
        raise StorageFullError(
            "The disk is full: what was sent could not be laid aside.",
            hint="Free some disk space and add it again; everything saved before is safe.",
        )

    def close(self) -> None:
        """Hold nothing."""


class _Parser(HTTPRequestParser):  # type: ignore[misc]
    """Takes a request in to its end even where there is no room for it, since a browser reads no answer before."""

    def received(self, data: bytes) -> int:
        try:
            return int(super().received(data))
        except OSError as error:
            body = self.body_rcv
            if error.errno not in FULL or not isinstance(body, FixedStreamReceiver):
                raise
            body.buf.close()
            body.buf = _Forgotten()
            return int(super().received(data))


class _Channel(HTTPChannel):  # type: ignore[misc]
    """A connection; where there are many, one that has been still the longest makes room for it.

    So nobody waits behind requests that were begun and never sent to their end.
    """

    parser_class = _Parser

    def __init__(self, server: BaseWSGIServer, *args: object, **options: object) -> None:
        super().__init__(server, *args, **options)
        others = [c for c in server.active_channels.values() if c is not self and c.is_still]
        if len(server.active_channels) > _MOST_CONNECTIONS and others:
            min(others, key=lambda channel: float(channel.last_activity)).handle_close()

    @property
    def is_still(self) -> bool:
        """Whether nothing is answered on it now, nor sent."""
        return not self.requests and not self.total_outbufs_len


def make_server(
    workshop: Workshop,
    listener: socket.socket,
    watched: Watched | None = None,
    more_languages: Mapping[str, Path] = MappingProxyType({}),
) -> MultiSocketServer | BaseWSGIServer:
    """Return a server of a data folder on a bound socket; it serves once it is run."""
    server = create_server(
        create_app(workshop, watched=watched, more_languages=more_languages),
        sockets=[listener],
        threads=_THREADS,
        ident=None,
        max_request_body_size=_MOST_REQUEST_BYTES,
        inbuf_overflow=IN_MEMORY_BYTES,
        outbuf_overflow=IN_MEMORY_BYTES,
        channel_request_lookahead=1,  # or nobody learns that whoever asked has left
        connection_limit=2 * _MOST_CONNECTIONS,
        asyncore_use_poll=True,  # select() could not count to as many
    )
    server.channel_class = _Channel
    return server


def end_server(server: MultiSocketServer | BaseWSGIServer) -> None:
    """Have a server that runs in another thread end: what is being answered is answered first, then its loop ends."""
    server.task_dispatcher.shutdown()

    def close() -> None:
        for channel in list(server.active_channels.values()):
            channel.handle_close()  # with the files that were still to be sent
        server.asyncore.close_all(server._map, ignore_all=True)

    server.trigger.pull_trigger(close)
