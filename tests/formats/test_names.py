"""Names of files: every one can be written, and no two of an export are alike on any system."""

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tidymargin.formats.names import Names, is_plain, to_file_name, to_key

AWKWARD = [".hidden", "...", "日" * 110, "🦅" * 80, "CON", "lpt1.front", "a/b\\c", "x" * 400, " ", "a\x00b\n", "dot. ", "\udcff"]  # fmt: skip


@pytest.mark.parametrize("stem", AWKWARD)
def test_any_stem_becomes_a_name_that_is_written_and_plain(tmp_path, stem):
    name = to_file_name(stem, "png")
    assert is_plain(name)
    assert name.endswith(".png")
    (tmp_path / name).write_bytes(b"x")
    assert [place.name for place in tmp_path.iterdir()] == [name]


def test_what_is_ordinary_stays_as_it_is_and_what_systems_keep_for_themselves_does_not():
    assert to_file_name("Möwe 3 (blau)", "png") == "Möwe 3 (blau).png"
    assert to_file_name("Mo\u0308we", "png") == "Möwe.png"
    assert [to_file_name(stem, "png") for stem in (".hidden", "...", "con", "COM1.x")] == ["hidden.png", "cut.png", "_con.png", "_COM1.x.png"]  # fmt: skip
    assert not any(map(is_plain, ["", ".", "..", ".x", "a/b", "a\\b", "/etc/passwd", "x" * 256, "a\n"]))  # fmt: skip


@given(st.lists(st.one_of(st.sampled_from([*AWKWARD, "cut", "CUT", "cut-2", "é", "e\u0301", "ß", "SS", "ﬁ", "fi"]), st.text(max_size=4)), max_size=30))  # fmt: skip
def test_no_two_names_of_an_export_are_alike_on_any_system(stems):
    names = Names("manifest.csv")
    given_out = [names.take(stem, ending) for stem in stems for ending in ("png", "webp")]
    for form in ("NFC", "NFD", "NFKC", "NFKD"):
        keys = [unicodedata.normalize(form, name).casefold().rstrip(". ") for name in given_out]
        assert len(set(keys)) == len(keys)
    assert all(map(is_plain, given_out))


def test_a_thousand_of_one_name_are_numbered_and_a_whole_name_keeps_its_ending():
    names = Names()
    given_out = [names.take("cut", "png") for _ in range(1000)]
    assert given_out[:3] == ["cut.png", "cut-2.png", "cut-3.png"]
    assert len(set(map(to_key, given_out))) == 1000
    assert names.take_name("CUT.PNG") == "CUT-1001.PNG"
    assert names.take_name("cut-3.png") == "cut-3-2.png"
