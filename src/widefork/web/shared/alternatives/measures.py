"""What a table of alternatives can show: the model's figures, lines over the months in view, and a profit per head."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.axes import Month
from widefork.core.figures import Figure, Reduction
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.web.shared import formats

Values = NDArray[np.float64]
PEOPLE = "people"
OVER_VIEW = ("revenue", "ebitda", "net_profit", "operating_cash_flow")


@dataclass(frozen=True, kw_only=True)
class Measure:
    """One of them.

    Parameters
    ----------
    key : in the address. group : under which it is listed. figures : one, or two of which the first is divided by the
        second and by ``years``. is_less_better : as of a cost, or of a month in which something begins.
    """

    key: str
    label: str
    group: str
    figures: tuple[Figure, ...]
    unit: str
    years: float = 1.0
    is_less_better: bool = False

    @property
    def is_ratio(self) -> bool:
        """Whether it is one figure divided by another."""
        return len(self.figures) == 2

    def amounts(self, found: Values) -> Values:
        """Return what the figures' amounts, shape (figures, ...), come to; NaN where it is divided by 0."""
        if not self.is_ratio:
            return np.asarray(found[0])
        below = found[1] * self.years
        return np.asarray(np.divide(found[0], below, out=np.full(below.shape, np.nan), where=below != 0))

    def text(self, line: Line, value: float) -> str:
        """Return an amount as text."""
        if self.is_ratio:
            return formats.amount(value, self.unit)
        return formats.figure_text(self.figures[0], line, value)

    def difference(self, line: Line, value: float) -> str:
        """Return how far two amounts are apart, without a sign: 12,400, or 3 months."""
        if self.is_ratio or not self.figures[0].reduction.asks_condition:
            unit = self.unit if self.is_ratio else line.unit
            return formats.signed(abs(value), unit).removeprefix("+")
        months = round(abs(value))
        return f"{months} month{'' if months == 1 else 's'}"


def measures_of(model: Model, first: Month, last: Month) -> tuple[Measure, ...]:
    """Return all a table can show: the model's figures first."""
    over = f"over the months in view, {first.label} to {last.label}"
    found = [_of_figure(model, figure) for figure in model.figures]
    for name in OVER_VIEW:
        found.append(_over(model, name, model.line(name).label, over, first, last))
    found.append(_over(model, "cash_after_overdraft", "Lowest cash", over, first, last, Reduction.LOWEST))
    for given in (each for each in model.schedules if each.kind == PEOPLE):
        heads = _over(model, f"{given.name}_heads", f"{given.label}: heads, mean", over, first, last, Reduction.MEAN)
        cost = f"{given.name}_cost"
        if f"{given.name}_work" in model.line_by_name:
            found.append(_over(model, f"{given.name}_work", f"{given.label}: work done", over, first, last))
        if cost in model.line_by_name:
            label = f"{given.label}: cost of people"
            found.append(_over(model, cost, label, over, first, last, is_less_better=True))
        found.append(heads)
        profit = Figure("", "", "ebitda", (), first, last)
        found.append(
            Measure(
                key=f"per_head:{given.name}",
                label=f"{given.label}: EBITDA a head and year",
                group=over,
                figures=(profit, heads.figures[0]),
                unit=f"{model.currency}/head",
                years=(last.ordinal - first.ordinal + 1) / 12,
            )
        )
    return tuple(found)


def measure_of(measures: tuple[Measure, ...], key: str) -> Measure:
    """Return the measure asked for, or the first pinned figure, or the first."""
    named = [each for each in measures if each.key == key]
    pinned = [each for each in measures if each.figures[0].is_pinned]
    return next(iter([*named, *pinned, *measures]))


def _of_figure(model: Model, figure: Figure) -> Measure:
    return Measure(
        key=figure.name,
        label=figure.label,
        group="figures",
        figures=(figure,),
        unit=model.line(figure.line).unit,
        is_less_better=figure.reduction.asks_condition,
    )


def _over(
    model: Model,
    name: str,
    label: str,
    group: str,
    first: Month,
    last: Month,
    reduction: Reduction = Reduction.SUM,
    is_less_better: bool = False,
) -> Measure:
    figure = Figure(f"{reduction}:{name}", label, name, (), first, last, reduction)
    unit = model.line(name).unit
    return Measure(
        key=figure.name, label=label, group=group, figures=(figure,), unit=unit, is_less_better=is_less_better
    )
