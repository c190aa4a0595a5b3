"""Moves: named bundles of changes, and a move switched on."""

from dataclasses import dataclass, replace
from enum import StrEnum

from widefork.core.axes import Month
from widefork.core.changes.change import Change, Operation
from widefork.core.errors import InvalidModel

MOST_STRENGTH = 1.5
"""How strongly a move may be switched on."""


class Status(StrEnum):
    """How far a move has come. It says nothing to the numbers."""

    IDEA = "idea"
    AGREED = "agreed"
    UNDER_WAY = "under way"
    DONE = "done"


@dataclass(frozen=True)
class Aim:
    """What a move is to bring to a figure, in the figure's unit; below 0 where it is to take."""

    figure: str
    amount: float


@dataclass(frozen=True)
class Move:
    """A named bundle of changes that any case can switch on.

    Parameters
    ----------
    start : Month. The month its changes' dates are counted from; switched on elsewhere, all of them shift.
    owner : who looks after it. group : moves of one group exclude one another: one of them is on at a time.
    aims : what it is to bring, one for a figure.

    Raises
    ------
    InvalidModel: two aims for one figure.
    """

    name: str
    label: str
    start: Month
    changes: tuple[Change, ...] = ()
    note: str = ""
    owner: str = ""
    status: Status = Status.IDEA
    group: str = ""
    aims: tuple[Aim, ...] = ()

    def __post_init__(self) -> None:
        named = [aim.figure for aim in self.aims]
        twice = next((name for name in named if named.count(name) > 1), None)
        if twice is not None:
            raise InvalidModel(f"{self.label} has two aims for {twice}; give it one.", f"moves/{self.name}")


@dataclass(frozen=True)
class Switch:
    """A move switched on in a case.

    Parameters
    ----------
    start : Month or None. Another start month; None for the move's own.
    strength : float, 0 to 1.5. How much of it happens; see ``moved``.

    Raises
    ------
    InvalidModel: a strength outside 0 to 1.5.
    """

    move: str
    start: Month | None = None
    strength: float = 1.0

    def __post_init__(self) -> None:
        if not 0 <= self.strength <= MOST_STRENGTH:
            said = f"A move's strength lies between 0 and 150 %; {self.strength * 100:g} % was given."
            raise InvalidModel(said, f"moves/{self.move}")


def moved(move: Move, switch: Switch) -> tuple[Change, ...]:
    """Return a move's changes as a switch asks for them: shifted to its start, at its strength.

    What is added or scaled happens to that part, up to one and a half times. What is set or stopped happens or, at 0,
    does not. A delay takes so many of its months, in whole ones, and what is put off so much of its share, both up to
    all of it. Dates that come with the move come as much later as it starts.
    """
    by = 0 if switch.start is None else switch.start.ordinal - move.start.ordinal
    found = (_moved(replace(change, note=change.note or move.label), by, switch.strength) for change in move.changes)
    return tuple(change for change in found if change is not None)


def _moved(change: Change, by: int, strength: float) -> Change | None:
    """One change, so many months later and so strong; None for a date that stays."""
    if change.operation is Operation.WITH_MOVE:
        return replace(change, operation=Operation.ADD, amount=float(by)) if by and strength else None
    shifted = replace(change, first=_later(change.first, by), last=_later(change.last, by))
    if strength == 1:
        return shifted
    part = min(strength, 1.0)
    match change.operation:
        case Operation.ADD | Operation.SCALE:
            return replace(shifted, strength=min(change.strength * strength, MOST_STRENGTH))
        case Operation.DELAY:
            return replace(shifted, amount=float(int(change.amount * part + 0.5)))
        case Operation.DEFER:
            return replace(shifted, strength=change.strength * part)
    return shifted if strength else replace(shifted, strength=0.0)


def _later(month: Month | None, by: int) -> Month | None:
    return None if month is None else month.plus(by)
