"""A scene of 40 cuts on 35 megapixels: how a dragged cut follows, and what an export takes over its parts alone."""

import statistics
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page

from benchmarks.painted import FETCHED, open_page
from tidymargin.core.scenes.standing import Scene
from tidymargin.demo.almanac import make_almanac
from tidymargin.formats.arrangement import ArrangedBase, ArrangedCut, Arrangement
from tidymargin.formats.encode import encode_png
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.scenes import render_scene
from tidymargin.services.picture.warming import warm_kernels
from tidymargin.services.scenes import editing
from tidymargin.services.scenes.exporting import export_scene
from tidymargin.services.scenes.opening import load_scene, look_at_saved
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.workshop import Workshop, open_workshop
from tidymargin.store.values import SavedScene, Sheet

WIDTH, HEIGHT, COUNT = 7000, 5000, 40
_COLUMNS, _STEP_PX = 8, 850
_MOVES = 15
_PAINTED = """async () => {
  const begun = performance.now();
  while (performance.now() - begun < 3000) {
    const drawn = window.painted.find((at) => at >= window.moved);
    if (drawn) return drawn - window.moved;
    await new Promise(requestAnimationFrame);
  }
  return null;
}"""


@contextmanager
def _watch_memory() -> Iterator[list[float]]:
    """Yield a list whose one value is the most memory that this process has held meanwhile, in MB."""
    most, is_over = [0.0], threading.Event()

    def watch() -> None:
        while not is_over.wait(0.02):
            pages = int(Path("/proc/self/statm").read_text().split()[1])
            most[0] = max(most[0], pages * 4096 / 1e6)

    watcher = threading.Thread(target=watch)
    watcher.start()
    try:
        yield most
    finally:
        is_over.set()
        watcher.join()


def _draw_base() -> bytes:
    random = np.random.default_rng(0)
    coarse = random.normal(128, 40, (HEIGHT // 100, WIDTH // 100, 3))
    fine = cv2.resize(coarse, (WIDTH, HEIGHT), interpolation=cv2.INTER_CUBIC)
    noisy = np.clip(fine + random.normal(0, 2, (HEIGHT, WIDTH, 1)), 0, 255).astype(np.uint8)
    return bytes(cv2.imencode(".jpg", noisy, [cv2.IMWRITE_JPEG_QUALITY, 90])[1])


def lay_large_scene(workshop: Workshop) -> tuple[SavedScene, bytes, list[Sheet]]:
    """Return a scene of 40 cuts of the almanac on 35 megapixels, nothing measured yet, its base as bytes, and its sheets."""
    data = _draw_base()
    base = add_sheet(workshop, data, "base.jpg")
    sheets = [add_sheet(workshop, case.encoded, f"{case.name}.{case.suffix}") for case in make_almanac()]  # fmt: skip
    scales, turns = (1.0, 0.5, 0.7, 1.0), (0, 0, 15, 0, 0)
    cuts = tuple(
        ArrangedCut(
            key=number + 1, name=f"cut {number + 1}", sheet=sheets[number % len(sheets)].id,
            left=number % _COLUMNS * _STEP_PX, top=number // _COLUMNS * _STEP_PX,
            scale=scales[number % len(scales)], turn=turns[number % len(turns)],
        )
        for number in range(COUNT)
    )  # fmt: skip
    # the last lies in the one before it
    cuts = (*cuts[:-1], cuts[-1].model_copy(update={"inside": cuts[-2].name, "left": cuts[-2].left, "top": cuts[-2].top, "turn": 0.0}))  # fmt: skip
    arrangement = Arrangement(width=WIDTH, height=HEIGHT, base=ArrangedBase(sheet=base.id), cuts=cuts)  # fmt: skip
    return editing.add_scene(workshop, "large", arrangement), data, sheets


def _time(act) -> float:  # type: ignore[no-untyped-def]
    began = time.monotonic()
    act()
    return time.monotonic() - began


def _time_encoding(scene: Scene) -> float:
    drawn = scene.draw(0, 0, 1, HEIGHT, WIDTH)
    return _time(lambda: encode_png(drawn))


def report_export(workshop: Workshop, saved: SavedScene, data: bytes, sheets: list[Sheet]) -> None:
    """Print a cold and a warm export over the same work done part by part."""
    warm_kernels()
    looked = look_at_saved(workshop, saved)
    with _watch_memory() as most:
        cold_s = _time(lambda: export_scene(workshop, saved, looked))
    warm_s = min(_time(lambda: export_scene(workshop, saved, looked)) for _ in range(2))
    decode_s = _time(lambda: workshop.readers.decode(data))
    with tempfile.TemporaryDirectory() as folder:
        other = open_workshop(Path(folder))
        again, _, others = lay_large_scene(other)
        cut_s = _time(lambda: [load_measured(other, sheet) for sheet in others])
        scene_s = _time(lambda: load_scene(other, look_at_saved(other, again)))
        other.close()
    scene = load_scene(workshop, looked)
    encode_s = _time_encoding(scene)
    render_s = _time(lambda: render_scene(scene, "png", None))
    floor = cut_s + scene_s + encode_s  # the second of them decodes the base as well
    print(f"decode {decode_s:.1f} s, measure {cut_s:.1f} s, decode and cut {scene_s:.1f} s, encode {encode_s:.1f} s, draw and encode {render_s:.1f} s")  # fmt: skip
    print(f"cold export, over decoding, cutting and encoding alone: {cold_s / floor:.2f} (asked 1.5); at most {most[0]:.0f} MB")  # fmt: skip
    print(f"warm export, over decoding the base and encoding: {warm_s / (decode_s + encode_s):.2f} (asked 1.5)")  # fmt: skip


def _drag(page: Page, x: float, y: float, count: int) -> tuple[list[float], list[float]]:
    """Return how long a cut takes to be painted after each move of a hand, and a fetch of so many bytes after it, ms."""
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 6, y + 6)
    page.wait_for_timeout(5000)  # it is taken up
    painted, fetched = [], []
    for number in range(1, _MOVES + 1):
        page.mouse.move(x + 6 + 4 * number, y + 6)
        found = page.evaluate(_PAINTED)
        if found is not None:
            painted.append(found)
            fetched.append(page.evaluate(FETCHED, f"/bytes/{count}"))
    page.keyboard.press("Escape")
    page.mouse.up()
    return painted, fetched


def report_drag(workshop: Workshop, saved: SavedScene) -> None:
    """Print how long a dragged cut takes to follow over an empty fetch of a view's bytes, free and inside another."""
    with open_page(workshop) as page:
        page.goto(f"/scenes/{saved.id}/")
        page.locator("#scene-data[data-ready='1']").wait_for(state="attached", timeout=120_000)
        page.wait_for_timeout(5000)
        box = page.locator("#stage").bounding_box()
        assert box is not None
        scale = min((box["width"] - 48) / WIDTH, (box["height"] - 48) / HEIGHT)

        scene = load_scene(workshop, look_at_saved(workshop, saved))

        def find(number: int) -> tuple[float, float]:
            """Return where on the screen a cut shows, as far inside of its box as may be."""
            left, top, right, bottom = scene.pieces[number].source.surround(scene.pieces[number].place)  # fmt: skip
            for share in np.linspace(0.5, 0.05, 40):
                x, y = left + (right - left) * share, top + (bottom - top) * (1 - share)
                if scene.find_at(x, y, 1 / scale) == number:
                    break
            return box["x"] + box["width"] / 2 + (x - WIDTH / 2) * scale, box["y"] + box["height"] / 2 + (y - HEIGHT / 2) * scale  # fmt: skip

        count = round(WIDTH * scale) * round(HEIGHT * scale) * 4
        for words, number in (("a cut", 2), ("a cut inside another", COUNT - 1)):
            painted, fetched = _drag(page, *find(number), count)
            ratio = statistics.median(painted) / statistics.median(fetched)
            print(f"{words}: follows in {ratio:.2f} empty fetches ({len(painted)} of {_MOVES} moves seen; asked 2)")  # fmt: skip


def report_scenes() -> None:
    """Print both."""
    with tempfile.TemporaryDirectory() as folder:
        workshop = open_workshop(Path(folder))
        saved, data, sheets = lay_large_scene(workshop)
        report_export(workshop, saved, data, sheets)
        report_drag(workshop, saved)
        workshop.close()
