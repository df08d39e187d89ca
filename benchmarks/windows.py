"""A user of `./tidy bench --users --windows`: a browser of its own that uploads, drags, exports."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from playwright.sync_api import Error, Page, sync_playwright

from benchmarks.browser import launch

EMPTY_FILE = "/static/icon.svg"
_MOVES = 12
_LONGEST_WAIT_MS = 90_000
_ANSWERED = """() => {
  const [page] = performance.getEntriesByType("navigation");
  return (page.responseEnd - page.requestStart) / 1000;
}"""

_FETCHED = f"""async () => {{
  const begun = performance.now();
  await (await fetch("{EMPTY_FILE}", {{ cache: "no-store" }})).arrayBuffer();
  return (performance.now() - begun) / 1000;
}}"""


@dataclass(slots=True)
class Seen:
    """What one user met with.

    Parameters
    ----------
    pages : list of float
        Seconds until a page had come.
    files : list of float
        The same of a file of a few hundred bytes that takes no work: what a page cannot beat.
    errors : list of str
        What went wrong, in words.
    exports : list of (bytes, float, bytes)
        Picture, tolerance and the file that came.
    """

    pages: list[float] = field(default_factory=list)
    files: list[float] = field(default_factory=list)
    errors: list[str] = field(default_factory=list)
    exports: list[tuple[bytes, float, bytes]] = field(default_factory=list)


def _open(page: Page, address: str, seen: Seen) -> None:
    page.goto(address)
    seen.pages.append(float(page.evaluate(_ANSWERED)))
    seen.files.append(float(page.evaluate(_FETCHED)))


def _take_turn(page: Page, data: bytes, shift_px: float, seen: Seen) -> None:
    """Bring a picture in, drag its tolerance, take the cut away."""
    _open(page, "/", seen)
    page.locator("#picture").set_input_files(
        {"name": "figure.png", "mimeType": "image/png", "buffer": data}
    )
    page.wait_for_url("**/sheets/*/**")
    page.locator("#sheet-data[data-measured='1']").wait_for(state="attached")
    _open(page, page.url.split("?")[0] + "?open=reach", seen)
    page.locator("#sheet-data[data-measured='1']").wait_for(state="attached")
    box = page.locator("#grip rect").bounding_box()
    if box is None:
        seen.errors.append(f"no grip at {page.url}")
        return
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for step in range(1, _MOVES + 1):
        page.mouse.move(x + shift_px * step / _MOVES, y)
    page.mouse.up()
    page.locator("#undo", has_text="Undo tolerance").wait_for()
    tolerance = float(page.locator("#phrase-tolerance").inner_text())
    with page.expect_download() as download:
        page.locator("#export").click()
    cut = download.value.path().read_bytes()
    seen.exports.append((data, tolerance, cut))


def use_window(
    port: int, number: int, is_over: Callable[[], bool], draw: Callable[[int], bytes], seen: Seen
) -> None:
    """Work in a browser of one's own until it is over.

    Parameters
    ----------
    port : int
        Of the server on this machine.
    number : int
        Which user; each draws other pictures.
    is_over : callable
        Asked before each turn.
    draw : callable
        Returns the picture of a number, encoded.
    seen : Seen
        Added to.
    """
    random = np.random.default_rng(number)
    with sync_playwright() as playwright:
        browser = launch(playwright)
        context = browser.new_context(
            base_url=f"http://127.0.0.1:{port}", viewport={"width": 1280, "height": 800}
        )
        page = context.new_page()
        page.set_default_timeout(_LONGEST_WAIT_MS)
        page.on("pageerror", lambda error: seen.errors.append(f"script: {error}"))
        page.on(
            "response",
            lambda answer: (
                seen.errors.append(f"{answer.status} {answer.url}")
                if answer.status >= 400
                else None
            ),
        )
        turn = 0
        while not is_over():
            try:
                _take_turn(page, draw(100 * number + turn), float(random.uniform(8, 120)), seen)
            except Error as error:
                seen.errors.append(str(error).splitlines()[0])
            turn += 1
        browser.close()
