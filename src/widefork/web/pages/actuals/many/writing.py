"""Many forecasts into the plan in one gesture: into the active case, and their low into another."""

from collections.abc import Sequence

from widefork.core.analysis.trends import kept_forecast, plan_rule
from widefork.core.errors import InvalidValue
from widefork.core.history import Recipe
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.pages.actuals.many.page import Found
from widefork.web.pages.actuals.trends.writing import change_by, into_case, keeping
from widefork.web.shared.context import View


def writing_many(
    view: View, found: Found, recipe: Recipe, name: str, chosen: Sequence[str], low_case: str
) -> tuple[Apply, str]:
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
        known, forecast = found.known.get(each), found.forecasts.get(each)
        if known is None or forecast is None or not known.is_assumption:
            raise InvalidValue(f"“{each}” cannot be written: it is no assumption, or there is no forecast of it.")
        kept = kept_forecast(name, recipe, forecast)
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
