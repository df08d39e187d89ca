"""The stage's geometry: pure functions of the browser's own module, checked in the browser."""

import pytest

pytestmark = pytest.mark.browser

STEPS = """async ([picture, canvas, steps]) => {
    const { Viewport } = await import("/static/js/viewport.js");
    const viewport = new Viewport(...picture);
    viewport.resize(...canvas);
    for (const [name, ...values] of steps) viewport[name](...values);
    const { scale, left, top, fitted } = viewport;
    const back = viewport.toPicture(...Object.values(viewport.toCanvas(40, 60)));
    return { scale, left, top, fitted, back, window: viewport.window() };
}"""


@pytest.fixture
def look(page):
    page.goto("/")

    def run(*steps, picture=(2400, 1200), canvas=(900, 600)):
        return page.evaluate(STEPS, [list(picture), list(canvas), [list(s) for s in steps]])

    return run


def test_a_large_picture_is_shown_whole_in_the_middle_and_a_small_one_is_not_blown_up(look):
    large = look()
    assert large["fitted"]
    assert large["scale"] == pytest.approx((900 - 48) / 2400)
    assert large["window"]["left"] == large["window"]["top"] == 0
    assert large["window"]["width"] <= 900 - 2 * 24 + 1
    assert look(picture=(100, 80))["scale"] == 1


def test_zooming_keeps_the_place_under_the_pointer_and_dragging_moves_by_as_much(look):
    before = look(("lookAt", 1200, 600, 1))
    under = (before["left"] + 300, before["top"] + 200)
    for factor in (2.0, 3.7, 0.4):
        after = look(("lookAt", 1200, 600, 1), ("zoomAt", 300, 200, factor))
        at = (after["left"] + 300 / after["scale"], after["top"] + 200 / after["scale"])
        assert at == pytest.approx(under, abs=1 / after["scale"] + 1e-6)
    moved = look(("lookAt", 1200, 600, 2), ("pan", 60, -40))
    assert before["left"] != moved["left"]
    still = look(("lookAt", 1200, 600, 2))
    assert (moved["left"] - still["left"], moved["top"] - still["top"]) == (-30, 20)


def test_places_come_back_as_they_went_and_pixels_lie_on_whole_device_pixels(look):
    for steps in ([], [("lookAt", 500, 500, 4)], [("zoomAt", 10, 10, 7.3), ("pan", 3, 5)]):
        seen = look(*steps)
        assert (seen["back"]["x"], seen["back"]["y"]) == pytest.approx((40, 60))
        assert (seen["left"] * seen["scale"]) == pytest.approx(round(seen["left"] * seen["scale"]))


def test_what_is_asked_for_lies_inside_the_picture_at_any_zoom_and_place(look):
    for scale in (0.2, 0.5, 1, 3, 32):
        for x, y in ((0, 0), (2400, 1200), (1200, -400), (5000, 600)):
            seen = look(("lookAt", x, y, scale))["window"]
            if seen is None:
                continue
            assert seen["cell"] >= 1
            assert 0 <= seen["left"] < 2400
            assert 0 <= seen["top"] < 1200
            assert seen["left"] + (seen["width"] - 1) * seen["cell"] < 2400
            assert seen["top"] + (seen["height"] - 1) * seen["cell"] < 1200


def test_some_of_the_picture_always_stays_in_sight(look):
    for steps in ([("pan", 99_999, 0)], [("pan", 0, -99_999)], [("lookAt", -900, -900, 8)]):
        assert look(*steps)["window"] is not None
