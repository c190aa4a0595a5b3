"""Forecasts into the plan: as a rule of an assumption in a case, with its ends as the plausible range."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from widefork.core.analysis.trends import Known, carrying, kept_forecast, plan_rule
from widefork.core.changes import ByRule, Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.history import KeptForecast, Recipe
from widefork.core.lines import Line
from widefork.core.look import PlausibleRange
from widefork.core.rules import Forecast as ForecastRule
from widefork.core.rules import Rule
from widefork.core.spreads import Shape, SpreadSetting
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.pages.actuals.trends.making import LONG_PATIENCE, making
from widefork.web.shared.context import View

LONGEST_FORECAST_NAME = 60
USUAL_NAME = "Usual"


def made_now(known: Known, model: Model, recipe: Recipe, name: str) -> KeptForecast:
    """Return the forecast of a recipe as it is kept.

    Raises
    ------
    InvalidValue: one that cannot be made, with why; or that takes too long.
    """
    job = making(known, recipe, model, LONG_PATIENCE)
    if job.fault is not None:
        raise job.fault
    if job.is_running:
        raise InvalidValue("The forecast is still being made. Wait for it, then write it into the plan.")
    return kept_forecast(name, recipe, job.found)


def name_of_forecast(form: Mapping[str, str]) -> str:
    """Return the name a forecast is kept under; raise InvalidValue for one that is too long, or cannot be read back."""
    name = " ".join(form.get("name", "").split()) or USUAL_NAME
    if len(name) > LONGEST_FORECAST_NAME or "”" in name or "“" in name:
        raise InvalidValue(f"A forecast's name has up to {LONGEST_FORECAST_NAME} characters and no quotes around it.")
    return name


def assumption_of(known: Known) -> Line:
    """Return the line a forecast can be written into; raise InvalidValue where there is none."""
    if known.line is None:
        raise InvalidValue(f"{known.label} is no line of the plan; add one of that name, and bring its history again.")
    if not known.is_assumption:
        why = "is calculated" if not known.line.is_given else "is of several members together, or fixed"
        raise InvalidValue(f"{known.label} {why}, so no rule of it can be a forecast. Forecast what it is made of.")
    return known.line


def change_by(known: Known, rule: ForecastRule, model: Model) -> Change:
    """Return what a forecast does as a step of a case: it stands in the plan's months."""
    line, first = assumption_of(known), model.timeline.first_plan
    return Change(line.name, Operation.SET, 0.0, known.members, first, course=ByRule(rule, first))


def is_stepped_over(known: Known, model: Model, case: str) -> bool:
    """Whether a step of the root case would change what a rule says there."""
    line = assumption_of(known)
    return any(
        change.line == line.name and change.is_about(line.dimensions, known.key or ())
        for change in model.changes_of(case)
    )


def writing(view: View, known: Known, kept: KeptForecast, case: str, with_range: bool) -> tuple[Apply, str]:
    """Return the edit that writes a forecast into the plan, and its sentence: one gesture.

    The forecast is kept with its recipe, so that it can be made again; its ends become the plausible range.
    """
    model, line = view.snapshot.model, assumption_of(known)
    rule = plan_rule(known, kept, model.timeline)
    label = model.case(case).label
    sentence = f"{known.label}: forecast “{kept.name}” by {kept.label} from {kept.count} known, into {label}"
    steps: list[Apply] = []
    steps.append(keeping(known, kept, sentence))
    steps.append(into_case(view, known, rule, case, sentence))
    if with_range:
        ends = range_of(kept)
        own = SpreadSetting(line.name, Shape.NORMAL, kept.recipe.level, plausible=ends, members=known.members)
        if line.dimensions:  # a line has one range for all its members; this one is drawn by its own
            steps.append(edits.set_spread(own, sentence))
        else:
            steps += [
                edits.set_ranges({line.name: ends}, sentence),
                edits.set_spread(replace(own, plausible=None), sentence),
            ]
    return edits.together(steps, sentence), sentence


def into_case(view: View, known: Known, rule: ForecastRule, case: str, sentence: str) -> Apply:
    """Return the edit that lets an assumption rest on a forecast in a case: its rule in the root, else a step."""
    model, line = view.snapshot.model, assumption_of(known)
    if case == model.cases[0].name and not is_stepped_over(known, model, case):
        return edits.set_rule(line.name, known.key or (), rule, sentence)
    return edits.change_cells(case, [change_by(known, rule, model)], sentence)


def keeping(known: Known, kept: KeptForecast, sentence: str) -> Apply:
    """Return the edit that keeps a forecast of a series."""
    if known.history is not None:
        return edits.keep_forecasts([(known.name, kept)], sentence)
    return edits.take_histories([replace(carrying(known), forecasts=(kept,))], sentence)


def range_of(kept: KeptForecast) -> PlausibleRange:
    """Return the ends of a forecast as a plausible range: shares of all that is forecast, as if all of it erred alike.

    Raises
    ------
    InvalidValue: too little known for ends, or nothing forecast they could be shares of.
    """
    if not kept.low:
        raise InvalidValue("Too little is known for a low and a high; write the forecast without them.")
    total = float(np.sum(kept.amounts))
    if total <= 0:
        raise InvalidValue("A forecast of nothing has no ends as shares of it; write it without them.")
    low, high = (float(np.sum(end)) / total - 1 for end in (kept.low, kept.high))
    return PlausibleRange(round(max(-1.0, low), 4), 0.0, round(max(high, 0.0), 4), is_relative=True)


def resting_rule(view: View, known: Known) -> ForecastRule | None:
    """Return the forecast an assumption rests on in the active case; None where it rests on something else."""
    if not known.is_assumption or known.line is None:
        return None
    model = view.snapshot.model
    found: Rule | None = known.line.rules.get(known.key or ()) or known.line.rules.get(())
    for change in model.changes_of(view.address.case):
        if change.line == known.line.name and change.is_about(known.line.dimensions, known.key or ()):
            found = change.course.rule if isinstance(change.course, ByRule) else None
    return found if isinstance(found, ForecastRule) else None
