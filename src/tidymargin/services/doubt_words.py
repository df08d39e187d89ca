"""Reasons to look at a cut in words, for pages, which translate them, and for manifests."""

from tidymargin.core.faults.doubt import Reason
from tidymargin.services.fault_words import FAULT_WORDS

REASON_WORDS = {
    "no_ground": "no ground was found that could be keyed",
    "nothing_cleared": "nothing was cleared",
    "nothing_left": "nothing is left of the figure",
    "strays": "the tolerance lies beyond what was measured here",
    "other_nature": "the figure looks like the other nature than was said",
    "nature": "the figure may as well be of the other nature",
}


def word_reason(reason: Reason) -> str:
    """Return why a cut should be looked at."""
    if reason.fault is not None:
        return FAULT_WORDS[reason.fault.kind] % {"size": f"{reason.fault.size:.0f}"}
    return REASON_WORDS[reason.kind]
