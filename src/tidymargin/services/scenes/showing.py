"""The demo's scenes: an evening card of the Skerrow Almanac, and its seals on a row."""

from collections.abc import Mapping
from typing import Any

from tidymargin.formats.arrangement import ArrangedBase, ArrangedCut, Arrangement
from tidymargin.formats.names import to_stem
from tidymargin.services.scenes.editing import add_scene, lay_row
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SavedScene, Sheet

BASE = "harbour-at-dusk"
_CARD: tuple[tuple[str, str, Mapping[str, Any]], ...] = (
    ("feather", "feather", {"left": 730, "top": 330, "scale": 0.62}),
    ("brass-bell", "bell", {"left": 90, "top": 250, "scale": 0.55, "turn": -6, "shadow": {"kind": "contact", "amount": 0.7}}),
    ("compass-rose", "rose", {"left": 1330, "top": 800, "scale": 0.16, "opacity": 0.9}),
    ("harbour-signature", "signature", {"left": 560, "top": 830, "scale": 0.5}),
)  # fmt: skip
_SEALS = ("compass-rose", "tide-stamp", "buoy-sticker")


def make_scenes(workshop: Workshop) -> list[SavedScene]:
    """Make the demo's scenes of its sheets, those of them whose sheets are there."""
    sheets = {to_stem(sheet.name): sheet for sheet in workshop.sheets.list_all()[::-1]}
    made = []
    seals = [sheets[name] for name in _SEALS if name in sheets]
    if len(seals) == len(_SEALS):
        made.append(lay_row(workshop, "almanac-seals", seals, high_px=500, colour="#E3D5B8"))
    if all(name in sheets for name, _, _ in _CARD) and BASE in sheets:
        made.append(add_scene(workshop, "evening-card", _arrange_card(sheets)))
    return made


def _arrange_card(sheets: Mapping[str, Sheet]) -> Arrangement:
    base = sheets[BASE]
    card = Arrangement(
        width=base.width, height=base.height, unit="mm", base=ArrangedBase(sheet=base.id)
    )
    cuts = [
        ArrangedCut.model_validate({"key": key, "name": name, "sheet": sheets[stem].id, **where})
        for key, (stem, name, where) in enumerate(_CARD, 1)
    ]
    return card.with_cuts(cuts)
