"""The web server that the application runs in."""

import socket

from waitress.server import BaseWSGIServer, MultiSocketServer, create_server

from tidymargin.services.workshop import Workshop
from tidymargin.web.app import IN_MEMORY_BYTES, create_app

_MOST_REQUEST_BYTES = 600 * 1024 * 1024
_THREADS = 64
"""They only wait for what the executor computes; a browser asks for six things at a time, and ten may be open."""


def make_server(workshop: Workshop, listener: socket.socket) -> MultiSocketServer | BaseWSGIServer:
    """Return a server of a data folder on a bound socket; it serves once it is run."""
    return create_server(
        create_app(workshop),
        sockets=[listener],
        threads=_THREADS,
        ident=None,
        max_request_body_size=_MOST_REQUEST_BYTES,
        inbuf_overflow=IN_MEMORY_BYTES,
        outbuf_overflow=IN_MEMORY_BYTES,
    )
