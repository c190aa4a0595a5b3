"""What the business is worth under a change list, as the lines of its schedule say; and what a move is worth."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.worth.flows import PayBack, internal_rates, modified_rate, pay_back, profitability
from widefork.core.axes import Month
from widefork.core.changes import Change, Operation, Switch
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.finance.schedules.worth.schedule import KIND, YEAR
from widefork.core.graph.calculate import ChangeList, Results
from widefork.core.graph.model import Model, ScheduleSettings
from widefork.core.graph.plan import Plan

Values = NDArray[np.float64]
RATE_STEPS = (-0.02, -0.01, 0.0, 0.01, 0.02)
GROWTH_STEPS = (-0.01, -0.005, 0.0, 0.005, 0.01)
MULTIPLE_STEPS = (-2.0, -1.0, 0.0, 1.0, 2.0)


@dataclass(frozen=True)
class Worth:
    """What the business is worth.

    Parameters
    ----------
    valued_at : the month at whose end, the last actual one; the month before the first where there is none.
    rate : a year, in the first plan month. is_mid : flows come in the middle of their months.
    flows : free cash flow of the plan months, shape (months,), in currency. discounted : the same, worth today.
    plan : what the plan months are worth. end_value : what goes on beyond, at the plan's end; end_present : today.
    business : both together. net_debt : at ``valued_at``. equity : worth to the owners.
    """

    valued_at: Month
    rate: float
    is_mid: bool
    flows: Values
    discounted: Values
    plan: float
    end_value: float
    end_present: float
    business: float
    net_debt: float
    equity: float

    @property
    def end_share(self) -> float:
        """How much of the business's worth lies beyond the plan; NaN where it is worth nothing or less."""
        return self.end_present / self.business if self.business > 0 else float("nan")


@dataclass(frozen=True)
class MoveWorth:
    """What a move is worth: the business with it less without.

    Parameters
    ----------
    plan, beyond : present value of what it changes within the plan, and beyond it. total : both.
    flows : what it changes of the free cash flow, the first on the day of valuation (nothing), then the plan months.
    rates : every internal rate of return within the plan, a year; none where there is none. modified : with payments
        discounted and receipts invested at the discount rate. simple, discounted : pay-back in months from valuation.
    index : profitability index; NaN where it takes nothing.
    """

    move: str
    plan: float
    beyond: float
    total: float
    flows: Values
    rates: tuple[float, ...]
    modified: float
    simple: PayBack
    discounted: PayBack
    index: float


def worth_schedule(model: Model, name: str = "") -> ScheduleSettings:
    """Return the schedule the business is valued by, the first where none is named; raise UnknownName."""
    found = [each for each in model.schedules if each.kind == KIND and name in ("", each.name)]
    if not found:
        raise UnknownName("schedule of worth", name or KIND, [s.name for s in model.schedules if s.kind == KIND])
    return found[0]


def read_worth(results: Results, batch: int, name: str) -> Worth:
    """Return what the lines of a worth schedule say for one entry of a batch."""
    model = results.plan.model
    given, timeline = worth_schedule(model, name), model.timeline
    first = timeline.actual_count

    def months(part: str) -> Values:
        line = f"{given.name}_{part}"
        known = line in model.line_by_name
        return results.series(line, (), batch)[first:] if known else np.zeros(len(timeline.months) - first)

    ends, beyond = months("end_value"), months("end_present")
    business, equity = float(months("business").sum()), float(months("equity").sum())
    return Worth(
        valued_at=timeline.last_actual or timeline.start.plus(-1),
        rate=float(months("rate")[0]),
        is_mid=given.settings.get("within_month") == "middle",
        flows=months("flow"),
        discounted=months("present"),
        plan=float(months("present").sum()),
        end_value=float(ends[-1]),
        end_present=float(beyond[-1]),
        business=business,
        net_debt=float(results.series(f"{given.name}_net_debt", (), batch)[first - 1]) if first else business - equity,
        equity=equity,
    )


def worth_of(plan: Plan, changes: Sequence[Change], name: str = "") -> Worth:
    """Return what the business is worth under a change list; raise UnknownName without such a schedule."""
    schedule = worth_schedule(plan.model, name)
    return read_worth(evaluate(plan, [tuple(changes)]), 0, schedule.name)


def move_worth(plan: Plan, case: str, move: str, name: str = "") -> MoveWorth:
    """Return what a move is worth in a case: as it is on there, or as it would be, less the case without it.

    Raises
    ------
    UnknownName: no such case, move or schedule.
    """
    model = plan.model
    schedule = worth_schedule(model, name)
    if move not in model.move_by_name:
        raise UnknownName("move", move, model.move_by_name)
    standing = [layer.step for layer in model.layers_of(case) if layer.move == move]
    switch = next((step for step in standing if isinstance(step, Switch)), Switch(move))
    lists: list[ChangeList] = [
        model.changes_with(case, (Switch(move, strength=0.0),)),
        model.changes_with(case, (switch,)),
    ]
    results = evaluate(plan, lists)
    without, within = (read_worth(results, place, schedule.name) for place in (0, 1))
    flows = np.concatenate([[0.0], within.flows - without.flows])
    flows[np.abs(flows) < 1e-9 * max(1.0, float(np.abs(within.flows).max(initial=0.0)))] = 0.0
    rate, is_mid = within.rate, within.is_mid
    plan_part, beyond = within.plan - without.plan, within.end_present - without.end_present
    known = bool(np.isfinite(flows).all())
    nothing = PayBack(float("nan"), False)
    return MoveWorth(
        move=move,
        plan=plan_part,
        beyond=beyond,
        total=plan_part + beyond,
        flows=flows,
        rates=internal_rates(flows.tolist()) if known else (),
        modified=modified_rate(flows.tolist(), rate, rate) if known else float("nan"),
        simple=pay_back(flows.tolist()) if known else nothing,
        discounted=pay_back(flows.tolist(), rate, is_mid=is_mid) if known else nothing,
        index=profitability(flows.tolist(), rate, is_mid=is_mid) if known else float("nan"),
    )


@dataclass(frozen=True)
class RateTable:
    """What the business is worth to its owners by discount rate, and by what is assumed beyond the plan.

    Parameters
    ----------
    rates : down, a year. others : across: growth a year, or the multiple; one where neither counts.
    what : ``growth``, ``multiple`` or empty. values : shape (rates, others), in currency; NaN where there is none.
    """

    rates: tuple[float, ...]
    others: tuple[float, ...]
    what: str
    values: Values


def rate_table(plan: Plan, changes: Sequence[Change], name: str = "") -> RateTable:
    """Return a two-way table around what is planned: the rate moved by points, and growth or the multiple too.

    Raises
    ------
    UnknownName: no such schedule. InvalidValue: a rate that cannot be read.
    """
    schedule = worth_schedule(plan.model, name)
    beyond = schedule.settings.get("beyond", "growth")
    what = beyond if beyond in ("growth", "multiple") else ""
    lines = [f"{schedule.name}_rate", *([f"{schedule.name}_{what}"] if what else [])]
    first = plan.model.timeline.actual_count
    standing = evaluate(plan, [tuple(changes)], lines)
    rate = float(standing.series(lines[0], (), 0)[first])
    other = float(standing.series(lines[1], (), 0)[first]) if what else 0.0
    if not np.isfinite([rate, other]).all():
        raise InvalidValue("The discount rate has no value, so there is nothing to vary.")
    rate_steps = [step for step in RATE_STEPS if rate + step > -1]
    steps = [s for s in {"growth": GROWTH_STEPS, "multiple": MULTIPLE_STEPS}.get(what, (0.0,))
             if what != "multiple" or other + s >= 0]  # fmt: skip
    batch = []
    for down in rate_steps:
        for across in steps:
            moved = [Change(lines[0], Operation.ADD, down)] if down else []
            moved += [Change(lines[1], Operation.ADD, across)] if across else []
            batch.append((*changes, *moved))
    results = evaluate(plan, batch)
    equity = results.values(f"{schedule.name}_equity")[first:].sum(axis=0)
    return RateTable(
        tuple(rate + step for step in rate_steps),
        tuple(other + step for step in steps) if what else (0.0,),
        what,
        np.asarray(equity).reshape(len(rate_steps), len(steps)),
    )


__all__ = [
    "KIND", "YEAR", "MoveWorth", "RateTable", "Worth", "move_worth", "rate_table", "read_worth", "worth_of",
    "worth_schedule",
]  # fmt: skip
