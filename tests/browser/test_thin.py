"""Lines of fewer places, in the browser's own module: nobody could tell them from what was drawn."""

import numpy as np
import pytest

pytestmark = pytest.mark.browser

THIN = """async ([line, near]) => {
    const { thinPlaces } = await import("/static/js/tools/thin.js");
    return thinPlaces(line, near);
}"""


@pytest.fixture
def thin(page):
    page.goto("/")
    return lambda line, near=0.2: np.array(page.evaluate(THIN, [line, near]), float)


def away(places, line):
    """How far each place is from a line, at most."""
    begin, end = line[:-1], line[1:]
    long = np.maximum(((end - begin) ** 2).sum(axis=1), 1e-12)
    most = 0.0
    for place in places:
        share = np.clip(((place - begin) * (end - begin)).sum(axis=1) / long, 0, 1)
        most = max(most, np.hypot(*(begin + share[:, None] * (end - begin) - place).T).min())
    return most


def test_what_is_left_out_lies_on_what_stays(thin):
    angles = np.linspace(0, 9, 1500)
    way = np.column_stack([300 + 20 * angles * np.cos(angles), 300 + 20 * angles * np.sin(angles)])
    few = thin(way.tolist())
    assert len(few) < 150
    assert away(way, few) <= 0.2
    np.testing.assert_array_equal((few[0], few[-1]), (way[0], way[-1]))
    straight = thin([[n, 2 * n] for n in range(500)])
    assert len(straight) == 2


def test_corners_that_were_meant_stay_and_a_dab_stays_a_dab(thin):
    corner = [[0, 0], [5, 0], [10, 0], [10, 0], [10, 5], [10, 10]]
    np.testing.assert_array_equal(thin(corner), [[0, 0], [10, 0], [10, 0], [10, 10]])
    np.testing.assert_array_equal(thin([[3, 4]]), [[3, 4]])
    assert len(thin([[3, 4], [3, 4]])) == 2
    long = [[n % 7, n] for n in range(15_000)]  # no line is too long to be gone through
    assert len(thin(long, 0.1)) > 1000
