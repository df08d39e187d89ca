"""From the hand's move to the painted canvas, in the real browser, over an empty fetch of as many bytes."""

import statistics
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from playwright.sync_api import Page, sync_playwright
from waitress.server import create_server

from benchmarks.browser import launch
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.warming import warm_kernels
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.workshop import Workshop, open_workshop
from tidymargin.web.app import create_app
from tidymargin.web.pages.pixels import send_raw
from tidymargin.web.server import end_server

_MOVES = 15
_WATCH = """
window.painted = [];
const draw = CanvasRenderingContext2D.prototype.drawImage;
CanvasRenderingContext2D.prototype.drawImage = function (...given) {
  if (this.canvas.id === "stage") window.painted.push(performance.now());
  return draw.apply(this, given);
};
document.addEventListener("pointermove", () => { window.moved = performance.now(); }, true);
performance.setResourceTimingBufferSize(5000);
"""
_PAINTED = """async () => {
  for (let tries = 0; tries < 600; tries += 1) {
    const asked = performance.getEntriesByType("resource").filter((e) => e.name.includes("tried=") && !e.name.includes("settles") && e.startTime >= window.moved);
    const drawn = asked.length && window.painted.find((at) => at >= asked[0].responseEnd);
    if (drawn) return [drawn - window.moved, asked[0].name];
    await new Promise(requestAnimationFrame);
  }
  return null;
}"""
FETCHED = """async (address) => {
  const begun = performance.now();
  await (await fetch(address)).arrayBuffer();
  return performance.now() - begun;
}"""


def _drag(page: Page) -> tuple[list[float], list[float]]:
    """Drag the curve's grip; return how long each move took, and a fetch of as many bytes after it."""
    box = page.locator("#grip rect").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    painted, fetched = [], []
    for number in range(1, _MOVES + 1):
        page.mouse.move(x + 3 * number, y)
        found = page.evaluate(_PAINTED)
        if found is None:
            continue
        took, address = found
        painted.append(took)
        # the same view as it came: kept by the server, so that only its bytes are sent
        fetched.append(page.evaluate(FETCHED, address.replace("/view?", "/original?")))
    page.mouse.up()
    return painted, fetched


@contextmanager
def open_page(workshop: Workshop) -> Iterator[Page]:
    """Serve a workshop, and yield a browser's page of it that remembers when its hand moved and its stage was painted.

    `/bytes/N` sends so many bytes that take no work.
    """
    app = create_app(workshop)
    app.add_url_rule("/bytes/<int:count>", "bytes", lambda count: send_raw(np.zeros((1, count), np.uint8)))  # fmt: skip
    server = create_server(app, host="127.0.0.1", port=0, threads=16)
    thread = threading.Thread(target=server.run)
    thread.start()
    try:
        with sync_playwright() as playwright:
            browser = launch(playwright)
            page = browser.new_page(base_url=f"http://127.0.0.1:{server.effective_port}", viewport={"width": 1280, "height": 800})  # fmt: skip
            page.add_init_script(_WATCH)
            yield page
            browser.close()
    finally:
        end_server(server)
        thread.join()


def measure_painted(data: bytes) -> float:
    """Return, for a sheet, the median from input to painted canvas over the median of an empty fetch."""
    warm_kernels()
    with tempfile.TemporaryDirectory() as folder:
        workshop = open_workshop(Path(folder))
        sheet = add_sheet(workshop, data, "sheet.jpg")
        load_measured(workshop, sheet)
        with open_page(workshop) as page:
            page.goto(f"/sheets/{sheet.id}/?open=reach")
            page.locator("#grip").wait_for(timeout=60_000)
            page.wait_for_timeout(8000)  # the first view settles
            painted, fetched = _drag(page)
        workshop.close()
    return statistics.median(painted) / statistics.median(fetched)
