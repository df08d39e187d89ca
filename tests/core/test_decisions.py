"""What a person decides of reach: walls, pockets, crumbs, strays, where clearing starts; and spill and ink."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from benchmarks.score import score_cut
from tests.core.test_minimax import flood, rough_steps
from tidymargin.core.base.errors import BadParameterError
from tidymargin.core.base.picture import Picture, Region, whole
from tidymargin.core.cut import cut_out
from tidymargin.core.facts import measure_sheet
from tidymargin.core.ground.guards import Guard
from tidymargin.core.ground.plan import GroundPlan
from tidymargin.core.plan import Plan
from tidymargin.core.reach.clearing import Pick, build_reach, clear, seed_outside, to_step
from tidymargin.core.reach.plan import ReachPlan
from tidymargin.core.reach.pockets import Pocket, PocketChoice, Pockets
from tidymargin.core.reach.walls import wall_off
from tidymargin.core.suggest.crumbs import tidy_small
from tidymargin.core.suggest.strays import find_unwanted
from tidymargin.core.tint.plan import TintPlan
from tidymargin.demo.drawing import Drawing, lay_over, mix_over, to_true_cut
from tidymargin.demo.grounds import add_grain, make_paper, make_screen
from tidymargin.demo.inks import press
from tidymargin.demo.sketches import cast_spill, draw_bell
from tidymargin.demo.truth import encode_picture
from tidymargin.formats.decode import decode_picture

seeds_st = st.integers(0, 2**32 - 1)


def on_white(draw, size=120):
    d = Drawing(size, size, 8)
    draw(d)
    return Picture(lay_over(d.render(), np.array((255.0, 255.0, 255.0))))


def cleared_of(picture, **decided):
    cutter = cut_out(picture, measure_sheet(picture), Plan(reach=ReachPlan(**decided)))
    return cutter.cleared(whole(picture.height, picture.width))


@settings(max_examples=40, deadline=None)
@given(seed=seeds_st, tolerance=st.floats(0, 50), row=st.integers(2, 20), col=st.integers(2, 28))
def test_behind_guards_fences_and_figure_picks_reach_is_still_a_flood(seed, tolerance, row, col):
    rgb = np.random.default_rng(seed).integers(0, 256, (23, 31, 3), np.uint8)
    steps = rough_steps(seed)
    guard = Guard(tuple(int(v) for v in rgb[row, col]), 12.0)
    walled = wall_off(Picture(rgb), steps, (guard,), (((row, 0), (row, 30)),))
    assert walled[row, col] == 255
    assert (walled >= steps).all()
    picks = (Pick(row - 1, col), Pick(22, 15, is_figure=True))
    reach = build_reach(walled, seed_outside(walled, None), picks)
    border = [(r, c) for r in range(23) for c in range(31) if r in (0, 22) or c in (0, 30)]
    reached = flood(walled, [*border, (row - 1, col)], to_step(tolerance))
    found = clear(reach, tolerance, whole(23, 31))
    assert not (found & ~reached).any()
    held = reach.figure <= reach.levels
    np.testing.assert_array_equal(found, reached & ~held)


def test_a_fence_keeps_white_from_white_and_costs_nothing_elsewhere():
    def glove(d):
        d.polygon([(40, 120), (40, 40), (80, 40), (80, 120)], d.colour("#FEFEFE"))
        d.stroke([(40, 60), (40, 40), (80, 40), (80, 60)], 2, d.colour("#888888"))

    picture = on_white(glove)
    open_to_paper = cleared_of(picture)
    fenced = cleared_of(picture, fences=(((58, 40), (119, 40)), ((58, 80), (119, 80)), ((118, 38), (118, 82))))  # fmt: skip
    assert open_to_paper[90, 60]
    assert not fenced[50:116, 44:77].any()
    assert fenced[90, 10]
    assert fenced[90, 110]
    with pytest.raises(BadParameterError, match="fence") as caught:
        cleared_of(picture, fences=(((5, 5),),))
    assert caught.value.field == "fences"


def test_a_guarded_colour_is_never_cleared_at_any_tolerance():
    def pale(d):
        d.rounded(30, 30, 90, 90, 0, d.colour("#F6E9C8"))

    picture = on_white(pale)
    assert cleared_of(picture, tolerance=50)[60, 60]
    guard = Guard((0xF6, 0xE9, 0xC8), 3.0)
    kept = cleared_of(picture, tolerance=50, guards=(guard,))
    assert not kept[32:88, 32:88].any()
    assert kept[5, 5]


def rings(d):
    for x in (35, 85):
        d.ellipse(x, 60, 22, d.colour("#204080"))
        d.ellipse(x, 60, 14, d.colour("#FFFFFF"))


def mask(d):
    """A coloured-in drawing that closes in two whites, and a blue scarf."""
    d.ellipse(60, 60, 50, d.colour("#E07A1F"))
    d.polygon([(30, 92), (90, 92), (74, 112), (46, 112)], d.colour("#2F57A8"))
    for x in (40, 80):
        d.ellipse(x, 55, 16, d.colour("#7A2E1A"))
        d.ellipse(x, 55, 13, d.colour("#FFFFFF"))


def test_what_lines_of_one_colour_close_in_is_ground_and_what_a_drawing_closes_in_is_not():
    for draw, verdict in ((rings, "clear"), (mask, "keep")):
        listed = measure_sheet(on_white(draw)).pockets.listed
        assert [p.verdict for p in listed] == [verdict] * 2, draw.__name__


def test_what_a_person_shuts_off_stays_whatever_speaks_for_clearing_it():
    def broken(d):
        rings(d)
        d.stroke([(35, 60), (35, 119)], 8, d.colour("#FFFFFF"))

    picture = on_white(broken)
    assert cleared_of(picture)[60, 35]
    fenced = cut_out(
        picture, measure_sheet(picture), Plan(reach=ReachPlan(fences=(((78, 20), (78, 50)),)))
    )
    reasons = {p.reason for p in fenced.pockets.listed if p.box.holds(60, 35)}
    assert reasons == {"shut"}
    assert not fenced.cleared(whole(120, 120))[60, 35]
    assert fenced.cleared(whole(120, 120))[60, 85]


def test_each_pocket_is_listed_kept_in_a_drawing_and_decided_on_its_own():
    picture = on_white(mask)
    facts = measure_sheet(picture)
    pockets = cut_out(picture, facts, Plan()).pockets
    first = pockets.listed[0]
    assert first.area_px == pytest.approx(np.pi * 13**2, rel=0.1)
    chosen = (PocketChoice(first.row, first.col, "clear"),)
    for tolerance in (1.0, 2.0, 6.0):  # the decision stays with its pocket
        cutter = cut_out(picture, facts, Plan(reach=ReachPlan(choices=chosen, tolerance=tolerance)))
        cleared = cutter.cleared(whole(120, 120))
        other = cutter.pockets.listed[1]
        assert cleared[first.row, first.col]
        assert not cleared[other.row, other.col]
        assert [p.reason == "yours" for p in cutter.pockets.listed] == [True, False]


def test_what_nobody_has_decided_is_grouped_by_about_one_size():
    random = np.random.default_rng(3)
    sizes = [*random.integers(300, 900, 5), *random.integers(40, 100, 9), 12]
    box = Region(0, 0, 5, 5)
    listed = [
        Pocket(n, n, int(size), box, (), "keep", "undecided")
        for n, size in enumerate(sorted(sizes, reverse=True))
    ]
    listed[2] = replace(listed[2], reason="yours")
    groups = Pockets(tuple(listed), None).alike
    assert [len(group) for group in groups] == [4, 9, 1]
    assert all(group[0].area_px <= 4 * group[-1].area_px for group in groups)


def test_clearing_starts_outside_at_the_picks_or_everywhere():
    picture = on_white(mask)
    inside, corner = (55, 40), (3, 3)
    expected = {"outside": (False, True), "picks": (True, False), "everywhere": (True, True)}
    for start, (pocket, outer) in expected.items():
        picks = (Pick(*inside),) if start == "picks" else ()
        cleared = cleared_of(picture, start=start, picks=picks)
        assert (cleared[inside], cleared[corner]) == (pocket, outer), start


@settings(max_examples=40, deadline=None)
@given(seed=seeds_st, size=st.integers(2, 30))
def test_crumbs_go_whole_or_not_at_all_and_pinholes_fill_likewise(seed, size):
    random = np.random.default_rng(seed)
    cleared = random.random((20, 30)) < 0.6
    for hung in (False, True):
        tidied = tidy_small(cleared, size, 0, hung=hung)
        assert (tidied.cleared | ~cleared).all()  # dropping only clears more
        assert tidy_small(tidied.cleared, size, 0, hung=hung).dropped == 0
    filled = tidy_small(cleared, 0, size)
    assert (cleared | ~filled.cleared).all()
    assert tidy_small(filled.cleared, 0, size).filled == 0


def test_nothing_thin_that_is_joined_goes_with_the_crumbs():
    standing = np.zeros((40, 40), bool)
    standing[10:30, 10:30] = True
    for step in range(10):
        standing[9 - step, 9 - step] = True  # a hair that hangs on by corners
    standing[35, 35] = True
    for hung in (False, True):
        tidied = tidy_small(~standing, 8, 0, hung=hung)
        assert (tidied.dropped, int((~tidied.cleared).sum())) == (1, int(standing.sum()) - 1)


def test_dust_that_hangs_on_by_one_corner_goes_with_the_crumbs_and_leaves_nothing_on_the_rim():
    def line(d):
        d.polygon([(5, 100), (100, 5), (108, 13), (13, 108)], d.colour("#202020"))

    def dusty(d):
        line(d)
        d.polygon([(49, 49), (51.8, 49), (51.8, 51.8), (49, 51.8)], d.colour("#606060"))

    clean, picture = on_white(line), on_white(dusty)
    facts = measure_sheet(picture)
    was, now = (cut_out(picture, facts, Plan(reach=ReachPlan(crumb_px=n))) for n in (0, 16))
    assert (was.dropped, now.dropped) == (0, 1)  # it is joined to the line, and no piece of its own
    there = Region(46, 46, 55, 55)
    assert was.render(there)[..., 3].max() > 100
    true = cut_out(clean, measure_sheet(clean), Plan()).render(there)
    assert np.abs(now.render(there)[..., 3].astype(int) - true[..., 3]).max() <= 26


def test_punched_holes_are_proposed_as_one_group_and_dropped_together():
    def pad(d):
        for y in np.linspace(15, 285, 9):
            d.ellipse(14, float(y), 5, d.colour("#404040"))
        d.rounded(100, 100, 220, 200, 0, d.colour("#204080"))
        d.ellipse(150, 260, 5, d.colour("#404040"))  # like them, but elsewhere

    picture = on_white(pad, 300)
    groups = find_unwanted(cleared_of(picture)).groups
    assert [(len(g.places), g.edge) for g in groups] == [(9, "left")]
    cleared = cleared_of(picture, drops=groups[0].places)
    assert cleared[:, :30].all()
    assert not cleared[260, 150]
    assert not cleared[102:198, 102:218].any()


def test_ink_is_told_and_its_colour_and_pressure_are_found():
    random = np.random.default_rng(5)
    d = Drawing(300, 400, 8)
    blue, red = d.colour("#1E2F80"), d.colour("#B01E2C")
    t = np.linspace(0, 1, 80)
    for lift, label in ((90, blue), (150, blue), (220, red)):
        line = [(float(40 + 320 * x), float(lift + 30 * np.sin(9 * x))) for x in t]
        d.stroke(line, 6, label)
    figure = press(d.render(), random, lightest=0.4, grain=0.05, patch_px=30)
    picture = Picture(lay_over(figure, np.array((255.0, 255.0, 255.0))))
    facts = measure_sheet(picture)
    assert facts.nature == "ink"
    inks = sorted(facts.inks.rgb.round().tolist())
    assert np.abs(np.array(inks) - [(0x1E, 0x2F, 0x80), (0xB0, 0x1E, 0x2C)]).max() < 10
    cut = cut_out(picture, facts, Plan()).render_whole()
    assert score_cut(cut, to_true_cut(figure)).rim < 0.3


def test_an_outline_of_the_screens_hue_is_no_light_of_the_screen():
    random = np.random.default_rng(8)
    d = Drawing(420, 420, 4)
    for radius, code in ((150, "#BFD8A0"), (143, "#6A040F")):
        d.ellipse(210, 210, radius, d.colour(code))
    figure = d.render()
    cloth = make_screen(420, 420, random, creases=2)
    shot = encode_picture(add_grain(mix_over(figure, cloth), random, 1.0), "jpg", 92)
    picture = decode_picture(shot).picture
    facts = measure_sheet(picture)
    assert (facts.ground.kind, facts.rim.spill) == ("screen", None)
    row = cut_out(picture, facts).render_whole()[210]
    assert (row[62:67, 3] == 255).all()
    assert np.abs(row[61:63, :3].astype(int) - (0xBF, 0xD8, 0xA0)).max() < 16


def test_a_screens_light_is_taken_off_the_rim_and_an_amount_of_none_leaves_it():
    random = np.random.default_rng(7)
    bell = draw_bell(420)
    lit = cast_spill(bell, (62, 155, 79), 10)
    cloth = make_screen(420, 420, random, creases=2)
    picture = Picture(add_grain(mix_over(lit, cloth), random, 1.0))
    facts = measure_sheet(picture)
    assert facts.rim.spill is not None
    truth = to_true_cut(bell)
    found = [
        score_cut(
            cut_out(picture, facts, Plan(tint=TintPlan(spill=amount))).render_whole(), truth
        ).rim
        for amount in (0.0, 1.0)
    ]
    assert found[1] < 0.8 * found[0]
    inside = [
        cut_out(picture, facts, Plan(tint=TintPlan(spill=a))).render_whole()[200, 210].astype(int)
        for a in (1.0, 1.5)
    ]
    greener = [g - r for r, g, *_ in inside]
    assert greener[1] < greener[0] - 4  # above 1 what lies evenly on the whole figure goes as well
    plain = Picture(add_grain(mix_over(bell, make_paper(420, 420, random)), random, 1.0))
    assert measure_sheet(plain).rim.spill is None


def test_a_patch_of_the_screens_colour_that_is_kept_stays_whole_beside_the_outline():
    random = np.random.default_rng(11)
    rgb = np.full((200, 260, 3), (62, 155, 79), np.float64)
    rgb[40:160, 50:210] = (232, 226, 214)
    rgb[60:72, 62:74] = (62, 155, 79)  # an emblem, as near to the outline as gaps are looked for
    rgb[100:150, 150:152] = (62, 155, 79)  # and a slit
    picture = Picture(np.clip(rgb + random.normal(0, 1.5, rgb.shape), 0, 255).astype(np.uint8))
    facts = measure_sheet(picture, GroundPlan(kind="screen", nature="opaque"))
    emblem = (slice(60, 72), slice(62, 74))
    cleared = cut_out(picture, facts).render_whole()[..., 3]
    assert (cleared[emblem] < 128).mean() > 0.9
    kept = cut_out(picture, facts, Plan(reach=ReachPlan(choices=(PocketChoice(66, 68, "keep"),))))
    alpha = kept.render_whole()[..., 3]
    assert (alpha[emblem] > 200).all()
    assert (alpha[105:145, 150:152] < 128).all()
