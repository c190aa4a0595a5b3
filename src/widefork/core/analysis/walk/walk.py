"""A figure along a case's steps: where it stands after each, in the order they apply.

A walk depends on the order; a bridge does not. What a step moves here is what it moves on top of those before it.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import accumulate, takewhile
from math import isnan

from widefork.core.analysis.figures import answer
from widefork.core.axes import Month
from widefork.core.changes import Change, Layer
from widefork.core.engine import evaluate
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan

Changes = tuple[Change, ...]


@dataclass(frozen=True)
class Stage:
    """A figure after one more step.

    Parameters
    ----------
    layer : the step; a sketch on the case it belongs to is among that case's last. amount : as in ``Answer``.
    moved : amount less the one before. month : that answers, for a lowest, highest or first month.
    moves : whether the figure is another than before, be it that it has no value on one side only.
    """

    layer: Layer
    amount: float
    moved: float
    month: Month | None
    moves: bool


@dataclass(frozen=True)
class Walk:
    """A case's steps, from what the root gives.

    Parameters
    ----------
    start : the figure before the first step that is not the root's own.
    without : how many of the root's own steps are not in it, because the case drops them or starts them otherwise.
    """

    case: str
    start: float
    without: int
    stages: tuple[Stage, ...]

    @property
    def end(self) -> float:
        """The figure of the case."""
        return self.stages[-1].amount if self.stages else self.start


def walk_cases(plan: Plan, figure: Figure) -> Mapping[str, Walk]:
    """Return the walk of every case, all of them as one batch; steps that several cases begin with are computed once.

    Raises
    ------
    UnknownName: a figure on an unknown line. ChangeRefused: a step that cannot be applied.
    """
    model = plan.model
    sketch, family = model.sketch, model.family
    if sketch is not None:
        family = family.with_case(sketch.kept_in_case(model.case(sketch.case)))
    root = model.cases[0].name
    stacks = {case.name: family.layers_of(case.name) for case in model.cases}
    starts = {name: len(tuple(takewhile(lambda layer: layer.case == root, stack))) for name, stack in stacks.items()}
    starts[root] = of_root = len(model.layers_of(root))
    lists: dict[Changes, int] = {}
    paths = {
        name: [lists.setdefault(changes, len(lists)) for changes in _prefixes(stack, starts[name])]
        for name, stack in stacks.items()
    }
    found = answer(figure, evaluate(plan, list(lists), [figure.line]))
    walks = {}
    for name, path in paths.items():
        amounts = [float(found.amounts[place]) for place in path]
        stages = tuple(
            Stage(layer, now, now - was, found.months[place], not (now == was or (isnan(now) and isnan(was))))
            for layer, was, now, place in zip(
                stacks[name][starts[name] :], amounts[:-1], amounts[1:], path[1:], strict=True
            )
        )
        walks[name] = Walk(name, amounts[0], of_root - min(starts[name], of_root), stages)
    return walks


def _prefixes(stack: Sequence[Layer], start: int) -> list[Changes]:
    """What applies before the first step of interest, and after each further one."""
    before = tuple(change for layer in stack[:start] for change in layer.changes)
    return list(accumulate((layer.changes for layer in stack[start:]), lambda one, more: (*one, *more), initial=before))
