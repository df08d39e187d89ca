"""A killed server, a full disk, a long history: nothing that was acknowledged is ever lost."""

import hashlib
import io
import random
import resource

import numpy as np
import pytest

from benchmarks.kills import Ordeal, Server
from tests.conftest import to_png
from tidymargin.services.edits import deciding, history, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.web.context import IN_MEMORY_BYTES

ROUNDS, DAMAGED_EVERY = 10, 2


def test_a_server_ended_in_the_middle_of_anything_loses_nothing_that_it_acknowledged(tmp_path):
    ordeal = Ordeal(tmp_path, seed=7)
    ordeal.go_through(
        ROUNDS, DAMAGED_EVERY
    )  # a deleted cache, and each way of damaging the database
    assert len(ordeal.told) >= 2  # the doctor was needed, and said what it did
    assert min(len(ordeal.added), len(ordeal.changed)) >= ROUNDS
    assert ordeal.list_losses() == []


@pytest.fixture
def full_disk():
    """A way to let no file grow beyond a size: the nearest to a full disk that needs no rights."""
    before = resource.getrlimit(resource.RLIMIT_FSIZE)

    def fill(limit):
        resource.setrlimit(resource.RLIMIT_FSIZE, (limit, before[1]))

    yield fill
    resource.setrlimit(resource.RLIMIT_FSIZE, before)


def test_a_full_disk_is_said_in_a_sentence_and_loses_nothing_saved(
    client, token, workshop, badge_png, full_disk
):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    load_measured(workshop, sheet)
    noise = to_png(np.random.default_rng(1).integers(0, 256, (330, 330, 3), np.uint8))
    headers = {"X-CSRFToken": token, "Accept": "application/json"}
    size = max(p.stat().st_size for p in workshop.folder.glob("sheets.sqlite*"))
    full_disk(size + 60_000)
    refused = client.post(
        "/sheets", data={"picture": (io.BytesIO(noise), "n.png")}, headers=headers
    )
    assert refused.status_code == 507
    assert "The disk is full" in refused.json["message"]
    kept, told = sheet, None
    for number in range(400):
        values = {"extent": "trim", "margin_px": number, "seen": kept.head}
        answer = client.post(f"/sheets/{sheet.id}/export", data=values, headers=headers)
        if answer.status_code == 507:
            told = answer.json
            break
        kept = workshop.sheets.load(sheet.id)
    assert told is not None
    assert "could not be saved" in told["message"]
    assert "everything saved before is safe" in told["hint"]
    full_disk(resource.RLIM_INFINITY)
    workshop.close()
    again = open_workshop(workshop.folder)
    assert [s.id for s in again.sheets.list_all()] == [sheet.id]
    assert again.sheets.load(sheet.id).head == kept.head
    assert again.originals.load(sheet.original) == badge_png
    more = settings.set_values(
        begin(again, sheet.id, kept.head), "trim", trim=False, margin_px=3, pieces=False
    )  # and it goes on
    assert more.recipe.export.margin_px == 3
    again.close()


def test_a_server_whose_disk_is_full_still_shows_sheets_and_says_why_it_takes_no_more(tmp_path):
    wide = np.full((700, 800, 3), 255, np.uint8)
    wide[200:500, 200:600] = (20, 60, 90)
    noise = to_png(np.random.default_rng(1).integers(0, 256, (700, 700, 3), np.uint8))
    server = Server(tmp_path)
    try:
        assert server.upload(to_png(wide), "wide.png")[0] == 201
        view = "/sheets/1/view?left=0&top=0&cell=1&width=800&height=700&asker=one"
        before = server.ask("GET", view)
        full = resource.prlimit(server.process.pid, resource.RLIMIT_FSIZE)[1]
        resource.prlimit(server.process.pid, resource.RLIMIT_FSIZE, (20_000, full))
        status, _, body = server.upload(noise, "noise.png")
        assert status == 507
        assert b"The disk is full" in body
        status, _, body = server.upload(b"\0" * (IN_MEMORY_BYTES + 1_000_000), "huge.png")
        assert status == 507  # it was read to its end, or a browser would show no answer
        assert b"could not be laid aside" in body
        after = server.ask("GET", view)
        assert after[0] == before[0] == 200
        assert after[2] == before[2]
        assert len(after[2]) == 4 * 800 * 700
    finally:
        server.kill()


def test_200_mixed_changes_branches_and_a_restart_give_the_same_cut_for_the_same_recipe(
    tmp_path, badge_png
):
    chance = random.Random(5)
    workshop = open_workshop(tmp_path)
    sheet = add_sheet(workshop, badge_png, "badge.png")
    cuts, recipes = {}, {}

    def check(found):
        recipe = found.recipe.to_json()
        digest = hashlib.sha256(export_sheet(workshop, found).data).hexdigest()
        assert recipes.setdefault(found.head, recipe) == recipe
        assert cuts.setdefault(recipe, digest) == digest
        return found

    def change(now):
        place = (chance.randrange(160), chance.randrange(160))
        ways = [
            lambda: settings.set_values(begin(workshop, now.id, now.head), "tolerance", tolerance=round(chance.uniform(0, 50), 1)),
            lambda: settings.set_values(begin(workshop, now.id, now.head), "trim", trim=chance.random() < 0.5, margin_px=chance.randrange(9), pieces=False),
            lambda: deciding.pick_place(begin(workshop, now.id, now.head), *place),
            lambda: deciding.keep_place(begin(workshop, now.id, now.head), *place),
            lambda: deciding.guard_place(begin(workshop, now.id, now.head), *place),
            lambda: settings.set_values(begin(workshop, now.id, now.head), "start", start=chance.choice(["outside", "everywhere"])),
            lambda: settings.set_values(begin(workshop, now.id, now.head), "crumbs", crumbs_px=chance.randrange(20), pinholes_px=chance.randrange(20)),
            lambda: history.undo_change(begin(workshop, now.id, now.head)),
            lambda: history.redo_change(begin(workshop, now.id, now.head)),
            lambda: history.visit_state(begin(workshop, now.id, now.head), chance.choice(list(recipes))),
        ]  # fmt: skip
        return chance.choice(ways)()

    check(sheet)
    for number in range(200):
        sheet = check(change(sheet))
        if number == 100:
            workshop.close()
            workshop = open_workshop(tmp_path)
    rows = history.list_history(workshop, sheet)
    assert {row.state.id for row in rows} == set(recipes)
    assert max(row.lane for row in rows) > 3
    while sheet.undo is not None:
        sheet = check(history.undo_change(begin(workshop, sheet.id, sheet.head)))
    assert sheet.recipe.to_json() == recipes[min(recipes)]
    for state in recipes:
        sheet = check(history.visit_state(begin(workshop, sheet.id, sheet.head), state))
    workshop.close()
