"""Whatever a picture was made into, it is reported on and cut."""

from benchmarks.variations import make_variation, try_one
from tidymargin.demo.almanac import make_almanac
from tidymargin.formats.decode import decode_picture


def test_200_variations_of_the_projects_own_pictures_are_reported_on_and_cut():
    pictures = [decode_picture(case.encoded).picture.rgb for case in make_almanac()]
    made = [make_variation(pictures[n % len(pictures)], (2000, n)) for n in range(200)]
    assert len(set(made)) > 190
    assert [why for why in map(try_one, made) if why] == []
