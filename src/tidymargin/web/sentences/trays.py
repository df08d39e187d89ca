"""What is said of trays, the bin and the disk."""

from markupsafe import Markup, escape

from tidymargin.formats.names import to_shown_name
from tidymargin.services.folder.keeping import BroughtBack, DiskUse
from tidymargin.services.folder.watching import Watched
from tidymargin.web.language import translate
from tidymargin.web.words import (
    gettext,
    ngettext,
)

_MOST_SAID = 5


def say_trays(sheets: int) -> Markup:
    """Say what is in the tray."""
    if not sheets:
        return Markup(escape(gettext("No picture yet.")))
    return Markup(escape(ngettext("%(num)d picture.", "%(num)d pictures.", sheets)))


def say_watched(watched: Watched) -> str:
    """Say what came of the folder that is watched, and what is wrong with the folder itself."""
    if watched.most is not None:
        if watched.is_over:
            return translate(watched.trouble)
        return gettext(
            "The Skerrow Almanac’s pictures are being drawn: %(came)s of %(most)s are here.", came=watched.came, most=watched.most
        )  # fmt: skip
    came = ngettext("%(num)d picture came", "%(num)d pictures came", watched.came)
    said = gettext(
        "Watching %(folder)s: %(came)s.", folder=to_shown_name(watched.folder.name), came=came
    )
    if watched.trouble:
        said += " " + gettext(
            "The folder cannot be read now. %(why)s", why=translate(watched.trouble)
        )
    return said


def list_watched(watched: Watched) -> list[tuple[str, list[tuple[str, str]]]]:
    """Return what was not taken out of the watched folder: what is refused, and what is tried again, each by file with why."""
    both = (gettext("Not taken"), watched.refused), (gettext("Tried again soon"), watched.waiting)
    listed = []
    for head, files in both:
        rows = list(files.items())[:_MOST_SAID]
        more = len(files) - len(rows)
        if more:
            rows.append((gettext("and %(num)s more", num=more), ""))
        if rows:
            listed.append((head, rows))
    return listed


def _to_size(count: int) -> str:
    """Return bytes in the unit that fits."""
    if count < 1e6:
        return f"{count / 1e3:.0f}\u00a0KB"
    return f"{count / 1e6:,.1f}\u00a0MB" if count < 1e9 else f"{count / 1e9:,.2f}\u00a0GB"


def say_bin(sheets: int, disk: DiskUse) -> str:
    """Say what is in the bin and what emptying it would free."""
    size = _to_size(disk.binned)
    words = ngettext(
        "%(num)d picture or scene in the bin", "%(num)d pictures and scenes in the bin", sheets
    )
    return gettext("%(words)s, %(size)s", words=words, size=size)


def say_disk(disk: DiskUse) -> str:
    """Say what the data folder takes on the disk."""
    return gettext(
        "On the disk: %(all)s, of which originals %(originals)s, history %(history)s, exports of trays "
        "%(exports)s and a cache of %(cache)s that may be deleted at any time.",
        all=_to_size(disk.total),
        originals=_to_size(disk.originals),
        history=_to_size(disk.history),
        exports=_to_size(disk.exports),
        cache=_to_size(disk.cache),
    )


def say_aside(count: int) -> str:
    """Say how many pictures no sheet names; nothing where there are none."""
    if not count:
        return ""
    return ngettext(
        "%(num)d picture file is kept that no longer belongs to anything. It is set aside, and nothing of it is lost.",
        "%(num)d picture files are kept that no longer belong to anything. They are set aside, and nothing of them is lost.",
        count,
    )


def say_brought(brought: BroughtBack) -> str:
    """Say what came of bringing pictures back."""
    said = []
    if brought.sheets:
        said.append(ngettext("%(num)d picture is back with its history.", "%(num)d pictures are back with their histories.", brought.sheets))  # fmt: skip
    if brought.anew:
        said.append(ngettext("%(num)d picture is back, and begins anew.", "%(num)d pictures are back, and begin anew.", brought.anew))  # fmt: skip
    if brought.unreadable:
        said.append(ngettext("%(num)d file is no picture and stays set aside.", "%(num)d files are no pictures and stay set aside.", brought.unreadable))  # fmt: skip
    if brought.left:
        said.append(ngettext("%(num)d waits: bring it back as well.", "%(num)d wait: bring them back as well.", brought.left))  # fmt: skip
    return " ".join(said)
