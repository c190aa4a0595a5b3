"""A model with a month closed on trial: what closing it would make of the plan."""

from collections.abc import Mapping
from dataclasses import replace

from widefork.core.closing import NOT_GIVEN, Closing
from widefork.core.finance.assemble import build_plan
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.core.lines import Line, MemberKey


def trial_plan(model: Model, closing: Closing, own: Mapping[tuple[str, MemberKey], float]) -> Plan:
    """Return the plan with a month closed.

    Parameters
    ----------
    model : as stored, without generated lines. own : what the user's own lines really were in the month.
    """
    timeline = model.timeline
    last = max(timeline.last_actual or closing.month, closing.month)
    kept = tuple(one for one in model.closings if one.month != closing.month)
    place = timeline.index(closing.month)
    lines = tuple(_with_actuals(line, model, own, place) for line in model.lines)
    return build_plan(
        replace(model, timeline=replace(timeline, last_actual=last), closings=(*kept, closing), lines=lines)
    )


def _with_actuals(line: Line, model: Model, own: Mapping[tuple[str, MemberKey], float], place: int) -> Line:
    given = {members: amount for (name, members), amount in own.items() if name == line.name}
    if not given:
        return line
    actuals = {}
    for key in model.keys_of(line):
        months = list(line.actuals.get(key, line.actuals.get((), ())))
        amount = given.get(key, given.get(()))
        if amount is not None:
            months += [NOT_GIVEN] * (place + 1 - len(months))
            months[place] = amount
        if months:
            actuals[key] = tuple(months)
    return replace(line, actuals=actuals)
