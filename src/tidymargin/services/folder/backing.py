"""Backing a data folder up into one file, and restoring it.

The file is a ZIP archive whose members are stored as they are: `manifest.json` with the length and the SHA-256
of every other member, `sheets.sqlite`, and below `originals/`, `proofs/` and `set-aside/` the files of those
folders. What can be made again (the cache) and what signs forms is not in it.
"""

import hashlib
import json
import os
import re
import struct
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, Any, BinaryIO

from tidymargin import ENGINE_VERSION, __version__
from tidymargin.core.base.errors import (
    BusyError,
    DamagedDatabaseError,
    DamagedFileError,
    FileThereError,
    NotFoundError,
    StorageFullError,
    UnusableArgumentError,
)
from tidymargin.process import FULL, program
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.aside import write_aside
from tidymargin.store.copies import Copy
from tidymargin.store.database import check_database, copy_database
from tidymargin.store.folder import DATABASE, SET_ASIDE, FolderLock, make_folder
from tidymargin.store.originals import Originals, is_name

FORMAT = 1
_MANIFEST = "manifest.json"
_MEMBER = re.compile(
    r"sheets\.sqlite|originals/[0-9a-f]{2}/[0-9a-f]{64}|proofs/[0-9a-f]{2}/[0-9a-f]{64}"
    r"|set-aside/[0-9a-f]{64}|set-aside/(database-[0-9TZ]+/)?sheets[-0-9T]*\.sqlite"
)
_PIECE_BYTES = 1 << 20
_MOST_MANIFEST_BYTES = 64 * 1024 * 1024
_TRIES = 3


@dataclass(frozen=True, slots=True)
class BackedUp:
    """What is in a backup: sheets with those in the bin, originals, and the bytes of all of it."""

    sheets: int
    originals: int
    size_bytes: int
    made_at: str


def _read_pieces(file: IO[bytes]) -> Iterator[bytes]:
    while piece := file.read(_PIECE_BYTES):
        yield piece


def _add(archive: zipfile.ZipFile, name: str, source: Path) -> dict[str, Any]:
    digest, length = hashlib.sha256(), 0
    about = zipfile.ZipInfo(name, datetime.now(UTC).timetuple()[:6])
    with source.open("rb") as read, archive.open(about, "w", force_zip64=True) as written:
        for piece in _read_pieces(read):
            digest.update(piece)
            length += len(piece)
            written.write(piece)
    return {"bytes": length, "sha256": digest.hexdigest()}


def back_up(folder: Path, target: Path, *, replace: bool = False) -> BackedUp:
    """Write a data folder into one file and read that back; the folder may be in use.

    Raises
    ------
    NotFoundError, DamagedDatabaseError
        There is nothing to back up, or the database cannot be used.
    FileThereError
        There is such a file already.
    StorageFullError, UnusableArgumentError
        It cannot be written.
    DamagedFileError
        An original is damaged, or what was read back is not what was written.
    """
    if not (folder / DATABASE).exists():
        raise NotFoundError(
            f"There is no data folder at {folder}.", hint="TIDYMARGIN_DATA says where it is."
        )
    check_database(folder / DATABASE)
    if Path(os.path.realpath(target)).is_relative_to(os.path.realpath(folder)):
        raise UnusableArgumentError(
            f"{target} is in the data folder itself, which is what is backed up.",
            hint="Choose a place outside of it, best on another disk.",
        )
    try:
        with write_aside(target, replace=replace) as file:
            _write_archive(folder, file)
            file.flush()
            return check_backup(file)
    except OSError as error:
        said = f"{target} could not be written: {error.strerror}."
        if error.errno in FULL:
            raise StorageFullError(said, hint="Free some disk space and do it again.") from error
        raise UnusableArgumentError(said, hint="Choose another place.") from error


def _write_archive(folder: Path, file: BinaryIO) -> None:
    for is_last in (*[False] * (_TRIES - 1), True):
        try:
            file.seek(0)
            file.truncate()
            _write_members(folder, file)
        except FileNotFoundError as error:  # the bin was emptied meanwhile
            if is_last:
                raise BusyError(
                    "The data folder changed again and again while it was read.",
                    hint="Do it again in a moment.",
                ) from error
        else:
            return


def _write_members(folder: Path, file: BinaryIO) -> None:
    members = {}
    with tempfile.TemporaryDirectory() as aside, zipfile.ZipFile(file, "w") as archive:
        database = Path(aside) / DATABASE
        copy_database(folder / DATABASE, database)
        copy = Copy(database, datetime.now(UTC))
        originals = Originals(folder / "originals", folder / SET_ASIDE)
        members[DATABASE] = _add(archive, DATABASE, database)
        for name in sorted(copy.list_originals()):
            place = f"originals/{name[:2]}/{name}"
            if not originals.is_there(name) and (folder / SET_ASIDE / name).exists():
                place = f"{SET_ASIDE}/{name}"
            members[place] = _add(archive, place, folder / place)
            if members[place]["sha256"] != name:
                raise DamagedFileError(
                    f"An original was changed or damaged on the disk: {folder / place}.",
                    hint=f"{program()} doctor lists all of them; nothing was written.",
                )
        for part in ("proofs", SET_ASIDE):
            for source in sorted(p for p in (folder / part).rglob("*") if p.is_file()):
                place = source.relative_to(folder).as_posix()
                if _MEMBER.fullmatch(place) and place not in members:
                    members[place] = _add(archive, place, source)
        manifest = {
            "format": FORMAT,
            "made_at": datetime.now(UTC).isoformat(timespec="seconds"),
            "version": __version__,
            "engine": ENGINE_VERSION,
            "sheets": copy.count_sheets(),
            "members": members,
        }
        archive.writestr(_MANIFEST, json.dumps(manifest, indent=1))


def _damaged(said: str) -> DamagedFileError:
    return DamagedFileError(
        f"This backup is damaged: {said}.", hint="Use another one; nothing was changed."
    )


@contextmanager
def _as_damage() -> Iterator[None]:
    """Say whatever a spoilt archive makes its reader complain of as damage."""
    try:
        yield
    except (zipfile.BadZipFile, EOFError, NotImplementedError, RuntimeError, ValueError, KeyError,
            TypeError, AttributeError, OverflowError, struct.error) as error:  # fmt: skip
        raise _damaged("it breaks off, or is no backup at all") from error


def _read_manifest(archive: zipfile.ZipFile) -> dict[str, Any]:
    """Return what a backup lists, if that is what is in it and nothing else."""
    with _as_damage():
        about = archive.getinfo(_MANIFEST)
        if about.file_size > _MOST_MANIFEST_BYTES:
            raise _damaged("its list of contents is too long")
        manifest = json.loads(archive.read(about))
        members = dict(manifest["members"])
        form = int(manifest["format"])
        if form != FORMAT:
            raise UnusableArgumentError(
                f"This backup is of format {form}, and this Tidy Margin reads format {FORMAT}.",
                hint="It was made by another version of Tidy Margin; use that one.",
            )
        listed = [info.filename for info in archive.infolist() if info.filename != _MANIFEST]
        if len(listed) != len(set(listed)) or set(listed) != set(members):
            raise _damaged("its contents are not those that it lists")
        for info in archive.infolist():
            is_plain = info.compress_type == zipfile.ZIP_STORED and info.file_size == info.compress_size  # fmt: skip
            is_own = info.filename == _MANIFEST or _MEMBER.fullmatch(info.filename)
            if not is_plain or not is_own:
                raise _damaged(f"it holds something that no backup does, {info.filename!r:.80}")
        for name, said in members.items():
            content = name.rsplit("/", 1)[-1]
            if is_name(content) and not name.startswith("proofs/") and said["sha256"] != content:
                raise _damaged(f"{name} is not the original that it is called")
        made_at = datetime.fromisoformat(manifest["made_at"]).isoformat(timespec="seconds")
        return {
            **manifest,
            "members": members,
            "sheets": int(manifest["sheets"]),
            "made_at": made_at,
        }


def _take_member(archive: zipfile.ZipFile, name: str, said: Any, into: BinaryIO | None) -> None:
    """Read a member, into a file or only to check it."""
    digest, length = hashlib.sha256(), 0
    with _as_damage(), archive.open(name) as member:
        for piece in _read_pieces(member):
            digest.update(piece)
            length += len(piece)
            if into is not None:
                into.write(piece)
    if {"bytes": length, "sha256": digest.hexdigest()} != said:
        raise _damaged(f"{name} is not what was backed up")


def _open_archive(source: Path | BinaryIO) -> zipfile.ZipFile:
    try:
        if isinstance(source, Path) and not source.is_file():
            raise UnusableArgumentError(f"There is no file {source}.")
        with _as_damage():
            return zipfile.ZipFile(source)
    except OSError as error:
        raise UnusableArgumentError(f"{source} cannot be read: {error.strerror}.") from error


def check_backup(source: Path | BinaryIO) -> BackedUp:
    """Read all of a backup, changing nothing, and return what is in it.

    Raises
    ------
    DamagedFileError, UnusableArgumentError
        It is damaged or none.
    """
    with closing(_open_archive(source)) as archive:
        manifest = _read_manifest(archive)
        for name, said in manifest["members"].items():
            _take_member(archive, name, said, None)
        return _say(manifest)


def _say(manifest: dict[str, Any]) -> BackedUp:
    members = manifest["members"]
    originals = sum(name.startswith("originals/") for name in members)
    size_bytes = sum(said["bytes"] for said in members.values())
    return BackedUp(manifest["sheets"], originals, size_bytes, str(manifest["made_at"]))


def restore(source: Path, folder: Path, *, replace: bool = False) -> tuple[BackedUp, Path | None]:
    """Make a data folder of a backup; return what was in it, and where a folder that was there is now.

    It is written beside, checked and named at the end, so that the folder is the old or the new one and never half.

    Parameters
    ----------
    source : Path
        The backup.
    folder : Path
        Where it goes: nothing may be there, or nothing but an empty folder.
    replace : bool
        Whether a data folder that is there may make room for it; it is kept beside under another name.

    Raises
    ------
    FileThereError
        There is a data folder already.
    FolderInUseError
        That one is open.
    DamagedFileError, UnusableArgumentError, StorageFullError
        The backup cannot be used or written.
    """
    is_taken = folder.exists() and any(folder.iterdir())
    if is_taken and not replace:
        raise FileThereError(
            f"There is a data folder at {folder} already.",
            hint="Choose another with TIDYMARGIN_DATA, or say --replace: it is then kept beside, under another name.",
        )
    lock = FolderLock(folder) if is_taken else None
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=f".{folder.name}-", dir=folder.parent) as aside:
            made = Path(aside) / "data"
            said = _unpack(source, made)
            open_workshop(made).close()  # opens as it is, or is not put in place
            moved = None
            if is_taken:
                moved = folder.with_name(f"{folder.name}.before-{datetime.now(UTC):%Y%m%dT%H%M%S}")
                folder.rename(moved)
            elif folder.exists():
                folder.rmdir()
            made.rename(folder)
    except OSError as error:
        words = f"{folder} could not be written: {error.strerror}."
        if error.errno in FULL:
            raise StorageFullError(words, hint="Free some disk space and do it again.") from error
        raise UnusableArgumentError(words, hint="Choose another folder.") from error
    finally:
        if lock is not None:
            lock.let_go()
    return said, moved


def _unpack(source: Path, folder: Path) -> BackedUp:
    make_folder(folder)
    with closing(_open_archive(source)) as archive:
        manifest = _read_manifest(archive)
        for name, said in manifest["members"].items():
            place = folder / name
            place.parent.mkdir(parents=True, exist_ok=True)
            with write_aside(place) as file:
                _take_member(archive, name, said, file)
    try:
        check_database(folder / DATABASE)
    except DamagedDatabaseError as error:
        if error.is_newer:
            raise
        raise _damaged("its database is not one of Tidy Margin, or damaged") from error
    originals = Originals(folder / "originals", folder / SET_ASIDE)
    there = originals.list_all() | originals.list_aside()
    missing = Copy(folder / DATABASE, datetime.now(UTC)).list_originals() - there
    if missing:
        raise _damaged(f"{len(missing)} of its originals are missing")
    return _say(manifest)
