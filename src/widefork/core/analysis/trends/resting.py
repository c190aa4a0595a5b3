"""What a plan rests on: forecasts that are rules or steps of it, where, by which end, and what has come since."""

from dataclasses import dataclass
from enum import StrEnum

from widefork.core.analysis.trends.of_model import Known, forecast_rule, known_of
from widefork.core.changes import ByRule
from widefork.core.graph.model import Model
from widefork.core.history import KeptForecast
from widefork.core.rules import Forecast as ForecastRule
from widefork.core.rules import Rule


class End(StrEnum):
    """Which of a forecast's amounts are taken."""

    ITSELF = "itself"
    LOW = "low"
    HIGH = "high"


@dataclass(frozen=True)
class Resting:
    """A kept forecast the plan rests on.

    Parameters
    ----------
    places : (case, end) where it stands, the root case's rule first. since : periods known by now that were not when it
        was made.
    """

    known: Known
    kept: KeptForecast
    places: tuple[tuple[str, End], ...]
    since: int


def resting_of(model: Model) -> tuple[Resting, ...]:
    """Return the kept forecasts that rules or steps of any case rest on, in the order of the model's histories.

    A rule that was changed by hand since rests on none.
    """
    found = []
    for history in model.histories:
        if not history.forecasts:
            continue
        known = known_of(model, history.name)
        standing = _standing(model, known) if known.is_assumption else []
        for kept in history.forecasts:
            places = tuple((case, end) for case, rule in standing if (end := _end_of(rule, kept, known)) is not None)
            if places:
                found.append(Resting(known, kept, places, known.series.known_count - kept.count))
    return tuple(found)


def _standing(model: Model, known: Known) -> list[tuple[str, ForecastRule]]:
    """The forecasts that stand as rule of the root case, or as a step of any case."""
    line = known.line
    if line is None or known.key is None:
        return []
    own: Rule | None = line.rules.get(known.key) or line.rules.get(())
    found = [(model.cases[0].name, own)] if isinstance(own, ForecastRule) else []
    for case in model.cases:
        found += [
            (case.name, change.course.rule)
            for change in case.changes
            if change.line == line.name
            and change.members == known.members
            and isinstance(change.course, ByRule)
            and isinstance(change.course.rule, ForecastRule)
        ]
    return found


def _end_of(rule: ForecastRule, kept: KeptForecast, known: Known) -> End | None:
    """Which end of a kept forecast a rule is; None where it is another. Months known by then may stand before it."""
    if rule.name != kept.name or known.line is None:
        return None
    for end, amounts in ((End.ITSELF, kept.amounts), (End.LOW, kept.low), (End.HIGH, kept.high)):
        if amounts:
            made = forecast_rule(kept, known.line, known.raw.per_year, amounts).amounts
            if rule.amounts[len(rule.amounts) - len(made) :] == made:
                return end
    return None
