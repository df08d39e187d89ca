"""Exports of trays: their jobs, what came of them laid into the data folder, and that as one ZIP."""

import hashlib
import logging
import os
import re
import shutil
import tempfile
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import IO

from tidymargin import ENGINE_VERSION
from tidymargin.core.base.errors import (
    BadParameterError,
    DamagedFileError,
    NotFoundError,
    OlderEngineError,
)
from tidymargin.formats.names import Names, number_stems, to_stem
from tidymargin.process import FULL
from tidymargin.services.picture.keyjob import Report, name_files, read_report
from tidymargin.services.picture.manifest import CSV_NAME, JSON_NAME, Entry, write_csv, write_json
from tidymargin.services.trays.trays import recipe_in
from tidymargin.services.workshop.states import is_of_older_engine
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.folder import EXPORTS
from tidymargin.store.values import NewJob, TrayExport, TrayJob

log = logging.getLogger(__name__)

_PIECE_BYTES = 1 << 20
_JOB_FOLDER = re.compile(r"(\d+)(\.part)?")
_GONE = "The files are not there any more. Write the missing ones again."


def begin_export(workshop: Workshop, tray_id: int) -> TrayExport:
    """Have all of a tray written, every sheet as it is now, with what the tray shares.

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
        raise BadParameterError("There are no pictures in this tray.", field="tray")
    older = sum(map(is_of_older_engine, sheets))
    if older:
        raise OlderEngineError(
            f"{older} of {len(sheets)} pictures were cut by an older version, and this one may cut them differently.",
            hint="Use the new cut on all of them, and see both cuts beside each other; or open one.",
        )
    stems = number_stems([to_stem(sheet.name) for sheet in sheets])
    jobs = [
        NewJob(
            sheet.id,
            stem,
            sheet.original,
            recipe_in(workshop, tray, sheet).to_json(),
            ENGINE_VERSION,
        )
        for sheet, stem in zip(sheets, stems, strict=True)
    ]
    return workshop.trays.begin_export(tray, jobs)


def folder_of(workshop: Workshop, export_id: int) -> Path:
    """Return where an export's files lie, in a folder for each of its jobs."""
    return workshop.folder / EXPORTS / str(export_id)


_read_report = lru_cache(maxsize=4096)(read_report)


def report_of(job: TrayJob) -> Report | None:
    """Return what came of a job that is done; None of any other, and where it cannot be read."""
    return _read_if_whole(job) if job.state == "done" else None


def _read_if_whole(job: TrayJob) -> Report | None:
    try:
        return _read_report(job.report)
    except ValueError:  # a row that nobody here wrote
        return None


def list_names(job: TrayJob) -> tuple[str, ...]:
    """Return the names of a job's files, also of those that are to be written anew."""
    report = _read_if_whole(job) if job.report else None
    return () if report is None else report.files


def list_files(workshop: Workshop, job: TrayJob) -> list[Path]:
    """Return the files that a job wrote, in order; none where any of them is not there any more."""
    report = report_of(job)
    place = folder_of(workshop, job.export) / str(job.id)
    found = [] if report is None else [place / name for name in report.files]
    return found if all(file.is_file() for file in found) else []


@dataclass(frozen=True, slots=True)
class Standing:
    """How far an export has come: its jobs by what stands in the folder now, not by what was noted once."""

    export: TrayExport
    written: tuple[TrayJob, ...]
    failed: tuple[TrayJob, ...]
    missing: tuple[TrayJob, ...]

    @property
    def again(self) -> tuple[TrayJob, ...]:
        """The jobs that can be done again: those that failed, and those whose files are not there any more."""
        return self.failed + self.missing

    @property
    def older(self) -> int:
        """Of how many of those an older engine was to make the cut, which the present one then makes."""
        return sum(job.engine_version != ENGINE_VERSION for job in self.again)

    @property
    def is_over(self) -> bool:
        """Whether nothing more will come of it by itself."""
        return len(self.written) + len(self.again) == len(self.export.jobs)


def stand(workshop: Workshop, export: TrayExport) -> Standing:
    """Look at how far an export has come."""
    written: list[TrayJob] = []
    missing: list[TrayJob] = []
    for job in export.jobs:
        if job.state == "done":
            (written if list_files(workshop, job) else missing).append(job)
    failed = tuple(job for job in export.jobs if job.state == "failed")
    return Standing(export, tuple(written), failed, tuple(missing))


def write_again(workshop: Workshop, export_id: int) -> None:
    """Write anew what failed of an export and what is not there any more, by the present engine."""
    standing = stand(workshop, workshop.trays.load_export(export_id))
    workshop.trays.do_again(export_id, [job.id for job in standing.again], ENGINE_VERSION)


def keep_files(
    workshop: Workshop, job: TrayJob, files: Sequence[tuple[str, bytes]], given: Report
) -> None:
    """Lay a job's files into the data folder, whole or not at all, and note that they are there, or why not."""
    with workshop.exporting:  # the names of one export's files are given one after the other
        report = _name_files(workshop, job, given)
        target = folder_of(workshop, job.export) / str(job.id)
        part = target.with_suffix(".part")
        try:
            for old in (part, target):
                shutil.rmtree(old, ignore_errors=True)
            part.mkdir(parents=True)
            for name, (_, data) in zip(report.files, files, strict=True):
                with (part / name).open("xb") as file:
                    file.write(data)
                    file.flush()
                    os.fsync(file.fileno())
            part.rename(target)
        except OSError as error:
            log.warning("what was written of a tray could not be kept", exc_info=True)
            shutil.rmtree(part, ignore_errors=True)
            is_full = error.errno in FULL
            why = (
                "the disk is full. Free some disk space"
                if is_full
                else f"{error.strerror}. Mend that"
            )
            said = f"The files could not be saved: {why}, and try again."
            workshop.trays.set_job(job.id, "failed", said=said)
            return
        workshop.trays.set_job(job.id, "done", report=report.to_json())


def _name_files(workshop: Workshop, job: TrayJob, report: Report) -> Report:
    """Give every file of a job a name that no other file of its export has, and say which got another."""
    names = Names(CSV_NAME, JSON_NAME)
    for other in workshop.trays.load_export(job.export).jobs:
        for name in list_names(other) if other.id != job.id else ():
            names.add(name)
    return name_files(names, report)


def manifest_of(export: TrayExport, there: frozenset[int] | None = None) -> list[Entry]:
    """Return what came of an export, sheet by sheet; `there` are the jobs whose files are, by itself all."""
    entries = []
    for job in export.jobs:
        report = report_of(job)
        if report is None:
            entries.append(Entry(job.stem, None, job.said or "not written yet"))
        elif there is not None and job.id not in there:
            entries.append(Entry(job.stem, None, _GONE))
        else:
            entries.append(Entry(job.stem, report))
    return entries


def write_zip(workshop: Workshop, export: TrayExport) -> IO[bytes]:
    """Return all files of an export with its manifest as one ZIP, laid aside on the disk.

    It holds just what its manifest says, file by file, or is not made at all.

    Raises
    ------
    NotFoundError
        None of them is there.
    DamagedFileError
        One of them is not what was written.
    """
    written = stand(workshop, export).written
    if not written:
        raise NotFoundError(
            "None of the files of this export is there.", hint="Wait for one, or write them again."
        )
    entries = manifest_of(export, frozenset(job.id for job in written))
    out = tempfile.TemporaryFile(dir=workshop.folder)  # noqa: SIM115 - it is the caller's
    try:
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
            for job in written:
                report = report_of(job)
                hashes = () if report is None else report.sha256
                for number, place in enumerate(list_files(workshop, job)):
                    try:
                        _add_file(archive, place, hashes[number] if hashes else None)
                    except DamagedFileError as error:
                        workshop.trays.note_damaged(job.id, error.message)
                        raise
            archive.writestr(zipfile.ZipInfo(CSV_NAME), write_csv(entries))
            archive.writestr(zipfile.ZipInfo(JSON_NAME), write_json(entries))
    except BaseException:
        out.close()
        raise
    out.seek(0)
    return out


def _add_file(archive: zipfile.ZipFile, place: Path, sha256: str | None) -> None:
    digest = hashlib.sha256()
    with archive.open(zipfile.ZipInfo(place.name), "w", force_zip64=True) as file, place.open("rb") as data:  # fmt: skip
        while piece := data.read(_PIECE_BYTES):
            digest.update(piece)
            file.write(piece)
    if sha256 is not None and digest.hexdigest() != sha256:
        raise DamagedFileError(
            f"{place.name} was changed or damaged on the disk since it was written.",
            hint="Write the missing ones again, and fetch the ZIP then.",
        )


def forget_export(workshop: Workshop, export_id: int) -> None:
    """Forget an export and delete its files; the sheets stay."""
    workshop.trays.forget_export(export_id)
    shutil.rmtree(folder_of(workshop, export_id), ignore_errors=True)


def list_without_tray(workshop: Workshop) -> list[Standing]:
    """Return the exports of trays that are no more: no page but that of all trays can show or forget them."""
    return [stand(workshop, export) for export in workshop.trays.list_loose_exports()]


def sweep_exports(workshop: Workshop, *, is_start: bool = False) -> None:
    """Delete the files of sheets that were deleted, and at the start of a server what an ended one left half written.

    An export that the database does not know stays: the database may be an older one that was put back.
    """
    known = workshop.trays.list_jobs()
    for export_id, jobs in known.items():
        for place in folder_of(workshop, export_id).glob("*"):
            found = _JOB_FOLDER.fullmatch(place.name)
            if found and (int(found[1]) not in jobs or (found[2] and is_start)):
                shutil.rmtree(place, ignore_errors=True)
        if not jobs:
            shutil.rmtree(folder_of(workshop, export_id), ignore_errors=True)
    if not all(known.values()):
        workshop.trays.forget_empty_exports()
