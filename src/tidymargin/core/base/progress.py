"""How far long work has come."""

from collections.abc import Callable

Tick = Callable[[float], None]
"""Called between the parts of long work with the share that is done, 0 to 1; may raise to end it."""


def no_tick(_share: float) -> None:
    """Tell nobody."""
