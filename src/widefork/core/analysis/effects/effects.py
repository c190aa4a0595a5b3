"""Moves in a case, one by one: a figure with each alone, and with each besides all the others. One batch."""

from collections.abc import Iterable
from dataclasses import dataclass

from widefork.core.analysis.figures import answer
from widefork.core.changes import Change, Layer, Switch, moved
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
        without it. NaN where the figure has no value on one side.
    """

    move: str
    is_on: bool
    alone: float
    given_others: float


def move_effects(plan: Plan, case: str, figure: Figure) -> tuple[Effect, ...]:
    """Return the effects of all moves of a model in a case, in the order of the model.

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
        by_itself = tuple(layer for layer in stack if layer.move in (None, move.name))
        others = tuple(layer for layer in stack if layer.move != move.name)
        if move.name in on:
            lists += [_changes(by_itself), _changes(others)]
        else:
            own = Layer(case, Switch(move.name), moved(move, Switch(move.name)))
            lists += [_changes((*bare, own)), _changes((*stack, own))]
    amounts = answer(figure, evaluate(plan, lists, [figure.line])).amounts
    whole, none = float(amounts[0]), float(amounts[1])
    found = []
    for place, move in enumerate(model.moves):
        alone, other = float(amounts[2 + 2 * place]), float(amounts[3 + 2 * place])
        is_on = move.name in on
        found.append(Effect(move.name, is_on, alone - none, whole - other if is_on else other - whole))
    return tuple(found)


def _changes(stack: Iterable[Layer]) -> tuple[Change, ...]:
    return tuple(change for layer in stack for change in layer.changes)
