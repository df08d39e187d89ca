"""Pictures, data folders and applications that tests share."""

import io
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from bs4 import BeautifulSoup
from flask.testing import FlaskClient
from PIL import Image

from tidymargin.core.base.picture import Picture
from tidymargin.demo.almanac import make_almanac
from tidymargin.demo.drawing import Drawing, lay_over, to_true_cut
from tidymargin.demo.grounds import add_grain, make_paper, make_wood, photograph_page
from tidymargin.demo.truth import TrueCase, encode_picture
from tidymargin.services.edits.history import list_history
from tidymargin.services.picture.reading import Readers
from tidymargin.services.workshop.workshop import Workshop, open_workshop
from tidymargin.store.values import Sheet
from tidymargin.web.app import create_app
from tidymargin.web.sentences.changes import describe_change


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Begin with the longest tests, so that at the end no worker is left alone with them."""
    items.sort(key=lambda item: "survival" not in item.nodeid)


def draw_badge(size: int = 160, scale: int = 8) -> Drawing:
    """A dark ring around a see-through gap around a white face with a red dot; all off the grid."""
    d = Drawing(size, size, scale)
    dark, white, red = d.colour("#1D3557"), d.colour("#FFFFFF"), d.colour("#C8553D")
    c = size / 2 + 0.3
    d.ring(c, c, size * 0.42, size * 0.04, dark)
    d.ellipse(c, c, size * 0.34, dark)
    d.ellipse(c, c, size * 0.31, white)
    d.ellipse(c, c, size * 0.12, red)
    return d


def to_png(rgb: np.ndarray, **options: object) -> bytes:
    out = io.BytesIO()
    Image.fromarray(rgb).save(out, "PNG", **options)
    return out.getvalue()


PAD_PX = 240


def draw_pad() -> bytes:
    """A pad as PNG: seven punched holes on the left, two blue rings with white inside, a pale block."""
    d = Drawing(PAD_PX, PAD_PX, 6)
    for y in np.linspace(15, 225, 7):
        d.ellipse(14, float(y), 5, d.colour("#404040"))
    for x in (90, 180):
        d.ellipse(x, 120, 32, d.colour("#204080"))
        d.ellipse(x, 120, 18, d.colour("#FFFFFF"))
    d.rounded(80, 180, 200, 220, 0, d.colour("#E8D5C4"))
    return to_png(lay_over(d.render(), np.array((255.0, 255.0, 255.0))))


@pytest.fixture(scope="session")
def badge() -> tuple[Picture, np.ndarray]:
    """The badge on white, and its true cut."""
    rgba = draw_badge().render()
    return Picture(lay_over(rgba, np.array((255.0, 255.0, 255.0)))), to_true_cut(rgba)


@pytest.fixture(scope="session")
def badge_png(badge: tuple[Picture, np.ndarray]) -> bytes:
    return to_png(badge[0].rgb, dpi=(300, 300))


@pytest.fixture(scope="session")
def badge_jpg(badge: tuple[Picture, np.ndarray]) -> bytes:
    return encode_picture(badge[0].rgb, "jpg", 88)


class _Lent(Readers):
    """Readers that stay when the workshop that they are lent to is closed."""

    def close(self) -> None:
        pass


@pytest.fixture(scope="session")
def readers() -> Iterator[Readers]:
    """Processes that decode, started once for all tests that have no need of their own."""
    lent = _Lent()
    yield lent
    Readers.close(lent)


@pytest.fixture
def workshop(tmp_path: Path, readers: Readers) -> Iterator[Workshop]:
    shop = replace(open_workshop(tmp_path / "data"), readers=readers)
    yield shop
    shop.close()


PAGE_CORNERS = np.array([(96.0, 70.0), (520.0, 100.0), (560.0, 640.0), (60.0, 610.0)])


def photograph_letter(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """A written page on a table, 720 x 640, and the alpha of what stands on the page, 700 x 500."""
    random = np.random.default_rng(seed)
    d = Drawing(700, 500, 4)
    for line in range(8):
        d.rounded(60, 70 + 56 * line, 430 - 30 * (line % 3), 86 + 56 * line, 4, d.colour("#203050"))
    d.ellipse(250, 600, 55, d.colour("#A02030"))
    letter = d.render()
    page = lay_over(letter, make_paper(700, 500, random, darker=0.15))
    code = ("#7A5236", "#44484C", "#9C8468", "#303030")[seed % 4]
    table = make_wood(720, 640, random, code=code)
    return add_grain(photograph_page(page, table, PAGE_CORNERS), random, 1.5), letter[..., 3]


def say_history(workshop: Workshop, sheet: Sheet) -> list[str]:
    """Return the words of each row of a sheet's history, the newest first."""
    rows = list_history(workshop, sheet)
    return [str(describe_change(row.state, row.before)).replace("\u00a0", " ") for row in rows]


def read_png(data: bytes) -> np.ndarray:
    with Image.open(io.BytesIO(data)) as image:
        assert (image.format, image.mode) == ("PNG", "RGBA")
        return np.asarray(image)


@pytest.fixture(scope="session")
def almanac() -> dict[str, TrueCase]:
    """The demo sheets at a third of their size, by name."""
    return {case.name: case for case in make_almanac(0.35)}


@pytest.fixture(scope="session")
def chart() -> TrueCase:
    """The knot chart at its full size, as dust grows with no sheet."""
    return make_almanac(names=["knot-chart"])[0]


@pytest.fixture
def client(workshop: Workshop) -> FlaskClient:
    return create_app(workshop).test_client()


@pytest.fixture
def token(client: FlaskClient) -> str:
    return str(BeautifulSoup(client.get("/").data, "html.parser").body["data-token"])
