"""How much is needed, from when to when, and why: what a bank asks when cash goes under."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.waterline.kinds import KINDS
from widefork.core.analysis.waterline.waterline import Reading, read_waterline
from widefork.core.axes import Month
from widefork.core.graph.calculate import Results

Values = NDArray[np.float64]
_SAME = 0.005
_ROUNDED_TO = 1000.0
"""What is asked for is rounded up to this, in currency: nobody borrows cents."""


@dataclass(frozen=True)
class Cause:
    """A kind of receipt or payment and what it does to cash by the worst month, in currency; negative is worse."""

    name: str
    label: str
    amount: float


@dataclass(frozen=True)
class Need:
    """What a case is short of.

    Parameters
    ----------
    amount : in currency, rounded up so that the worst month is covered; without interest on what covers it.
    first, worst, back : the first month under, the deepest, and the first above for good (None by the end).
    against : name of the case it is compared with for the causes; empty where its own usual month of the plan is.
    is_since : the causes are what the plan has lost since what it was compared with, such as before a sketch.
    causes : those that lower cash, the largest first.
    """

    amount: float
    first: Month
    worst: Month
    back: Month | None
    against: str
    causes: tuple[Cause, ...]
    reading: Reading
    is_since: bool = False


def need_of(results: Results, batch: int, parent: int | None, earlier: Results | None = None) -> Need | None:
    """Return what a change list is short of; None where it is never under or cash cannot be computed.

    Parameters
    ----------
    parent : the place of the case it forks from in the same batch; None for the root.
    earlier : the same batch before a sketch; where that took cash away, it is what the causes are of.
    """
    reading = read_waterline(results, batch)
    if reading is None or not reading.is_short or reading.first_under is None:
        return None
    amount = float(np.ceil(round(-reading.room, 2) / _ROUNDED_TO) * _ROUNDED_TO)
    timeline = results.plan.model.timeline
    upto = timeline.index(reading.lowest_month) + 1
    causes: tuple[Cause, ...] = ()
    against = ""
    if earlier is not None:
        apart = {k.name: _flows(results, k.name, batch) - _flows(earlier, k.name, batch) for k in KINDS}
        if sum(float((k.sign * apart[k.name][:upto]).sum()) for k in KINDS) < -_SAME:
            causes = _ranked(apart, slice(timeline.actual_count, upto))
            months = reading.first_under, reading.lowest_month, reading.back_above
            return Need(amount, *months, "", causes, reading, is_since=True)
    if parent is not None:
        apart = {k.name: _flows(results, k.name, batch) - _flows(results, k.name, parent) for k in KINDS}
        causes = _ranked(apart, slice(timeline.actual_count, upto))
        total = sum(float((k.sign * apart[k.name][:upto]).sum()) for k in KINDS)
        against = results.plan.model.cases[parent].name if total < -_SAME else ""
    if not against:
        cash = results.series("cash_after_overdraft", (), batch)
        top = timeline.actual_count + int(cash[timeline.actual_count : upto].argmax())
        plan = slice(timeline.actual_count, None)
        apart = {k.name: _flows(results, k.name, batch) for k in KINDS}
        usual = {name: flows - flows[plan].mean() for name, flows in apart.items()}
        causes = _ranked(usual, slice(top + 1 if top + 1 < upto else top, upto))
    return Need(
        amount, reading.first_under, reading.lowest_month, reading.back_above, against, causes, reading
    )  # fmt: skip


def _flows(results: Results, name: str, batch: int) -> Values:
    return np.nan_to_num(results.series(name, (), batch))


def _ranked(apart: dict[str, Values], months: slice) -> tuple[Cause, ...]:
    found = [Cause(k.name, k.label, float(k.sign * apart[k.name][months].sum())) for k in KINDS]
    return tuple(sorted((cause for cause in found if cause.amount < -_SAME), key=lambda cause: cause.amount))
