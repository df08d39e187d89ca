"""Decoding pictures in processes of their own: stopped when asked, bounded in time, and no harm to the server."""

import errno
import io
import logging
import os
import selectors
import socket
import subprocess
import sys
import threading
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from typing_extensions import Buffer

import tidymargin
from tidymargin.core.base import errors
from tidymargin.core.base.errors import (
    BadImageError,
    DomainError,
    StoppedError,
    StorageFullError,
    TooLargeError,
)
from tidymargin.core.base.picture import Picture
from tidymargin.core.base.progress import Tick, no_tick
from tidymargin.formats.decode import (
    Decoded,
    PictureSize,
    decode_picture,
    measure_size,
    refuse_by_head,
)
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.formats.reader import map_memory, receive_line, send_line, share_memory
from tidymargin.process import OUT_OF_FILES, cpu_seconds_of, say_out_of_files

log = logging.getLogger(__name__)

_AT_ONCE = 4
_SHARED_FROM_BYTES = 16 * 1024 * 1024
"""Pictures below this are copied, a few milliseconds each: a thousand of them must not hold a thousand files open."""
_SLIM = {"OPENBLAS_NUM_THREADS": "1", "MALLOC_ARENA_MAX": "1"}  # it only takes pixels over
_STEP_S = 0.05
_HEAD_S = 10.0  # of its work, not by the clock
_STANDS_STILL_S = (
    300.0  # without being done, by the clock: something is wrong with it, however busy the machine
)
_HANDS_OVER = hasattr(socket, "send_fds")
"""Whether a file can be handed to another process here; where not, which is untried, decoding is done in this one."""


def _wait_for(line: socket.socket, most_s: float) -> bool:
    """Wait until there is something to read; unlike select() this takes any number of open files."""
    waits = selectors.DefaultSelector()
    with waits:
        waits.register(line, selectors.EVENT_READ)
        return bool(waits.select(most_s))


class _Reader:
    """One process that decodes, and the line to it."""

    def __init__(self) -> None:
        self._is_ready = False
        self._line, theirs = socket.socketpair()
        source = str(Path(tidymargin.__file__).parents[1])
        paths = [source, *os.environ.get("PYTHONPATH", "").split(os.pathsep)]
        with theirs:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "tidymargin.formats.reader"],
                stdin=theirs.fileno(),
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,  # decoders write there whatever a file makes them say
                env={**os.environ, **_SLIM, "PYTHONPATH": os.pathsep.join(p for p in paths if p)},
                start_new_session=True,  # Ctrl+C is for the server, which then ends this
            )

    def ask(
        self, wanted: str, handle: int, most_s: float, tick: Tick
    ) -> tuple[dict[str, Any], list[int]] | None:
        """Return the answer to a request; None when the process has ended instead.

        `most_s` is counted in what the process itself works for this, its start left out.

        Raises
        ------
        TimeoutError
            It took too long.
        """
        with suppress(BrokenPipeError, ConnectionResetError):
            if not self._is_ready:
                if self._receive(_STANDS_STILL_S, tick)[0] is None:
                    return None
                self._is_ready = True
            send_line(self._line, {"wanted": wanted}, [handle])
            said, handles = self._receive(most_s, tick)
            return None if said is None else (said, handles)
        return None

    def _receive(self, most_s: float, tick: Tick) -> tuple[dict[str, Any] | None, list[int]]:
        begun, worked = time.monotonic(), cpu_seconds_of(self._process.pid)
        while not _wait_for(self._line, _STEP_S):
            tick(0.0)
            passed = time.monotonic() - begun
            now = None if worked is None else cpu_seconds_of(self._process.pid)
            own = passed if now is None or worked is None else now - worked
            if own > most_s or passed > most_s + _STANDS_STILL_S:
                raise TimeoutError
        return receive_line(self._line)

    def kill(self) -> None:
        """End the process, whatever it is doing; who waits for its answer learns that there is none."""
        self._process.kill()

    def end(self) -> None:
        """End the process and let go of the line to it."""
        self.kill()
        self._process.wait()
        self._line.close()


class Readers:
    """Decodes pictures; a few at once, each in a process, of which one is kept ready for the next."""

    def __init__(self) -> None:
        self._free = threading.BoundedSemaphore(_AT_ONCE)
        self._lock = threading.Lock()
        self._idle: list[_Reader] = []
        self._at_work: set[_Reader] = set()
        self._closed = False

    def prepare(self) -> None:
        """Have a process ready before the first picture comes."""
        with self._lock:
            if _HANDS_OVER and not (self._idle or self._at_work or self._closed):
                self._idle.append(_Reader())

    def measure_size(self, data: Buffer) -> PictureSize:
        """Return how large a picture is and what decoding it takes, before it is decoded.

        Raises
        ------
        BadImageError, TooLargeError
            It is none that can be read.
        """
        if not _HANDS_OVER:
            return measure_size(io.BytesIO(data))
        said, _ = self._ask("size", data, _HEAD_S, no_tick)
        return PictureSize(**said)

    def decode(self, data: Buffer, tick: Tick = no_tick, *, most_s: float | None = None) -> Decoded:
        """Decode a picture file's bytes; see `formats.decode.decode_file`.

        Parameters
        ----------
        data : bytes
            The file.
        tick : callable
            Called again and again while this waits; what it raises ends the decoding.
        most_s : float, optional
            After how many seconds it is given up; by the picture's size when not given.
        """
        if not _HANDS_OVER:
            return decode_picture(bytes(data))
        if most_s is None:
            most_s = self.measure_size(data).most_s
        said, handles = self._ask("pixels", data, most_s, tick)
        try:
            channels = [
                _take_over(map_memory(handle, tuple(shape)))
                for handle, shape in zip(handles, said["shapes"], strict=True)
            ]
        finally:
            for handle in handles:
                os.close(handle)
        picture = Picture(channels[0], channels[1] if len(channels) > 1 else None)
        return Decoded(picture, said["format_name"], said["dots_per_inch"], tuple(said["remarks"]))

    def _ask(
        self, wanted: str, data: Buffer, most_s: float, tick: Tick
    ) -> tuple[dict[str, Any], list[int]]:
        # let go of at once, also when this fails: whoever holds the file may be about to close it
        with memoryview(data) as whole, whole.cast("B") as view:
            if view.nbytes > MAX_FILE_BYTES:
                raise TooLargeError(
                    f"This file has {view.nbytes / 1024**2:,.0f} MB; at most 500 MB can be added.",
                    hint="Save it as PNG or JPEG and add that.",
                )
            refuse_by_head(bytes(view[:64]))
            try:
                handle = _share_file(view)
            except OSError as error:
                raise _no_room(error) from error
        try:
            with self._free:
                said, handles = self._ask_some(wanted, handle, most_s, tick)
        finally:
            os.close(handle)
        if "error" in said:
            raise _to_error(said)
        return said, handles

    def _ask_some(
        self, wanted: str, handle: int, most_s: float, tick: Tick
    ) -> tuple[dict[str, Any], list[int]]:
        """Ask the process that is ready, or a new one; that one may have been ended by the system."""
        for is_again in (False, True):
            if self._closed:
                raise StoppedError("The server is being ended.", hint="Add it again afterwards.")
            reader = self._take(anew=is_again)
            try:
                answer = reader.ask(wanted, handle, most_s, tick)
            except TimeoutError as error:
                self._end(reader)
                log.warning("a picture was given up after %.0f s of decoding", most_s)
                raise BadImageError(
                    f"This file was given up: reading it took longer than {most_s:.0f} seconds.",
                    hint="Open it in the program it came from, save it as PNG, and add that.",
                ) from error
            except BaseException:
                self._end(reader)
                raise
            if answer is not None:
                self._give_back(reader)
                return answer
            self._end(reader)
        log.warning("a decoder's process ended in the middle of a picture")
        raise BadImageError(
            "This file cannot be read.", hint="Copy or export it again and add that."
        )

    def _take(self, *, anew: bool) -> _Reader:
        with self._lock:
            reader = self._idle.pop() if self._idle and not anew else _Reader()
            self._at_work.add(reader)
        return reader

    def _give_back(self, reader: _Reader) -> None:
        with self._lock:
            self._at_work.discard(reader)
            if not self._closed and not self._idle:
                self._idle.append(reader)
                return
        reader.end()

    def _end(self, reader: _Reader) -> None:
        with self._lock:
            self._at_work.discard(reader)
        reader.end()

    def close(self) -> None:
        """End every process, also what is being decoded."""
        with self._lock:
            self._closed = True
            idle, at_work = list(self._idle), list(self._at_work)
            self._idle.clear()
        for reader in idle:
            reader.end()
        for reader in at_work:
            reader.kill()


def _take_over(pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return pixels that may be kept: small ones as memory of our own, since shared memory holds a file open."""
    return pixels.copy() if pixels.nbytes < _SHARED_FROM_BYTES else pixels


def _share_file(view: memoryview) -> int:
    handle = share_memory(0)
    try:
        at = 0
        while at < view.nbytes:
            at += os.pwrite(handle, view[at:], at)
    except OSError:
        os.close(handle)
        raise
    return handle


def _no_room(error: OSError) -> DomainError:
    if error.errno in (errno.ENOMEM, errno.EAGAIN):
        return TooLargeError(
            "This picture needs more memory than there is.", hint="Scale it down and add that."
        )
    if error.errno in OUT_OF_FILES:
        return say_out_of_files()
    return StorageFullError(
        "The disk is full, so this picture could not be taken in.",
        hint="Free some disk space and add it again; everything saved before is safe.",
    )


def _to_error(said: dict[str, Any]) -> DomainError:
    if said["error"] == "OSError":
        return _no_room(OSError(said["errno"], ""))
    if said["cause"]:
        log.info("a picture could not be read: %s", said["cause"])
    kind: type[DomainError] = getattr(errors, said["error"])
    return kind(said["message"], hint=said["hint"])
