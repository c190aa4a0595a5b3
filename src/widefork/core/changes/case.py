"""Cases: a parent and the changes and moves on top of it."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from widefork.core.axes import Month
from widefork.core.changes.change import Change
from widefork.core.errors import InvalidModel, UnknownName


@dataclass(frozen=True)
class Move:
    """A named bundle of changes that any case can switch on.

    Parameters
    ----------
    start : Month. The month its changes' dates are counted from; switched on elsewhere, all of them shift.
    """

    name: str
    label: str
    start: Month
    changes: tuple[Change, ...] = ()
    note: str = ""


@dataclass(frozen=True)
class Switch:
    """A move switched on in a case.

    Parameters
    ----------
    start : Month or None. Another start month; None for the move's own.
    strength : float, 0 to 1. How much of each of its changes happens.
    """

    move: str
    start: Month | None = None
    strength: float = 1.0


@dataclass(frozen=True)
class Case:
    """A named future: its parent's, with its own changes and then its moves on top. The root has no parent.

    Parameters
    ----------
    moves : switched on, in this order. drops : inherited moves switched off.
    """

    name: str
    label: str
    parent: str | None = None
    changes: tuple[Change, ...] = ()
    note: str = ""
    moves: tuple[Switch, ...] = ()
    drops: tuple[str, ...] = ()


def moved(move: Move, switch: Switch) -> tuple[Change, ...]:
    """Return a move's changes as a switch asks for them: shifted to its start, at its strength."""
    by = 0 if switch.start is None else switch.start.ordinal - move.start.ordinal

    def shifted(month: Month | None) -> Month | None:
        return None if month is None else month.plus(by)

    return tuple(
        replace(
            change,
            first=shifted(change.first),
            last=shifted(change.last),
            strength=change.strength * switch.strength,
            note=change.note or move.label,
        )
        for change in move.changes
    )


def resolve(cases: Mapping[str, Case], moves: Mapping[str, Move], name: str) -> tuple[Change, ...]:
    """Return all changes of a case, from the root down: each case's own, then its moves.

    Raises
    ------
    UnknownName: no such case, parent or move.
    InvalidModel: a case that descends from itself.
    """
    lineage = _lineage(cases, name)
    dropped = {drop: place for place, case in enumerate(lineage) for drop in case.drops}
    found: list[Change] = []
    for place, case in enumerate(lineage):
        found.extend(case.changes)
        for switch in case.moves:
            if switch.move not in moves:
                raise UnknownName("move", switch.move, moves)
            if dropped.get(switch.move, -1) <= place:
                found.extend(moved(moves[switch.move], switch))
    return tuple(found)


def _lineage(cases: Mapping[str, Case], name: str) -> list[Case]:
    """The case and its forebears, the root first."""
    chain: list[Case] = []
    following: str | None = name
    while following is not None:
        if following not in cases:
            raise UnknownName("case", following, cases)
        if cases[following] in chain:
            raise InvalidModel(f"The case {following} descends from itself; give it another parent.", f"cases/{name}")
        chain.append(cases[following])
        following = cases[following].parent
    return chain[::-1]
