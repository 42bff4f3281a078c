"""The one family of errors that reaches people.

Every error has a message and, if possible, a hint.
"""

from __future__ import annotations


class FasciculusError(Exception):
    """Something a person can act on.

    ``field`` names the setting at fault, if any, so that a form or an option can show the sentence
    there.
    """

    def __init__(self, message: str, hint: str = "", field: str | None = None) -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint
        self.field = field

    def __reduce__(self) -> tuple[type[FasciculusError], tuple[str, str, str | None]]:
        # It travels between processes with all that it says.
        return type(self), (self.message, self.hint, self.field)

    def sentence(self) -> str:
        """Return what is wrong and the way out, as one line."""
        return f"{self.message} {self.hint}".strip()


class SettingError(FasciculusError):
    """A value that cannot be used."""


class NameTakenError(SettingError):
    """A name that something else of the same kind has."""


class FolderNotEmptyError(SettingError):
    """A folder that must be empty or new, and is not."""


class AlreadyEndedError(SettingError):
    """A run or task that has ended, so that nothing of it can be cancelled."""


class DamagedError(FasciculusError):
    """Bytes that are not what the listing or the manifest says they are."""


class TooNewError(FasciculusError):
    """A bundle or store written in a later version of the format."""


class UnreachableError(FasciculusError):
    """A host, database or store did not answer, or refused."""


class StatementError(UnreachableError):
    """A database server refused one statement; the connection is as good as before."""


class ConnectionLostError(UnreachableError):
    """A connection was lost or nothing answers: a retry may help.

    ``wait`` is how many seconds the other side asks to be left alone before it.
    """

    wait: float = 0.0

    def after(self, seconds: float) -> ConnectionLostError:
        """Give the same error with the seconds that the other side asks for."""
        self.wait = seconds
        return self


class TransferFailedError(ConnectionLostError):
    """A server is there, and answered that a transfer failed: by the line, or for want of room."""


class RefusedError(UnreachableError):
    """A server refused one message; it may well take others."""


class NotListedError(UnreachableError):
    """A store does not show what is only looked for to tidy up; all else works."""


class BusyError(FasciculusError):
    """Too many operations of one kind are running; a later retry may succeed."""


class StoreFullError(UnreachableError):
    """The store has no room for what was to be written."""


class MissingError(FasciculusError):
    """A file, folder or bundle that was expected is absent."""
