"""Caches with byte limits, in memory and on the disk; anything in them may be forgotten at any moment."""

import contextlib
import hashlib
import os
import shutil
import tempfile
import threading
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import Any, Generic, TypeVar

from cachetools import LRUCache
from numpy.typing import NDArray
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
        least = -(
            -limit_bytes // most
        )  # counted for each value, so that there can be no more of them
        self._values: LRUCache[Hashable, tuple[T, int]] = LRUCache(
            limit_bytes, getsizeof=lambda held: max(held[1], least)
        )
        self._lock = threading.Lock()

    def get(self, name: Hashable) -> T | None:
        """Return a value and mark it as used, or None."""
        with self._lock:
            found = self._values.get(name)
        return None if found is None else found[0]

    def put(self, name: Hashable, value: T, size_bytes: int) -> None:
        """Keep a value, forgetting the longest unused ones to make room."""
        with self._lock:
            self._values.pop(name, None)
            with contextlib.suppress(ValueError):  # it is larger than all that is kept
                self._values[name] = (value, size_bytes)

    def find(self, name: Hashable, make: Callable[[], T], size_of: Callable[[T], int]) -> T:
        """Return what is kept under a name, or make and keep it."""
        found = self.get(name)
        if found is None:
            found = make()
            self.put(name, found, size_of(found))
        return found


def size_of_array(values: NDArray[Any]) -> int:
    """Return what keeping an array takes, in bytes, with what stands around it."""
    return values.nbytes + 200


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
