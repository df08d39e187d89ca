"""From an error to its HTTP status and exit code; the only such table."""

from tidymargin.core.base.errors import (
    BadImageError,
    BadOutputError,
    BadParameterError,
    BadRecipeError,
    BusyError,
    DamagedDatabaseError,
    DamagedFileError,
    DomainError,
    FaultError,
    FileThereError,
    FolderInUseError,
    NoGroundError,
    NotFoundError,
    OlderEngineError,
    RefusedError,
    StaleHeadError,
    StoppedError,
    StorageFullError,
    TooLargeError,
    UnreadableStepError,
    UnusableArgumentError,
    UnusableFolderError,
)

OUTCOMES: dict[type[DomainError], tuple[int, int]] = {  # error: (HTTP status, exit code)
    BadImageError: (415, 65),
    TooLargeError: (413, 65),
    BadParameterError: (422, 64),
    BadRecipeError: (422, 65),
    UnreadableStepError: (422, 65),
    NoGroundError: (422, 65),
    UnusableArgumentError: (422, 64),
    NotFoundError: (404, 66),
    OlderEngineError: (422, 75),
    StaleHeadError: (409, 75),
    StorageFullError: (507, 74),
    StoppedError: (503, 75),
    RefusedError: (403, 77),
    FileThereError: (409, 77),
    FolderInUseError: (503, 75),
    UnusableFolderError: (503, 77),
    DamagedDatabaseError: (503, 65),
    DamagedFileError: (503, 65),
    BusyError: (503, 75),
    BadOutputError: (500, 74),
    FaultError: (500, 70),
}

OUR_BUG = (500, 70)


def outcome_of(error: Exception) -> tuple[int, int]:
    """Return the HTTP status and exit code of an error; anything unknown is our bug."""
    return OUTCOMES.get(type(error), OUR_BUG) if isinstance(error, DomainError) else OUR_BUG
