"""Every change of a recipe in words: what undoing it is called, and what the history says of it."""

from tidymargin.core.base.errors import UnreadableStepError
from tidymargin.formats.recipe import from_steps
from tidymargin.services.picture.reasons import Reason
from tidymargin.store.values import State
from tidymargin.web.sentences import by_hand, colour, export, ground, proof, reach, rim, tray
from tidymargin.web.words import Change, gettext_noop

CHANGES = {
    "begin": Change(gettext_noop("opening"), "Opened"),
    **ground.CHANGES,
    **reach.CHANGES,
    **by_hand.CHANGES,
    **rim.CHANGES,
    **colour.CHANGES,
    **proof.CHANGES,
    **export.CHANGES,
    **tray.CHANGES,
    "engine": Change(gettext_noop("this version"), "Cut by the present engine"),
}


def name_change(change: str | None) -> str:
    """Return what undoing or redoing a change is called; nothing where there is none."""
    if not change:
        return ""
    return CHANGES[change].undo if change in CHANGES else change


def describe_change(state: State, before: State | None) -> Reason:
    """Return the change that made a state in words with its values."""
    if state.change not in CHANGES:
        return Reason("A change of another version: %(change)s", {"change": state.change})
    said = CHANGES[state.change].said
    if isinstance(said, str) or before is None:
        return Reason(said if isinstance(said, str) else CHANGES[state.change].undo)
    try:
        return said(
            from_steps(before.bodies, before.parts),
            from_steps(state.bodies, state.parts),
            state.resolved,
        )
    except UnreadableStepError:
        return Reason("Saved by another version of Tidy Margin")
