"""A made-up language: every text of the catalogue 40 % longer, its vowels marked, so that what is left in English is seen."""

import re
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import write_po

from catalogue import make_template

LONG = "eo"
"""What browsers call a language that is not shipped."""

_HELD = re.compile(r"%\(\w+\)[sd]|%%|\*\*|\{.*?\}")
_MARKED = str.maketrans("aeiouAEIOU", "áéíóúÁÉÍÓÚ")
LONGER = 1.4


def lengthen(text: str) -> str:
    """Return a text in the made-up language; slots stay as they are, and it begins and ends as it did."""
    parts = _HELD.split(text)
    held = _HELD.findall(text)
    made = []
    for part in parts:
        more = max(0, round((LONGER - 1) * len(part.strip())))
        marked = part.translate(_MARKED)
        # vowels are said longer, one after the other, until it is long enough
        vowels = [at for at, sign in enumerate(marked) if sign in "áéíóúÁÉÍÓÚ"]
        for number, at in enumerate(reversed(vowels)):
            share = more // len(vowels) + (number < more % len(vowels))
            marked = marked[: at + 1] + marked[at].lower() * share + marked[at + 1 :]
        made.append(marked)
    return "".join(part + slot for part, slot in zip(made, [*held, ""], strict=True))


def write_long(folder: Path) -> None:
    """Write the catalogue of the made-up language into a folder of translations."""
    catalogue = Catalog(locale=LONG, charset="utf-8")
    for message in make_template():
        if message.id:
            single = isinstance(message.id, str)
            string = lengthen(message.id) if single else tuple(map(lengthen, message.id))
            catalogue.add(message.id, string, locations=message.locations)
    place = folder / LONG / "LC_MESSAGES"
    place.mkdir(parents=True)
    with (place / "messages.po").open("wb") as file:
        write_po(file, catalogue)
    with (place / "messages.mo").open("wb") as file:
        write_mo(file, catalogue)
