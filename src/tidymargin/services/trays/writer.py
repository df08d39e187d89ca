"""Writing the sheets of exports on this machine, by the executor and with what is at hand of them."""

import threading
from contextlib import suppress

from tidymargin.core.base.errors import NotFoundError, StoppedError
from tidymargin.formats.recipe import Recipe, read_recipe
from tidymargin.services.picture.keyjob import (
    Report,
    key_decoded_by,
    report_on,
    require_engine,
    say_error,
    to_outcome,
    with_files,
)
from tidymargin.services.picture.writing import Written, write_files
from tidymargin.services.trays.exports import keep_files, sweep_exports
from tidymargin.services.trays.trays import report_at_hand
from tidymargin.services.views.cutting import load_cutter
from tidymargin.services.views.measuring import measuring_cost
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet, TrayJob


class Writer:
    """Does the jobs of exports one by one, for as many threads as call it; goes on where it was left.

    Parameters
    ----------
    workshop : Workshop
        Where sheets, and files that are written, are.
    """

    def __init__(self, workshop: Workshop) -> None:
        self._workshop = workshop
        self._taken: set[int] = set()
        self._taking = threading.Lock()
        sweep_exports(workshop, is_start=True)

    def write_one(self) -> bool:
        """Do the next job that waits; False where none does, or the server is being ended."""
        with self._taking:
            job = self._workshop.trays.find_waiting(self._taken)
            if job is None:
                return False
            self._taken.add(job.id)
        try:
            return self._do(job)
        finally:
            with self._taking:
                self._taken.discard(job.id)

    def _do(self, job: TrayJob) -> bool:
        trays, executor = self._workshop.trays, self._workshop.executor
        trays.set_job(job.id, "begun")
        try:
            recipe = read_recipe(job.recipe)
            sheet = self._find_sheet(job, recipe)
            cost = 0 if sheet is None else measuring_cost(self._workshop, sheet)
            files, report = executor.run(
                f"job:{job.token}",
                Priority.EXPORT,
                lambda: self._write(job, sheet, recipe),
                cost_bytes=cost,
            )
        except StoppedError:
            return False
        except Exception as error:  # noqa: BLE001 - it is said in words, and what is our own fault logged
            trays.set_job(job.id, "failed", said=say_error(to_outcome(error)))
            return True
        if trays.is_wanted(job):  # it was not stopped, nor begun anew, meanwhile
            keep_files(self._workshop, job, [(file.name, file.data) for file in files], report)
        return True

    def _find_sheet(self, job: TrayJob, recipe: Recipe) -> Sheet | None:
        """Return a job's sheet by the job's recipe, of which much may be at hand; None where it is no more."""
        with suppress(NotFoundError):
            sheet = self._workshop.sheets.load(job.sheet)
            return sheet.decided_by(recipe) if sheet.original == job.original else None
        return None

    def _write(
        self, job: TrayJob, sheet: Sheet | None, recipe: Recipe
    ) -> tuple[list[Written], Report]:
        require_engine(job.engine_version)
        tick = self._workshop.executor.tick
        if sheet is None:
            data = self._workshop.originals.load(job.original)
            return key_decoded_by(self._workshop.readers.decode(data, tick), recipe, job.stem)
        cutter = load_cutter(self._workshop, sheet)
        files = write_files(cutter, recipe, job.stem, sheet.dots_per_inch, tick)
        known = report_at_hand(self._workshop, sheet)
        if known is None:
            known = report_on(cutter, recipe, sheet.area)
        return files, with_files(known, files)
