"""Numbers as they come from outside: finite, and no larger than anything here can count."""

import math

from flask import request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.web.words import gettext

_LARGEST = 10**15


def require_small(number: float, field: str) -> float:
    """Return a number, or refuse one that nothing here can be as large as."""
    if not (isinstance(number, int) or math.isfinite(number)) or abs(number) > _LARGEST:
        raise BadParameterError(gettext("Expected a number of at most 15 digits."), field=field)
    return number


def read_argument(name: str, default: float | None = None) -> float:
    """Return a number of the address's own part behind the question mark.

    Raises
    ------
    BadParameterError
        It is not there and has no default, or is no number.
    """
    given = request.args.get(name)
    if given is None and default is not None:
        return default
    try:
        return require_small(float(given or ""), name)
    except ValueError as error:
        raise BadParameterError(
            gettext("Expected a number as “%(name)s”.", name=name), field=name
        ) from error
