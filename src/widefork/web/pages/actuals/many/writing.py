"""Many forecasts into the plan in one gesture: into the active case, and their low into another."""

from collections.abc import Sequence

from widefork.core.analysis.trends import Known, kept_forecast, plan_rule
from widefork.core.changes import Change
from widefork.core.errors import InvalidValue
from widefork.core.history import KeptForecast
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.pages.actuals.many.page import Found
from widefork.web.pages.actuals.trends.writing import change_by, into_case, keeping
from widefork.web.shared.context import View


def writing_many(view: View, found: Found, name: str, chosen: Sequence[str], low_case: str) -> tuple[Apply, str]:
    """Return the edit that writes chosen forecasts into the active case, and where asked for their low into another.

    Raises
    ------
    InvalidValue: nothing chosen, a series that cannot be written, a low into the same case or of too little known.
    """
    model, case = view.snapshot.model, view.address.case
    if not chosen:
        raise InvalidValue("Nothing is chosen. Tick the series whose forecasts are to be rules of the plan.")
    if low_case == case:
        raise InvalidValue(
            f"{model.case(case).label} takes the forecasts themselves; choose another case for their low."
        )
    label = model.case(case).label
    sentence = f"{len(chosen)} forecast{'' if len(chosen) == 1 else 's'} “{name}” into {label}"
    sentence += f", their low into {model.case(low_case).label}" if low_case else ""
    steps: list[Apply] = []
    lows = []
    for each in chosen:
        known, kept = kept_of(found, name, each)
        steps += [
            keeping(known, kept, sentence),
            into_case(view, known, plan_rule(known, kept, model.timeline), case, sentence),
        ]
        if low_case:
            if not kept.low:
                raise InvalidValue(f"{known.label} is too short for a low. Take it out, or write no low.")
            lows.append(change_by(known, plan_rule(known, kept, model.timeline, kept.low), model))
    if lows:
        steps.append(edits.change_cells(low_case, lows, sentence))
    return edits.together(steps, sentence), sentence


def trying_many(view: View, found: Found, name: str, chosen: Sequence[str]) -> tuple[list[Change], str]:
    """Return chosen forecasts as steps of a sketch, and what they are; raise InvalidValue as ``writing_many``."""
    if not chosen:
        raise InvalidValue("Nothing is chosen. Tick the series whose forecasts are to be tried.")
    model, steps = view.snapshot.model, []
    for each in chosen:
        known, kept = kept_of(found, name, each)
        steps.append(change_by(known, plan_rule(known, kept, model.timeline), model))
    return steps, f"{len(chosen)} forecast{'' if len(chosen) == 1 else 's'}"


def kept_of(found: Found, name: str, key: str) -> tuple[Known, KeptForecast]:
    """Return a series and its forecast as it would be kept; raise InvalidValue for one that cannot be written."""
    ask, forecast = found.asks.get(key), found.forecasts.get(key)
    if ask is None or forecast is None or not ask.known.is_assumption:
        raise InvalidValue(f"“{key}” cannot be written: it is no assumption, or there is no forecast of it.")
    return ask.known, kept_forecast(name, ask.recipe, forecast)
