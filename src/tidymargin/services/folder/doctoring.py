"""Saying what state a data folder is in, and mending what can be mended without loss."""

import contextlib
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from tidymargin import ENGINE_VERSION, __version__
from tidymargin.core.base.errors import DamagedDatabaseError, DomainError, NotFoundError
from tidymargin.process import PARTS, program
from tidymargin.services.folder.keeping import bring_back, size_below
from tidymargin.services.picture.keyjob import read_report
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.aside import write_aside
from tidymargin.store.copies import Copies, Copy
from tidymargin.store.database import (
    UNREADABLE,
    check_database,
    connect_to_read,
    list_revisions,
    open_database,
)
from tidymargin.store.folder import DATABASE, EXPORTS, SET_ASIDE, FolderLock, find_owner
from tidymargin.store.merging import bring_over, take_all_out
from tidymargin.store.originals import Originals

Tell = Callable[[str], None]
_NOT_IN_IT = "changes made after the copy are not in it"


@dataclass(frozen=True, slots=True)
class Finding:
    """One line of what is said of a data folder; `is_wrong` where something ought to be done."""

    said: str
    is_wrong: bool = False


def examine(folder: Path) -> list[Finding]:
    """Return what state a data folder is in, changing nothing; it may be in use.

    Raises
    ------
    NotFoundError
        There is none.
    """
    if not folder.is_dir():
        raise NotFoundError(
            f"There is no data folder at {folder}.", hint="TIDYMARGIN_DATA says where it is."
        )
    found = [
        Finding(f"data folder {folder}"),
        Finding(f"Tidy Margin {__version__}, engine {ENGINE_VERSION}, database revision {list_revisions()[0]}"),
    ]  # fmt: skip
    owner = find_owner(folder)
    found.append(Finding(f"open in process {owner}" if owner else "open in no process"))
    copies = Copies(folder / "copies")
    found += _look_over_database(folder / DATABASE)
    for copy in copies.list_all():
        found.append(_say_copy(copy))
    found += _look_over_originals(folder)
    found += _look_over_exports(folder)
    for name, part in (("originals", "originals"), ("set aside", SET_ASIDE), ("copies", "copies"), ("pictures of older cuts", "proofs"), ("exports of trays", EXPORTS), ("cache, which may be deleted", "cache")):  # fmt: skip
        found.append(Finding(f"{size_below(folder / part) / 1e6:,.1f} MB {name}"))
    return found


def _look_over_database(place: Path) -> list[Finding]:
    try:
        revision = check_database(place)
        with closing(connect_to_read(place)) as read:
            columns = {row[1] for row in read.execute("PRAGMA table_info(sheet)")}
            in_bin = "count(binned_at)" if "binned_at" in columns else "0"
            sheets, binned = read.execute(f"SELECT count(*), {in_bin} FROM sheet").fetchone()
            states = read.execute("SELECT count(*) FROM state").fetchone()[0]
            loose = len(read.execute("PRAGMA foreign_key_check").fetchall())
    except DomainError as error:
        return [Finding(error.message, is_wrong=True)]
    except UNREADABLE as error:
        return [Finding(f"the database cannot be read: {error}", is_wrong=True)]
    found = [Finding(f"database whole, revision {revision}: {sheets} sheets, {binned} of them in the bin, {states} states")]  # fmt: skip
    if loose:
        found.append(Finding(f"{loose} rows of the database name others that are missing", True))
    return found


def _say_copy(copy: Copy) -> Finding:
    when = f"{copy.made_at:%d %B %Y, %H:%M} UTC"
    if not copy.is_good():
        return Finding(f"copy of the database of {when}: damaged", is_wrong=True)
    return Finding(
        f"copy of the database of {when}: whole, {copy.count_sheets()} sheets ({copy.place.name})"
    )


def _look_over_originals(folder: Path) -> list[Finding]:
    originals = Originals(folder / "originals", folder / SET_ASIDE)
    there = originals.list_all()
    named: set[str] = set()
    with contextlib.suppress(*UNREADABLE, DomainError):
        check_database(folder / DATABASE)
        named = Copy(folder / DATABASE, datetime.now(UTC)).list_originals()
    missing = {name for name in named - there if not (folder / SET_ASIDE / name).exists()}
    damaged = [name for name in there & named if not originals.is_whole(name)]
    found = [Finding(f"{len(there)} originals")]
    unnamed = len(there - named)
    if unnamed:
        found.append(Finding(f"{unnamed} originals that no sheet names", is_wrong=True))
    aside = len(originals.list_aside())
    if aside:
        found.append(Finding(f"{aside} originals that no sheet names, set aside", is_wrong=True))
    for name in sorted(missing):
        found.append(Finding(f"an original that a sheet names is missing: {name}", is_wrong=True))
    for name in damaged:
        found.append(Finding(f"an original was changed or damaged: {name}", is_wrong=True))
    return found


def _look_over_exports(folder: Path) -> list[Finding]:
    """Say which files of exports are noted as written and are not there, and which folders no export names."""
    try:
        with closing(connect_to_read(folder / DATABASE)) as read:
            exports = dict(read.execute("SELECT id, name FROM tray_export"))
            jobs = read.execute("SELECT id, export_id, state, report FROM tray_job").fetchall()
    except UNREADABLE:
        return []
    found = []
    for number, name in exports.items():
        missing = 0
        for job, export, state, report in jobs:
            if export != number or state != "done":
                continue
            place = folder / EXPORTS / str(number) / str(job)
            try:
                missing += sum(not (place / file).is_file() for file in read_report(report).files)
            except ValueError:
                missing += 1
        if missing:
            found.append(Finding(f"{missing} files of an export of “{name}” are not there; its tray’s page writes them again", True))  # fmt: skip
    strays = [p.name for p in (folder / EXPORTS).glob("*") if not (p.name.isdigit() and int(p.name) in exports)]  # fmt: skip
    if strays:
        found.append(Finding(f"{len(strays)} folders of exports that the database does not know, in {folder / EXPORTS}", True))  # fmt: skip
    halves = len(list(folder.glob(f"{PARTS}*")))
    if halves and not find_owner(folder):
        found.append(Finding(f"{halves} files were being unpacked when the server was ended; what is left of that goes at its next start"))  # fmt: skip
    return found


def mend(folder: Path, tell: Tell, *, use_copy: str | None = None) -> None:
    """Mend what can be mended without loss: whatever is taken out of its place is kept beside it.

    A database that cannot be used is replaced by its last good copy, with all that can still be read of it; then
    originals that no sheet names are made sheets again.

    Parameters
    ----------
    folder : Path
        That nobody else may have open.
    tell : callable
        Called with each thing done, in words.
    use_copy : str, optional
        The name of a copy that is to take the place even of a database that is whole.

    Raises
    ------
    FolderInUseError, NotFoundError, DomainError
        Nothing was changed, or what was said by then.
    """
    lock = FolderLock(folder)
    try:
        _mend_database(folder, tell, use_copy)
    finally:
        lock.let_go()
    workshop = open_workshop(folder)
    try:
        aside = len(workshop.originals.list_aside())
        if aside:
            tell(f"{aside} originals that no sheet names are set aside; they are brought back")
            brought = bring_back(workshop, tell=lambda name: tell(f"brought back as {name}"))
            if brought.sheets:
                tell(f"{brought.sheets} sheets came back with their histories")
            if brought.anew:
                tell(f"{brought.anew} came back as sheets that begin anew")
            if brought.unreadable:
                tell(f"{brought.unreadable} are no pictures and stay set aside")
        empty = [
            sheet
            for sheet in workshop.sheets.list_all()
            if not workshop.originals.is_there(sheet.original)
        ]
        for sheet in empty:
            workshop.sheets.bin(sheet.id)
        if empty:
            tell(f"{len(empty)} sheets whose originals are not there any more are in the bin")
    finally:
        workshop.close()


def _mend_database(folder: Path, tell: Tell, use_copy: str | None) -> None:
    place = folder / DATABASE
    copies = Copies(folder / "copies")
    if use_copy is not None:
        chosen = next((copy for copy in copies.list_all() if copy.place.name == use_copy), None)
        if chosen is None or not chosen.is_good():
            raise NotFoundError(
                f"There is no good copy named {use_copy}.", hint=f"{program()} doctor lists them."
            )
        _put_in_place(folder, chosen, tell)
        return
    try:
        check_database(place)
    except DamagedDatabaseError as error:
        if error.is_newer:
            raise
        is_missing = not place.exists()
        copy = copies.find_good()
        if copy is None and is_missing:
            return  # it is made anew
        tell(error.message)
        _put_in_place(folder, copy, tell)


def _put_in_place(folder: Path, copy: Copy | None, tell: Tell) -> None:
    """Put a copy, or nothing, in the database's place; bring over what can still be read of what was there."""
    place = folder / DATABASE
    moved = _move_aside(folder)
    if moved is not None:
        tell(f"what was in its place is kept at {moved}")
    if copy is None:
        tell("there is no good copy of it: it begins anew")
    else:
        with write_aside(place) as file:
            file.write(copy.place.read_bytes())
        tell(f"the copy of {copy.made_at:%d %B %Y, %H:%M} UTC is in its place, with {copy.count_sheets()} sheets")  # fmt: skip
    open_database(place).dispose()  # made, or brought up to date
    taken_out = take_all_out(place)
    if taken_out:
        tell(f"{taken_out} sheets that were in the bin then are out of it: they may have been taken out since")  # fmt: skip
    if moved is None or not moved.is_file():
        tell(_NOT_IN_IT)
        return
    there = Originals(folder / "originals", folder / SET_ASIDE).list_all()
    try:
        sheets, states = bring_over(moved, place, there)
        tell(f"of what was there {sheets} more sheets and {states} more states could be read, and were brought over")  # fmt: skip
    except UNREADABLE:
        tell(f"nothing of what was there could be read; {_NOT_IN_IT}")


def _move_aside(folder: Path) -> Path | None:
    """Move the database with the files that belong to it out of its place; return where it is now."""
    there = sorted(folder.glob(f"{DATABASE}*"))
    if not there:
        return None
    aside = folder / SET_ASIDE / f"database-{datetime.now(UTC):%Y%m%dT%H%M%S%f}"
    aside.mkdir(parents=True)
    for place in there:
        place.rename(aside / place.name)
    return aside / DATABASE
