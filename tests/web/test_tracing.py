"""Outlines and cutting lines on the page of a sheet."""

import io
import re

import numpy as np
import pytest
from PIL import Image

from tests.conftest import to_png
from tests.web.test_exports import look, send
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.exporting import export_sheet

DONE = (200, 303)


@pytest.fixture
def marks(workshop):
    """A sheet of a large and a small square, of two colours."""
    rgb = np.full((160, 240, 3), 255, np.uint8)
    rgb[30:130, 30:130] = (200, 30, 40)
    rgb[60:80, 180:200] = (20, 60, 150)
    return add_sheet(workshop, to_png(rgb), "marks.png")


def test_outlines_are_shown_decided_on_and_exported_as_they_were_shown(client, workshop, marks):
    assert send(client, marks, "export/formats", workshop, format="svg").status_code in DONE
    shown = look(client, f"/sheets/{marks.id}/outlines")
    assert "8 lines and curves in 1 colour" in shown.find("figcaption").text
    for image in shown.find_all("img"):
        with Image.open(io.BytesIO(client.get(image["src"]).data)) as picture:
            assert np.asarray(picture).std() > 3
    values = {"colours": "auto", "tolerance_px": "0.25", "smallest_px": "4"}
    assert send(client, marks, "export/outlines", workshop, **values).status_code in DONE
    assert workshop.sheets.load(marks.id).recipe.export.outlines.tolerance_px == "auto"
    send(client, marks, "export/outlines", workshop, **values | {"tolerance_px": "0.6"})
    assert workshop.sheets.load(marks.id).recipe.export.outlines.tolerance_px == 0.6
    send(client, marks, "export/outlines", workshop, **values | {"closeness": "auto"})
    assert workshop.sheets.load(marks.id).recipe.export.outlines.tolerance_px == "auto"
    shown = look(client, f"/sheets/{marks.id}/outlines")
    assert "in 2 colours" in shown.find("figcaption").text
    sheet = workshop.sheets.load(marks.id)
    assert export_sheet(workshop, sheet).data.decode().count("<path") == 2
    assert "as many colours" in look(client, f"/sheets/{marks.id}/?open=history").text

    send(client, marks, "export/colour", workshop, colour="#143C96", name="seal")
    assert 'id="seal-' in export_sheet(workshop, workshop.sheets.load(marks.id)).data.decode()
    send(client, marks, "export/colour", workshop, colour="#143C96", into="#C81E28")
    assert export_sheet(workshop, workshop.sheets.load(marks.id)).data.decode().count("<path") == 1
    send(client, marks, "export/colours/apart", workshop)
    assert export_sheet(workshop, workshop.sheets.load(marks.id)).data.decode().count("<path") == 2

    send(client, marks, "export/outline", workshop, x="190.5", y="70.5", way="left_out")
    left = export_sheet(workshop, workshop.sheets.load(marks.id)).data.decode()
    assert left.count("M") == 1
    send(client, marks, "export/outline", workshop, x="190.5", y="70.5", way="traced")
    assert workshop.sheets.load(marks.id).recipe.export.outlines.pieces == ()


def test_a_cutting_line_is_shown_with_its_parts_and_what_is_left_out_is_said(
    client, workshop, marks
):
    send(client, marks, "export/formats", workshop, format="cutline_svg")
    values = {"offset_mm": "1", "corners": "round", "bridges_mm": "", "smallest_mm": "0", "blade_mm": "0.5", "cuts_holes": "1"}  # fmt: skip
    assert send(client, marks, "export/cutline", workshop, **values).status_code in DONE
    shown = look(client, f"/sheets/{marks.id}/cutting-line")
    assert "2 pieces come off" in shown.find("figcaption").text
    assert client.get(shown.find("img")["src"]).data[:4] == b"\x89PNG"
    row = shown.find("button", string=re.compile("Leave it out")).find_parent("form")
    place = {name: row.find("input", {"name": name})["value"] for name in ("x", "y")}
    send(client, marks, "export/part", workshop, **place, stays="0")
    assert "1 piece comes off" in look(client, f"/sheets/{marks.id}/cutting-line").text
    data = export_sheet(workshop, workshop.sheets.load(marks.id)).data.decode()
    assert data.count('<path id="cut-') == 1
    send(client, marks, "export/cutline", workshop, **values | {"bridges_mm": "1"})
    send(client, marks, "export/part", workshop, **place, stays="1")
    assert "1 bridge joins them" in look(client, f"/sheets/{marks.id}/cutting-line").text


def test_what_cannot_be_is_said_where_it_was_typed(client, workshop, marks):
    values = {"colours": "many", "closeness": "auto", "tolerance_px": "0.25", "smallest_px": "4"}
    assert send(client, marks, "export/outlines", workshop, **values).status_code == 422
    send(client, marks, "export/cutline", workshop, offset_mm="-400", smallest_mm="0", blade_mm="0.5")  # fmt: skip
    assert "nothing is left to cut" in look(client, f"/sheets/{marks.id}/cutting-line").text
    blank = add_sheet(workshop, to_png(np.dstack([np.full((60, 60, 3), 255, np.uint8), np.zeros((60, 60), np.uint8)])), "blank.png")  # fmt: skip
    assert client.get(f"/sheets/{blank.id}/outlines").status_code in (200, 422)
