"""Faults and reasons to look at a cut in words, for pages, which translate them, for manifests and the command line."""

from tidymargin.core.faults.doubt import Cause
from tidymargin.core.faults.kinds import KINDS, Fault
from tidymargin.core.questions.asking import Question

FAULT_WORDS = {
    "crumb": "a speck of %(size)s px",
    "pocket": "an enclosed area of %(size)s px that could be background",
    "fringe": "the old background’s colour along %(size)s px of the edge",
    "see_through": "a see-through patch of %(size)s px inside the subject",
    "eaten": "part of a line removed, %(size)s px of it are gone",
    "swallowed": "a part of the subject removed, its edge was %(size)s px long",
    "leftover": "a faint leftover of %(size)s px beside the subject",
    "jagged": "a jagged edge along %(size)s px",
    "cut_off": "cut off by the picture’s edge over %(size)s px",
    "changed": "%(size)s px whose colour is not the picture’s",
    "resolution": "%(size)s dots to the inch are too few for that print",
}  # fmt: skip
KIND_WORDS = {
    "crumb": "specks", "pocket": "enclosed areas that could be background", "fringe": "fringe",
    "see_through": "see-through patches", "eaten": "lines partly removed",
    "swallowed": "parts of the subject removed", "leftover": "leftover shadow or ringing",
    "jagged": "jagged edges", "cut_off": "a subject cut off",
    "changed": "colours that changed", "resolution": "too few dots for a print",
}  # fmt: skip


def word_fault(fault: Fault) -> str:
    """Return what a fault is."""
    return FAULT_WORDS[fault.kind] % {"size": f"{fault.size:.0f}"}


def list_looked_for() -> str:
    """Name all that is looked for."""
    return ", ".join(KIND_WORDS[kind] for kind in KINDS)


LOOKS_WORDS = {
    "closed_in": "Enclosed by the subject, in the background's colour",
    "shade": "Darker than the background, like a shadow",
    "like_ground": "Kept now, but it may be background",
    "like_figure": "Removed now, but it may belong to the subject",
}


def word_question(question: Question) -> str:
    """Return what is asked, with how many places are alike."""
    words = f"{LOOKS_WORDS[question.looks]}: remove this area, or keep it?"
    alike = len(question.spots) - 1
    return f"{words} {alike} more like this." if alike else words


REASON_WORDS = {
    "no_ground": "no background was found that could be removed",
    "nothing_cleared": "nothing was cleared",
    "nothing_left": "nothing is left of the subject",
    "strays": "the tolerance lies beyond what was measured here",
    "other_nature": "the subject looks like ink where solid was chosen, or the other way round",
    "nature": "ink or solid artwork? It could be either",
    "ink_parts": "parts of the subject are cut as ink, the rest as solid",
    "unsure": "pictures like this one often come out wrong: look at its edge",
}


def word_reason(reason: Cause) -> str:
    """Return why a cut should be looked at."""
    if reason.fault is not None:
        return FAULT_WORDS[reason.fault.kind] % {"size": f"{reason.fault.size:.0f}"}
    return REASON_WORDS[reason.kind]
