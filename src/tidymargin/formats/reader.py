"""The process that decodes pictures for another one, so that it can be stopped whatever it is doing.

It reads requests from the socket on its standard input. A request is one line of JSON, with the picture file as
the file handle that comes along; so is the answer, with the pixels in memory that both share. It ends with whoever
started it.
"""

import contextlib
import json
import mmap
import os
import socket
import sys
import tempfile
import traceback
from dataclasses import asdict
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from tidymargin.core.base.errors import DomainError
from tidymargin.formats.decode import decode_file, measure_size
from tidymargin.process import give_memory_back, keep_memory

MOST_LINE_BYTES = 65536
_MOST_CAUSE = 4000
_MOST_HANDLES = 2  # colours and alpha
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
        part, more, _, _ = socket.recv_fds(connection, MOST_LINE_BYTES, _MOST_HANDLES)
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


def map_memory(handle: int, shape: tuple[int, ...]) -> NDArray[np.uint8]:
    """Return shared memory as an array, (shape) uint8; it is let go of with the array."""
    flags = mmap.MAP_SHARED | getattr(mmap, "MAP_POPULATE", 0)
    return np.frombuffer(mmap.mmap(handle, int(np.prod(shape)), flags), np.uint8).reshape(shape)


def _share_pixels(file: BinaryIO) -> tuple[dict[str, Any], list[int]]:
    shared: list[tuple[NDArray[np.uint8], int]] = []

    def allocate(shape: tuple[int, ...]) -> NDArray[np.uint8]:
        handle = share_memory(int(np.prod(shape)))
        shared.append((map_memory(handle, shape), handle))
        return shared[-1][0]

    try:
        decoded = decode_file(file, allocate)
    except BaseException:
        for _, handle in shared:
            os.close(handle)
        raise
    channels = [decoded.picture.rgb, decoded.picture.alpha]
    said = {
        "shapes": [channel.shape for channel in channels if channel is not None],
        "format_name": decoded.format_name,
        "dots_per_inch": decoded.dots_per_inch,
        "remarks": decoded.remarks,
    }
    given = []
    for channel in channels:
        given += [handle for array, handle in shared if array is channel]
    for _, handle in shared:
        if handle not in given:  # an alpha that is solid all over
            os.close(handle)
    return said, given


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
        return _share_pixels(file)
    except DomainError as error:
        cause = "".join(traceback.format_exception(error.__cause__)) if error.__cause__ else ""
        told = {"error": type(error).__name__, "message": error.message, "hint": error.hint}
        return {**told, "cause": cause[-_MOST_CAUSE:]}, []
    except OSError as error:  # no memory to share
        return {"error": "OSError", "errno": error.errno}, []


def main() -> None:
    """Answer what is asked until nobody is there to ask."""
    keep_memory()
    with contextlib.suppress(ImportError, ValueError, OSError):
        import resource  # where there is none, the other bounds have to do

        resource.setrlimit(resource.RLIMIT_AS, (_MOST_MEMORY_BYTES, _MOST_MEMORY_BYTES))
    with socket.socket(fileno=os.dup(sys.stdin.fileno())) as connection:
        send_line(connection, {"ready": True}, [])
        while True:
            asked, handles = receive_line(connection)
            if asked is None:
                return
            with os.fdopen(handles[0], "rb") as file:
                said, given = answer(asked["wanted"], file)
            send_line(connection, said, given)
            for handle in given:
                os.close(handle)
            give_memory_back()


if __name__ == "__main__":
    main()
