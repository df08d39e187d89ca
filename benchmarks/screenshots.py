"""The pictures in `docs/screenshots`, taken of a running demo with fresh data: `python -m benchmarks.screenshots http://127.0.0.1:8137`."""

import re
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

PLACE = Path(__file__).parents[1] / "docs" / "screenshots"
_QUIET_MS = 3000  # in which small pictures and the strip come


def _draw_stroke(page: Page) -> None:
    """Draw a line across the middle of the stage."""
    box = page.locator("#stage").bounding_box()
    assert box
    row = box["y"] + 0.56 * box["height"]
    page.mouse.move(box["x"] + 0.42 * box["width"], row)
    page.mouse.down()
    page.mouse.move(box["x"] + 0.55 * box["width"], row + 8, steps=12)
    page.mouse.up()


def main(address: str) -> None:
    """Take all but that of the guide, once the demo has brought in all that it draws."""
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

        def wait_for_prints() -> None:
            page.wait_for_function("() => [...document.images].every((one) => one.complete && one.naturalWidth)", timeout=240_000)  # fmt: skip

        page.locator("details").evaluate_all("(all) => all.forEach((one) => { one.open = false })")
        page.mouse.wheel(0, 3000)
        wait_for_prints()
        page.mouse.wheel(0, -3000)
        take("trays")
        go("evening-card")
        page.locator("#stage").focus()
        for _ in range(3):
            page.keyboard.press("n")
        take("scene")
        for picture, step, name in (
            ("compass-rose", "", "bench"), ("pencil-lighthouse", "ground", "bench-ink"), ("brass-bell", "colour", "bench-screen"),
            ("harbour-signature", "area", "bench-area"), ("buoy-sticker", "proof", "bench-proof"), ("harbour-signature", "export", "bench-export"),
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
        _draw_stroke(page)
        take("bench-by-hand")
        page.goto(f"{address}{places['brass-bell']}compare?left=original&right=now")
        take("compare")
        go("tide-stamp", "export")
        page.locator("summary", has_text="Further formats").click()
        page.locator("label.tick", has_text="SVG outlines").locator("input").check()
        page.get_by_role("button", name="Set the formats").click()
        page.locator("#phrase-formats", has_text="SVG outlines").wait_for()
        go("tide-stamp", "export")
        for words in ("Show them over the picture", "with their points and handles"):
            page.get_by_label(words).check()
        page.locator("#pixels").click()
        take("bench-outlines")
        page.goto(address)
        page.locator("summary", has_text="Put pictures together into a tray").evaluate("(one) => { one.parentElement.open = true }")  # fmt: skip
        page.get_by_label("Name", exact=True).fill("Skerrow Almanac")
        page.get_by_role("button", name="Make the tray").click()
        page.wait_for_url("**/trays/**")
        wait_for_prints()
        take("tray")
        browser.close()


if __name__ == "__main__":
    main(sys.argv[1].rstrip("/"))
