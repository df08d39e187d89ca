from benchmarks.fuzz import fuzz, make_whole
from tidymargin.formats.decode import decode_picture


def test_2000_spoilt_files_of_every_format_are_read_or_refused_in_words_and_none_takes_long():
    kinds = {decode_picture(data).format_name for data in make_whole()}  # as they are, all are read
    assert kinds == {"PNG", "JPEG", "WEBP", "TIFF", "GIF", "BMP"}
    found = fuzz(decode_picture, range(2000))
    assert (found.failed, found.slow) == ((), ())
    assert found.read > 200
    assert found.refused > 1000
