"""Scenes on the command line: files of every kind, read back, and scene files that are wrong."""

import io
import json
import zipfile
from contextlib import closing
from xml.etree import ElementTree

import cv2
import numpy as np
import pypdfium2
import pytest
import resvg_py
from PIL import Image

from tests.cli.test_outlining import call
from tests.conftest import to_png
from tidymargin.core.scenes.laying import Laid, lay
from tidymargin.core.scenes.placing import Place, Placed


@pytest.fixture
def card(tmp_path):
    """A base, a ring that is a cut, a disc on white paper, and a scene of them."""
    rows, cols = np.mgrid[:90, :140]
    base = np.dstack([rows * 2, cols, 200 - rows]).astype(np.uint8)
    ring = np.zeros((40, 40, 4), np.uint8)
    cv2.circle(ring, (20, 20), 14, (200, 30, 40, 255), 5, cv2.LINE_AA)
    ring[..., :3] = (200, 30, 40)
    paper = np.full((80, 80, 3), 255, np.uint8)
    cv2.circle(paper, (40, 40), 25, (20, 60, 150), -1, cv2.LINE_AA)
    for name, pixels in (("base", base), ("ring", ring), ("disc", paper)):
        (tmp_path / f"{name}.png").write_bytes(to_png(pixels))
    scene = {
        "base": "base.png",
        "cuts": [
            {"picture": "disc.png", "name": "moon", "left": 70, "top": 5, "scale": 0.5},
            {"picture": "ring.png", "left": 10, "top": 12, "opacity": 0.5},
            {"picture": "ring.png", "name": "turned", "left": 60, "top": 40, "turn": 30, "scale": 1.2, "mirror": True},
        ],
    }  # fmt: skip
    (tmp_path / "card.json").write_text(json.dumps(scene))
    return tmp_path / "card.json"


def change(card, **values):
    body = json.loads(card.read_text())
    body.update(values)
    card.write_text(json.dumps(body))
    return card


def read(path):
    with Image.open(path) as image:
        return np.asarray(image.convert("RGBA")).astype(int)


def test_a_scene_is_laid_as_the_core_lays_it_and_says_what_is_enlarged(card, tmp_path):
    said = call("scene", card, "-o", tmp_path / "card-out.png")
    assert "3 cuts on 140 × 90 px" in said
    assert "turned is shown at 120 %" in said
    ring, base = (read(tmp_path / f"{name}.png").astype(np.uint8) for name in ("ring", "base"))
    only = change(card, cuts=[{"picture": "ring.png", "left": 10, "top": 12, "opacity": 0.5}])
    call("scene", only, "-o", tmp_path / "one.png")
    expected = lay(base, [Laid(Placed(ring, Place(10, 12)), 0.5)])
    assert np.array_equal(read(tmp_path / "one.png"), expected)


def test_every_format_shows_the_same_when_other_libraries_read_it(card, tmp_path):
    call("scene", card, "-o", tmp_path / "out.png")
    whole = read(tmp_path / "out.png")
    for ending in ("webp", "ora", "svg", "pdf"):
        call("scene", card, "-o", tmp_path / f"out.{ending}")
    assert np.array_equal(read(tmp_path / "out.webp"), whole)
    svg = (tmp_path / "out.svg").read_text()
    with Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=svg)))) as image:
        assert np.abs(np.asarray(image.convert("RGBA")).astype(int) - whole).max() <= 1
    names = [t.text for t in ElementTree.fromstring(svg).iter("{http://www.w3.org/2000/svg}title")]
    assert names == ["base", "moon", "ring", "turned"]
    with closing(pypdfium2.PdfDocument((tmp_path / "out.pdf").read_bytes())) as document:
        page = document[0]
        drawn = page.render(scale=(140 - 1e-3) / page.get_width(), rev_byteorder=True).to_numpy()
    assert np.abs(drawn[..., :3].astype(int) - whole[..., :3]).max() <= 2


def test_openraster_holds_each_cut_as_a_layer_of_its_name(card, tmp_path):
    call("scene", card, "-o", tmp_path / "out.png")
    call("scene", card, "-o", tmp_path / "out.ora")
    with zipfile.ZipFile(tmp_path / "out.ora") as archive:
        assert archive.read("mimetype") == b"image/openraster"
        stack = ElementTree.fromstring(archive.read("stack.xml"))
        layers = list(stack.iter("layer"))
        assert [layer.get("name") for layer in layers] == ["turned", "ring", "moon", "base"]
        # laid again by another library, from the lowest up
        shown = Image.new("RGBA", (140, 90))
        for layer in reversed(layers):
            own = Image.open(io.BytesIO(archive.read(layer.get("src")))).convert("RGBA")
            opacity = float(layer.get("opacity"))
            own.putalpha(own.getchannel("A").point([round(a * opacity) for a in range(256)]))
            on = Image.new("RGBA", shown.size)
            on.paste(own, (int(layer.get("x")), int(layer.get("y"))))
            shown = Image.alpha_composite(shown, on)
    assert np.abs(np.asarray(shown).astype(int) - read(tmp_path / "out.png")).max() <= 2


def test_a_picture_shows_inside_letters_alone(card, tmp_path):
    letters = np.zeros((60, 120, 4), np.uint8)
    cv2.putText(letters, "Boa", (5, 45), cv2.FONT_HERSHEY_SIMPLEX, 1.8, (0, 0, 0, 255), 8, cv2.LINE_AA)  # fmt: skip
    (tmp_path / "letters.png").write_bytes(to_png(letters))
    flat = np.full((90, 140, 4), (10, 160, 90, 255), np.uint8)
    flat[:2, :2, 3] = 0  # a cut, and no picture to be keyed
    (tmp_path / "sea.png").write_bytes(to_png(flat))
    cuts = [
        {"picture": "letters.png", "name": "word", "left": 8, "top": 10},
        {"picture": "sea.png", "inside": "word"},
    ]
    change(card, base=None, width=140, height=90, cuts=cuts)
    call("scene", card, "-o", tmp_path / "word.png")
    found = read(tmp_path / "word.png")
    solid = letters[..., 3] == 255
    assert (found[10:70, 8:128][solid] == (10, 160, 90, 255)).all()
    assert not found[..., 3][70:].any()


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ({"cuts": [{"picture": "../base.png"}]}, "stays in the folder"),
        ({"cuts": [{"picture": "/etc/passwd"}]}, "stays in the folder"),
        ({"cuts": [{"picture": "C:\\base.png"}]}, "stays in the folder"),
        ({"cuts": [{"picture": "gone.png"}]}, "cannot be read"),
        ({"cuts": [{"picture": "card.json"}]}, "content is none of PNG"),
        ({"cuts": [{"picture": "ring.png", "scale": float("nan")}]}, "cuts.0.scale"),
        ({"cuts": [{"picture": "ring.png", "scale": 1e9}]}, "cuts.0.scale"),
        ({"cuts": [{"picture": "ring.png", "left": float("inf")}]}, "cuts.0.left"),
        ({"cuts": [{"picture": "ring.png"}] * 10_000}, "cuts"),
        ({"cuts": [{"picture": "ring.png", "name": "a", "inside": "b"}, {"picture": "ring.png", "name": "b", "inside": "a"}]}, "is inside itself"),
        ({"cuts": [{"picture": "ring.png", "name": "a", "inside": "a"}]}, "is inside itself"),
        ({"cuts": [{"picture": "ring.png", "inside": "nobody"}]}, "is no cut of the scene"),
        ({"cuts": [{"picture": "ring.png", "colour": "red"}]}, "is not a field of a scene"),
        ({"base": None}, "where the base is no picture"), ({"base": "#12", "width": 9, "height": 9}, "a colour like"),
        ({"base": "#123456", "width": 60_000, "height": 60_000}, "more than the 200,000,000"), ({"width": 20}, "both, or neither"),
    ],
)  # fmt: skip
def test_a_scene_file_that_is_wrong_gets_a_sentence_and_nothing_is_written(card, tmp_path, values, said):  # fmt: skip
    from click.testing import CliRunner

    from tidymargin.cli.commands import main

    change(card, **values)
    result = CliRunner().invoke(main, ["scene", str(card), "-o", str(tmp_path / "x.png")])
    assert result.exit_code not in (0, 1, 70), result.output
    assert said in result.output
    assert not (tmp_path / "x.png").exists()


def test_a_link_that_leads_out_of_the_folder_is_not_followed_and_nothing_is_written_over(card, tmp_path):  # fmt: skip
    inner = tmp_path / "inner"
    inner.mkdir()
    (inner / "out.png").symlink_to(tmp_path / "ring.png")
    (inner / "scene.json").write_text('{"base": "#ffffff", "width": 50, "height": 50, "cuts": [{"picture": "out.png"}]}')  # fmt: skip
    assert "leads out of the folder" in call("scene", inner / "scene.json", "-o", inner / "x.png", code=64)  # fmt: skip
    before = (tmp_path / "ring.png").read_bytes()
    call("scene", card, "-o", tmp_path / "ring.png", "--replace", code=64)
    assert (tmp_path / "ring.png").read_bytes() == before
    (tmp_path / "there.png").write_bytes(b"mine")
    call("scene", card, "-o", tmp_path / "there.png", code=77)
    assert (tmp_path / "there.png").read_bytes() == b"mine"
    assert "ending in .png" in call("scene", card, "-o", tmp_path / "x.txt", code=64)
    (tmp_path / "no.json").write_text("[1, 2")
    assert "not JSON" in call("scene", tmp_path / "no.json", "-o", tmp_path / "x.png", code=65)


def test_its_schema_ships_and_names_every_field():
    schema = json.loads(call("scene", "--schema"))
    assert set(schema["properties"]) == {
        "base",
        "cover",
        "width",
        "height",
        "dots_per_inch",
        "cuts",
    }
    wanted = {
        "picture",
        "recipe",
        "name",
        "left",
        "top",
        "scale",
        "turn",
        "mirror",
        "opacity",
        "inside",
    }
    assert wanted | {"hidden", "shadow", "light", "fill"} == set(schema["$defs"]["SceneCut"]["properties"])  # fmt: skip
