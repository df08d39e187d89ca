"""The pictures in `docs/screenshots`, taken of a running demo with fresh data: `python -m benchmarks.screenshots http://127.0.0.1:8137`."""

import re
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

PLACE = Path(__file__).parents[1] / "docs" / "screenshots"
_QUIET_MS = 3000  # in which small pictures and the strip come


def _stroke(page: Page, across: tuple[float, float], down: tuple[float, float]) -> None:
    """Draw a line over the stage, by shares of its width and height."""
    box = page.locator("#stage").bounding_box()
    assert box
    xs, ys = ([start + length * share for share in way] for start, length, way in ((box["x"], box["width"], across), (box["y"], box["height"], down)))  # fmt: skip
    page.mouse.move(xs[0], ys[0])
    page.mouse.down()
    page.mouse.move(xs[1], ys[1], steps=12)
    page.mouse.up()


def main(address: str) -> None:
    """Take all but those of the guide and of the export, which say less of the present state."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=["--no-sandbox"])  # fmt: skip
        page = browser.new_page(viewport={"width": 1280, "height": 800}, locale="en")
        page.set_default_timeout(120_000)
        page.goto(address)
        found = re.findall(r'href="(/(?:sheets|scenes)/\d+/)">([^<]+)<', page.content())
        places = {name.split(".")[0]: place for place, name in found}

        def go(name: str, step: str = "") -> None:
            page.goto(f"{address}{places[name]}?open={step}")
            ready = "#scene-data[data-ready='1']" if name == "evening-card" else "#sheet-data[data-measured='1']"  # fmt: skip
            page.locator(ready).wait_for(state="attached")
            page.wait_for_timeout(_QUIET_MS)
            dismiss = page.get_by_role("button", name="Do not show these again")
            if dismiss.count() and dismiss.is_visible():
                dismiss.click()
                page.wait_for_timeout(500)

        def take(name: str) -> None:
            page.wait_for_timeout(_QUIET_MS)
            page.screenshot(path=PLACE / f"{name}.png")

        take("trays")
        for picture, step, name in (
            ("compass-rose", "", "bench"), ("pencil-lighthouse", "ground", "bench-ink"), ("brass-bell", "colour", "bench-screen"),
            ("harbour-signature", "area", "bench-area"), ("buoy-sticker", "proof", "bench-proof"),
        ):  # fmt: skip
            go(picture, step)
            take(name)
        go("compass-rose", "reach")
        page.locator("#stage").focus()
        page.keyboard.press("n")
        take("bench-question")
        page.set_viewport_size({"width": 400, "height": 800})
        go("compass-rose", "reach")
        take("bench-small")
        page.set_viewport_size({"width": 1280, "height": 800})
        go("tide-stamp", "reach")
        page.locator("#tolerance").fill("4.2")
        page.get_by_role("button", name="Set the tolerance").click()
        page.locator("#phrase-tolerance", has_text="4.2").wait_for()
        go("tide-stamp", "history")
        take("bench-history")
        go("brass-bell", "rim")
        page.get_by_role("button", name="Shrink by 1 px, soften by 2 px").click()
        take("bench-rim")
        go("brass-bell", "by_hand")
        page.locator("[data-implement=stroke]").click()
        _stroke(page, (0.42, 0.55), (0.55, 0.58))
        take("bench-by-hand")
        page.goto(f"{address}{places['brass-bell']}compare?left=original&right=now")
        take("compare")
        go("evening-card")
        page.locator("#stage").focus()
        for _ in range(3):
            page.keyboard.press("n")
        take("scene")
        page.goto(address)
        page.get_by_label("Name", exact=True).fill("Skerrow Almanac")
        page.get_by_role("button", name="Make the tray").click()
        page.wait_for_timeout(20_000)
        take("tray")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1].rstrip("/"))
