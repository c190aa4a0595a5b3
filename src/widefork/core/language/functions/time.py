"""Functions over a line's months. Each reads up to the window's end only, so that it works month by month too."""

from itertools import pairwise

import numpy as np

from widefork.core.language.functions.function import MONTH_AXIS, NEARLY, Function, Kind, Past, Second, UnitRule, Values

DAYS_IN_MONTH = 30
LEAST_RATE, MOST_RATE, RATE_POINTS, RATE_HALVINGS = -0.9, 10.0, 240, 60
"""Between which yearly rates, at how many of them, and how finely an internal rate is looked for."""


def _before(past: Past, window: slice, months: int = 1) -> Values:
    return past.months(window.start - months, window.stop - months, with_opening=True)


def _after(past: Past, window: slice, months: int = 1) -> Values:
    """Looks ahead, so the whole line is there; beyond the last month that one's value holds."""
    last = past.values.shape[MONTH_AXIS] - 1
    return past.values[..., np.minimum(np.arange(window.start, window.stop) + months, last), :]


def _running_total(past: Past, window: slice) -> Values:
    return np.asarray(past.months(0, window.stop).cumsum(axis=MONTH_AXIS)[..., window, :])


def _whole_flow(past: Past, window: slice) -> Values:
    """Whole numbers whose running total is the rounded running total: what a month leaves over waits for the next."""
    known = past.months(0, window.stop).cumsum(axis=MONTH_AXIS)
    whole = np.sign(known) * np.floor(np.abs(known) + 0.5 + NEARLY)
    return np.asarray(np.diff(whole, axis=MONTH_AXIS, prepend=0.0)[..., window, :])


def _year_to_date(past: Past, window: slice) -> Values:
    flows = past.months(0, window.stop)
    totals = np.empty_like(flows)
    for month in range(window.stop):
        carried = 0.0 if month == 0 or past.fiscal_months[month] == 1 else totals[..., month - 1, :]
        totals[..., month, :] = flows[..., month, :] + carried
    return totals[..., window, :]


def _trailing(past: Past, window: slice, months: int) -> Values:
    reached = past.months(window.start - months + 1, window.stop)
    return np.asarray(np.lib.stride_tricks.sliding_window_view(reached, months, axis=MONTH_AXIS).sum(axis=-1))


def _trailing_mean(past: Past, window: slice, months: int) -> Values:
    return np.asarray(_trailing(past, window, months) / months)


def _fading_in(past: Past, window: slice, profile: Values) -> Values:
    """Each month's value takes effect by the steps of a profile: sum over ages k of x[t-k] × (p[k] - p[k-1])."""
    total = np.zeros_like(past.months(window.start, window.stop))
    for age, step in enumerate(np.diff(profile, prepend=0.0)):
        total = total + step * past.months(window.start - age, window.stop - age, with_opening=True)
    return np.asarray(total)


def _ramped(past: Past, window: slice, profile: Values) -> Values:
    """Sum over ages k of what joined k months ago × profile[k]; the profile's last value holds for all older ages."""
    known = past.history.shape[MONTH_AXIS]
    oldest = window.stop + known
    total = np.zeros_like(past.months(window.start, window.stop))
    for age in range(min(oldest, len(profile) - 1)):
        total = total + profile[age] * past.months(window.start - age, window.stop - age)
    settled = past.months(-known, window.stop - len(profile) + 1).cumsum(axis=MONTH_AXIS)
    wanted = window.stop - window.start
    if settled.shape[MONTH_AXIS] < wanted:
        lead = np.zeros((*settled.shape[:-2], wanted - settled.shape[MONTH_AXIS], settled.shape[-1]))
        settled = np.concatenate([lead, settled], axis=MONTH_AXIS)
    return np.asarray(total + profile[-1] * settled[..., settled.shape[MONTH_AXIS] - wanted :, :])


def _outstanding(past: Past, window: slice, days: Values) -> Values:
    """The last ``days`` of a flow, in 30-day months counted back: full months first, then a share of the next."""
    reach = days / DAYS_IN_MONTH
    furthest = window.stop + past.history.shape[MONTH_AXIS]
    longest = np.nanmax(reach, initial=0.0)
    total: Values = np.zeros(1) * reach  # keeps an error value in the days
    for age in range(int(min(np.ceil(longest), furthest))):
        total = total + past.months(window.start - age, window.stop - age) * np.clip(reach - age, 0.0, 1.0)
    return np.asarray(total)


def _net_present_value(past: Past, window: slice, yearly_rate: Values) -> Values:
    """All months so far, each at its end, at the start of the first: sum of f / (1 + r)^(k / 12), r this month's."""
    flows = past.months(0, window.stop)
    base = np.where(yearly_rate > -1, 1 + yearly_rate, np.nan)
    total: Values = np.zeros(1) * base
    for month in range(window.stop):
        counted = np.arange(window.start, window.stop)[:, None] >= month
        total = total + np.where(counted, flows[..., month : month + 1, :] / np.power(base, (month + 1) / 12), 0.0)
    return np.asarray(total)


def _internal_rate(past: Past, window: slice) -> Values:
    """The yearly rate at which all months so far are worth nothing; an error value where there is none, or several."""
    flows = past.months(0, window.stop)
    counted = np.arange(window.stop)[None, :] <= np.arange(window.start, window.stop)[:, None]
    held = np.where(counted[..., None], flows[..., None, :, :], 0.0)  # (members..., window, months, batch)

    def worth(factor: Values) -> Values:
        total: Values = np.zeros_like(held[..., 0, :])
        for month in range(window.stop - 1, -1, -1):
            total = total * factor + held[..., month, :]
        return total

    grid = np.geomspace((1 + MOST_RATE) ** (-1 / 12), (1 + LEAST_RATE) ** (-1 / 12), RATE_POINTS)
    turns = np.zeros(held[..., 0, :].shape)
    low, high = np.full_like(turns, grid[0]), np.full_like(turns, grid[-1])
    before = worth(np.asarray(grid[0]))
    for left, right in pairwise(grid):
        here = worth(np.asarray(right))
        turned = before * here < 0
        turns += turned
        low, high, before = np.where(turned, left, low), np.where(turned, right, high), here
    rising = worth(high) > worth(low)
    for _ in range(RATE_HALVINGS):
        middle = (low + high) / 2
        above = (worth(middle) > 0) == rising
        low, high = np.where(above, low, middle), np.where(above, middle, high)
    return np.asarray(np.where(turns == 1, ((low + high) / 2) ** -12.0 - 1, np.nan))


BEFORE = Function(
    "before",
    ("line", "months?"),
    "The value so many months before (one when left out); before the start: history, else the opening value, else 0.",
    "before(cash) + receipts - payments",
    Kind.TIME,
    _before,
    second=Second.MONTHS,
    adds_up=True,
)
AFTER = Function(
    "after",
    ("line", "months?"),
    "The value so many months later (one when left out); beyond the last month that one's value holds on.",
    "after(kits_sold) * materials_price",
    Kind.TIME,
    _after,
    second=Second.MONTHS,
    adds_up=True,
)
RUNNING_TOTAL = Function(
    "running_total",
    ("line",),
    "The sum of all months so far.",
    "running_total(net_profit)",
    Kind.TIME,
    _running_total,
    adds_up=True,
)
WHOLE_FLOW = Function(
    "whole_flow",
    ("line",),
    "A flow in whole numbers: what a month leaves over waits for the next, so that totals stay the rounded totals.",
    "whole_flow(customers_won)",
    Kind.TIME,
    _whole_flow,
)
YEAR_TO_DATE = Function(
    "year_to_date",
    ("line",),
    "The sum of the fiscal year's months so far.",
    "year_to_date(revenue)",
    Kind.TIME,
    _year_to_date,
    adds_up=True,
)
TRAILING = Function(
    "trailing",
    ("line", "months"),
    "The sum of the last months, this one included.",
    "trailing(revenue, 12)",
    Kind.TIME,
    _trailing,
    second=Second.MONTHS,
    adds_up=True,
)
RAMPED = Function(
    "ramped",
    ("joins", "profile"),
    "What has joined, each month's joins weighted by a profile of their age.",
    "ramped(hires, ramp)",
    Kind.TIME,
    _ramped,
    second=Second.PROFILE,
    adds_up=True,
)
OUTSTANDING = Function(
    "outstanding",
    ("flow", "days"),
    "The last days of a flow that are still open, in 30-day months counted back.",
    "outstanding(invoiced, customer_days)",
    Kind.TIME,
    _outstanding,
    second=Second.VALUE,
    adds_up=True,
)
NET_PRESENT_VALUE = Function(
    "net_present_value",
    ("flow", "yearly_rate"),
    "What all months so far are worth together at the start of the first, each at its end, at a yearly effective rate.",
    "net_present_value(free_cash_flow, 12 %)",
    Kind.TIME,
    _net_present_value,
    second=Second.VALUE,
)
INTERNAL_RATE = Function(
    "internal_rate",
    ("flow",),
    "The yearly rate at which all months so far are worth nothing; no value where there is no such rate, or several.",
    "internal_rate(project_flow)",
    Kind.TIME,
    _internal_rate,
    unit_rule=UnitRule.PLAIN,
)
TRAILING_MEAN = Function(
    "trailing_mean",
    ("line", "months"),
    "The mean of the last months, this one included; months before the start count as history says, else as 0.",
    "trailing_mean(revenue, 3)",
    Kind.TIME,
    _trailing_mean,
    second=Second.MONTHS,
    adds_up=True,
)
STRAIGHT_LINE = Function(
    "straight_line",
    ("cost", "life_months"),
    "What was spent, charged in equal parts over so many months from the month it was spent in.",
    "straight_line(equipment_bought, 36)",
    Kind.TIME,
    _trailing_mean,
    second=Second.MONTHS,
    adds_up=True,
)
SURVIVING = Function(
    "surviving",
    ("joins", "profile"),
    "What is left of what joined, by a profile of the share that stays to each age; its last value holds on.",
    "surviving(joins, staying)",
    Kind.TIME,
    _ramped,
    second=Second.PROFILE,
    adds_up=True,
)
FADING_IN = Function(
    "fading_in",
    ("value", "profile"),
    "A value that takes effect bit by bit: a profile says what share of it is felt after how many months.",
    "fading_in(marketing, reach)",
    Kind.TIME,
    _fading_in,
    second=Second.PROFILE,
    adds_up=True,
)
