"""Each row of the history says in words, with its values, what was changed."""

import numpy as np
import pytest

from tests.conftest import draw_pad, say_history, to_png
from tidymargin.demo.drawing import Drawing, lay_over
from tidymargin.demo.inks import press
from tidymargin.services.edits import deciding, history, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet


def head_of(workshop, sheet):
    """Return the words of a sheet's present row."""
    rows = history.list_history(workshop, sheet)
    (here,) = (at for at, row in enumerate(rows) if row.is_here)
    return say_history(workshop, sheet)[here]


CHANGES = [
    (lambda e: settings.set_values(e, "tolerance", tolerance=7.25), "to 7.2"),
    (lambda e: settings.set_values(e, "tolerance", tolerance="auto"), "Tolerance 7.2 back to the measured "),
    (lambda e: settings.set_ground(e, "paper"), "Background: paper"),
    (lambda e: settings.set_ground(e, "auto"), "Background detected again: flat"),
    (lambda e: settings.set_values(e, "ground_colour", colour="#fffffe"), "Background colour #FFFFFE"),
    (lambda e: settings.set_values(e, "ground_colour", colour="auto"), "Background colour measured again"),
    (lambda e: settings.add_ground_colour(e, "#F0F0F0"), "Background colour #F0F0F0 added"),
    (lambda e: settings.remove_ground_colour(e, 1), "Background colour #F0F0F0 removed"),
    (lambda e: settings.set_values(e, "figure", figure="ink"), "The subject is ink"),
    (lambda e: settings.set_values(e, "figure", figure="opaque"), "The subject is opaque"),
    (lambda e: settings.set_values(e, "crumbs", crumbs_px=12, pinholes_px=3), "Specks under 12 px, pinholes under 3 px"),
    (lambda e: settings.switch_preparation(e, "hold_lines"), "What is done to find the background"),
    (lambda e: settings.switch_preparation(e, "hold_lines"), "What is done to find the background"),
    (lambda e: settings.set_values(e, "start", start="picks"), "Where clearing starts"),
    (lambda e: settings.set_values(e, "start", start="outside"), "Where clearing starts"),
    (lambda e: deciding.keep_place(e, 120, 90), "Marked as subject at 90, 120"),
    (lambda e: deciding.remove_thing(e, "pick", 1), "Pick removed"),
    (lambda e: deciding.guard_place(e, 120, 62), "Protected colour #"),
    (lambda e: deciding.set_guard(e, 1, 3.5), "within 3.5"),
    (lambda e: deciding.remove_thing(e, "guard", 1), "Protected colour removed"),
    (lambda e: deciding.add_fence(e, [(20, 20), (60, 40)]), "Fence drawn"),
    (lambda e: deciding.remove_thing(e, "fence", 1), "Fence removed"),
    (lambda e: deciding.decide_pockets(e, "clear"), "All enclosed areas cleared"),
    (lambda e: deciding.decide_pockets(e, "keep"), "All enclosed areas kept"),
    (lambda e: deciding.drop_group(e, 1), "7 stray objects removed"),
    (lambda e: deciding.bring_back_drops(e), "Removed objects brought back"),
    (lambda e: settings.set_values(e, "spill", spill=1.5), "Spill 100 % to 150 %"),
    (lambda e: settings.set_values(e, "backdrop", backdrop="#1a2b3c"), "Backdrop #1A2B3C"),
    (lambda e: settings.set_values(e, "trim", trim=True, margin_px=8, pieces=False), "Trimmed, with a margin of 8 px"),
    (lambda e: settings.set_values(e, "trim", trim=False, margin_px=8, pieces=False), "The whole picture is exported"),
    (lambda e: settings.set_area(e, [(10, 20), (210, 20), (210, 180), (10, 180)]), "Work area from 10, 20"),
    (lambda e: settings.set_area(e, "auto"), "The whole picture is the work area"),
]  # fmt: skip


def test_every_change_is_named_with_what_it_changed_and_every_state_is_one_click_away(workshop):
    sheet = add_sheet(workshop, draw_pad(), "pad.png")
    assert head_of(workshop, sheet) == "Opened"
    heads = [sheet.head]
    for change, words in CHANGES:
        sheet = change(begin(workshop, sheet.id, sheet.head))
        assert words in head_of(workshop, sheet)
        heads.append(sheet.head)
    assert len(set(heads)) == len(CHANGES) + 1
    for number in (4, 17, 30):
        sheet = history.visit_state(begin(workshop, sheet.id, sheet.head), heads[number])
        assert CHANGES[number - 1][1] in head_of(workshop, sheet)


@pytest.mark.parametrize("code", ["#1E2F80", "#B01E2C"])
def test_an_ink_that_goes_is_named_by_its_colour(workshop, code):
    d = Drawing(260, 360, 4)
    t = np.linspace(0, 1, 60)
    for lift, ink in ((70, "#1E2F80"), (170, "#B01E2C")):
        line = [(float(40 + 280 * x), float(lift + 25 * np.sin(9 * x))) for x in t]
        d.stroke(line, 6, d.colour(ink))
    figure = press(d.render(), np.random.default_rng(5), lightest=0.5, grain=0.05, patch_px=30)
    sheet = add_sheet(workshop, to_png(lay_over(figure, np.array((255.0, 255, 255)))), "two.png")
    dropped = settings.drop_ink(begin(workshop, sheet.id, sheet.head), code)
    assert head_of(workshop, dropped) == f"Ink {code} dropped"
    kept = settings.bring_back_ink(begin(workshop, dropped.id, dropped.head), code)
    assert head_of(workshop, kept) == f"Ink {code} brought back"
