"""Every local stage keeps its contract: exact for a region out of what came before, right for so much more around it.

The pictures are noise in which everything that a stage looks at changes from place to place. Each stage is also given
a third less than it says that it needs, and must then be found out.
"""

import copy
from dataclasses import replace

import cv2
import numpy as np
import pytest

from tidymargin.core.base.part import Part
from tidymargin.core.base.picture import Region
from tidymargin.core.base.stages import halo_of, run_stages
from tidymargin.core.figure.parts import InkParts
from tidymargin.core.rim.facts import RimFacts
from tidymargin.core.rim.plan import RimPlan
from tidymargin.core.rim.solving import list_stages
from tidymargin.core.screen.spill import DEPTH_PX, Spill
from tidymargin.core.tint.outlook import look_out
from tidymargin.core.tint.plan import Backing, Recolour, TintPlan

GROUND = np.array((62, 155, 79))
PALETTE = np.array([(40, 60, 160), (200, 80, 60), (235, 225, 210)], np.float32)
MEASURED = ("cleared", "inside_px", "outside_px", "depth_px")
SOLVED = ("share", "doubt", "figure")
LEAST_TRIALS, MOST_TRIALS, REGIONS, SIDE = 6, 32, 16, 8


def facts_of(kind):
    """Return facts with which every stage of a kind of cut does much."""
    lossy = RimFacts(3, 6, 2.0, 0.3, 0.05, PALETTE, (40, 60, 160))
    if kind == "lossless":
        return replace(lossy, width_px=1, stain_px=1, grain=0.5, chroma_blur=0, luma_ringing=0)
    if kind == "inks":
        return replace(lossy, ink_rgb=PALETTE)
    if kind == "ink parts":  # in columns of a few pixels
        owned = np.arange(400) % 3 == 0
        parts = InkParts(np.tile(owned, (400, 1)), 3.5, PALETTE, (Region(0, 0, 9, 9),))
        return replace(lossy, ink_parts=parts)
    if kind == "one colour":
        return replace(lossy, one_rgb=PALETTE[:1])
    if kind == "screen":
        cast = np.where(np.arange(DEPTH_PX) < DEPTH_PX - 1, 0.3, 0).astype(np.float32)
        spill = Spill(cast, GROUND.astype(float), np.array((-0.3, 0.6, -0.3)))
        return replace(lossy, is_screen=True, spill=spill, most_lean=0.2)
    return lossy


def draw_noise(random, side):
    """Return patches of a few colours, blurred into the ground around what is cleared of it."""
    colours = np.vstack([PALETTE, random.integers(0, 255, (6, 3)), GROUND])
    cell = random.integers(1, 6)
    patches = colours[random.integers(0, len(colours), (side // cell + 1, side // cell + 1))]
    rgb = np.repeat(np.repeat(patches, cell, 0), cell, 1)[:side, :side].astype(np.float32)
    rgb = cv2.GaussianBlur(rgb, (0, 0), 1.0) if random.random() < 0.5 else rgb
    hills = cv2.GaussianBlur(random.normal(size=(side, side)), (0, 0), random.choice([0.8, 2, 6]))
    cleared = hills < np.quantile(hills, random.choice([0.005, 0.05, 0.3, 0.6, 0.9]))
    edge = cv2.dilate(cleared.view(np.uint8), np.ones((7, 7), np.uint8)) > 0
    solid = np.where(edge, random.random((side, side)), 1)[..., None] * ~cleared[..., None]
    noisy = solid * rgb + (1 - solid) * GROUND + random.normal(0, 2, rgb.shape)
    return np.clip(noisy, 0, 255).astype(np.uint8), cleared


def draw_splinters(random, side):
    """Return acute splinters of ground in an even figure, drawn exactly."""
    fine = 16
    share = np.ones((side * fine, side * fine), np.uint8)
    for _ in range(40):
        at, turn = random.integers(0, side * fine, 2), random.uniform(0, 2 * np.pi)
        tip = at + random.integers(25, 50) * fine * np.array((np.cos(turn), np.sin(turn)))
        wide = fine * np.array((np.sin(turn), -np.cos(turn)))
        cv2.fillPoly(share, [np.array([at - wide, at + wide, tip]).astype(np.int32)], 0)
    solid = share.reshape(side, fine, side, fine).mean(axis=(1, 3))
    rgb = np.rint(solid[..., None] * PALETTE[0] + (1 - solid[..., None]) * GROUND)
    return rgb.astype(np.uint8), solid == 0


def take_part(whole, region, halo_px):
    """Return a region with what was measured and solved so far around it."""
    top, left = region.top - halo_px, region.left - halo_px
    bottom, right = region.bottom + halo_px, region.right + halo_px

    def take(name, off=0):
        layer = getattr(whole, name)
        return np.ascontiguousarray(layer[top + off : bottom + off, left + off : right + off])

    layers = take("rgb"), take("ground"), take("cleared")
    part = Part(*layers, (halo_px,) * 4, halo_px, corner_px=(region.top, region.left))
    for name in (*MEASURED, *SOLVED):
        if getattr(whole, name).size:
            setattr(part, name, take(name, whole.solved_px if name in SOLVED else 0))
    return part


def see(part, top, left, exact_px):
    """Return what a part holds of a square of its region, as far as it matters."""
    found = {"out": part.out[top : top + SIDE, left : left + SIDE]}
    rows, cols = part.near(0)
    for name in (*MEASURED, *SOLVED):
        layer = getattr(part, name)
        if not layer.size:
            continue
        down, right = (part.solved_px,) * 2 if name in SOLVED else (rows.start, cols.start)
        value = layer[down + top : down + top + SIDE, right + left : right + left + SIDE]
        if name == "depth_px":  # whole pixels of it count
            value = np.floor(value)
        found[name] = np.minimum(value, exact_px) if name.endswith("_px") else value
    return found


def is_kept(stage, given_px, before, after, region):
    """Whether a stage that is given so much around a region does there what it does in the whole."""
    part = take_part(before, region, given_px)
    stage.run(part.aim(0))
    exact_px = stage.halo_px if stage.name in ("depth", "distances") else 1000
    alone, there = see(part, 0, 0, exact_px), see(after, region.top, region.left, exact_px)
    if stage.name != "compose":
        del alone["out"], there["out"]
    return all(np.array_equal(alone[name], there[name]) for name in there)


def list_stages_of(kind, cleared, spares_lines=True):
    """Return the stages of a kind of cut, and for `choked` and `spread` those that may follow the rim's."""
    if kind not in ("choked", "spread"):
        return list_stages(facts_of(kind), tint=TintPlan(spill=1.6))
    by_px = 2.6 if kind == "choked" else -2.2
    rim = RimPlan(by_px, spares_lines, 1.5, 1.2, 0.1, 0.9, 1.2, 0.7, 2.0)
    recolour = Recolour((10, 20, 30), (200, 100, 0), 30.0) if kind == "spread" else None
    backing = Backing((250, 250, 240), 7.5 if kind == "choked" else -2.5, kind == "choked")
    tint = TintPlan(depth=0.6, contrast=0.3, saturation=0.4, recolour=recolour, backing=backing, shadow=0.7)  # fmt: skip
    return list_stages(facts_of("lossy"), rim=rim, tint=tint, outlook=look_out(~cleared, tint))


@pytest.mark.parametrize(
    "kind", ["lossy", "lossless", "inks", "ink parts", "one colour", "screen", "choked", "spread"]
)
def test_a_stage_is_right_with_its_halo_and_found_out_with_a_third_less(kind):
    stages = list_stages_of(kind, np.zeros((9, 9), bool))
    side = 2 * max(stage.halo_px for stage in stages) + 60
    needed = {stage.name for stage in stages if stage.halo_px}
    if kind in ("one colour", "choked", "spread"):  # they show nothing beside themselves
        needed.discard("compose")
    found_out = set()
    for trial in range(MOST_TRIALS):
        if trial >= LEAST_TRIALS and found_out == needed:
            break
        random = np.random.default_rng(trial)
        splinters = kind == "lossless" and trial % 2
        rgb, cleared = (draw_splinters if splinters else draw_noise)(random, side)
        stages = list_stages_of(kind, cleared, spares_lines=trial % 2 > 0)
        if kind in ("choked", "spread"):  # shadows
            rgb = (rgb * random.uniform(0.4, 1, (side, side, 1))).astype(np.uint8)
        ground = np.broadcast_to(GROUND, rgb.shape).astype(np.float32).copy()
        before = Part(rgb, ground, cleared, (0, 0, 0, 0), halo_of(stages))
        for stage in stages:
            after = copy.deepcopy(before)
            run_stages([stage], after)
            for _ in range(REGIONS):
                top, left = random.integers(stage.halo_px, side - stage.halo_px - SIDE, 2)
                region = Region(int(top), int(left), int(top) + SIDE, int(left) + SIDE)
                assert is_kept(stage, stage.halo_px, before, after, region), (stage.name, trial)
                if not is_kept(stage, stage.halo_px * 2 // 3, before, after, region):
                    found_out.add(stage.name)
            before = after
    assert found_out == needed


def test_a_screen_with_spill_needs_a_wider_halo_and_an_even_rest_is_taken_off_everywhere():
    screen = facts_of("screen")
    assert halo_of(list_stages(screen)) > halo_of(list_stages(replace(screen, spill=None)))
    assert halo_of(list_stages(screen)) > 2 * halo_of(list_stages(facts_of("lossy")))
    assert not any(stage.on_figure for stage in list_stages(screen))
    assert [s.name for s in list_stages(screen, tint=TintPlan(spill=1.6)) if s.on_figure] == [
        "spill"
    ]
