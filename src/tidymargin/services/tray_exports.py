"""Writing all of a tray: jobs put on the queue, what comes of them laid into the data folder, and that as one ZIP."""

import logging
import os
import shutil
import tempfile
import time
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from tidymargin import ENGINE_VERSION
from tidymargin.core.base.errors import (
    BadParameterError,
    DomainError,
    NotFoundError,
    OlderEngineError,
)
from tidymargin.services.executor import Priority
from tidymargin.services.exporting import to_stem
from tidymargin.services.keyjob import Order, read_report
from tidymargin.services.manifest import CSV_NAME, JSON_NAME, Entry, write_csv, write_json
from tidymargin.services.queueing import BEAT_S, Jobs, Outcome, open_queue
from tidymargin.services.states import is_of_older_engine, read_recipe_of
from tidymargin.services.workshop import Workshop
from tidymargin.store.values import NewJob, TrayExport, TrayJob

log = logging.getLogger(__name__)

EXPORTS = "exports"
SILENT_S = 15.0
"""After how long without a word from its worker a job is given to another."""

_AT_ONCE = 16  # jobs that are on the queue with their pictures


def begin_export(workshop: Workshop, tray_id: int) -> TrayExport:
    """Have all of a tray written, every sheet as it is now.

    Raises
    ------
    BadParameterError
        There is nothing in it.
    OlderEngineError
        An older engine cut some of it, and nobody has said yet that the present one may.
    """
    tray = workshop.trays.load(tray_id)
    sheets = workshop.trays.list_sheets(tray_id)[::-1]
    if not sheets:
        raise BadParameterError("Expected sheets in the tray, there are none.", field="tray")
    older = sum(map(is_of_older_engine, sheets))
    if older:
        raise OlderEngineError(
            f"{older} of {len(sheets)} sheets were cut by an older engine, and the present one may cut them otherwise.",
            hint="Use the new cut on all of them, and see both cuts beside each other; or open one.",
        )
    jobs, taken = [], set[str]()
    for sheet in sheets:
        stem = first = to_stem(sheet.name)
        number = 1
        while stem.lower() in taken:
            number += 1
            stem = f"{first}-{number}"
        taken.add(stem.lower())
        recipe = read_recipe_of(sheet).to_json()
        jobs.append(NewJob(sheet.id, stem, sheet.original, recipe, ENGINE_VERSION))
    return workshop.trays.begin_export(tray, jobs)


def folder_of(workshop: Workshop, export_id: int) -> Path:
    """Return where an export's files lie, in a folder for each of its jobs."""
    return workshop.folder / EXPORTS / str(export_id)


def list_files(workshop: Workshop, job: TrayJob) -> list[Path]:
    """Return the files that a job wrote, in order."""
    if job.state != "done":
        return []
    place = folder_of(workshop, job.export) / str(job.id)
    return [place / name for name in read_report(job.report).files]


def manifest_of(export: TrayExport) -> list[Entry]:
    """Return what came of an export, sheet by sheet."""
    return [
        Entry(job.stem, read_report(job.report))
        if job.report
        else Entry(job.stem, None, job.said or "not written yet")
        for job in export.jobs
    ]


def write_zip(workshop: Workshop, export: TrayExport) -> IO[bytes]:
    """Return all files of an export with its manifest as one ZIP, laid aside on the disk.

    Raises
    ------
    NotFoundError
        None of them is there.
    """
    out = tempfile.TemporaryFile(dir=workshop.folder)  # noqa: SIM115 - it is the caller's
    entries = manifest_of(export)
    found = 0
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for place in (place for job in export.jobs for place in list_files(workshop, job)):
            if place.is_file():
                with archive.open(zipfile.ZipInfo(place.name), "w", force_zip64=True) as file, place.open("rb") as data:  # fmt: skip
                    shutil.copyfileobj(data, file)
                found += 1
        archive.writestr(zipfile.ZipInfo(CSV_NAME), write_csv(entries))
        archive.writestr(zipfile.ZipInfo(JSON_NAME), write_json(entries))
    if not found:
        out.close()
        raise NotFoundError("None of its files is there yet.", hint="Wait for one, or begin anew.")
    out.seek(0)
    return out


def forget_export(workshop: Workshop, export_id: int) -> None:
    """Forget an export and delete its files; the sheets stay."""
    workshop.trays.forget_export(export_id)
    shutil.rmtree(folder_of(workshop, export_id), ignore_errors=True)


@dataclass(slots=True)
class _UnderWay:
    """A job on the queue: what its worker said last, when that was new, and when it was asked."""

    beat: bytes | None
    since: float
    asked: float


class Exporter:
    """Puts the jobs of exports on the queue and collects what comes of them; goes on where it was left.

    Parameters
    ----------
    workshop : Workshop
        Where sheets, and files that are written, are.
    url : str, optional
        The Redis whose workers do the jobs; by itself they are done here, through the workshop's executor.
    now : callable, optional
        Seconds that never go back.
    """

    def __init__(
        self, workshop: Workshop, url: str | None = None, now: Callable[[], float] = time.monotonic
    ) -> None:
        self._workshop = workshop
        self._now = now
        self.is_here = url is None
        queue = open_queue(workshop.folder, url)
        if self.is_here:
            queue.storage.flush_all()  # what waits is known from the database
            self.jobs = Jobs(queue, self._load, self._run)
        else:
            self.jobs = Jobs(queue)
        self._under_way: dict[int, _UnderWay] = {}

    @property
    def has_jobs(self) -> bool:
        """Whether any job is on the queue or under way."""
        return bool(self._under_way)

    def _name(self, job_id: int) -> str:
        return f"{self._workshop.folder.resolve().as_posix()}#{job_id}"

    def _load(self, name: str) -> bytes:
        job = self._workshop.trays.load_job(int(name.rsplit("#", 1)[1]))
        return self._workshop.originals.load(job.original)

    def _run(self, name: str, compute: Callable[[], bytes]) -> bytes:
        return self._workshop.executor.run(f"job:{name}", Priority.EXPORT, compute)

    def step(self) -> bool:
        """Collect what is done and put on the queue what waits; whether anything is still to come."""
        working = self._workshop.trays.list_working()
        left = [job for export in working for job in export.jobs if job.state in ("waiting", "begun")]  # fmt: skip
        for number in self._under_way.keys() - {job.id for job in left}:
            self.jobs.forget(self._name(number))
            del self._under_way[number]
        for job in left:
            # what was done before a restart is found when its turn comes
            if job.id in self._under_way or len(self._under_way) < _AT_ONCE:
                self._look_after(job)
        return bool(left)

    def _look_after(self, job: TrayJob) -> None:
        name = self._name(job.id)
        try:
            outcome = self.jobs.collect(name)
        except (
            ValueError,
            KeyError,
            TypeError,
            RuntimeError,
            EOFError,
            zlib.error,
            zipfile.BadZipFile,
        ):
            outcome = "What the worker gave back cannot be read. Do it again."
        if outcome is not None:
            self._take_in(job, outcome)
            self.jobs.forget(name)
            self._under_way.pop(job.id, None)
            return
        known = self._under_way.get(job.id)
        if known is None:
            self._put(job, name)
            return
        if known.beat is not None and self._now() - known.asked < BEAT_S:
            return
        beat, known.asked = self.jobs.beat_of(name), self._now()
        if beat != known.beat:
            if known.beat is None:
                self._workshop.trays.set_job(job.id, "begun")
            known.beat, known.since = beat, known.asked
        elif self._now() - known.since > SILENT_S and not self.is_here:
            # its worker was ended, or nobody has taken it: it cannot be there too often, for it is done once
            is_lost = beat is not None or self.jobs.queue.pending_count() == 0
            if is_lost:
                self._put(job, name)

    def _put(self, job: TrayJob, name: str) -> None:
        try:
            data = None if self.is_here else self._workshop.originals.load(job.original)
        except DomainError as error:
            self._workshop.trays.set_job(job.id, "failed", said=error.message)
            return
        self.jobs.put(name, Order(job.stem, job.recipe, job.engine_version), data)
        self._under_way[job.id] = _UnderWay(self.jobs.beat_of(name), self._now(), self._now())

    def _take_in(self, job: TrayJob, outcome: Outcome) -> None:
        """Lay a job's files into the data folder, whole or not at all, and note that they are there."""
        if isinstance(outcome, str):
            self._workshop.trays.set_job(job.id, "failed", said=outcome)
            return
        files, report = outcome
        target = folder_of(self._workshop, job.export) / str(job.id)
        part = target.with_suffix(".part")
        try:
            for old in (part, target):
                shutil.rmtree(old, ignore_errors=True)
            part.mkdir(parents=True)
            for name, data in files:
                if Path(name).name != name or name.startswith("."):
                    raise ValueError(name)
                with (part / name).open("xb") as file:
                    file.write(data)
                    file.flush()
                    os.fsync(file.fileno())
            part.rename(target)
        except (OSError, ValueError):
            log.warning("what was written of a tray could not be kept", exc_info=True)
            shutil.rmtree(part, ignore_errors=True)
            said = (
                "Its files could not be kept: the disk may be full. Free some room and do it again."
            )
            self._workshop.trays.set_job(job.id, "failed", said=said)
            return
        self._workshop.trays.set_job(job.id, "done", report=report.to_json())
