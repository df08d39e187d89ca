"""A real browser on a real server; anything it complains of, and any request off the machine, fails the test."""

import base64
import os
import re
import socket
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Locator, Page, Route, sync_playwright

from tests.long_words import LONG, write_long
from tidymargin.services.picture.warming import warm_behind
from tidymargin.services.trays.keeper import TrayKeeper
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.web.server import end_server, make_server

AXE = (Path(__file__).parent / "axe.min.js").read_text()
_FLAGS = (
    "--disable-gpu --disable-dev-shm-usage --disable-quic --disable-background-networking "
    "--disable-component-update --disable-sync --no-first-run --no-default-browser-check "
    "--force-color-profile=srgb"
)
_OFF = "--host-resolver-rules=MAP * ~NOTFOUND , EXCLUDE 127.0.0.1 , EXCLUDE localhost"


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    warm_behind()  # on a fresh machine compiling takes longer than a page may
    flags = [*_FLAGS.split(), _OFF, *(["--no-sandbox"] if os.geteuid() == 0 else [])]
    with sync_playwright() as playwright:
        found = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=flags)
        yield found
        found.close()


@pytest.fixture(scope="session")
def long_words(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of a made-up language in which every text is 40 % longer."""
    folder = tmp_path_factory.mktemp("long")
    write_long(folder)
    return folder


@pytest.fixture
def address(workshop: Workshop, long_words: Path) -> Iterator[str]:
    """The address of a server for this test's own data folder."""
    listener = socket.create_server(("127.0.0.1", 0))
    server = make_server(workshop, listener, more_languages={LONG: long_words})
    thread = threading.Thread(target=server.run)
    thread.start()
    yield f"http://127.0.0.1:{server.effective_port}"

    end_server(server)
    thread.join(10)
    assert not thread.is_alive()


@pytest.fixture
def keeper(workshop: Workshop) -> Iterator[TrayKeeper]:
    """What writes the exports of trays."""
    found = TrayKeeper(workshop)
    found.start()
    yield found
    found.stop()


class Complaints(list[str]):
    """What the browser complained of; a test that provokes one takes it out again."""

    def expect(self, part: str) -> None:
        assert self, f"the browser did not complain of {part}"
        assert all(part in complaint for complaint in self), self
        self.clear()


@pytest.fixture
def complaints() -> Iterator[Complaints]:
    found = Complaints()
    yield found
    assert not found, found


@pytest.fixture
def open_context(
    browser: Browser, address: str, complaints: Complaints
) -> Iterator[Callable[..., BrowserContext]]:
    opened: list[BrowserContext] = []

    def open_one(**options: object) -> BrowserContext:
        context = browser.new_context(
            **{
                "viewport": {"width": 1280, "height": 800},
                "base_url": address,
                "locale": "en-US",
                **options,
            }
        )
        opened.append(context)
        context.set_default_timeout(
            60_000
        )  # on a busy machine all takes longer than is asked of it

        def guard(route: Route) -> None:
            if route.request.url.startswith((address, "blob:", "data:")):
                route.continue_()
            else:
                complaints.append(f"left the machine: {route.request.url}")
                route.abort()

        context.route("**/*", guard)
        context.on("weberror", lambda error: complaints.append(f"page error: {error.error}"))
        context.on(
            "console",
            lambda said: (
                complaints.append(f"{said.text} ({said.location['url']})")
                if said.type == "error"
                else None
            ),
        )
        return context

    yield open_one
    for context in opened:
        context.unroute_all(behavior="ignoreErrors")
        context.close()


@pytest.fixture
def page(open_context: Callable[..., BrowserContext]) -> Page:
    found = open_context().new_page()
    # switched on ahead: when only a click asks for it, the browser may open its own dialog instead
    found.on("filechooser", lambda _: None)
    return found


def drop_files(page: Page, *files: tuple[str, bytes]) -> None:
    """Drop files on the page, as from the desktop."""
    packed = [[name, base64.b64encode(data).decode()] for name, data in files]
    transfer = page.evaluate_handle(
        """files => {
            const transfer = new DataTransfer();
            for (const [name, data] of files) {
                const bytes = Uint8Array.from(atob(data), c => c.charCodeAt(0));
                transfer.items.add(new File([bytes], name));
            }
            return transfer;
        }""",
        packed,
    )
    for kind in ("dragover", "drop"):
        page.dispatch_event("main", kind, {"dataTransfer": transfer})


def wait_measured(page: Page) -> None:
    page.locator("#sheet-data[data-measured='1']").wait_for(state="attached")


def tab_to(page: Page, target: Locator, most: int = 60, key: str = "Tab") -> None:
    """Press Tab until the target has the focus."""
    for _ in range(most):
        if target.evaluate("element => element === document.activeElement"):
            return
        page.keyboard.press(key)
    raise AssertionError(f"{target} cannot be reached by {most} presses of {key}")


_CONTROL = r'- (button|link|textbox|checkbox|radio|slider|spinbutton|combobox|switch) "((?:[^"\\]|\\.)*)"[^\n]*(?:\n\s+- /url: (\S+))?'
_POINTS_AT_NOTHING = re.compile(r"(\w+ )?(it|this|that|them|these|those|one)", re.IGNORECASE)
_STAND_ALONE = """
    add area backing base brightness compare contrast copy copyright deutsch direction distance english eo export gamma guide hardness height history
    holes home keys lean length mirror name opacity pause recolour redo rename saturation sizes stop strength tilt tolerance trays undo unit versions width
"""
"""Nouns, and verbs of what the page is about, which may be a control's whole name; languages have their own."""


def find_bare_names(page: Page) -> list[str]:
    """Return the names of controls that nobody understands who hears them alone: a pronoun, an adjective, a number.

    One word must be a noun or a verb that says all; what people called a picture, a tray or a scene may be anything.
    """

    def says_too_little(name: str) -> bool:
        is_word = " " not in name.strip() and "." not in name
        is_bare = is_word and name.lower() not in _STAND_ALONE.split()
        return (
            is_bare
            or bool(_POINTS_AT_NOTHING.fullmatch(name))
            or not re.search("[A-Za-z]{2}", name)
        )

    found = re.findall(_CONTROL, page.locator("body").aria_snapshot())
    theirs = ("/sheets/", "/scenes/", "/trays/")
    return [
        f"{role}: {name}"
        for role, name, url in found
        if not url.startswith(theirs) and says_too_little(name)
    ]


def find_axe_faults(page: Page) -> list[str]:
    """Return what axe-core finds wrong, as one line a kind, and controls whose names say too little."""
    bare = find_bare_names(page) if page.evaluate("document.documentElement.lang") == "en" else []
    page.evaluate(AXE)
    found = page.evaluate(
        "() => axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']})"
    )
    return bare + [
        f"{v['id']}: {v['help']} {[n['target'] for n in v['nodes']][:4]}"
        for v in found["violations"]
    ]
