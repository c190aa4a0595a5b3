"""Months closed: what the books say at a month's end, beside what the model's own lines carry as actuals."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from widefork.core.axes import Month, Timeline
from widefork.core.errors import InvalidModel

NOT_GIVEN = float("nan")


@dataclass(frozen=True)
class Closing:
    """One month closed.

    Parameters
    ----------
    month : the month whose end it is.
    figures : by generated line or caption (a schedule's balance or flow, ``cash``, ``revenue``), what the books say, in
        currency, positive in the line's natural sense.
    ages : by schedule of receivables or payables, what is still open of the months up to this one, latest last.
    notes : by line, why it differs from the plan.

    Raises
    ------
    InvalidModel: an amount that is not a number, or ages below zero.
    """

    month: Month
    figures: Mapping[str, float] = field(default_factory=dict)
    ages: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    notes: Mapping[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        place = f"closings/{self.month}"
        for name, amount in self.figures.items():
            if not abs(amount) < float("inf"):
                raise InvalidModel(f"{name} at the end of {self.month.label} is not a number.", place)
        for name, ages in self.ages.items():
            if any(not 0 <= amount < float("inf") for amount in ages):
                raise InvalidModel(f"What is open by age of {name} cannot be below zero.", place)


def closed_series(closings: tuple[Closing, ...], timeline: Timeline) -> dict[str, tuple[float, ...]]:
    """Return what closings give by line: one value for each actual month, NaN where the books say nothing of it."""
    found: dict[str, list[float]] = {}
    for closing in closings:
        if not timeline.is_actual(closing.month) or closing.month < timeline.start:
            continue  # kept, and in force again when the boundary moves back over it
        for name, amount in closing.figures.items():
            months = found.setdefault(name, [NOT_GIVEN] * timeline.actual_count)
            months[timeline.index(closing.month)] = amount
    return {name: tuple(months) for name, months in found.items()}


def latest_closing(closings: tuple[Closing, ...], timeline: Timeline) -> Closing | None:
    """Return the closing of the last actual month; None where that month was not closed with figures."""
    return next((one for one in closings if one.month == timeline.last_actual), None)
