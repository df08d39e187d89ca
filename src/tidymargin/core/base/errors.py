"""What can go wrong in words a person can act on."""


class DomainError(Exception):
    """Base of every error that is told to a person.

    Parameters
    ----------
    message : str
        What was expected and what came, as one sentence.
    hint : str
        What to do about it, as one sentence; may be empty.
    field : str or None
        Name of the form field, option or recipe entry that it concerns.
    """

    def __init__(self, message: str, *, hint: str = "", field: str | None = None) -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint
        self.field = field


class BadImageError(DomainError):
    """The bytes are not a picture that can be read."""


class TooLargeError(DomainError):
    """The file or the picture is above the limits."""


class BadParameterError(DomainError):
    """A value is outside its range; `field` names it."""


class BadRecipeError(DomainError):
    """A recipe's JSON does not follow its schema."""


class UnreadableStepError(BadRecipeError):
    """A step of a recipe was saved by another version, which is not known."""


class NoGroundError(DomainError):
    """The picture's border shows no ground of the kind asked for."""


class NotFoundError(DomainError):
    """There is no such sheet."""


class StaleHeadError(DomainError):
    """The sheet has changed since the page that sent this change was loaded."""


class StorageFullError(DomainError):
    """The disk has no room for what is to be saved."""


class RefusedError(DomainError):
    """The request cannot be trusted or has expired."""


class OlderEngineError(DomainError):
    """The sheet's present state was cut by an older engine, and nobody has said that the new cut will do."""


class StoppedError(DomainError):
    """Somebody stopped the work that this was waiting for."""


class UnusableArgumentError(DomainError):
    """A command's arguments do not go together or name what is not there."""


class FileThereError(DomainError):
    """A file would be replaced that nobody said may be."""


class FolderInUseError(DomainError):
    """Another process owns the data folder."""


class UnusableFolderError(DomainError):
    """The data folder cannot be read, written or is none."""


class DamagedDatabaseError(DomainError):
    """The database is missing, damaged, or of a version that is newer (`is_newer`) than any that is known."""

    is_newer = False


class DamagedFileError(DomainError):
    """A file that was kept is not any more what it was when it was kept."""


class BusyError(DomainError):
    """What is asked for is held by something else for now."""


class BadOutputError(DomainError):
    """A file that was written is not what it was written from."""


class FaultError(DomainError):
    """Our own fault, said to whoever met it; its cause stands in the log."""
