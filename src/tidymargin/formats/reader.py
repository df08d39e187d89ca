"""The process that decodes pictures for another one, so that it can be stopped whatever it is doing.

It reads requests from the socket on its standard input. A request is one line of JSON, with the picture file as
the file handle that comes along; so is the answer, with the pixels in memory that both share. It ends when nothing is asked of it
for a while, and with whoever started it.
"""

import contextlib
import json
import mmap
import os
import resource
import select
import socket
import sys
import tempfile
import traceback
from dataclasses import asdict
from typing import Any, BinaryIO

import numpy as np

from tidymargin.core.errors import DomainError
from tidymargin.formats.decode import decode_file, measure_size

IDLE_S = 3.0
MOST_LINE_BYTES = 65536
_MOST_CAUSE = 4000
_MOST_MEMORY_BYTES = (
    12 * 1024**3
)  # beyond what the largest picture takes; a decoder gone wild stops here


def share_memory(size_bytes: int) -> int:
    """Return the handle of so much memory that other processes can be given.

    Raises
    ------
    OSError
        There is not so much.
    """
    if hasattr(os, "memfd_create"):
        handle = os.memfd_create("picture", os.MFD_CLOEXEC)
    else:
        with tempfile.TemporaryFile() as file:
            handle = os.dup(file.fileno())
    try:
        os.ftruncate(handle, size_bytes)
    except OSError:
        os.close(handle)
        raise
    return handle


def receive_line(connection: socket.socket) -> tuple[dict[str, Any] | None, list[int]]:
    """Return what comes as one line of JSON with its handles; None when the other side has ended."""
    line, handles = b"", []
    while not line.endswith(b"\n"):
        part, more, _, _ = socket.recv_fds(connection, MOST_LINE_BYTES, 1)
        handles += more
        if not part:
            return None, handles
        line += part
    return json.loads(line), handles


def send_line(connection: socket.socket, said: dict[str, Any], handles: list[int]) -> None:
    """Send something as one line of JSON with handles."""
    line = json.dumps(said).encode() + b"\n"
    sent = socket.send_fds(connection, [line], handles)
    connection.sendall(line[sent:])


def _share_pixels(file: BinaryIO) -> tuple[dict[str, Any], int]:
    decoded = decode_file(file)
    picture = decoded.picture
    shapes = [picture.rgb.shape] + ([] if picture.alpha is None else [picture.alpha.shape])
    said = {
        "shapes": shapes,
        "format_name": decoded.format_name,
        "dots_per_inch": decoded.dots_per_inch,
        "remarks": decoded.remarks,
    }
    handle = share_memory(sum(int(np.prod(shape)) for shape in shapes))
    with mmap.mmap(handle, 0) as shared:
        at = 0
        for channel in (picture.rgb, picture.alpha):
            if channel is not None:
                into = np.frombuffer(shared, np.uint8, channel.size, at).reshape(channel.shape)
                into[...] = channel
                at += channel.size
                del into  # or the memory could not be let go of
    return said, handle


def answer(wanted: str, file: BinaryIO) -> tuple[dict[str, Any], list[int]]:
    """Return the answer to a request, and the handles that go with it.

    Parameters
    ----------
    wanted : str
        ``size`` or ``pixels``.
    file : binary file
        The picture.
    """
    try:
        if wanted == "size":
            return asdict(measure_size(file)), []
        said, handle = _share_pixels(file)
    except DomainError as error:
        cause = "".join(traceback.format_exception(error.__cause__)) if error.__cause__ else ""
        told = {"error": type(error).__name__, "message": error.message, "hint": error.hint}
        return {**told, "cause": cause[-_MOST_CAUSE:]}, []
    except OSError as error:  # no memory to share
        return {"error": "OSError", "errno": error.errno}, []
    return said, [handle]


def main() -> None:
    """Answer what is asked until nothing is."""
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_AS, (_MOST_MEMORY_BYTES, _MOST_MEMORY_BYTES))
    with socket.socket(fileno=os.dup(sys.stdin.fileno())) as connection:
        while select.select([connection], [], [], IDLE_S)[0]:
            asked, handles = receive_line(connection)
            if asked is None:
                return
            with os.fdopen(handles[0], "rb") as file:
                said, given = answer(asked["wanted"], file)
            send_line(connection, said, given)
            for handle in given:
                os.close(handle)


if __name__ == "__main__":
    main()
