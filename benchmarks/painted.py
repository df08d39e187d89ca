"""From the hand's move to the painted canvas, in the real browser, over an empty fetch of as many bytes."""

import statistics
import tempfile
import threading
from pathlib import Path

from playwright.sync_api import Page, sync_playwright
from waitress.server import create_server

from benchmarks.browser import launch
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.warming import warm_kernels
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.workshop import open_workshop
from tidymargin.web.app import create_app
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
_FETCHED = """async (address) => {
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
        fetched.append(page.evaluate(_FETCHED, address.replace("/view?", "/original?")))
    page.mouse.up()
    return painted, fetched


def measure_painted(data: bytes) -> float:
    """Return, for a sheet, the median from input to painted canvas over the median of an empty fetch."""
    warm_kernels()
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        workshop = open_workshop(Path(folder))
        sheet = add_sheet(workshop, data, "sheet.jpg")
        load_measured(workshop, sheet)
        server = create_server(create_app(workshop), host="127.0.0.1", port=0, threads=16)
        thread = threading.Thread(target=server.run)
        thread.start()
        browser = launch(playwright)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(_WATCH)
        page.goto(f"http://127.0.0.1:{server.effective_port}/sheets/{sheet.id}/?open=reach")
        page.locator("#grip").wait_for(timeout=60_000)
        page.wait_for_timeout(8000)  # the first view settles
        painted, fetched = _drag(page)
        browser.close()
        end_server(server)
        thread.join()
        workshop.close()
    return statistics.median(painted) / statistics.median(fetched)
