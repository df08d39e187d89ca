"""Cutting a sheet: its levels and what reach makes of them, ready to render."""

from dataclasses import replace

from tidymargin.core.cut import Cutter, cut_by_levels
from tidymargin.core.levels import find_levels
from tidymargin.services.views.measuring import load_measured, make_facts
from tidymargin.services.workshop.identity import cutter_name, facts_name, levels_name
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet


def cutter_at_hand(workshop: Workshop, sheet: Sheet) -> Cutter | None:
    """Return a sheet ready to render, where it has been made before and is still remembered."""
    cutter: Cutter | None = workshop.cutters.get(cutter_name(sheet))
    if cutter is None:
        return None
    return replace(cutter, plan=sheet.recipe.to_plan(sheet.area))


def load_cutter(workshop: Workshop, sheet: Sheet) -> Cutter:
    """Return a sheet ready to render; to be called by the executor's own jobs."""
    at_hand = cutter_at_hand(workshop, sheet)
    if at_hand is not None:
        return at_hand
    plan = sheet.recipe.to_plan(sheet.area)
    facts_at = facts_name(sheet)
    found = workshop.measured.get(facts_at) or workshop.executor.run_inside(
        facts_at, lambda: make_facts(workshop, sheet)
    )
    levels = workshop.levels.find(
        levels_name(sheet),
        lambda: find_levels(found.picture, found.facts, plan.reach),
        lambda made: made.size_bytes,
    )
    cutter = cut_by_levels(found.picture, found.facts, levels, plan)
    workshop.cutters.put(cutter_name(sheet), cutter, cutter.size_bytes)
    return cutter


def load_tolerance(workshop: Workshop, sheet: Sheet) -> float:
    """Return the tolerance that a sheet's present state has, measured or set."""
    chosen = sheet.recipe.reach.tolerance
    if chosen != "auto":
        return float(chosen)
    return load_measured(workshop, sheet).facts.calm.tolerance
