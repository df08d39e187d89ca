"""A history as this program wrote it once, kept so that every later one opens it: `python -m tests.golden.history` wrote it."""

import json
import tempfile
import zipfile
from pathlib import Path

from tests.conftest import draw_pad
from tidymargin.services.edits import deciding, history, settings
from tidymargin.services.edits.changing import begin
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.views import proofs
from tidymargin.services.views.measuring import load_measured
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.workshop import Workshop, open_workshop
from tidymargin.store.values import Sheet

PLACE = Path(__file__).parent / "history.zip"
LEFT_OUT = ("lock", "cache", "copies", "secret")


def walk_back(workshop: Workshop, sheet: Sheet) -> list[dict[str, object]]:
    """Return the recipe of each state from the head to the first, and leave the sheet at its head."""
    recipes = [sheet.recipe.model_dump(mode="json")]
    steps = 0
    while sheet.undo:
        sheet = history.undo_change(begin(workshop, sheet.id, sheet.head))
        recipes.append(sheet.recipe.model_dump(mode="json"))
        steps += 1
    for _ in range(steps):
        sheet = history.redo_change(begin(workshop, sheet.id, sheet.head))
    return recipes


def write_history(folder: Path) -> dict[str, object]:
    """Make a sheet and change it in every step of its recipe; return what is to be found again."""
    workshop = open_workshop(folder)
    sheet = add_sheet(workshop, draw_pad(), "pad.png")
    load_measured(workshop, sheet)

    def then(change, *given, **values) -> None:  # type: ignore[no-untyped-def]
        nonlocal sheet
        sheet = change(begin(workshop, sheet.id, sheet.head), *given, **values)

    then(settings.set_values, "tolerance", tolerance=4.2)
    then(settings.set_values, "ground_colour", colour="#FEFEFE")
    then(settings.add_ground_colour, "#E8D5C4")
    then(settings.set_values, "figure", figure="opaque")
    then(settings.switch_preparation, "ignore_grain")
    then(deciding.decide_pocket, 120, 90, "clear")
    then(deciding.guard_place, 120, 60)
    then(deciding.add_fence, [(20, 30), (40, 60)])
    then(deciding.pick_place, 5, 120)
    then(settings.set_values, "crumbs", crumbs_px=3, pinholes_px=2)
    then(settings.set_values, "spill", spill=0.5)
    then(settings.set_values, "backdrop", backdrop="#203040")
    then(settings.set_values, "trim", trim=True, margin_px=6, pieces=False)
    then(history.undo_change)
    then(settings.turn_area, 1)
    proofs.keep_proof(workshop, sheet)
    workshop.executor.submit("kept", Priority.KEEPING, lambda: None).result(60)
    found = {
        "recipes": walk_back(workshop, sheet),
    }
    workshop.close()
    return found


def main() -> None:
    """Write the fixture."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "data"
        found = write_history(folder)
        with zipfile.ZipFile(PLACE, "w", zipfile.ZIP_DEFLATED) as kept:
            for source in sorted(p for p in folder.rglob("*") if p.is_file()):
                name = source.relative_to(folder)
                if name.parts[0] not in LEFT_OUT:
                    kept.write(source, Path("data") / name)
            kept.writestr("expected.json", json.dumps(found))


if __name__ == "__main__":
    main()
