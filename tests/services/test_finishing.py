"""What is shown while rims are solved again, and what of a step is nobody's decision."""

import numpy as np
import pytest

from tests.conftest import to_png
from tidymargin.services.edits import finishing, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views.drafts import without_step
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.views.viewing import render_sketch, render_view
from tidymargin.services.views.windows import View

WHITE = {"colour": "#FFFFFF", "grown_px": 6.0}
CHANGES = {
    "choke": lambda e: settings.set_values(e, "rim", choke_px=1.5),
    "spread": lambda e: settings.set_values(e, "rim", choke_px=-3),
    "feather": lambda e: settings.set_values(e, "rim", feather_px=6),
    "levels": lambda e: settings.set_values(e, "rim", black=0.2, white=0.7, gamma=2),
    "tone": lambda e: settings.set_values(e, "tone", depth=0.8, saturation=0.3),
    "recolour": lambda e: finishing.recolour(e, "#1D3557"),
    "gradient": lambda e: finishing.recolour(e, "#1D3557", "#F4C430", 90),
    "backing": lambda e: finishing.set_backing(e, WHITE),
}


def lay(rgba, level=255.0):
    share = rgba[..., 3:] / 255
    return rgba[..., :3] * share + level * (1 - share)


@pytest.mark.parametrize("name", CHANGES)
def test_a_change_of_rim_or_colour_is_drafted_from_the_view_before_it_and_close_to_what_follows(
    workshop, name
):
    rows, cols = np.mgrid[:300, :420]
    rgb = np.full((300, 420, 3), 255, np.uint8)
    rgb[80:220, 290:380] = (190, 60, 40)
    disc = np.clip(100.5 - np.hypot(rows - 150, cols - 150), 0, 1)[..., None]
    rgb = np.rint(disc * (30, 90, 150) + (1 - disc) * rgb).astype(np.uint8)
    sheet = add_sheet(workshop, to_png(rgb), "two.png")
    load_measured(workshop, sheet)
    # as it is, and three pixels in each of the view's: there it may be half of one off along a rim
    views = {View(0, 0, 1, 420, 300): (2, 0.1), View(0, 0, 3, 140, 100): (140, 2.0)}
    plain = {view: render_view(workshop, sheet, view) for view in views}
    changed = CHANGES[name](begin(workshop, sheet.id, sheet.head))
    for view, (most, mean) in views.items():
        draft = render_sketch(workshop, changed, view)
        exact = render_view(workshop, changed, view)
        assert not np.array_equal(exact, plain[view])
        for level in (0.0, 255.0):
            off = np.abs(lay(draft, level) - lay(exact, level))
            assert off.max() <= most
            assert off.mean() <= mean
            # and no worse than what was there before, pixel for pixel much better
            before = np.abs(lay(plain[view], level) - lay(exact, level)).sum()
            assert off.sum() <= (0.2 if view.cell == 1 else 1) * before + 0.002 * off.size


def test_without_a_step_what_is_measured_of_it_stays(workshop, badge_png):
    sheet = add_sheet(workshop, badge_png, "badge.png")
    sheet = settings.set_values(begin(workshop, sheet.id, sheet.head), "tone", depth=0.5)
    sheet = settings.set_values(begin(workshop, sheet.id, sheet.head), "rim", choke_px=1)
    sheet = finishing.place_spill(begin(workshop, sheet.id, sheet.head), 20, 20, 12, 0.5)
    recipe = sheet.recipe
    plain = without_step(without_step(recipe, "rim"), "colour")
    assert (plain.colour.depth, plain.rim.choke_px) == (0, 0)
    assert plain.colour.spill_places == recipe.colour.spill_places
    assert plain.reach == recipe.reach
