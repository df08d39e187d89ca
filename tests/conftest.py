"""Pictures, data folders and applications that tests share."""

import io
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from tidymargin.core.picture import Picture
from tidymargin.demo.drawing import Drawing, lay_over, to_true_cut
from tidymargin.demo.truth import encode_picture
from tidymargin.services.workshop import Workshop, open_workshop


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


@pytest.fixture
def workshop(tmp_path: Path) -> Iterator[Workshop]:
    shop = open_workshop(tmp_path / "data")
    yield shop
    shop.close()
