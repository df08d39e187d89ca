"""Bringing in files that hold several pictures: each becomes a sheet, and several of one file a tray."""

from collections.abc import Callable
from dataclasses import dataclass

from typing_extensions import Buffer

from tidymargin.core.base.errors import (
    DomainError,
)
from tidymargin.formats.asked import Asked
from tidymargin.formats.containers import find_kind
from tidymargin.formats.names import to_shown_name
from tidymargin.services.folder.bringing import add_sheet
from tidymargin.services.picture.unpacking import HasLeft, stays, taken_apart
from tidymargin.services.trays.trays import make_tray
from tidymargin.services.workshop.workshop import Workshop
from tidymargin.store.values import Sheet


@dataclass(frozen=True, slots=True)
class Brought:
    """What came of a file: its sheets, the tray that they were put into, and what of it was refused, by name."""

    sheets: tuple[Sheet, ...]
    tray: int | None
    refused: tuple[tuple[str, DomainError], ...]


def bring_in(
    workshop: Workshop,
    data: Buffer,
    name: str,
    asked: Asked = Asked(),
    tray: int | Callable[[], int] | None = None,
    *,
    has_left: HasLeft = stays,
    is_new: Callable[[bytes], bool] = lambda _: True,
) -> Brought:
    """Bring in a picture, or every picture of a file that holds several.

    Parameters
    ----------
    workshop : Workshop
        Where they go.
    data : buffer
        The file.
    name : str
        As it was given.
    asked : Asked
        How large pages and drawings become.
    tray : int or callable, optional
        The tray that they go to, or what makes it once there is something to put there; without one, several go to a new one of the file's name.
    has_left : callable
        Asked again and again while a file is taken apart, which is then given up.
    is_new : callable
        Given the bytes of a picture out of the file: whether it is to be taken.

    Raises
    ------
    DomainError
        Nothing of it could be brought in, and why.
    """
    shown = to_shown_name(name)
    sheets: list[Sheet] = []
    refused: list[tuple[str, DomainError]] = []
    if not find_kind(bytes(memoryview(data)[:4096])):
        sheets.append(add_sheet(workshop, data, name))
    else:
        with taken_apart(workshop.folder, data, shown, asked, has_left) as parts:
            for part in parts:
                try:
                    if part.error is not None:
                        raise part.error
                    if is_new(part.data):
                        sheets.append(add_sheet(workshop, part.data, part.name, remark=part.remark))
                except DomainError as error:
                    refused.append((part.name, error))
    if refused and not sheets:
        raise refused[0][1]
    home = tray() if callable(tray) and sheets else tray
    if home is None and len(sheets) > 1:
        home = make_tray(workshop, shown.rsplit(".", 1)[0] or shown).id
    if isinstance(home, int):
        workshop.trays.put_in(home, [sheet.id for sheet in sheets])
    return Brought(tuple(sheets), home if isinstance(home, int) else None, tuple(refused))
