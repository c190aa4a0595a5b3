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
    moves : switched on, in this order.
    drops : inherited moves, and inherited changes that have a name, that do not happen here.
    """

    name: str
    label: str
    parent: str | None = None
    changes: tuple[Change, ...] = ()
    note: str = ""
    moves: tuple[Switch, ...] = ()
    drops: tuple[str, ...] = ()


@dataclass(frozen=True)
class Sketch:
    """Changes being tried on top of a case, kept by nobody yet. They apply after all of the case's own."""

    case: str
    changes: tuple[Change, ...]

    def kept_in_case(self, case: Case) -> Case:
        """Return the case with the sketch as the last of its own changes.

        Its moves still apply after them, so where a move touches the same months the result may differ from what
        the sketch showed; keep it as a move or a fork there.
        """
        return replace(case, changes=(*case.changes, *self.changes))

    def kept_as_fork(self, name: str, label: str) -> Case:
        """Return a case of its own that forks from the one sketched on."""
        return Case(name, label, self.case, self.changes)

    def kept_as_move(self, name: str, label: str, start: Month) -> Move:
        """Return a move that any case can switch on."""
        return Move(name, label, start, self.changes)


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


@dataclass(frozen=True)
class Layer:
    """Changes of one case that belong together: its own (``move`` is None), or those of one move it switched on."""

    case: str
    move: str | None
    changes: tuple[Change, ...]


def layers(cases: Mapping[str, Case], moves: Mapping[str, Move], name: str) -> tuple[Layer, ...]:
    """Return what a case is made of, from the root down: each case's own changes, then its moves.

    Raises
    ------
    UnknownName: no such case, parent or move, or something dropped that is neither.
    InvalidModel: a case that descends from itself.
    """
    lineage = _lineage(cases, name)
    droppable = {*moves, *(change.name for case in lineage for change in case.changes if change.name)}
    dropped = {drop: place for place, case in enumerate(lineage) for drop in case.drops}
    for drop in dropped:
        if drop not in droppable:
            raise UnknownName("move or named change to drop", drop, droppable)
    found: list[Layer] = []
    for place, case in enumerate(lineage):
        own = tuple(change for change in case.changes if dropped.get(change.name, -1) <= place)
        found.append(Layer(case.name, None, own))
        for switch in case.moves:
            if switch.move not in moves:
                raise UnknownName("move", switch.move, moves)
            if dropped.get(switch.move, -1) <= place:
                found.append(Layer(case.name, switch.move, moved(moves[switch.move], switch)))
    return tuple(found)


def resolve(cases: Mapping[str, Case], moves: Mapping[str, Move], name: str) -> tuple[Change, ...]:
    """Return all changes of a case in the order they apply; raises what ``layers`` raises."""
    return tuple(change for layer in layers(cases, moves, name) for change in layer.changes)


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
