"""The queue of jobs: huey on SQLite in the data folder, or on Redis, from which workers on other machines take them.

A job carries all that it needs, and nothing that comes out of the queue is run or unpickled: messages are JSON, and
files are a ZIP. Whoever can write into the queue can have pictures keyed, and nothing else.
"""

import io
import json
import logging
import os
import threading
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import huey
from huey.registry import Message
from huey.serializer import Serializer

from tidymargin.core.base.errors import (
    DomainError,
    FaultError,
    StoppedError,
    TooLargeError,
    UnusableArgumentError,
)
from tidymargin.formats.decode import MAX_FILE_BYTES
from tidymargin.services.keyjob import Order, Report, do_order, read_report, say_error
from tidymargin.services.writing import Written

log = logging.getLogger(__name__)

QUEUE_VARIABLE = "TIDYMARGIN_QUEUE"
BEAT_S = 2.0
"""How often a worker says that it is still at a job."""

_NAME = "tidymargin"
_REPORT, _FAILED = "report.json", "failed.txt"
_MOST_FILES = 5000
_MOST_BYTES = 4 * 1024**3


class JsonSerializer(Serializer):  # type: ignore[misc]
    """Messages as JSON; nothing that is read can be anything but values."""

    def _serialize(self, data: Any) -> bytes:
        body = {"message": list(data)} if isinstance(data, Message) else {"value": data}
        return json.dumps(body).encode()

    def _deserialize(self, data: bytes) -> Any:
        body = json.loads(data)
        if "message" in body:
            return Message(*body["message"])
        return body["value"]


def queue_url() -> str | None:
    """Return the address of the Redis that jobs are queued on; None where that is done here."""
    return os.environ.get(QUEUE_VARIABLE) or None


def open_queue(folder: Path | None, url: str | None = None) -> huey.Huey:
    """Open the queue of a data folder, or the one at an address.

    Raises
    ------
    UnusableArgumentError
        There is no Redis at that address.
    """
    if url is None:
        assert folder is not None
        place = str(folder / "queue.db")
        return huey.SqliteHuey(_NAME, filename=place, serializer=JsonSerializer(), results=False)
    if not url.startswith(("redis://", "rediss://", "unix://")):
        raise UnusableArgumentError(
            f"Expected {QUEUE_VARIABLE} as redis://HOST:PORT, got {url[:80]}.", field="queue"
        )
    found = huey.RedisHuey(_NAME, url=url, serializer=JsonSerializer(), results=False)
    try:
        found.storage.conn.ping()
    except (OSError, ValueError, huey.exceptions.HueyException) as error:
        raise _away(url) from error
    except Exception as error:
        raise _away(url) from error
    return found


def _away(url: str) -> UnusableArgumentError:
    return UnusableArgumentError(
        f"Expected a Redis at {url.rsplit('@', 1)[-1]}, none answers.",
        hint=f"Start it, or leave {QUEUE_VARIABLE} out.",
        field="queue",
    )


def pack_outcome(files: list[Written], report: Report) -> bytes:
    """Return what came of a job as one ZIP."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr(_REPORT, report.to_json())
        for number, file in enumerate(files):
            archive.writestr(f"files/{number}", file.data)
    return out.getvalue()


def pack_failure(error: DomainError) -> bytes:
    """Return why nothing came of a job as a ZIP."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(_FAILED, say_error(error))
    return out.getvalue()


Outcome = tuple[list[tuple[str, bytes]], Report] | str
"""What came of a job: its files by name with a report, or why there are none."""


def unpack_outcome(data: bytes) -> Outcome:
    """Return the files of a job by name with its report, or why there are none."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        infos = archive.infolist()
        if len(infos) > _MOST_FILES or sum(info.file_size for info in infos) > _MOST_BYTES:
            return "The worker gave back more than a job can be."
        names = {info.filename for info in infos}
        if _FAILED in names:
            return archive.read(_FAILED).decode("utf-8", "replace")
        report = read_report(archive.read(_REPORT).decode())
        return [(name, archive.read(f"files/{at}")) for at, name in enumerate(report.files)], report


class Jobs:
    """Jobs on a queue: put there by a server, taken by itself or by workers, and collected when they are done.

    Parameters
    ----------
    queue : huey.Huey
        See `open_queue`.
    load : callable, optional
        Given a job's name, its picture's bytes; for jobs that are done where the pictures are. Without it they go
        through the queue.
    run : callable, optional
        Runs what is computed, given the job's name; by itself it is just called.
    """

    def __init__(
        self,
        queue: huey.Huey,
        load: Callable[[str], bytes] | None = None,
        run: Callable[[str, Callable[[], bytes]], bytes] = lambda _, compute: compute(),
    ) -> None:
        self.queue = queue
        self._storage = queue.storage
        self._load = load
        self._run = run
        self._task = queue.task(name="key")(self._do)

    def put(self, name: str, order: Order, data: bytes | None) -> None:
        """Queue a job; `data` is its picture, where it goes through the queue."""
        if data is not None:
            self._storage.put_data(f"in:{name}", data)
        self._task(name, order.stem, order.recipe, order.engine_version)

    def _do(self, name: str, stem: str, recipe: str, engine_version: int) -> None:
        """Do a job, unless it was done meanwhile."""
        if self._storage.has_data_for_key(f"out:{name}") or self._is_taken_back(name):
            return
        ends = threading.Event()
        beating = threading.Thread(target=self._beat, args=(name, ends), daemon=True)
        beating.start()
        try:
            outcome = self._work_out(name, Order(stem, recipe, engine_version))
        finally:
            ends.set()
            beating.join()
        if outcome is not None:
            self._storage.put_data(f"out:{name}", outcome)
        if self._is_taken_back(name):  # another worker was quicker, and nobody will ask for this
            self.forget(name)

    def _is_taken_back(self, name: str) -> bool:
        """Whether nobody waits for a job any more; where jobs are done here that is looked after elsewhere."""
        return self._load is None and not self._storage.has_data_for_key(f"in:{name}")

    def _work_out(self, name: str, order: Order) -> bytes | None:
        """Return what comes of a job, packed; None where its picture was taken back, or the work was stopped."""
        try:
            data = self._load(name) if self._load else self._storage.peek_data(f"in:{name}")
            if not isinstance(data, bytes):
                return None
            if len(data) > MAX_FILE_BYTES:
                raise TooLargeError("Expected a picture of at most 500 MB.")
            return self._run(name, lambda: pack_outcome(*do_order(data, order)))
        except StoppedError:
            return None
        except DomainError as error:
            return pack_failure(error)
        except MemoryError:
            return pack_failure(TooLargeError("This takes more memory than there is.", hint="Scale the picture down."))  # fmt: skip
        except Exception:
            log.exception("a job failed by our own fault")
            return pack_failure(FaultError("This could not be keyed, by our own fault.", hint="The others are not touched by it."))  # fmt: skip

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

    def collect(self, name: str) -> Outcome | None:
        """Return what came of a job, or why nothing did; None while it is not done."""
        found = self._storage.peek_data(f"out:{name}")
        return unpack_outcome(found) if isinstance(found, bytes) else None

    def forget(self, name: str) -> None:
        """Take away what is left of a job."""
        for part in ("in", "out", "beat"):
            self._storage.delete_data(f"{part}:{name}")

    def take_one(self) -> bool:
        """Do the next job that waits, in this thread; False where none does."""
        task = self.queue.dequeue()
        if task is None:
            return False
        self.queue.execute(task)
        return True
