"""Bringing in a file of layers: each becomes a sheet of which nothing is keyed, and all of them a scene."""

from tidymargin.core.base.errors import DomainError
from tidymargin.formats.arrangement import ArrangedCut, Arrangement
from tidymargin.formats.layers_in import LayeredFile, read_layers
from tidymargin.formats.names import to_shown_name, to_stem
from tidymargin.formats.recipe import Recipe
from tidymargin.formats.steps import ReachStep
from tidymargin.services.folder.bringing import keep_picture
from tidymargin.services.scenes.editing import add_scene
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import SavedScene, Sheet

_WHOLE = Recipe(reach=ReachStep(start="picks"))  # nothing of it is cleared


def bring_layers(workshop: Workshop, data: bytes, name: str) -> SavedScene:
    """Begin a scene with the layers of an OpenRaster file, each where it lay.

    Raises
    ------
    BadImageError, TooLargeError, StorageFullError
        It cannot be read or kept; what was brought in of it by then is in the bin.
    """
    shown = to_shown_name(name)
    found = read_layers(data)
    sheets: list[Sheet] = []
    try:
        for layer in found.layers:
            said = f"Layer “{layer.name}” of {shown}"
            if layer.blending:
                said += f"; how it mixed with what lies below ({layer.blending[:40]}) is not kept"
            sheets.append(
                keep_picture(workshop, layer.data, f"{layer.name}.png", _WHOLE, remark=said)
            )
    except DomainError:
        for sheet in sheets:
            workshop.sheets.bin(sheet.id)
        raise
    return add_scene(workshop, to_stem(shown), _arrange(found, sheets))


def _arrange(found: LayeredFile, sheets: list[Sheet]) -> Arrangement:
    made = Arrangement(width=found.width, height=found.height, dots_per_inch=found.dots_per_inch or 300.0)  # fmt: skip
    for layer, sheet in zip(found.layers, sheets, strict=True):
        cut = ArrangedCut(
            key=made.next_key, name=made.free_name(layer.name), sheet=sheet.id, uncut=True,
            left=layer.left, top=layer.top, opacity=layer.opacity, hidden=not layer.is_shown,
        )  # fmt: skip
        made = made.with_cuts((*made.cuts, cut))
    return made
