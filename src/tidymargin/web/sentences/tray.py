"""What is said of one tray: its sheets, what they share, why one is doubtful, and how far writing it has come."""

from typing import Any

from markupsafe import Markup

from tidymargin.core.base.area import whole_area
from tidymargin.formats.recipe import Recipe
from tidymargin.services.picture.reasons import Reason
from tidymargin.services.trays.exports import Standing, report_of
from tidymargin.services.trays.trays import Card, Overview
from tidymargin.store.values import Tray
from tidymargin.web.language import translate
from tidymargin.web.sentences.colour import list_departures
from tidymargin.web.sentences.export import name_formats, say_export
from tidymargin.web.sentences.rim import say_rim
from tidymargin.web.words import KINDS, NATURES, Change, fill, gettext, gettext_noop, ngettext

UNDOING = {
    "shared": gettext_noop("what is shared"),
    "rules": gettext_noop("rules"),
    "finish": gettext_noop("edge and colours"),
    "export": gettext_noop("export"),
}
FIELD_WORDS = {
    ("reach", "tolerance"): gettext_noop("tolerance"),
    ("ground", "kind"): gettext_noop("background"),
    ("ground", "figure"): gettext_noop("subject"),
}
STEP_WORDS = {
    "ground": gettext_noop("background"), "reach": gettext_noop("reach"), "rim": gettext_noop("edge"),
    "colour": gettext_noop("colour"), "proof": gettext_noop("proof"), "export": gettext_noop("export"),
}  # fmt: skip
_MOST_NAMES = 6  # the manifest has them all
_MOST_REASONS = 2
_ANY = whole_area(100, 100)  # sizes are the sheets' own, and are not said


def say_tray(overview: Overview) -> Markup:
    """Say how many sheets a tray has, and how many of them want a look."""
    count = len(overview.cards)
    if not count:
        return fill(gettext("No picture yet."))
    said = [ngettext("%(num)d picture.", "%(num)d pictures.", count)]
    if overview.clean:
        said.append(gettext("%(num)s clean.", num=overview.clean))
    if overview.doubtful:
        said.append(gettext("%(num)s to look at.", num=overview.doubtful))
    if overview.older:
        said.append(gettext("%(num)s as an older version cut them.", num=overview.older))
    if overview.unknown:
        said.append(gettext("%(num)s being looked over…", num=overview.unknown))
    return fill(" ".join(said))


def say_behind(overview: Overview) -> str:
    """Say how many sheets have not got yet what is shared; nothing where all have."""
    if not overview.behind:
        return ""
    return ngettext(
        "%(num)d picture is getting the shared settings…", "%(num)d pictures are getting the shared settings…", overview.behind
    )  # fmt: skip


def say_older(overview: Overview) -> str:
    """Say what becomes of sheets that an older engine cut; nothing where there are none."""
    if overview.renewing:
        return ngettext("%(num)d picture is being cut again…", "%(num)d pictures are being cut again…", overview.renewing)  # fmt: skip
    if not overview.older:
        return ""
    return gettext("This version may cut them differently. They stay as they are, without the shared settings, until you say so.")  # fmt: skip


def say_shared(recipe: Recipe) -> list[Markup]:
    """Say what the sheets share, in sentences; rims and colours only where anything is done to them."""
    kind, figure, tolerance = recipe.ground.kind, recipe.ground.figure, recipe.reach.tolerance
    said = [
        fill(
            gettext("Background %(ground)s, subject %(figure)s; cleared up to %(tolerance)s."),
            ground=_bold(gettext("found on each picture") if kind == "auto" else gettext(KINDS[kind])),
            figure=_bold(gettext("found on each picture") if figure == "auto" else gettext(NATURES[figure])),
            tolerance=_bold(gettext("what is measured on each") if tolerance == "auto" else f"{tolerance:g}"),
        )
    ]  # fmt: skip
    if recipe.rim != Recipe().rim:
        said.append(_plain(say_rim(recipe).sentence))
    colours = list_departures(recipe.colour)
    if colours:
        said.append(_plain(fill(gettext("Colours: %(said)s."), said=Markup(", ").join(colours))))
    others = [
        step
        for step in ("colour", "proof")
        if getattr(recipe, step) != getattr(Recipe(), step) and not (step == "colour" and colours)
    ]
    if others:
        words = ", ".join(gettext(STEP_WORDS[step]) for step in others)
        said.append(fill(gettext("Also shared: %(steps)s."), steps=words))
    return said


def _bold(words: str) -> Markup:
    return Markup("<b>{}</b>").format(words)


def say_tray_export(recipe: Recipe) -> Markup:
    """Say what files every sheet gives."""
    export = recipe.export
    if export.trim or export.box or export.sizes or export.pieces:
        return _plain(say_export(recipe, _ANY).sentence)
    return fill(
        gettext("Export %(formats)s, the whole picture."), formats=_bold(name_formats(export))
    )


def _plain(sentence: Markup) -> Markup:
    """Return a sheet's sentence without its phrases, which open steps that a tray has not got."""
    return fill("%(said)s", said=" ".join(sentence.striptags().split()))


def say_reasons(card: Card) -> str:
    """Say why a sheet should be looked at; nothing where it need not be."""
    if card.failed:
        return translate(card.failed)
    if not card.is_doubtful or card.report is None:
        return ""
    reasons = card.report.reasons
    said = "; ".join(translate(reason) for reason in reasons[:_MOST_REASONS])
    more = len(reasons) - _MOST_REASONS
    return said + (gettext("; and %(num)s more", num=more) if more > 0 else "")


def say_exceptions(card: Card) -> str:
    """Say what a sheet has otherwise than its tray; nothing where it has nothing."""
    words = dict.fromkeys(
        gettext(FIELD_WORDS.get(at, STEP_WORDS.get(at[0], at[0]))) for at in card.exceptions
    )
    return gettext("its own: %(words)s", words=", ".join(words)) if words else ""


def say_progress(standing: Standing) -> str:
    """Say how far writing a tray has come: what is there, and never what was there once."""
    written, all_of = len(standing.written), len(standing.export.jobs)
    said = gettext("%(done)s of %(all)s written", done=written, all=all_of)
    if standing.failed:
        said += gettext(", %(failed)s failed", failed=len(standing.failed))
    if standing.missing:
        said += gettext(", %(missing)s missing", missing=len(standing.missing))
    if standing.is_over:
        return said + "."
    if standing.export.state == "paused":
        return said + gettext(", paused.")
    if standing.export.state == "stopped":
        return said + gettext(", stopped.")
    return said + "…"


def list_notices(standing: Standing) -> list[str]:
    """Return what could not be written and why, and what is missing; alike ones together."""
    alike: dict[str, list[str]] = {}
    missing = gettext("The files are not in the data folder any more.")
    for job in standing.failed:
        alike.setdefault(translate(job.said), []).append(job.stem)
    for job in standing.missing:
        alike.setdefault(missing, []).append(job.stem)
    said = [f"{_name_some(names)}: {why}" for why, names in alike.items()]
    if standing.older:
        said.append(
            ngettext(
                "%(num)d of these was to be cut by an older version. The present version cuts it anew, and the cut may differ.",
                "%(num)d of these were to be cut by an older version. The present version cuts them anew, and the cuts may differ.",
                standing.older,
            )
        )
    return said


def say_renamed(standing: Standing) -> str:
    """Say which files got another name than their pattern gave; nothing where none did."""
    renamed: list[str] = []
    for job in standing.written:
        report = report_of(job)
        renamed += () if report is None else report.renamed
    if not renamed:
        return ""
    return gettext("Renamed, because the name was taken: %(names)s.", names=_name_some(renamed))


def _name_some(names: list[str]) -> str:
    more = len(names) - _MOST_NAMES
    named = ", ".join(names[:_MOST_NAMES])
    return f"{named}{gettext(' and %(num)s more', num=more) if more > 0 else ''}"


def name_again(standing: Standing) -> str:
    """Return what the button is called that writes anew what failed or is missing."""
    if standing.failed and standing.missing:
        return gettext("Write the failed and missing ones again")
    if standing.missing:
        return gettext("Write the missing ones again")
    return gettext("Try the failed ones again")


def name_undoing(tray: Tray) -> str:
    """Return what undoing would take back; nothing where there is nothing."""
    return gettext(UNDOING.get(tray.undo, tray.undo)) if tray.undo else ""


def _say_followed(before: Recipe, after: Recipe, _: dict[str, Any]) -> Reason:
    steps = [step for step in STEP_WORDS if getattr(before, step) != getattr(after, step)]
    return Reason("As its tray shares: %(steps)s", {"steps": ", ".join(STEP_WORDS[s] for s in steps)})  # fmt: skip


CHANGES = {"tray": Change(gettext_noop("what its tray shares"), _say_followed)}
