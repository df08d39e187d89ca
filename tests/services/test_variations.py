"""Whatever a picture was made into, it is reported on and cut."""

from benchmarks.variations import make_variation, try_one
from tidymargin.formats.decode import decode_picture


def test_30_variations_of_the_projects_own_pictures_are_reported_on_and_cut(almanac):
    pictures = [decode_picture(case.encoded).picture.rgb for case in almanac.values()]
    made = [make_variation(pictures[n % len(pictures)], (2000, n)) for n in range(30)]
    assert len(set(made)) > 28
    assert [why for why in map(try_one, made) if why] == []
