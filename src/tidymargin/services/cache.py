"""A memory cache with a byte limit; anything in it may be forgotten at any moment."""

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Generic, TypeVar

T = TypeVar("T")


class ByteCache(Generic[T]):
    """Keeps the most recently used values up to a number of bytes.

    Parameters
    ----------
    limit_bytes : int
        What all values together may take; a single larger value is not kept.
    """

    def __init__(self, limit_bytes: int) -> None:
        self._limit = limit_bytes
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
            while self._held > self._limit:
                _, (_, freed) = self._values.popitem(last=False)
                self._held -= freed

    @property
    def held_bytes(self) -> int:
        """What is held now."""
        return self._held
