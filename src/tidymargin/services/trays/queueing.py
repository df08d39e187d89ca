"""The queue of jobs on Redis, from which workers on other machines take them.

A job carries all that it needs, and nothing that comes out of the queue is run or unpickled: messages are JSON of one
schema, and files are a ZIP stored as it is. Whoever can write into the queue can have pictures keyed, and nothing else. An
answer names the order that it is to, so that no other job's is taken for it.
"""

import hashlib
import io
import json
import logging
import os
import struct
import threading
import zipfile
import zlib
from dataclasses import asdict
from typing import Annotated, Any

import huey
from pydantic import BaseModel, ConfigDict, Field

from tidymargin.core.base.errors import (
    DomainError,
    TooLargeError,
    UnusableArgumentError,
)
from tidymargin.formats.limits import MAX_FILE_BYTES
from tidymargin.process import give_memory_back
from tidymargin.services.picture.keyjob import (
    Order,
    Report,
    do_order,
    read_report,
    say_error,
    to_outcome,
)
from tidymargin.services.picture.writing import Written
from tidymargin.store.originals import name_of

log = logging.getLogger(__name__)

QUEUE_VARIABLE = "TIDYMARGIN_QUEUE"
BEAT_S = 2.0
"""How often a worker says that it is still at a job."""

_NAME = "tidymargin"
_ORDER, _REPORT, _FAILED = "order.txt", "report.json", "failed.txt"
_MOST_FILES = 5000
_MOST_BYTES = 4 * 1024**3
_MOST_MESSAGE_BYTES = 64 * 1024 * 1024
_MOST_REPORT_BYTES = 4 * 1024 * 1024
_MOST_WORDS = 2000
_BAD_ZIP = (zipfile.BadZipFile, zlib.error, struct.error, ValueError, KeyError, TypeError, EOFError,
            RuntimeError, NotImplementedError, OverflowError, OSError)  # fmt: skip


class _Message(BaseModel):
    """What stands on the queue: a job's name, and what it is to do."""

    model_config = ConfigDict(extra="forbid", strict=True)

    job: Annotated[str, Field(pattern=r"^[0-9a-zA-Z.]{1,100}$")]
    order: Order


def queue_url() -> str | None:
    """Return the address of the Redis that jobs are queued on; None where that is done here."""
    return os.environ.get(QUEUE_VARIABLE) or None


def open_queue(url: str) -> huey.Huey:
    """Open the queue at an address.

    Raises
    ------
    UnusableArgumentError
        There is no Redis at that address.
    """
    if not url.startswith(("redis://", "rediss://", "unix://")):
        raise UnusableArgumentError(
            f"Expected {QUEUE_VARIABLE} as redis://HOST:PORT, got {url[:80]}.", field="queue"
        )
    found = huey.RedisHuey(_NAME, url=url, results=False)
    try:
        found.storage.conn.ping()
    except (OSError, ValueError, huey.exceptions.HueyException) as error:
        raise _away(url) from error
    except Exception as error:
        raise _away(url) from error
    return found


def _away(url: str) -> UnusableArgumentError:
    return UnusableArgumentError(
        f"No Redis answers at {url.rsplit('@', 1)[-1]}.",
        hint=f"Start it, or leave {QUEUE_VARIABLE} out.",
        field="queue",
    )


def pack_outcome(order: str, files: list[Written], report: Report) -> bytes:
    """Return what came of a job as one ZIP; `order` is the order's digest."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr(_ORDER, order)
        archive.writestr(_REPORT, report.to_json())
        for number, file in enumerate(files):
            archive.writestr(f"files/{number}", file.data)
    return out.getvalue()


def pack_failure(order: str, error: DomainError) -> bytes:
    """Return why nothing came of a job as a ZIP; `order` is the order's digest."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(_ORDER, order)
        archive.writestr(_FAILED, say_error(error))
    return out.getvalue()


Outcome = tuple[list[tuple[str, bytes]], Report] | str
"""What came of a job: its files by name with a report, or why there are none."""


class WrongAnswerError(ValueError):
    """What stands where a job's answer should is none, or an answer to something else."""


def unpack_outcome(data: bytes, order: str) -> Outcome:
    """Return the files of a job by name with its report, or why there are none.

    Raises
    ------
    WrongAnswerError
        It is no answer to the order of this digest.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            infos = {info.filename: info for info in archive.infolist()}
            if len(archive.infolist()) > _MOST_FILES + 2 or len(infos) < len(archive.infolist()):
                raise WrongAnswerError("more files than a job can have")
            for info in infos.values():
                # as it is: nothing in it becomes larger than what came
                if info.compress_type != zipfile.ZIP_STORED or info.file_size > len(data):
                    raise WrongAnswerError("a file that is packed")
            if infos[_ORDER].file_size != len(order) or archive.read(_ORDER).decode() != order:
                raise WrongAnswerError("an answer to another order")
            if _FAILED in infos:
                said = archive.read(_FAILED)[: 4 * _MOST_WORDS].decode("utf-8", "replace")
                return "".join(c for c in said if c.isprintable())[:_MOST_WORDS]
            if infos[_REPORT].file_size > _MOST_REPORT_BYTES:
                raise WrongAnswerError("a report that is too long")
            report = read_report(archive.read(_REPORT))
            files = [(name, archive.read(f"files/{at}")) for at, name in enumerate(report.files)]
    except _BAD_ZIP as error:
        raise WrongAnswerError(str(error)) from error
    hashes = tuple(hashlib.sha256(body).hexdigest() for _, body in files)
    if report.sha256 != hashes:
        raise WrongAnswerError("files that are not those of its report")
    return files, report


class Jobs:
    """Jobs on a queue: put there by a server, taken by workers, and collected when they are done.

    Parameters
    ----------
    queue : huey.Huey
        See `open_queue`; of it only the storage is used.
    """

    def __init__(self, queue: huey.Huey) -> None:
        self._storage = queue.storage
        self._has_complained = False

    def put(self, name: str, order: Order, data: bytes) -> None:
        """Queue a job with its picture."""
        self._storage.put_data(f"in:{name}", data)
        self._storage.delete_data(f"beat:{name}")  # of a worker that was ended
        self._storage.enqueue(json.dumps({"job": name, "order": asdict(order)}).encode())

    def count_waiting(self) -> int:
        """Return how many messages wait on the queue."""
        return int(self._storage.queue_size())

    def _do(self, name: str, order: Order) -> None:
        """Do a job, unless it was done meanwhile."""
        if self._storage.has_data_for_key(f"out:{name}") or self._is_taken_back(name):
            return
        ends = threading.Event()
        beating = threading.Thread(target=self._beat, args=(name, ends), daemon=True)
        beating.start()
        try:
            outcome = self._work_out(name, order)
        finally:
            ends.set()
            beating.join()
        if outcome is not None:
            self._storage.put_data(f"out:{name}", outcome)
        if self._is_taken_back(name):  # another worker was quicker, and nobody will ask for this
            self.forget(name)

    def _is_taken_back(self, name: str) -> bool:
        """Whether nobody waits for a job any more."""
        return not self._storage.has_data_for_key(f"in:{name}")

    def _work_out(self, name: str, order: Order) -> bytes | None:
        """Return what comes of a job, packed; None where its picture was taken back."""
        answers_to = order.digest(name)
        try:
            data = self._storage.peek_data(f"in:{name}")
            if not isinstance(data, bytes):
                return None
            if len(data) > MAX_FILE_BYTES:
                raise TooLargeError("This picture is larger than 500 MB.")
            if order.original and name_of(data) != order.original:
                return None  # another picture than is meant: it is asked for again
            return pack_outcome(answers_to, *do_order(data, order))
        except Exception as error:  # noqa: BLE001 - it is said in words, and what is our own fault logged
            return pack_failure(answers_to, to_outcome(error))

    def _beat(self, name: str, ends: threading.Event) -> None:
        count = 0
        while True:
            count += 1
            self._storage.put_data(f"beat:{name}", str(count).encode())
            if ends.wait(BEAT_S):
                return

    def beat_of(self, name: str) -> bytes | None:
        """Return what the worker that is at a job said last; None where none has begun."""
        found = self._storage.peek_data(f"beat:{name}")
        return found if isinstance(found, bytes) else None

    def collect(self, name: str, order: Order) -> Outcome | None:
        """Return what came of a job, or why nothing did; None while it is not done.

        Raises
        ------
        WrongAnswerError
            What is there is no answer to this order; it was taken away.
        """
        found = self._storage.peek_data(f"out:{name}")
        if not isinstance(found, bytes):
            return None
        try:
            return unpack_outcome(found, order.digest(name))
        except WrongAnswerError:
            self._storage.delete_data(f"out:{name}")
            raise

    def forget(self, name: str) -> None:
        """Take away what is left of a job."""
        for part in ("in", "out", "beat"):
            self._storage.delete_data(f"{part}:{name}")

    def take_one(self) -> bool:
        """Do the next job that waits, in this thread; False where none does. What is no job is dropped."""
        data: Any = self._storage.dequeue()
        if data is None:
            return False
        try:
            if len(data) > _MOST_MESSAGE_BYTES:
                raise ValueError("a message that is too long")
            message = _Message.model_validate_json(data)
        except (ValueError, TypeError):
            if not self._has_complained:  # once: whoever writes such things may write many
                log.warning("what was on the queue is no job of this version, and was dropped")
            self._has_complained = True
            return True
        self._do(message.job, message.order)
        give_memory_back()  # a worker has nothing to keep
        return True
