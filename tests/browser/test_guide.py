"""The guide by jobs is followed by the words that it prints, and what comes of it is looked at."""

import io
import re
import zipfile
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page

from tests.browser.conftest import find_axe_faults
from tests.conftest import read_png
from tidymargin.demo.almanac import make_almanac
from tidymargin.demo.guiding import SCALE
from tidymargin.formats.cut_files import read_svg
from tidymargin.web.sentences.guide import JOBS, Step

pytestmark = pytest.mark.browser

DOES = re.compile(r"(?i)\b(press|open|untick|tick|type|then)\b(?: once more,?)? \*\*(.+?)\*\*(?: at \*\*(.+?)\*\*)?")  # fmt: skip


def find(page: Page, name: str):
    """Return the control that is called so: by its name, or by what stands on it."""
    exactly = re.compile(r"^\s*" + r"\s+".join(map(re.escape, name.split())) + r"\s*$")
    for found in (
        page.locator(".phrase", has_text=exactly),
        page.get_by_role("button", name=name, exact=True),
        page.get_by_role("link", name=name, exact=True),
        page.locator("summary", has_text=exactly),
        page.locator("a, button, summary").filter(has_text=exactly),
    ):
        for one in found.all():
            if one.is_visible() and one.is_enabled():
                return one
    raise AssertionError(f"nothing on the page is called {name}")


def rest(page: Page) -> None:
    """Wait until the page asks for nothing, and its picture is measured."""
    page.wait_for_load_state("networkidle")
    page.wait_for_timeout(400)
    if page.locator("#sheet-data").count():
        page.locator("#sheet-data[data-measured='1']").wait_for(state="attached")
    if page.locator("#scene-data").count():
        page.wait_for_timeout(1000)
        page.locator("#scene-data[data-ready='1']").wait_for(state="attached")
    page.wait_for_load_state("networkidle")


def to_stage(page: Page, x: float, y: float) -> tuple[float, float]:
    """Return where a share of the picture, which is shown whole in the middle, is on the screen."""
    box = page.locator("#stage").bounding_box()
    width, height = (int(page.locator("#sheet-data").get_attribute(f"data-{side}")) for side in ("width", "height"))  # fmt: skip
    scale = min(1.0, (box["width"] - 48) / width, (box["height"] - 48) / height)
    return (
        box["x"] + box["width"] / 2 + (x - 0.5) * width * scale,
        box["y"] + box["height"] / 2 + (y - 0.5) * height * scale,
    )


def follow(page: Page, step: Step) -> None:
    """Do what a step says, unless it says when it is to be done, or only what is to be looked at."""
    if " if " in step.text:
        return
    if step.places and "Draw along" in step.text:
        page.mouse.move(*to_stage(page, *step.places[0]))
        page.mouse.down()
        for place in step.places[1:]:
            page.mouse.move(*to_stage(page, *place), steps=6)
        page.mouse.up()
        page.locator("#undo", has_text="scribble").wait_for()
        rest(page)
    elif step.places:
        for place in step.places:
            page.mouse.click(*to_stage(page, *place))
            rest(page)
    for verb, name, at in DOES.findall(step.text):
        if verb.lower() == "type":
            field = page.get_by_label(at, exact=True).and_(page.locator("input:not([type=range])")).filter(visible=True).first  # fmt: skip
            field.fill(name)
            if page.locator(
                "#sheet-data"
            ).count():  # where a form has a button it is the next step's
                field.press("Enter")
        elif verb.lower() in ("tick", "untick"):
            box = page.locator("label.tick").filter(has=page.get_by_text(name, exact=True)).locator("input")  # fmt: skip
            box.set_checked(verb.lower() == "tick")
        else:
            control = find(page, name)
            is_phrase = "phrase" in (control.get_attribute("class") or "")
            step = control.get_attribute("value")
            fold = control.locator("xpath=self::summary/..")
            if not (fold.count() and fold.get_attribute("open") is not None):
                control.click()
            if is_phrase:
                page.locator(f"#step-{step}.open .part").wait_for()
        rest(page)


def at(cut: np.ndarray, x: float, y: float) -> int:
    """Return how solid a cut is at a share of it."""
    return int(cut[int(y * cut.shape[0]), int(x * cut.shape[1]), 3])


def check_logo(data: bytes) -> None:
    cut = read_png(data)
    assert (at(cut, 0.6, 0.35), at(cut, 0.01, 0.01), at(cut, 0.5, 0.47)) == (0, 0, 255)


def check_strokes(data: bytes) -> None:
    matte = read_png(data)[..., 3]
    assert matte[:20, :20].max() == 0
    assert 0.002 < (matte > 100).mean() < 0.2
    assert (matte < 3).mean() > 0.7


def check_cartoon(data: bytes) -> None:
    cut = read_png(data)
    assert (at(cut, 0.5, 0.84), at(cut, 0.5, 0.5), at(cut, 0.02, 0.02)) == (0, 255, 0)


def check_screen(data: bytes) -> None:
    cut = read_png(data).astype(int)
    assert (at(cut, 0.5, 0.5), at(cut, 0.02, 0.02)) == (255, 0)
    rim = (cut[..., 3] > 60) & (cut[..., 3] < 250)
    assert np.median((cut[..., 1] - cut[..., 0])[rim]) < 0  # brass, not cloth


def check_pattern(data: bytes) -> None:
    (case,) = make_almanac(SCALE, ["buoy-sticker"])
    off = np.abs(read_png(data)[..., 3].astype(int) - case.true_rgba[..., 3])
    assert off.mean() < 2


def check_shadow(data: bytes) -> None:
    cut = read_png(data)
    assert (at(cut, 0.5, 0.5), at(cut, 0.02, 0.02)) == (255, 0)
    beside = cut[int(0.66 * cut.shape[0]) : int(0.77 * cut.shape[0]), int(0.805 * cut.shape[1]) :, 3]  # fmt: skip
    assert beside.max() < 20


def check_line(data: bytes) -> None:
    lines = read_svg(data)
    assert len(lines) == 1
    (case,) = make_almanac(SCALE, ["buoy-sticker"])
    rows, cols = np.nonzero(case.true_rgba[..., 3] > 127)
    mm = 25.4 / 300
    for axis, places in ((0, cols), (1, rows)):  # 3 mm further out on each side
        assert np.ptp(lines[0][:, axis]) == pytest.approx((np.ptp(places) + 1) * mm + 6, abs=0.2)


def check_scans(data: bytes) -> None:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        cuts = [archive.read(name) for name in archive.namelist() if name.endswith(".png")]
    assert len(cuts) == 3
    for cut in cuts:
        assert 0.5 < (read_png(cut)[..., 3] < 3).mean() < 1


def check_outlines(data: bytes) -> None:
    svg = data.decode()
    assert "<path" in svg
    assert "<image" not in svg


def check_scene(data: bytes) -> None:
    picture = read_png(data)
    assert 0.01 < (picture[..., :3] != 255).any(axis=2).mean() < 0.95


def check_busy(data: bytes) -> None:
    cut = read_png(data)
    assert (at(cut, 0.5, 0.5), at(cut, 0.42, 0.65)) == (255, 255)
    assert (at(cut, 0.05, 0.05), at(cut, 0.95, 0.5), at(cut, 0.1, 0.9)) == (0, 0, 0)


CHECKS = {
    "logo": check_logo, "signature": check_strokes, "pencil": check_strokes, "cartoon": check_cartoon, "screen": check_screen,
    "pattern": check_pattern, "shadow": check_shadow, "sticker": check_line, "scans": check_scans, "outlines": check_outlines,
    "scene": check_scene, "busy": check_busy,
}  # fmt: skip


@pytest.mark.usefixtures("keeper")
@pytest.mark.parametrize("job", JOBS, ids=lambda job: job.key)
def test_a_newcomer_does_a_job_by_the_words_of_the_guide(page, job):
    page.set_default_timeout(30_000)
    page.goto(f"/guide#{job.key}")
    button = page.locator(f"#{job.key} button")
    with page.expect_navigation():
        button.click()
    rest(page)
    for step in job.steps[:-1]:
        follow(page, step)
    ((_, name, _),) = DOES.findall(job.steps[-1].text)
    for _ in range(300):  # of a tray, once all is written
        if page.locator("a, button").filter(has_text=re.compile(f"^\\s*{name}")).count():
            break
        page.wait_for_timeout(500)
    with page.expect_download() as download:
        page.locator("a, button").filter(has_text=re.compile(f"^\\s*{name}")).first.click()
    CHECKS[job.key](Path(download.value.path()).read_bytes())


def test_the_guide_is_clean_to_axe_and_hints_go_for_good(page):
    page.goto("/guide")
    assert find_axe_faults(page) == []
    page.locator("#cartoon button").click()
    rest(page)
    hints = page.locator(".hints")
    assert hints.locator("li").count() == 3
    with page.expect_navigation():
        hints.get_by_role("button").click()
    rest(page)
    assert hints.count() == 0
    page.goto("/sheets/1/")
    rest(page)
    assert hints.count() == 0
