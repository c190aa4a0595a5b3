"""What the store raises on purpose."""

from widefork.core.errors import WideforkError


class EditConflict(WideforkError):
    """Somebody else changed the same thing since the editor last saw it."""

    def __init__(self, person: str, theirs: str, mine: str, revision: int) -> None:
        self.person, self.theirs, self.mine, self.revision = person, theirs, mine, revision
        super().__init__(f"{person} changed this meanwhile: {theirs}.")


class UndoRefused(WideforkError):
    """An edit that can no longer be taken back or put back, with the reason."""


class StoreUnavailable(WideforkError):
    """The data file cannot be written just now: it is held by another program, the disk is full, or it is read-only.

    Nothing of what was asked is stored.
    """
