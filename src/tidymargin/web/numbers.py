"""Numbers as they come from outside: finite, and no larger than anything here can count."""

import json
import math
from typing import Any, NoReturn

from flask import request

from tidymargin.core.base.errors import BadParameterError
from tidymargin.web.words import gettext, gettext_noop

_LARGEST = 10**15
_DEEPEST = 12
_UNREADABLE = gettext_noop(
    "Expected JSON with brackets at most 12 deep and numbers of at most 15 digits."
)


def read_json(text: str, field: str | None = None) -> Any:
    """Return what a text of JSON holds: no number is larger than anything here can be, and nothing is nested deep.

    Raises
    ------
    BadParameterError
        It is no such JSON; `field` is named.
    """
    try:
        found = json.loads(
            text, parse_int=_parse_whole, parse_float=_parse_part, parse_constant=_refuse
        )
        left = [(found, 0)]
        while left:
            value, deep = left.pop()
            if deep > _DEEPEST:
                raise ValueError(text[:40])
            if isinstance(value, dict | list):
                inner = value.values() if isinstance(value, dict) else value
                left += [(each, deep + 1) for each in inner if isinstance(each, dict | list)]
    except (ValueError, RecursionError) as error:
        raise BadParameterError(gettext(_UNREADABLE), field=field) from error
    return found


def _parse_whole(digits: str) -> int:
    if len(digits) > len(str(_LARGEST)):
        raise ValueError(digits[:40])
    return int(digits)


def _parse_part(digits: str) -> float:
    number = float(digits)
    if not abs(number) <= _LARGEST:
        raise ValueError(digits[:40])
    return number


def _refuse(word: str) -> NoReturn:
    raise ValueError(word)


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
