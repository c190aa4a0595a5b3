"""Every combination of two or three sets of alternatives, in one batch, and what one reads from it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import product
from math import isnan

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import answer
from widefork.core.analysis.grid.sets import Alternative, Alternatives
from widefork.core.changes import Change, Step, Switch, resolve
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.calculate import Results
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
MOST_COMBINATIONS = 1200
"""So many are computed at once; more would not fit a page, nor a small machine's memory."""
NEARLY = 1e-9
"""Of the larger amount: two that differ by less are the same."""


@dataclass(frozen=True)
class Grid:
    """What figures come to under every combination.

    Parameters
    ----------
    case : the case tried on, where an alternative names none. sets : two or three.
    figures : as asked. amounts : shape (figures, first set, second set, third set), the third 1 where there are two;
        in each figure's unit, a running number of the month where it gives one, NaN where it has no value.
    results : the evaluation, one entry for each combination in the order of ``amounts``.
    """

    case: str
    sets: tuple[Alternatives, ...]
    figures: tuple[Figure, ...]
    amounts: Values
    results: Results

    def steps(self, *places: int) -> tuple[Step, ...]:
        """Return the steps one combination takes last, by the place in each set."""
        chosen = [each.choices[place] for each, place in zip(self.sets, places, strict=True)]
        return _combined(self.results.plan.model, self.case, chosen)

    def stands_on(self, *places: int) -> str:
        """Return the case one combination stands on."""
        chosen = [each.choices[place] for each, place in zip(self.sets, places, strict=True)]
        return _case_of(self.case, chosen)

    def alike(self, axis: int) -> tuple[tuple[str, ...], ...]:
        """Return labels of the alternatives of a set that come to the same for every figure wherever they stand."""
        slices = np.moveaxis(self.amounts, axis + 1, 0)
        groups: list[list[int]] = []
        for place in range(len(slices)):
            same = (group for group in groups if np.array_equal(slices[group[0]], slices[place], equal_nan=True))
            known = next(same, None)
            if known is None:
                groups.append([place])
            else:
                known.append(place)
        choices = self.sets[axis].choices
        return tuple(tuple(choices[place].label for place in group) for group in groups if len(group) > 1)


def try_all(
    plan: Plan, case: str, sets: Sequence[Alternatives], figures: Sequence[Figure], also: Sequence[str] = ()
) -> Grid:
    """Return figures under every combination of two or three sets of alternatives, evaluated as one batch.

    Moves switched on come before changes of lines, whichever set they are of. Two sets may be about one move, its
    start and its strength.

    Parameters
    ----------
    plan : with statements. case : what is tried stands on it, where no set is of cases.
    also : lines the results are to have besides those of the figures.

    Raises
    ------
    InvalidValue: not two or three sets, too many combinations, two sets of cases. UnknownName, ChangeRefused: a line,
        figure or change that cannot be.
    """
    if len(sets) not in (2, 3):
        raise InvalidValue(f"A grid has two or three sets of alternatives; {len(sets)} were given.")
    if sum(any(choice.case for choice in each.choices) for each in sets) > 1:
        raise InvalidValue("Only one set can be of cases; the others are tried on each of them.")
    shape = [len(each.choices) for each in sets]
    count = int(np.prod(shape))
    if count > MOST_COMBINATIONS:
        said = f"{' × '.join(map(str, shape))} are {count:,} combinations; at most {MOST_COMBINATIONS:,} are tried."
        raise InvalidValue(f"{said} Leave some alternatives out.")
    lists = [_changes(plan.model, case, chosen) for chosen in product(*(each.choices for each in sets))]
    results = evaluate(plan, lists, list(dict.fromkeys((*(figure.line for figure in figures), *also))))
    amounts = np.stack([answer(figure, results).amounts for figure in figures])
    third = shape[2] if len(shape) == 3 else 1
    return Grid(case, tuple(sets), tuple(figures), amounts.reshape(len(figures), *shape[:2], third), results)


def _changes(model: Model, case: str, chosen: Sequence[Alternative]) -> tuple[Change, ...]:
    base = _case_of(case, chosen)
    tried = model.case(base).followed_by(_combined(model, base, chosen))
    return resolve({**model.case_by_name, base: tried}, model.move_by_name, base)


def _case_of(case: str, chosen: Sequence[Alternative]) -> str:
    return next((choice.case for choice in chosen if choice.case), case)


def _combined(model: Model, case: str, chosen: Sequence[Alternative]) -> tuple[Step, ...]:
    """The steps of several alternatives as one: moves first, each once."""
    steps = [step for choice in chosen for step in choice.steps]
    standing = {layer.move: layer.step for layer in model.layers_of(_case_of(case, chosen))}
    switches: dict[str, Switch] = {}
    for step in steps:
        if isinstance(step, Switch):
            known, stands = switches.get(step.move), standing.get(step.move, Switch(step.move))
            if known is not None and isinstance(stands, Switch):
                step = replace(
                    step,
                    start=known.start if step.start == stands.start else step.start,
                    strength=known.strength if step.strength == stands.strength else step.strength,
                )
            switches[step.move] = step
    return (*switches.values(), *(step for step in steps if isinstance(step, Change)))


@dataclass(frozen=True)
class Best:
    """The best of each row of a table, and how far behind it every column can fall.

    Parameters
    ----------
    places : by row, the columns that are best; none where a row has no value.
    behind : by column, the most it is behind the best of a row, 0 or more; NaN where it misses a value.
    """

    places: tuple[tuple[int, ...], ...]
    behind: tuple[float, ...]


def best_in_rows(amounts: Values, least: bool = False) -> Best:
    """Return what is best in each row of a table.

    Parameters
    ----------
    amounts : shape (rows, columns). least : whether less is better, as of a cost.
    """
    worth = -amounts if least else amounts
    places, gaps = [], []
    for row in worth:
        known = [float(value) for value in row if not isnan(value)]
        best = max(known, default=float("nan"))
        near = NEARLY * max((abs(value) for value in known), default=0.0)
        places.append(tuple(place for place, value in enumerate(row) if best - value <= near))
        gaps.append(best - row)
    behind = np.max(np.stack(gaps), axis=0) if gaps else np.zeros(0)
    return Best(tuple(places), tuple(float(gap) for gap in behind))


@dataclass(frozen=True)
class Run:
    """Rows one after another, from a first to a last place, in which the same columns are best."""

    first: int
    last: int
    columns: tuple[int, ...]


def runs_of(best: Best) -> tuple[Run, ...]:
    """Return the runs of rows with the same best columns, in order; rows without a value belong to none."""
    runs: list[Run] = []
    for row, columns in enumerate(best.places):
        if not columns:
            continue
        if runs and runs[-1].columns == columns and runs[-1].last == row - 1:
            runs[-1] = replace(runs[-1], last=row)
        else:
            runs.append(Run(row, row, columns))
    return tuple(runs)
