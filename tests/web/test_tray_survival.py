"""A tray that is written while its server and its worker are killed: every picture once, every ZIP as its manifest says."""

import pytest

from benchmarks.tray_kills import TrayOrdeal
from benchmarks.trays import serve_redis

SHEETS, KILLS = (
    12,
    5,
)  # of each kind; `./tidy bench --kills 30` goes through 300 sheets and 30 kills


@pytest.mark.parametrize("has_worker", [False, True])
def test_a_tray_survives_kills_a_watched_folder_and_a_restore_and_nothing_is_left_over(tmp_path, has_worker):  # fmt: skip
    with serve_redis() as url:
        ordeal = TrayOrdeal(tmp_path, 7, SHEETS, url if has_worker else None)
        ordeal.go_through(KILLS)
    assert len(ordeal.acknowledged) == SHEETS + KILLS
    assert ordeal.said == []
