import logging
import signal
import struct
import threading
import time
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import to_png
from tidymargin.core.base.errors import BadImageError, StoppedError, TooLargeError
from tidymargin.formats.decode import decode_picture
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture import reading
from tidymargin.services.picture.reading import Readers
from tidymargin.services.views.pictures import picture_cost
from tidymargin.services.workshop.cache import ByteCache
from tidymargin.services.workshop.workshop import open_workshop


@pytest.fixture
def readers():
    found = Readers()
    yield found
    found.close()


@pytest.fixture
def big_png():
    """A picture that takes a second or so to decode."""
    return to_png(np.random.default_rng(0).integers(0, 256, (5000, 5000, 3), np.uint8))


def chain_tiff(count):
    """A TIFF of one small picture with a chain of so many directories behind it."""
    entries = [(256, 3, 1, 4), (257, 3, 1, 4), (258, 3, 1, 8), (259, 3, 1, 1), (262, 3, 1, 1),
               (273, 4, 1, 8), (277, 3, 1, 1), (278, 3, 1, 4), (279, 4, 1, 16)]  # fmt: skip
    body = struct.pack("<H", len(entries)) + b"".join(struct.pack("<HHII", *e) for e in entries)
    size = len(body) + 4
    out = bytearray(b"II*\0" + struct.pack("<I", 24) + bytes(16))
    for number in range(count):
        following = 24 + size * (number + 1) if number + 1 < count else 0
        out += body + struct.pack("<I", following)
    return bytes(out)


def test_a_process_of_its_own_decodes_as_the_function_does(readers, badge_jpg, badge_png):
    rgba = np.random.default_rng(1).integers(0, 256, (31, 17, 4), np.uint8)
    for data in (badge_jpg, badge_png, memoryview(to_png(rgba))):
        here, there = decode_picture(bytes(data)), readers.decode(data)
        np.testing.assert_array_equal(there.picture.rgb, here.picture.rgb)
        assert (there.picture.alpha is None) == (here.picture.alpha is None)
        if here.picture.alpha is not None:
            np.testing.assert_array_equal(there.picture.alpha, here.picture.alpha)
        assert there.picture.rgb.flags.writeable
        assert (there.format_name, there.dots_per_inch, there.remarks) == (
            here.format_name,
            here.dots_per_inch,
            here.remarks,
        )
    size = readers.measure_size(badge_png)
    assert (size.width, size.height) == (160, 160)
    assert size.peak_bytes > 160 * 160 * 7
    with pytest.raises(TooLargeError, match="70,000 × 4 px; at most 60,000 px a side"):
        readers.decode(b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR" + struct.pack(">II", 70_000, 4) + bytes(9))
    with pytest.raises(BadImageError, match="none of PNG"):
        readers.decode(b"no picture")


def test_a_chain_of_32000_directories_is_read_as_its_first_picture_and_not_given_up(readers):
    decoded = readers.decode(chain_tiff(32_000))
    assert decoded.picture.rgb.shape == (4, 4, 3)
    assert decoded.remarks == ("The first of several frames was taken",)


def test_decoding_is_stopped_when_asked_given_up_in_time_and_ends_with_the_server(
    readers, big_png, badge_png
):
    def stop(_share):
        raise StoppedError("Stopped.")

    with pytest.raises(StoppedError):
        readers.decode(big_png, stop, most_s=60)
    with pytest.raises(BadImageError, match="took longer than 0 seconds"):
        readers.decode(big_png, most_s=0.1)
    np.testing.assert_array_equal(  # and it goes on
        readers.decode(badge_png).picture.rgb, decode_picture(badge_png).picture.rgb
    )
    threading.Timer(0.3, readers.close).start()
    with pytest.raises(StoppedError):
        [readers.decode(big_png) for _ in range(100)]


def test_a_limit_counts_what_the_reader_works_and_neither_its_start_nor_a_busy_machine(
    readers, badge_png, monkeypatch
):
    monkeypatch.setattr(reading, "_HEAD_S", 0.3)
    assert readers.measure_size(badge_png).width == 160  # a reader that is only being started
    (ready,) = readers._idle
    ready._process.send_signal(signal.SIGSTOP)  # as on a machine that has no time for it
    threading.Timer(1.5, ready._process.send_signal, (signal.SIGCONT,)).start()
    assert readers.measure_size(badge_png).width == 160
    assert readers._idle == [ready]
    monkeypatch.setattr(reading, "_STANDS_STILL_S", 0.5)
    ready._process.send_signal(signal.SIGSTOP)
    with pytest.raises(BadImageError, match="given up"):  # one that stands still for ever
        readers.measure_size(badge_png)


def test_pictures_in_memory_hold_no_files_open(workshop):
    shared = Path("/proc/self/fd")
    before = len(list(shared.iterdir()))
    for n in range(60):
        add_sheet(workshop, to_png(np.full((40 + n, 30, 3), n, np.uint8)), f"{n}.png")
    assert len(list(shared.iterdir())) < before + 20
    for n in range(30):
        workshop.pictures.put(f"more {n}", workshop.readers.decode(to_png(np.zeros((9, 9, 3), np.uint8))).picture, 1)  # fmt: skip
    few = ByteCache(10**9, 5)
    for n in range(9):
        few.put(n, n, 1)
    assert [n for n in range(9) if few.get(n) is not None] == [4, 5, 6, 7, 8]


def test_a_decoder_that_breaks_down_is_a_sentence_and_a_log_entry(
    readers, badge_png, monkeypatch, caplog
):
    assert readers.decode(badge_png).picture.width == 160
    broken = [reading.sys.executable, "-c", "import os; os.abort()"]
    real = reading.subprocess.Popen
    monkeypatch.setattr(reading.subprocess, "Popen", lambda _, **options: real(broken, **options))
    readers._end(readers._take(anew=False))
    with caplog.at_level(logging.WARNING), pytest.raises(BadImageError, match="cannot be read"):
        readers.decode(badge_png, most_s=20)
    assert "in the middle of a picture" in caplog.text


def test_a_process_is_kept_ready_and_one_that_the_system_ended_is_replaced(readers, badge_png):
    readers.prepare()
    readers.decode(badge_png)
    (ready,) = readers._idle
    readers.decode(badge_png)
    assert readers._idle == [ready]
    ready._process.kill()
    ready._process.wait()
    assert readers.decode(badge_png).picture.width == 160
    assert readers._idle != [ready]


def test_what_decoding_and_resampling_take_is_counted_until_it_is_at_hand(tmp_path, badge_png):
    workshop = open_workshop(tmp_path)
    asked = []
    real = workshop.executor.submit
    workshop.executor.submit = lambda name, *rest, **options: (  # type: ignore[method-assign]
        asked.append((name.split(":")[0], options.get("cost_bytes", 0))),
        real(name, *rest, **options),
    )[1]
    sheet = add_sheet(workshop, badge_png, "badge.png")
    assert dict(asked)["decode"] >= 160 * 160 * 10
    assert picture_cost(workshop, sheet) == 0
    workshop.close()
    again = open_workshop(tmp_path)
    sheet = again.sheets.load(sheet.id)
    assert picture_cost(again, sheet) >= 160 * 160 * 10
    again.close()


def test_a_small_picture_does_not_wait_behind_large_ones(workshop, big_png, badge_png):
    threads = [
        threading.Thread(target=add_sheet, args=(workshop, big_png + bytes(n), "big.png"))
        for n in (1, 2)
    ]
    for thread in threads:
        thread.start()
    time.sleep(0.3)
    start = time.perf_counter()
    add_sheet(workshop, badge_png, "badge.png")
    took = time.perf_counter() - start
    both_done = not any(thread.is_alive() for thread in threads)
    for thread in threads:
        thread.join()
    assert not both_done or took < 0.5
