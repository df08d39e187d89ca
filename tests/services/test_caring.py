"""Backups, the doctor, copies of the database, and folders of before there were any."""

import hashlib
import json
import os
import random
import shutil
import sqlite3
import tempfile
import zipfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from click.testing import CliRunner

from tests.conftest import read_png
from tidymargin.cli.commands import main
from tidymargin.core.base.errors import (
    DamagedFileError,
    FileThereError,
    FolderInUseError,
    UnusableArgumentError,
)
from tidymargin.formats.encode import encode_quick, is_whole_png
from tidymargin.services.edits import settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder import keeping
from tidymargin.services.folder.backing import back_up, check_backup, restore
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.proofs import load_proof, make_thumbnail
from tidymargin.services.workshop.identity import proof_name
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.store.copies import KEPT, Copies
from tidymargin.store.database import list_revisions
from tidymargin.web.app import create_app


@pytest.fixture
def folder(tmp_path, badge_png, badge_jpg):
    """A data folder with a sheet with a history, and one in the bin."""
    shop = open_workshop(tmp_path / "data")
    sheet = add_sheet(shop, badge_png, "badge.png")
    for tolerance in (4, 9):
        sheet = settings.set_values(
            begin(shop, sheet.id, sheet.head), "tolerance", tolerance=tolerance
        )
    shop.sheets.undo(sheet.id, sheet.head)
    shop.sheets.bin(add_sheet(shop, badge_jpg, "binned.jpg").id)
    shop.keep(shop.proofs, sheet.original, "proof", b"a picture of an older cut")
    shop.close()
    return tmp_path / "data"


def tell(place):
    """Everything that a folder keeps, as plain values."""
    shop = open_workshop(place)
    try:
        sheets = [*shop.sheets.list_all(), *shop.sheets.list_binned()]
        states = [shop.sheets.list_states(sheet.id) for sheet in sheets]
        files = [shop.originals.load(sheet.original) for sheet in sheets]
        return sheets, states, files, shop.proofs.get("proof")
    finally:
        shop.close()


def run(place, *arguments):
    return CliRunner().invoke(main, list(map(str, arguments)), env={"TIDYMARGIN_DATA": str(place)})


def test_a_backup_made_while_the_folder_is_open_brings_everything_back_elsewhere(tmp_path, folder):
    before = tell(folder)
    shop = open_workshop(folder)
    made = run(folder, "backup", tmp_path / "all.zip")
    assert made.exit_code == 0, made.output
    assert "2 pictures, 2 originals" in made.output
    shop.close()
    back = run(tmp_path / "new", "restore", tmp_path / "all.zip")
    assert back.exit_code == 0, back.output
    assert tell(tmp_path / "new") == before
    with zipfile.ZipFile(tmp_path / "all.zip") as archive:  # an open format, as its module says
        members = json.loads(archive.read("manifest.json"))["members"]
        assert set(members) | {"manifest.json"} == set(archive.namelist())
        assert "sheets.sqlite" in members
        assert not [name for name in members if "secret" in name or "cache" in name]


def test_a_backup_replaces_nothing_and_restoring_keeps_what_was_there(tmp_path, folder):
    place = tmp_path / "all.zip"
    place.write_bytes(b"somebody's")
    assert run(folder, "backup", place).exit_code == 77
    assert place.read_bytes() == b"somebody's"
    with pytest.raises(UnusableArgumentError, match="in the data folder itself"):
        back_up(folder, folder / "sheets.sqlite", replace=True)
    back_up(folder, place, replace=True)
    before = tell(folder)
    with pytest.raises(FileThereError, match="a data folder"):
        restore(place, folder)
    shop = open_workshop(folder)
    with pytest.raises(FolderInUseError):
        restore(place, folder, replace=True)
    settings.set_values(
        begin(shop, 1, shop.sheets.load(1).head), "trim", trim=True, margin_px=5, pieces=False
    )
    shop.close()
    later = tell(folder)
    _, moved = restore(place, folder, replace=True)
    assert tell(folder) == before
    assert tell(moved) == later != before


def test_a_damaged_backup_is_never_restored_and_no_original_is_backed_up_damaged(tmp_path, folder):
    place = tmp_path / "all.zip"
    back_up(folder, place)
    whole = place.read_bytes()
    chance = random.Random(3)
    for number in range(120):
        data = bytearray(whole)
        if number % 3:
            data[chance.randrange(len(data))] ^= 1 << chance.randrange(8)
        else:
            del data[chance.randrange(len(data)) :]
        place.write_bytes(data)
        try:
            restore(place, tmp_path / "new")
        except (DamagedFileError, UnusableArgumentError):
            assert not (tmp_path / "new").exists()
        else:  # what changed says nothing, such as the time of a member
            assert tell(tmp_path / "new") == tell(folder)
            shutil.rmtree(tmp_path / "new")
        assert not [p for p in tmp_path.iterdir() if p.name.startswith(".")]
    original = next(p for p in (folder / "originals").rglob("*") if p.is_file())
    original.write_bytes(original.read_bytes()[:-1])
    with pytest.raises(DamagedFileError, match="changed or damaged"):
        back_up(folder, tmp_path / "other.zip")
    assert not (tmp_path / "other.zip").exists()


def forge(place, change):
    """Write a backup anew, with whole hashes, after something was done to what it holds."""
    with zipfile.ZipFile(place) as archive:
        members = {name: archive.read(name) for name in archive.namelist()}
    manifest = json.loads(members.pop("manifest.json"))
    change(members, manifest)
    manifest["members"] = {
        name: {"bytes": len(data), "sha256": hashlib.sha256(data).hexdigest()}
        for name, data in members.items()
    }
    with zipfile.ZipFile(place, "w") as archive:
        for name, data in members.items():
            archive.writestr(name, data)
        archive.writestr("manifest.json", json.dumps(manifest))


def in_database(*statements):
    def change(members, _):
        with tempfile.NamedTemporaryFile(suffix=".sqlite") as file:
            file.write(members["sheets.sqlite"])
            file.flush()
            with closing(sqlite3.connect(file.name)) as connection, connection:
                for statement in statements:
                    connection.execute(statement)
            members["sheets.sqlite"] = Path(file.name).read_bytes()

    return change


def without_an_original(members, _):
    del members[next(name for name in members if name.startswith("originals/"))]


def with_another_original(members, _):
    members[next(name for name in members if name.startswith("originals/"))] = b"another"


HOSTILE = {
    "triggers": in_database("CREATE TRIGGER t AFTER INSERT ON state BEGIN DELETE FROM sheet; END"),
    "a view": in_database("CREATE VIEW seen AS SELECT * FROM sheet"),
    "a table": in_database("CREATE TABLE more (a)"),
    "a column that computes": in_database("ALTER TABLE sheet ADD COLUMN c AS (name || 'x')"),
    "a missing original": without_an_original,
    "another original": with_another_original,
    "no time": lambda _, manifest: manifest.pop("made_at"),
    "a time that is none": lambda _, manifest: manifest.update(made_at=["x"]),
    "an export of no state": in_database("INSERT INTO tray_export VALUES (1, 1, 'x', 'never', '2026')"),
}  # fmt: skip


@pytest.mark.parametrize("what", HOSTILE)
def test_a_backup_is_believed_in_nothing(tmp_path, folder, what):
    back_up(folder, tmp_path / "all.zip")
    forge(tmp_path / "all.zip", HOSTILE[what])
    told = run(tmp_path / "new", "restore", tmp_path / "all.zip")
    assert (told.exit_code, "This backup is damaged" in told.output) == (65, True), told.output
    assert "Traceback" not in told.output
    assert not (tmp_path / "new").exists()


def test_no_export_out_of_a_backup_gives_out_a_file_of_this_machine(tmp_path, folder):
    (tmp_path / "secret.txt").write_text("a secret")
    when = "2026-01-01T00:00:00+00:00"
    report = {"files": [str(tmp_path / "secret.txt")], "width": 1, "height": 1, "ground": "flat", "nature": "ink", "faults": 0,
              "severe": 0, "doubt": 0, "to_look_at": False, "reasons": []}  # fmt: skip
    back_up(folder, tmp_path / "all.zip")
    forge(
        tmp_path / "all.zip",
        in_database(
            f"INSERT INTO tray_export VALUES (1, 1, 'x', 'working', '{when}')",
            f"INSERT INTO tray_job VALUES (1, 1, 1, 'x', '{'0' * 64}', '{{}}', 1, 'done', '', '{json.dumps(report)}', '')",
        ),
    )
    restore(tmp_path / "all.zip", tmp_path / "new")
    with closing(open_workshop(tmp_path / "new")) as shop:
        client = create_app(shop).test_client()
        fetched = client.get("/exports/1/files.zip")
        assert fetched.status_code == 404
        assert b"a secret" not in fetched.data
        assert client.get("/").status_code == 200


def test_only_its_owner_can_read_a_new_folder(tmp_path, folder):
    assert folder.stat().st_mode & 0o777 == 0o700
    assert {(folder / name).stat().st_mode & 0o777 for name in ("sheets.sqlite", "identity", "lock")} == {0o600}  # fmt: skip
    back_up(folder, tmp_path / "all.zip")
    restore(tmp_path / "all.zip", tmp_path / "new")
    assert (tmp_path / "new").stat().st_mode & 0o777 == 0o700
    assert (tmp_path / "new" / "sheets.sqlite").stat().st_mode & 0o777 == 0o600


@pytest.mark.parametrize("name", ["../evil", "/tmp/evil", "originals/../../evil", "secret", "originals/ab/short"])  # fmt: skip
def test_no_backup_writes_outside_of_the_folder(tmp_path, name):
    with zipfile.ZipFile(tmp_path / "evil.zip", "w") as archive:
        archive.writestr(name, b"x")
        said = {
            "bytes": 1,
            "sha256": "2d711642b726b04401627ca9fbac32f5c8530fb1903cc4db02258717921a4881",
        }
        archive.writestr("manifest.json", json.dumps({"format": 1, "made_at": "", "sheets": 0, "members": {name: said}}))  # fmt: skip
    with pytest.raises(DamagedFileError, match="that no backup does"):
        restore(tmp_path / "evil.zip", tmp_path / "data")
    assert [p.name for p in tmp_path.iterdir()] == ["evil.zip"]
    with zipfile.ZipFile(tmp_path / "bomb.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("sheets.sqlite", bytes(10**6))
        archive.writestr(
            "manifest.json", json.dumps({"format": 1, "members": {"sheets.sqlite": {}}})
        )
    with pytest.raises(DamagedFileError):
        check_backup(tmp_path / "bomb.zip")


def test_the_doctor_says_what_is_wrong_and_changes_nothing_unless_told_to(folder):
    fine = run(folder, "doctor")
    assert fine.exit_code == 0
    for said in (f"revision {list_revisions()[0]}", "2 sheets, 1 of them in the bin", "2 originals", "MB originals", "open in no process"):  # fmt: skip
        assert said in fine.output
    shop = open_workshop(folder)
    assert f"open in process {os.getpid()}" in run(folder, "doctor").output
    assert run(folder, "doctor", "--fix").exit_code == 75
    shop.close()
    files = sorted(p for p in (folder / "originals").rglob("*") if p.is_file())
    files[0].write_bytes(b"other")
    files[1].unlink()
    (folder / "originals" / "ab").mkdir(exist_ok=True)
    (folder / "originals" / "ab" / ("ab" * 32)).write_bytes(b"a stranger's, and no picture")
    said = run(folder, "doctor")
    assert said.exit_code == 65
    assert f"changed or damaged: {files[0].name}" in said.output
    assert f"is missing: {files[1].name}" in said.output
    assert "1 originals that no sheet names" in said.output
    mended = run(folder, "doctor", "--fix").output
    assert "1 are no pictures and stay set aside" in mended
    assert (folder / "set-aside" / ("ab" * 32)).read_bytes() == b"a stranger's, and no picture"


def test_what_was_taken_out_of_the_bin_after_the_copy_is_not_in_it_once_that_is_put_back(folder):
    open_workshop(folder).close()  # makes a copy in which a sheet is in the bin
    shop = open_workshop(folder)
    binned = shop.sheets.list_binned()[0]
    shop.sheets.take_out(binned.id)
    shop.close()
    (folder / "sheets.sqlite").unlink()
    for left in folder.glob("sheets.sqlite-*"):
        left.unlink()
    assert "out of it: they may have been taken out since" in run(folder, "doctor", "--fix").output
    shop = open_workshop(folder)
    keeping.empty_bin(shop)
    assert binned.original in {sheet.original for sheet in shop.sheets.list_all()}
    assert shop.originals.is_whole(binned.original)
    shop.close()


WITHOUT_TRAYS = (
    "DROP TABLE scene_version; DROP TABLE scene_state; DROP TABLE scene; DROP TABLE taken_file; DROP TABLE export; DROP TABLE kept_export; DROP TABLE tray_job; DROP TABLE tray_export; DROP TABLE tray_state; DROP TABLE tray;"
    "ALTER TABLE sheet DROP COLUMN tray_id; ALTER TABLE sheet DROP COLUMN tray_state_id;"
)
"""A database as it was before there were trays."""


def test_no_number_of_a_deleted_sheet_is_given_again_in_an_old_folder_either(
    tmp_path, folder, badge_png
):
    with closing(sqlite3.connect(folder / "sheets.sqlite")) as database, database:
        wishes = "PRAGMA writable_schema=ON; UPDATE sqlite_master SET sql = replace(sql, ' AUTOINCREMENT', ''); UPDATE alembic_version SET version_num = '0004'"  # fmt: skip
        database.executescript(WITHOUT_TRAYS + wishes)
    before = tell(folder)
    shop = open_workshop(folder)
    newest = add_sheet(shop, badge_png, "again.png")
    shop.sheets.bin(newest.id)
    keeping.empty_bin(shop)
    later = add_sheet(shop, badge_png, "later.png")
    assert (later.id, later.head) == (newest.id + 1, newest.head + 1)
    shop.sheets.bin(later.id)
    keeping.empty_bin(shop)
    shop.close()
    assert tell(folder)[0] == before[0][:1]  # the others as they were, with their histories
    assert tell(folder)[1] == before[1][:1]


def test_copies_are_made_when_something_changed_and_three_are_kept_of_different_days(tmp_path):
    place, copies = tmp_path / "db.sqlite", Copies(tmp_path / "copies")
    shop = open_workshop(tmp_path / "data")
    shop.close()
    shutil.copy(tmp_path / "data" / "sheets.sqlite", place)
    start = datetime(2026, 11, 1, 8, tzinfo=UTC)
    assert copies.keep(place, start)
    assert not copies.keep(place, start + timedelta(days=9))  # nothing changed
    for number in range(1, 12):
        with closing(sqlite3.connect(place)) as database, database:
            database.execute("INSERT INTO discard VALUES (?, ?)", (f"{number:064x}", 0.0))
        assert copies.keep(place, start + timedelta(hours=8 * number))
    made = [copy.made_at for copy in copies.list_all()]
    assert len(made) == KEPT
    assert made[0] == start + timedelta(hours=88)
    assert len({at.date() for at in made}) == KEPT
    newest = copies.list_all()[0]
    newest.place.write_bytes(newest.place.read_bytes()[:5000])
    assert copies.find_good() == copies.list_all()[1]


def test_no_byte_flipped_in_what_was_kept_of_a_sheet_gives_another_cut_or_thumbnail(
    tmp_path, badge_jpg
):
    shop = open_workshop(tmp_path)
    sheet = add_sheet(shop, badge_jpg, "badge.jpg")
    cut, thumbnail = export_sheet(shop, sheet).data, make_thumbnail(shop, sheet)
    shop.close()
    kept = [p for p in (tmp_path / "cache").rglob("*") if p.is_file()]
    assert len(kept) == 2
    whole = {place: place.read_bytes() for place in kept}
    chance = random.Random(5)
    for number in range(12):
        for place, data in whole.items():
            spoilt = bytearray(data)
            head = chance.randrange(min(len(data), 4000) if number % 2 else len(data))
            if number % 6 == 5:
                del spoilt[head:]
            else:
                spoilt[head] ^= 1 << chance.randrange(8)
            place.write_bytes(spoilt)
        again = open_workshop(tmp_path)
        sheet = again.sheets.load(sheet.id)
        assert make_thumbnail(again, sheet) == thumbnail
        assert export_sheet(again, sheet).data == cut
        again.close()


def test_a_folder_of_before_there_were_checksums_and_copies_opens_unchanged(tmp_path, folder):
    shop = open_workshop(folder)
    sheet = shop.sheets.load(1)
    name = proof_name(sheet)
    place = shop.proofs._place(name)
    proof = encode_quick(read_png(export_sheet(shop, sheet).data))
    shop.close()
    before = tell(folder)[:3]
    shutil.rmtree(folder / "copies")
    shutil.rmtree(folder / "proofs")
    (folder / "lock").unlink()
    with closing(sqlite3.connect(folder / "sheets.sqlite")) as database, database:
        database.executescript(WITHOUT_TRAYS + "DROP TABLE discard; DROP TABLE version;")
        database.execute("UPDATE alembic_version SET version_num = '0002'")
    (folder / "cache" / "ab").mkdir(parents=True, exist_ok=True)
    (folder / "cache" / "ab" / ("ab" * 32)).write_bytes(b"facts without a checksum")
    place.parent.mkdir(parents=True)
    place.write_bytes(proof)  # as it was, without a checksum before it
    assert tell(folder)[:3] == before
    shop = open_workshop(folder)
    assert load_proof(shop, shop.sheets.load(1)) == proof
    shop.close()
    place.write_bytes(proof[:-20] + bytes(20))
    shop = open_workshop(folder)
    assert load_proof(shop, shop.sheets.load(1)) is None
    shop.close()
    oldest = Copies(folder / "copies").list_all()[-1]
    with closing(
        sqlite3.connect(oldest.place)
    ) as database:  # as it was before it was brought up to date
        assert database.execute("SELECT version_num FROM alembic_version").fetchone() == ("0002",)
    assert oldest.is_good()


def test_a_png_is_whole_or_not(badge_png):
    assert is_whole_png(badge_png)
    for at in range(8, len(badge_png), 97):
        spoilt = bytearray(badge_png)
        spoilt[at] ^= 4
        assert not is_whole_png(bytes(spoilt))
        assert not is_whole_png(badge_png[:at])
