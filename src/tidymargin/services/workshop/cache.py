"""Caches with byte limits, in memory and on the disk; anything in them may be forgotten at any moment."""

import contextlib
import hashlib
import os
import shutil
import tempfile
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Generic, TypeVar

from typing_extensions import Buffer

T = TypeVar("T")

_MARK = b"TidyKept1"
_CHECK_BYTES = 16


class ByteCache(Generic[T]):
    """Keeps the most recently used values up to a number of bytes.

    Parameters
    ----------
    limit_bytes : int
        What all values together may take; a single larger value is not kept.
    most : int
        How many values are kept, however small they are.
    """

    def __init__(self, limit_bytes: int, most: int = 100_000) -> None:
        self._limit = limit_bytes
        self._most = most
        self._held = 0
        self._values: OrderedDict[Hashable, tuple[T, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, name: Hashable) -> T | None:
        """Return a value and mark it as used, or None."""
        with self._lock:
            found = self._values.get(name)
            if found is None:
                return None
            self._values.move_to_end(name)
            return found[0]

    def put(self, name: Hashable, value: T, size_bytes: int) -> None:
        """Keep a value, forgetting the longest unused ones to make room."""
        with self._lock:
            if name in self._values:
                self._held -= self._values.pop(name)[1]
            if size_bytes > self._limit:
                return
            self._values[name] = (value, size_bytes)
            self._held += size_bytes
            while self._held > self._limit or len(self._values) > self._most:
                _, (_, freed) = self._values.popitem(last=False)
                self._held -= freed

    @property
    def held_bytes(self) -> int:
        """What is held now."""
        return self._held


def _check(name: str, data: Buffer) -> bytes:
    digest = hashlib.blake2b(name.encode() + b"\0", digest_size=_CHECK_BYTES)
    digest.update(data)
    return digest.digest()


class DiskCache:
    """Keeps bytes under the hash of a name, in a folder that may be deleted while it is in use.

    What cannot be written is not kept, and what cannot be read or is not what was kept is not there: neither is
    an error. Every file begins with a checksum over its name and all of its bytes.

    Parameters
    ----------
    folder : Path
        Made when something is first kept.
    limit_bytes : int
        What all files together may take; the longest unused go first.
    is_kept_plain : callable, optional
        Whether the bytes of a file without a checksum, from before there were any, are still whole.
    """

    def __init__(
        self,
        folder: Path,
        limit_bytes: int,
        is_kept_plain: Callable[[bytes], bool] = lambda _: False,
    ) -> None:
        self._folder = folder
        self._limit = limit_bytes
        self._is_kept_plain = is_kept_plain
        self._most_held: int | None = None  # what is there at most; counted when it is not known
        self._lock = threading.Lock()

    def _place(self, name: str) -> Path:
        digest = hashlib.sha256(name.encode()).hexdigest()
        return self._folder / digest[:2] / digest

    def get(self, name: str) -> bytes | None:
        """Return what was kept under a name and mark it as used, or None."""
        place = self._place(name)
        try:
            data = place.read_bytes()
            os.utime(place)
        except OSError:
            return None
        head = len(_MARK) + _CHECK_BYTES
        if not data.startswith(_MARK):
            return data if self._is_kept_plain(data) else None
        is_whole = data[len(_MARK) : head] == _check(name, memoryview(data)[head:])
        return data[head:] if is_whole else None

    def put(self, name: str, data: bytes) -> None:
        """Keep bytes under a name, whole or not at all."""
        place = self._place(name)
        with contextlib.suppress(OSError):
            place.parent.mkdir(parents=True, exist_ok=True)
            handle, aside = tempfile.mkstemp(dir=self._folder)
            try:
                with os.fdopen(handle, "wb") as file:
                    file.write(_MARK + _check(name, data))
                    file.write(data)
                Path(aside).replace(place)
            except OSError:
                Path(aside).unlink(missing_ok=True)
                raise
            with self._lock:
                if self._most_held is not None:
                    self._most_held += len(data) + len(_MARK) + _CHECK_BYTES
                if self._most_held is None or self._most_held > self._limit:
                    self._most_held = self._make_room()

    def drop(self, name: str) -> None:
        """Forget what was kept under a name."""
        with contextlib.suppress(OSError):
            self._place(name).unlink()

    def clear(self) -> None:
        """Forget everything."""
        shutil.rmtree(self._folder, ignore_errors=True)

    def _make_room(self) -> int:
        """Forget what is beyond the limit; return how much is left."""
        kept = []
        for place in self._folder.rglob("*"):
            with contextlib.suppress(OSError):
                if place.is_file():
                    found = place.stat()
                    kept.append((found.st_mtime, found.st_size, place))
        kept.sort(key=lambda entry: entry[0])
        held = sum(size for _, size, _ in kept)
        for _, size, place in kept:
            if held <= self._limit:
                break
            with contextlib.suppress(OSError):
                place.unlink()
            held -= size
        return held
