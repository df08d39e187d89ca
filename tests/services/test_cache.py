import os
import shutil

import numpy as np
import pytest

from tests.conftest import to_png
from tests.core.test_fringe import print_for_stripes
from tidymargin.formats.packed import pack, unpack
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views import measuring
from tidymargin.services.views.exporting import export_sheet
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.cache import ByteCache, DiskCache
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.workshop import open_workshop


def wait_kept(workshop, sheet):
    """Wait until the facts of a sheet are in the disk cache."""
    name = measuring.facts_name(sheet)
    waiting = workshop.executor.submit(f"keep:{name}", Priority.KEEPING, lambda: None)
    waiting.result(20)


@pytest.mark.parametrize("name", ["brass-bell", "buoy-sticker", "harbour-signature", "print"])
def test_a_restart_reads_its_facts_back_and_cuts_the_same(tmp_path, monkeypatch, almanac, name):
    encoded = to_png(print_for_stripes()) if name == "print" else almanac[name].encoded
    first = open_workshop(tmp_path)
    sheet = add_sheet(first, encoded, "sheet")
    before = export_sheet(first, sheet).data
    wait_kept(first, sheet)
    first.close()
    second = open_workshop(tmp_path)
    monkeypatch.setattr(measuring, "measure_sheet", lambda *_: pytest.fail("measured again"))
    assert export_sheet(second, second.sheets.load(sheet.id)).data == before
    second.close()


def test_a_cache_that_is_deleted_or_damaged_is_not_noticed(tmp_path, badge_png):
    workshop = open_workshop(tmp_path)
    sheet = add_sheet(workshop, badge_png, "badge.png")
    before = export_sheet(workshop, sheet).data
    wait_kept(workshop, sheet)
    workshop.close()
    kept = [place for place in (tmp_path / "cache").rglob("*") if place.is_file()]
    assert kept
    for spoil in (
        lambda p: p.write_bytes(p.read_bytes()[:-9]),
        lambda p: p.write_bytes(b"?"),
        None,
    ):
        if spoil is None:
            shutil.rmtree(tmp_path / "cache")
        else:
            for place in kept:
                spoil(place)
        again = open_workshop(tmp_path)
        assert export_sheet(again, again.sheets.load(sheet.id)).data == before
        wait_kept(again, sheet)
        again.close()


def test_the_disk_cache_keeps_to_its_limit_and_forgets_the_longest_unused(tmp_path):
    cache = DiskCache(tmp_path / "cache", 80)
    assert cache.get("a") is None
    cache.put("a", b"x" * 10)
    cache.put("b", b"y" * 10)
    first = next(p for p in (tmp_path / "cache").rglob("*") if p.is_file() and p.read_bytes().endswith(b"x" * 10))  # fmt: skip
    os.utime(first, (1, 1))
    assert cache.get("a") == b"x" * 10  # used now
    second = next(p for p in (tmp_path / "cache").rglob("*") if p.is_file() and p.read_bytes().endswith(b"y" * 10))  # fmt: skip
    os.utime(second, (2, 2))
    cache.put("c", b"z" * 10)
    assert (cache.get("a"), cache.get("b"), cache.get("c")) == (b"x" * 10, None, b"z" * 10)


def test_what_is_packed_comes_back_and_only_known_types_do(workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    facts = load_measured(workshop, sheet).facts
    back = unpack(pack(facts), measuring._KEPT_TYPES)
    np.testing.assert_array_equal(back.outside, facts.outside)
    assert (back.calm, back.jumps, back.nature) == (facts.calm, facts.jumps, facts.nature)
    with pytest.raises(ValueError, match="not a packed value"):
        unpack(pack(facts), [])


def test_a_cache_in_memory_keeps_what_was_used_last_within_its_bytes_and_count():
    cache, few = ByteCache(100), ByteCache(100, most=2)
    for name in "abcd":
        cache.put(name, name.upper(), 30)
        few.put(name, name.upper(), 1)
        cache.get("a")
    assert [cache.get(name) for name in "abcd"] == ["A", None, "C", "D"]
    assert [few.get(name) for name in "abcd"] == [None, None, "C", "D"]
    cache.put("e", "E", 101)  # larger than all that may be kept
    assert (cache.get("e"), cache.get("a")) == (None, "A")
