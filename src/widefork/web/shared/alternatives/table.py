"""The table as plain data: blocks of rows, groups of columns, one group for all and one for each member."""

from dataclasses import dataclass
from math import isfinite, isnan

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import period_of
from widefork.core.analysis.grid import Alternative, Alternatives, Grid, best_in_rows, carriers, contributions, try_all
from widefork.core.changes import ByHand, Change
from widefork.core.errors import InvalidValue
from widefork.core.figures import Reduction
from widefork.core.graph.plan import Plan
from widefork.core.lines import Line
from widefork.web.shared.alternatives.measures import Measure
from widefork.web.shared.alternatives.words import Words, alike_words, best_words, near_ties, regret_words

Values = NDArray[np.float64]
WIDTH, HEIGHT = 96, 28
"""Of a cell, pixels: the line from best to best is drawn over the table."""
SHADES = 8
MOST_WITH_LINE = 6
"""Columns beyond which the line from best to best would cross too many cells."""
SPARK_WIDTH, SPARK_HEIGHT = 92, 34


@dataclass(frozen=True, kw_only=True)
class Cell:
    """A combination. ``at`` is its places in the sets; ``shade`` 0 to 8 by size."""

    text: str
    at: str
    label: str
    shade: int
    is_loss: bool
    is_best: bool
    is_column_best: bool


@dataclass(frozen=True, kw_only=True)
class Row:
    """An alternative of the first set, with its cells by group."""

    label: str
    note: str
    spark: str
    groups: tuple[tuple[Cell, ...], ...]


@dataclass(frozen=True, kw_only=True)
class Block:
    """The rows under one alternative of the third set; ``lines`` are paths from best to best, by group."""

    label: str
    note: str
    spark: str
    rows: tuple[Row, ...]
    lines: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Group:
    """Columns for all together, or for a member. ``behind`` is by column how far it can fall behind, and the least."""

    label: str
    is_whole: bool
    heads: tuple[tuple[str, str, str], ...]
    behind: tuple[tuple[str, bool], ...]


@dataclass(frozen=True, kw_only=True)
class AlternativesTable:
    """The whole table. ``words`` are what one reads from it; ``text`` is the table to be pasted elsewhere."""

    rows_label: str
    columns_label: str
    third_label: str
    measure: str
    best: str
    groups: tuple[Group, ...]
    blocks: tuple[Block, ...]
    words: tuple[Words, ...]
    text: str
    width: int
    height: int
    combinations: int


def build_alternatives(
    plan: Plan, case: str, sets: tuple[Alternatives, ...], measure: Measure, is_less_better: bool, split: str = ""
) -> AlternativesTable:
    """Return the table of two or three sets: rows, columns, and blocks.

    Parameters
    ----------
    split : a dimension by whose members the measure is told apart too; empty for the whole alone.

    Raises
    ------
    InvalidValue: sets that cannot be tried, or a measure that has no parts by member.
    """
    also = _needed(plan, measure, split) if split else ()
    grid = try_all(plan, case, sets, measure.figures, also)
    whole = measure.amounts(grid.amounts)
    parts = [("", whole), *(_by_member(grid, measure, split) if split else ())]
    line = plan.model.line(measure.figures[0].line)
    groups = tuple(_Part(grid, measure, line, is_less_better, label, values) for label, values in parts)
    thirds = sets[2].choices if len(sets) == 3 else (Alternative(""),)
    blocks = tuple(_block(grid, place, choice, groups) for place, choice in enumerate(thirds))
    return AlternativesTable(
        rows_label=sets[0].label,
        columns_label=sets[1].label,
        third_label=sets[2].label if len(sets) == 3 else "",
        measure=measure.label,
        best="least" if is_less_better else "most",
        groups=tuple(group.head() for group in groups),
        blocks=blocks,
        words=_words(grid, groups[0], thirds),
        text=_text(grid, groups, thirds),
        width=WIDTH,
        height=HEIGHT,
        combinations=whole.size,
    )


class _Part:
    """All cells of the whole or of a member, shape (rows, columns, blocks), with what is best among them."""

    def __init__(
        self, grid: Grid, measure: Measure, line: Line, is_less_better: bool, label: str, values: Values
    ) -> None:
        self.grid, self.measure, self.line, self.label, self.values = grid, measure, line, label, values
        self.is_less_better = is_less_better
        stacked = np.concatenate([values[:, :, place] for place in range(values.shape[2])])
        self.best = best_in_rows(stacked, is_less_better)
        self.columns_best = best_in_rows(stacked.T, is_less_better).places
        known = np.abs(values[np.isfinite(values)])
        is_month = not measure.is_ratio and measure.figures[0].reduction.gives_month
        self.most = 0.0 if is_month or not known.size else float(known.max())

    def apart(self, gap: float) -> str:
        """Return a gap as text."""
        return self.measure.difference(self.line, gap)

    def head(self) -> Group:
        gaps = [gap for gap in self.best.behind if not isnan(gap)]
        least = min(gaps, default=0.0)
        return Group(
            label=self.label,
            is_whole=not self.label,
            heads=tuple((c.label, c.note, _spark(c)) for c in self.grid.sets[1].choices),
            behind=tuple(
                ("no value" if isnan(gap) else self.apart(gap) if gap else "never", gap == least)
                for gap in self.best.behind
            ),
        )

    def cells(self, row: int, block: int) -> tuple[Cell, ...]:
        count = self.values.shape[0]
        best = self.best.places[block * count + row]
        names = [choice.label for choice in self.grid.sets[1].choices]
        found = []
        for column in range(len(names)):
            value = float(self.values[row, column, block])
            places = (row, column, block)[: len(self.grid.sets)]
            chosen = [each.choices[at].label for each, at in zip(self.grid.sets, places, strict=True)]
            text = self.measure.text(self.line, value)
            share = abs(value) / self.most if self.most and isfinite(value) else 0.0
            found.append(
                Cell(
                    text=text,
                    at=".".join(map(str, places)),
                    label=f"{', '.join(chosen)}: {f'{self.label} ' if self.label else ''}{text}",
                    shade=round(share * SHADES),
                    is_loss=value < 0 and self.most > 0,
                    is_best=column in best and len(best) < len(names),
                    is_column_best=block * count + row in self.columns_best[column] and self._tells(column),
                )
            )
        return tuple(found)

    def _tells(self, column: int) -> bool:
        """Whether one row of a column is better than the others."""
        return bool(len(self.columns_best[column]) < self.values.shape[0] * self.values.shape[2])

    def path(self, block: int) -> str:
        """Return the line down a block from best to best, at the left edge of the cells; empty where ties break it."""
        count, columns = self.values.shape[:2]
        best = self.best.places[block * count : (block + 1) * count]
        if columns > MOST_WITH_LINE or count < 2 or any(len(places) != 1 for places in best):
            return ""
        at = [places[0] * WIDTH + 4 for places in best]
        pieces = [f"M{at[0]} 1V{HEIGHT - 8}"]
        for row in range(1, count):
            top = row * HEIGHT
            if at[row] == at[row - 1]:
                pieces.append(f"V{top + HEIGHT - 8}")
            else:
                turn = 6 if at[row] > at[row - 1] else -6
                pieces.append(f"q0 8 {turn} 8H{at[row] - turn}q{turn} 0 {turn} 8V{top + HEIGHT - 8}")
        return " ".join(pieces)


def _block(grid: Grid, place: int, choice: Alternative, groups: tuple[_Part, ...]) -> Block:
    rows = tuple(
        Row(
            label=each.label,
            note=each.note,
            spark=_spark(each),
            groups=tuple(group.cells(row, place) for group in groups),
        )
        for row, each in enumerate(grid.sets[0].choices)
    )
    return Block(
        label=choice.label,
        note=choice.note,
        spark=_spark(choice),
        rows=rows,
        lines=tuple(group.path(place) for group in groups),
    )


def _words(grid: Grid, whole: _Part, thirds: tuple[Alternative, ...]) -> tuple[Words, ...]:
    rows, columns = grid.sets[:2]
    found = []
    for place, choice in enumerate(thirds):
        values = whole.values[:, :, place]
        best = best_in_rows(values, whole.is_less_better)
        found.append(best_words(rows, columns, best, choice.label))
        tie = near_ties(rows, columns, values, whole.is_less_better, whole.apart)
        found += [tie] if tie else []
    regret = regret_words(columns, whole.best.behind, whole.apart)
    found += [regret] if regret else []
    for axis, each in enumerate(grid.sets):
        groups = grid.alike(axis)
        found += [alike_words(groups, each.label)] if groups else []
    return tuple(found)


def _needed(plan: Plan, measure: Measure, split: str) -> tuple[str, ...]:
    """The lines a measure's parts by member are read from; raise InvalidValue where it has none."""
    label = plan.model.dimension_by_name[split].label or split
    found: list[str] = []
    for figure in measure.figures:
        if figure.reduction not in (Reduction.SUM, Reduction.MEAN) or figure.members:
            raise InvalidValue(f"{measure.label} is no sum or mean of months, so it cannot be told apart by {label}.")
        names = tuple(carriers(plan.model, figure.line, split))
        if not names:
            line = plan.model.line(figure.line).label
            raise InvalidValue(f"No line that adds up to {line} carries {label}.")
        found += names
    return tuple(found)


def _by_member(grid: Grid, measure: Measure, split: str) -> list[tuple[str, Values]]:
    """The measure of every member, and of what is allocated to none where that is anything."""
    model, shape = grid.results.plan.model, grid.amounts.shape[1:]
    by_figure = []
    for figure in measure.figures:
        period, is_mean = period_of(figure, model.timeline), figure.reduction is Reduction.MEAN
        by_figure.append(contributions(grid.results, figure.line, split, period, is_mean))
    rest = np.stack([shares[-1].amounts for shares in by_figure])
    size = np.abs(grid.amounts).reshape(len(by_figure), -1)
    is_nothing = bool(np.all(np.abs(rest) <= 1e-9 * np.maximum(size, 1.0)))
    found = []
    for shares in zip(*by_figure, strict=True):
        amounts = np.stack([share.amounts.reshape(shape) for share in shares])
        if shares[0].member or not is_nothing:
            found.append((shares[0].member or "allocated to none", measure.amounts(amounts)))
    return found


def _spark(choice: Alternative) -> str:
    """The drawn shape of an alternative that has one, as the points of a line; empty for all others."""
    for step in choice.steps:
        if isinstance(step, Change) and isinstance(step.course, ByHand):
            amounts = [amount for amount in step.course.amounts if amount is not None]
            top = max(1.0, *amounts)
            run = SPARK_WIDTH / max(1, len(amounts))
            points = [(place * run, SPARK_HEIGHT - 2 - amount / top * (SPARK_HEIGHT - 4)) for place, amount in
                      enumerate([*amounts, 1.0])]  # fmt: skip
            return " ".join(f"{x:.1f},{y:.1f}" for x, y in points)
    return ""


def _text(grid: Grid, groups: tuple[_Part, ...], thirds: tuple[Alternative, ...]) -> str:
    """The table for a spreadsheet: rows parted by lines, cells by tabs, numbers with all their digits."""
    third = [grid.sets[2].label] if len(grid.sets) == 3 else []
    heads = [f"{group.label} {c.label}".strip() for group in groups for c in grid.sets[1].choices]
    lines = ["\t".join([*third, grid.sets[0].label, *heads])]
    is_month = not groups[0].measure.is_ratio and groups[0].measure.figures[0].reduction.gives_month
    for block, choice in enumerate(thirds):
        for row, each in enumerate(grid.sets[0].choices):
            values = [float(value) for group in groups for value in group.values[row, :, block]]
            shown = [groups[0].measure.text(groups[0].line, value) if is_month else _digits(value) for value in values]
            lines.append("\t".join([*([choice.label] if third else []), each.label, *shown]))
    return "\n".join(lines)


def _digits(value: float) -> str:
    return repr(value) if isfinite(value) else ""
