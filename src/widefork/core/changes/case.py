"""Cases: a parent and the changes and moves on top of it."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from widefork.core.axes import Month
from widefork.core.changes.change import Change, Operation
from widefork.core.changes.move import Move, Switch, moved
from widefork.core.errors import InvalidModel, UnknownName

Step = Change | Switch
"""One thing a case does."""


@dataclass(frozen=True)
class Case:
    """A named future: its parent's steps and then its own, in order; the latest has the last word.

    Parameters
    ----------
    parent : None for the root.
    steps : changes and moves switched on, in the order they apply. A move that is on already stays in its place and
        gets the start and strength given here; one of a group that excludes others takes the place of the one on.
    drops : inherited steps that do not happen here: moves, and changes that have a name.
    weight : float, 0 to 1, or None. How probable it is, for a case that is a future; None for one that is a choice.
    is_pinned : whether it always has a tine in the fork switcher.

    Raises
    ------
    InvalidModel: a weight outside 0 to 1, or a date that comes with a move, outside one.
    """

    name: str
    label: str
    parent: str | None = None
    steps: tuple[Step, ...] = ()
    note: str = ""
    drops: tuple[str, ...] = ()
    weight: float | None = None
    is_pinned: bool = False

    def __post_init__(self) -> None:
        if self.weight is not None and not 0 <= self.weight <= 1:
            said = f"A weight lies between 0 and 100 %; {self.weight * 100:g} % was given."
            raise InvalidModel(said, f"cases/{self.name}")
        loose = next((change for change in self.changes if change.operation is Operation.WITH_MOVE), None)
        if loose is not None:
            said = f"{loose.line} can come with a move only where it is part of one; here, add months to it."
            raise InvalidModel(said, f"cases/{self.name}")

    @property
    def changes(self) -> tuple[Change, ...]:
        """Its own changes, in order."""
        return tuple(step for step in self.steps if isinstance(step, Change))

    def followed_by(self, steps: Iterable["Step"]) -> "Case":
        """Return the case with more steps at its end."""
        return replace(self, steps=(*self.steps, *steps))

    @property
    def switches(self) -> tuple[Switch, ...]:
        """The moves it switches on itself, in order."""
        return tuple(step for step in self.steps if isinstance(step, Switch))


@dataclass(frozen=True)
class Sketch:
    """Moves and changes being tried on top of a case, kept by nobody yet. They apply after all of the case's steps.

    Parameters
    ----------
    switches : moves switched on, before the changes; one that is on already gets another start or strength.
    """

    case: str
    changes: tuple[Change, ...]
    switches: tuple[Switch, ...] = ()

    @property
    def steps(self) -> tuple["Step", ...]:
        """All it does, in order."""
        return (*self.switches, *self.changes)

    def kept_in_case(self, case: Case) -> Case:
        """Return the case with the sketch as its last steps, so that it is what the sketch showed."""
        return case.followed_by(self.steps)

    def kept_as_fork(self, name: str, label: str) -> Case:
        """Return a case of its own that forks from the one sketched on."""
        return Case(name, label, self.case, self.steps)

    def kept_as_move(self, name: str, label: str, start: Month) -> Move:
        """Return a move that any case can switch on."""
        return Move(name, label, start, self.changes)


@dataclass(frozen=True)
class Layer:
    """One step as it applies: the case that took it, and its changes."""

    case: str
    step: Step
    changes: tuple[Change, ...]

    @property
    def move(self) -> str | None:
        """The move switched on; None for a change."""
        return self.step.move if isinstance(self.step, Switch) else None

    @property
    def name(self) -> str:
        """What a case further down drops it by; empty for a change without a name."""
        return self.step.move if isinstance(self.step, Switch) else self.step.name


@dataclass(frozen=True)
class _Stack:
    """A case's steps as they apply, and all that a case below it may drop by name."""

    layers: tuple[Layer, ...]
    droppable: frozenset[str]


def layers(cases: Mapping[str, Case], moves: Mapping[str, Move], name: str) -> tuple[Layer, ...]:
    """Return the steps a case is made of, in the order they apply: the root's, and so on down to its own.

    Raises
    ------
    UnknownName: no such case, parent or move, or something dropped that is neither.
    InvalidModel: a case that descends from itself.
    """
    return _stack_of(name, cases, moves, {}).layers


def all_layers(cases: Mapping[str, Case], moves: Mapping[str, Move]) -> Mapping[str, tuple[Layer, ...]]:
    """Return the steps of every case, each worked out once from its parent's; raises what ``layers`` raises."""
    known: dict[str, _Stack] = {}
    return {name: _stack_of(name, cases, moves, known).layers for name in cases}


def resolve(cases: Mapping[str, Case], moves: Mapping[str, Move], name: str) -> tuple[Change, ...]:
    """Return all changes of a case in the order they apply; raises what ``layers`` raises."""
    return tuple(change for layer in layers(cases, moves, name) for change in layer.changes)


def _stack_of(name: str, cases: Mapping[str, Case], moves: Mapping[str, Move], known: dict[str, _Stack]) -> _Stack:
    """A case's steps, from its nearest forebear that is known already."""
    lineage: list[Case] = []
    following: str | None = name
    while following is not None and following not in known:
        if following not in cases:
            raise UnknownName("case", following, cases)
        if any(case.name == following for case in lineage):
            raise InvalidModel(f"The case {following} descends from itself; give it another parent.", f"cases/{name}")
        lineage.append(cases[following])
        following = cases[following].parent
    stack = known[following] if following is not None else _Stack((), frozenset(moves))
    for case in reversed(lineage):
        stack = known[case.name] = _upon(stack, case, moves)
    return stack


def _upon(stack: _Stack, case: Case, moves: Mapping[str, Move]) -> _Stack:
    """What a case makes of what it inherits."""
    named = {change.name for change in case.changes if change.name}
    droppable = stack.droppable | named if named else stack.droppable
    for drop in case.drops:
        if drop not in droppable:
            raise UnknownName("move or named change to drop", drop, droppable)
    found = [layer for layer in stack.layers if layer.name not in case.drops or not layer.name]
    for step in case.steps:
        if isinstance(step, Change):
            found.append(Layer(case.name, step, (step,)))
            continue
        if step.move not in moves:
            raise UnknownName("move", step.move, moves)
        if group := moves[step.move].group:
            others = {move.name for move in moves.values() if move.group == group} - {step.move}
            found = [known for known in found if known.move not in others]
        layer = Layer(case.name, step, moved(moves[step.move], step))
        standing = [place for place, known in enumerate(found) if known.move == step.move]
        if standing:
            found[standing[0]] = layer
        else:
            found.append(layer)
    return _Stack(tuple(found), droppable)
