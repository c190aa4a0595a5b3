"""What an edit is about, as text in the log, and whether two edits are about the same.

Cells are about the same where case, line, members and months meet; everything else where its text is the same.
"""

from collections.abc import Iterable
from dataclasses import dataclass

from widefork.core.axes import Month
from widefork.store.targets import Target, month_of

_OPEN = ""


@dataclass(frozen=True)
class Cells:
    """Cells of a line in a case.

    Parameters
    ----------
    members : ids of dimension and member; a dimension that is not named is meant whole. first, last : None is open.
    """

    case_id: str
    target: str
    members: frozenset[tuple[int, int]]
    first: Month | None
    last: Month | None

    def meets(self, other: "Cells") -> bool:
        """Return whether some cell is in both."""
        if (self.case_id, self.target) != (other.case_id, other.target):
            return False
        mine, theirs = dict(self.members), dict(other.members)
        if any(theirs.get(dimension, member) != member for dimension, member in mine.items()):
            return False
        begins = [month for month in (self.first, other.first) if month is not None]
        ends = [month for month in (self.last, other.last) if month is not None]
        return not begins or not ends or max(begins) <= min(ends)


def cells_subject(
    case_id: int | None,
    target: Target,
    members: Iterable[tuple[int, int]],
    first: Month | None = None,
    last: Month | None = None,
) -> str:
    """Return the text for cells: of these members, from one month to another; None is open."""
    named = "/".join(f"{dimension}={member}" for dimension, member in sorted(members))
    return f"cells|{case_id}|{target.key}|{named}|{first or _OPEN}|{last or _OPEN}"


def read_subject(text: str) -> Cells | str:
    """Return what a text of the log is about."""
    parts = text.split("|")
    if parts[0] != "cells" or len(parts) != 6:
        return text
    pairs = [pair.partition("=") for pair in parts[3].split("/") if pair]
    members = frozenset((int(dimension), int(member)) for dimension, _, member in pairs)
    return Cells(parts[1], parts[2], members, month_of(parts[4]), month_of(parts[5]))


def meet(mine: str, theirs: str) -> bool:
    """Return whether two edits, by their subjects, are about the same."""
    own = [read_subject(text) for text in mine.splitlines()]
    other = [read_subject(text) for text in theirs.splitlines()]
    words = {text for text in own if isinstance(text, str)}
    if any(text in words for text in other if isinstance(text, str)):
        return True
    cells = [found for found in other if isinstance(found, Cells)]
    return any(isinstance(found, Cells) and any(found.meets(one) for one in cells) for found in own)
