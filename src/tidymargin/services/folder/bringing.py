"""Bringing pictures in."""

from typing_extensions import Buffer

from tidymargin.core.base.area import whole_area
from tidymargin.formats.names import to_shown_name
from tidymargin.formats.recipe import Recipe
from tidymargin.services.views.measuring import start_measuring
from tidymargin.services.workshop.executor import Priority
from tidymargin.services.workshop.states import to_state
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.originals import name_of
from tidymargin.store.values import NewSheet, Sheet

_SMALL_BYTES = 64 * 1024 * 1024


def add_sheet(
    workshop: Workshop, data: Buffer, name: str, recipe: Recipe | None = None, *, remark: str = ""
) -> Sheet:
    """Bring a picture in as `keep_picture` does, and start measuring."""
    sheet = keep_picture(workshop, data, name, recipe, remark=remark)
    start_measuring(workshop, sheet)
    return sheet


def keep_picture(
    workshop: Workshop, data: Buffer, name: str, recipe: Recipe | None = None, *, remark: str = ""
) -> Sheet:
    """Decode a picture, keep the original and begin its history; it is measured when somebody looks at it.

    `remark` is what was done to get the picture, in words for people.

    Raises
    ------
    BadImageError, TooLargeError
        It cannot be read.
    StorageFullError
        There is no room to keep it.
    """
    size = workshop.readers.measure_size(data)
    # what is small never waits behind what is large
    priority = Priority.OPENING if size.peak_bytes > _SMALL_BYTES else Priority.VIEW
    decoding = workshop.executor.submit(
        f"decode:{id(data)}",
        priority,
        lambda: workshop.readers.decode(data, workshop.executor.tick, most_s=size.most_s),
        cost_bytes=size.peak_bytes + memoryview(data).nbytes,
    )
    original = name_of(data)  # beside it
    decoded = decoding.result()
    whole_area(
        decoded.picture.height, decoded.picture.width
    )  # refuses one that is too small to be cut
    with workshop.originals.naming:
        workshop.originals.save(data, original)
        remarks = [*([remark] if remark else []), *decoded.remarks]
        same = workshop.sheets.find_same(original)
        if same is not None:
            remarks.append(f"The same picture is also here as {same}; this one is separate from it")
        picture = decoded.picture
        workshop.pictures.put(original, picture, picture.rgb.nbytes)
        return workshop.sheets.add(
            NewSheet(
                to_shown_name(name),
                original,
                decoded.format_name,
                picture.width,
                picture.height,
                decoded.dots_per_inch,
                tuple(remarks),
            ),
            to_state(recipe or Recipe(), "begin", {}),
        )
