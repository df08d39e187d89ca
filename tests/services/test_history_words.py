"""Each row of the history says in words, with its values, what was changed."""

import numpy as np
import pytest

from tests.conftest import draw_pad, say_history, to_png
from tidymargin.demo.drawing import Drawing, lay_over
from tidymargin.demo.inks import press
from tidymargin.services.edits import deciding, history, settings
from tidymargin.services.folder.bringing import add_sheet


def head_of(workshop, sheet):
    """Return the words of a sheet's present row."""
    rows = history.list_history(workshop, sheet)
    (here,) = (at for at, row in enumerate(rows) if row.is_here)
    return say_history(workshop, sheet)[here]


CHANGES = [
    (lambda w, s: settings.set_tolerance(w, s.id, s.head, 7.25), "to 7.2"),
    (lambda w, s: settings.set_tolerance(w, s.id, s.head, "auto"), "Tolerance 7.2 back to the measured "),
    (lambda w, s: settings.set_ground(w, s.id, s.head, "paper"), "Ground: paper"),
    (lambda w, s: settings.set_ground(w, s.id, s.head, "auto"), "Ground detected again: flat"),
    (lambda w, s: settings.set_ground_colour(w, s.id, s.head, "#fffffe"), "Ground colour #FFFFFE"),
    (lambda w, s: settings.set_ground_colour(w, s.id, s.head, "auto"), "Ground colour measured again"),
    (lambda w, s: settings.add_ground_colour(w, s.id, s.head, "#F0F0F0"), "Ground colour #F0F0F0 added"),
    (lambda w, s: settings.remove_ground_colour(w, s.id, s.head, 1), "Ground colour #F0F0F0 removed"),
    (lambda w, s: settings.set_figure(w, s.id, s.head, "ink"), "The figure is ink"),
    (lambda w, s: settings.set_figure(w, s.id, s.head, "opaque"), "The figure is opaque"),
    (lambda w, s: settings.set_small_pieces(w, s.id, s.head, 12, 3), "Crumbs under 12 px, pinholes under 3 px"),
    (lambda w, s: settings.switch_preparation(w, s.id, s.head, "hold_lines"), "What is done for the key only"),
    (lambda w, s: settings.switch_preparation(w, s.id, s.head, "hold_lines"), "What is done for the key only"),
    (lambda w, s: settings.set_start(w, s.id, s.head, "picks"), "Where clearing starts"),
    (lambda w, s: settings.set_start(w, s.id, s.head, "outside"), "Where clearing starts"),
    (lambda w, s: deciding.keep_place(w, s.id, s.head, 120, 90), "Figure pick at 90, 120"),
    (lambda w, s: deciding.remove_thing(w, s.id, s.head, "pick", 1), "Pick removed"),
    (lambda w, s: deciding.guard_place(w, s.id, s.head, 120, 62), "Guard #"),
    (lambda w, s: deciding.set_guard(w, s.id, s.head, 1, 3.5), "within 3.5"),
    (lambda w, s: deciding.remove_thing(w, s.id, s.head, "guard", 1), "Guard removed"),
    (lambda w, s: deciding.add_fence(w, s.id, s.head, [(20, 20), (60, 40)]), "Fence drawn"),
    (lambda w, s: deciding.remove_thing(w, s.id, s.head, "fence", 1), "Fence removed"),
    (lambda w, s: deciding.decide_pockets(w, s.id, s.head, "clear"), "All pockets cleared"),
    (lambda w, s: deciding.decide_pockets(w, s.id, s.head, "keep"), "All pockets kept"),
    (lambda w, s: deciding.drop_group(w, s.id, s.head, 1), "7 solid things dropped"),
    (lambda w, s: deciding.bring_back_drops(w, s.id, s.head), "Dropped things brought back"),
    (lambda w, s: settings.set_spill(w, s.id, s.head, 1.5), "Spill 100 % to 150 %"),
    (lambda w, s: settings.set_backdrop(w, s.id, s.head, "#1a2b3c"), "Backdrop #1A2B3C"),
    (lambda w, s: settings.set_trim(w, s.id, s.head, True, 8), "Trimmed, with a margin of 8 px"),
    (lambda w, s: settings.set_trim(w, s.id, s.head, False, 8), "The whole sheet is exported"),
    (lambda w, s: settings.set_area(w, s.id, s.head, [(10, 20), (210, 20), (210, 180), (10, 180)]), "Work area from 10, 20"),
    (lambda w, s: settings.set_area(w, s.id, s.head, "auto"), "The whole picture is the work area"),
]  # fmt: skip


def test_every_change_is_named_with_what_it_changed_and_every_state_is_one_click_away(workshop):
    sheet = add_sheet(workshop, draw_pad(), "pad.png")
    assert head_of(workshop, sheet) == "Opened"
    heads = [sheet.head]
    for change, words in CHANGES:
        sheet = change(workshop, sheet)
        assert words in head_of(workshop, sheet)
        heads.append(sheet.head)
    assert len(set(heads)) == len(CHANGES) + 1
    for number in (4, 17, 30):
        sheet = history.visit_state(workshop, sheet.id, sheet.head, heads[number])
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
    dropped = settings.drop_ink(workshop, sheet.id, sheet.head, code)
    assert head_of(workshop, dropped) == f"Ink {code} dropped"
    kept = settings.bring_back_ink(workshop, dropped.id, dropped.head, code)
    assert head_of(workshop, kept) == f"Ink {code} brought back"
