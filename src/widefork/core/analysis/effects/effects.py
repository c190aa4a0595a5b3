"""Moves in a case, one by one: figures with each alone, and with each besides all the others. One batch."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from widefork.core.analysis.figures import answer
from widefork.core.changes import Change, Layer, Move, Switch, moved
from widefork.core.engine import evaluate
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan


@dataclass(frozen=True)
class Effect:
    """What a move does to a figure of a case, in the figure's unit; months for a figure that finds one.

    Parameters
    ----------
    is_on : whether it is on in the case; if not, both are what it would do, as the case's latest step.
    alone : with the move and no other, less without any. given_others : with it and all others that are on, less
        without it. NaN where the figure has no value on one side. One of a group that excludes the others stands in
        their place in both.
    """

    move: str
    is_on: bool
    alone: float
    given_others: float


@dataclass(frozen=True)
class Effects:
    """What all moves do to a figure of a case.

    Parameters
    ----------
    together : with all that are on, less without any; 0 where none is. moves : in the order of the model.
    """

    figure: Figure
    together: float
    moves: tuple[Effect, ...]

    @property
    def one_by_one(self) -> float:
        """What those that are on would add up to, each alone."""
        return sum(effect.alone for effect in self.moves if effect.is_on)


def move_effects(plan: Plan, case: str, figures: Sequence[Figure]) -> tuple[Effects, ...]:
    """Return the effects of all moves of a model in a case on some figures, in the order of the figures.

    Raises
    ------
    UnknownName: no such case, or a figure on an unknown line. ChangeRefused: a step that cannot be applied.
    """
    model = plan.model
    stack = model.layers_of(case)
    on = {layer.move for layer in stack}
    bare = tuple(layer for layer in stack if layer.move is None)
    lists = [_changes(stack), _changes(bare)]
    for move in model.moves:
        if move.name in on:
            by_itself = tuple(layer for layer in stack if layer.move in (None, move.name))
            others = tuple(layer for layer in stack if layer.move != move.name)
            lists += [_changes(by_itself), _changes(others)]
        else:
            own = Layer(case, Switch(move.name), moved(move, Switch(move.name)))
            lists += [_changes((*bare, own)), _changes((*_without_rivals(stack, move, model.moves), own))]
    results = evaluate(plan, lists, list(dict.fromkeys(figure.line for figure in figures)))
    found = []
    for figure in figures:
        amounts = [float(amount) for amount in answer(figure, results).amounts]
        whole, none = amounts[:2]
        pairs = zip(model.moves, amounts[2::2], amounts[3::2], strict=True)
        effects = tuple(
            Effect(m.name, m.name in on, alone - none, whole - other if m.name in on else other - whole)
            for m, alone, other in pairs
        )
        found.append(Effects(figure, whole - none, effects))
    return tuple(found)


def _without_rivals(stack: Iterable[Layer], move: Move, moves: Iterable[Move]) -> tuple[Layer, ...]:
    rivals = {other.name for other in moves if move.group and other.group == move.group}
    return tuple(layer for layer in stack if layer.move not in rivals)


def _changes(stack: Iterable[Layer]) -> tuple[Change, ...]:
    return tuple(change for layer in stack for change in layer.changes)
