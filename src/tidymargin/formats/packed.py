"""Frozen dataclasses with arrays as bytes and back, for the cache: plain data, nothing is executed.

Layout: the length of a JSON head in 8 bytes, the head, then every array squeezed, one after another. What
cannot be read back raises `ValueError`; a cache then computes again.
"""

import json
import struct
import zlib
from collections.abc import Iterable
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np

_LEVEL = 1


def pack(value: Any) -> bytes:
    """Return a value made of dataclasses, tuples, numbers, strings, None and arrays as bytes."""
    blocks: list[bytes] = []

    def to_plain(part: Any) -> Any:
        if is_dataclass(part) and not isinstance(part, type):
            inner = {f.name: to_plain(getattr(part, f.name)) for f in fields(part) if f.init}
            return {"is": type(part).__name__, "with": inner}
        if isinstance(part, np.ndarray):
            squeezed = zlib.compress(np.ascontiguousarray(part).data, _LEVEL)
            blocks.append(squeezed)
            return {"array": part.dtype.str, "shape": part.shape, "bytes": len(squeezed)}
        if isinstance(part, tuple | list):
            return [to_plain(item) for item in part]
        if isinstance(part, np.generic):
            return part.item()
        if part is None or isinstance(part, bool | int | float | str):
            return part
        raise TypeError(f"cannot pack a {type(part).__name__}")

    head = json.dumps(to_plain(value)).encode()
    return b"".join([struct.pack(">Q", len(head)), head, *blocks])


def unpack(data: bytes, types: Iterable[type]) -> Any:
    """Return what `pack` was given; lists come back as tuples.

    Parameters
    ----------
    data : bytes
        As from `pack`.
    types : iterable of type
        The dataclasses that may occur.

    Raises
    ------
    ValueError
        It is cut off, damaged, or holds something else.
    """
    known = {kind.__name__: kind for kind in types}
    try:
        (length,) = struct.unpack_from(">Q", data)
        at = 8 + length

        def to_value(part: Any) -> Any:
            nonlocal at
            if isinstance(part, list):
                return tuple(to_value(item) for item in part)
            if isinstance(part, dict) and "is" in part:
                inner = {name: to_value(item) for name, item in part["with"].items()}
                return known[part["is"]](**inner)
            if isinstance(part, dict):
                block = zlib.decompress(memoryview(data)[at : at + part["bytes"]])
                at += part["bytes"]
                # writable like what was packed, or every kernel would be compiled once more for it
                return np.frombuffer(bytearray(block), np.dtype(part["array"])).reshape(
                    part["shape"]
                )
            return part

        return to_value(json.loads(data[8 : 8 + length]))
    except (struct.error, zlib.error, KeyError, TypeError, UnicodeDecodeError) as error:
        raise ValueError(f"not a packed value: {error}") from error
