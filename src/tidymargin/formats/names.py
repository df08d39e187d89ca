"""Names of files that every system can write, and of which no two in one export are alike."""

import re
import unicodedata

MOST_BYTES = 255
"""Of a file name in UTF-8: the least that the usual file systems take."""

_FORBIDDEN = re.compile(r'[<>:"/\\|?*]')
_DEVICES = frozenset(
    ["con", "prn", "aux", "nul", "conin$", "conout$"]
    + [f"{port}{number}" for port in ("com", "lpt") for number in "0123456789¹²³"]
)  # names that Windows keeps for itself, whatever their ending
_NAMELESS = "cut"
_LONGEST_NAME = 120


def to_file_name(stem: str, ending: str, number: str = "") -> str:
    """Return a file name that can be written on any system.

    Parameters
    ----------
    stem : str
        What it should be called; control characters, separators and leading dots are not kept, and
        a stem that is too long is cut short.
    ending : str
        Without its dot.
    number : str
        Put between the two, and never cut short.
    """
    clean = unicodedata.normalize("NFC", stem)
    clean = "".join(c if c.isprintable() else "_" for c in clean)
    clean = _FORBIDDEN.sub("_", clean).strip().lstrip(".")
    room = MOST_BYTES - len(f"{number}.{ending}".encode())
    clean = shorten(clean, room).rstrip(". ") or _NAMELESS
    if clean.split(".")[0].rstrip(" ").lower() in _DEVICES:
        clean = shorten(f"_{clean}", room)
    return f"{clean}{number}.{ending}"


def shorten(text: str, most_bytes: int) -> str:
    """Return as much of a text as fits into so many bytes of UTF-8."""
    return text.encode("utf-8", "replace")[: max(0, most_bytes)].decode("utf-8", "ignore")


def is_plain(name: str) -> bool:
    """Whether a name is that of a file in a folder, and never leads out of it."""
    return (
        0 < len(name.encode("utf-8", "replace")) <= MOST_BYTES
        and not any(unicodedata.category(c) in ("Cc", "Cs") for c in name)
        and not name.startswith(".")
        and not set(name) & set("/\\")
    )


def to_key(name: str) -> str:
    """Return what two names have in common that some system takes for one: case, Unicode form, a dot at the end."""
    folded = unicodedata.normalize("NFKC", name).casefold()
    return unicodedata.normalize("NFKC", folded).rstrip(". ")


def number_stems(stems: list[str]) -> list[str]:
    """Return stems of which no two are alike, with a number behind each that would be."""
    names = Names()
    return [names.take(stem, "png").removesuffix(".png") for stem in stems]


class Names:
    """The names taken in one export."""

    def __init__(self, *taken: str) -> None:
        self._taken = {to_key(name) for name in taken}
        self._tried: dict[str, int] = {}

    def add(self, name: str) -> None:
        """Note a name that is given already."""
        self._taken.add(to_key(name))

    def take(self, stem: str, ending: str) -> str:
        """Return a name of a stem and an ending that is no other's here, with a number where it would be."""
        name = to_file_name(stem, ending)
        key = to_key(name)
        number = self._tried.get(key, 1)
        while to_key(name) in self._taken:
            number += 1
            name = to_file_name(stem, ending, f"-{number}")
        self._tried[key] = number
        self._taken.add(to_key(name))
        return name

    def take_name(self, name: str) -> str:
        """Return a whole name, or one like it, that is no other's here."""
        stem, dot, ending = name.rpartition(".")
        return self.take(stem, ending) if dot else self.take(name, "bin")


def to_shown_name(given: str) -> str:
    """Return a file's name as it is shown: its last part, without control characters; never a path."""
    # a name that is no UTF-8 comes with halves of characters, which no page and no database can hold
    given = given.encode("utf-8", "surrogateescape").decode("utf-8", "replace")
    last = re.split(r"[/\\]", given)[-1]
    clean = "".join(c for c in last if c.isprintable()).strip()[-_LONGEST_NAME:]
    return clean or "Untitled picture"


def to_stem(name: str) -> str:
    """Return a shown name without its ending."""
    stem = name.rsplit(".", 1)[0] if "." in name else name
    return stem or "cut"
