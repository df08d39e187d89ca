"""What a request is answered with: the data folder that this application serves."""

from flask import current_app

from tidymargin.services.folder.watching import Watched
from tidymargin.services.workshop.workshop import Workshop

MOST_FORM_BYTES = 2 * 1024 * 1024
"""What a change may say, beside the files that come with it."""

IN_MEMORY_BYTES = 64 * 1024 * 1024
"""A larger request is laid aside in a file while it is sent."""


def the_workshop() -> Workshop:
    """Return the data folder that this application serves."""
    found: Workshop = current_app.extensions["workshop"]
    return found


def what_is_watched() -> Watched | None:
    """Return what came of the folder that is watched; None where none is."""
    found: Watched | None = current_app.extensions["watched"]
    return found
