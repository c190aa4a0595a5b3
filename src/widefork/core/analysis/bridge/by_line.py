"""Which lines carry the difference of a figure: a total split into the lines that add up to it, and by month."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.figures import answer, period_of
from widefork.core.axes import Grain
from widefork.core.figures import Figure, Reduction
from widefork.core.finance.statements.captions import CAPTIONS
from widefork.core.graph.calculate import Results
from widefork.core.graph.model import Model
from widefork.core.graph.rollup import roll_up
from widefork.core.language.sums import Term, terms_of

Values = NDArray[np.float64]
NEARLY = 1e-9
"""Of the larger amount: a rest below it is rounding."""

SUBTOTALS = frozenset(caption.name for caption in CAPTIONS if caption.formula and "(" not in caption.formula)
RECEIPTS_AND_PAYMENTS = {"operating_cash_flow": "operating_cash_direct"}
"""Cash is told by what comes in and goes out, which says the same as the way from profit."""


@dataclass(frozen=True)
class LinePart:
    """What a line contributes to a difference, in the figure's unit; ``line`` is empty for what no line carries."""

    line: str
    amount: float


def carried_by(results: Results, figure: Figure, one: int, two: int) -> tuple[LinePart, ...]:
    """Return the lines by which a figure differs between two entries of an evaluation; they add up to the difference.

    A balance that carries on from month to month is told by its movements up to the month the figure reads, in each
    entry its own. Lines that do not differ are left out.

    Returns
    -------
    Largest first, what no line carries last. None for a figure that finds a month or counts months, has no value, or
    whose line is no sum of others.
    """
    model = results.plan.model
    if figure.reduction.asks_condition or figure.members:
        return ()
    parts, is_running = _parts(model, figure.line)
    found = answer(figure, results)
    difference = float(found.amounts[two] - found.amounts[one])
    if not parts or not np.isfinite(difference):
        return ()
    months = model.timeline.periods(Grain.MONTH, model.timeline.start, model.timeline.end)
    weights = {entry: _weights(results, figure, entry, is_running) for entry in (one, two)}
    amounts: list[LinePart] = []
    for line, sign in parts.items():
        values = roll_up(results, line, months)
        before, after = (float(sign * np.dot(weights[entry], values[:, entry])) for entry in (one, two))
        if after != before:
            amounts.append(LinePart(line, after - before))
    size = max((abs(part.amount) for part in amounts), default=abs(difference))
    rest = difference - sum(part.amount for part in amounts)
    if not np.isfinite(rest):
        return ()
    kept = [part for part in amounts if abs(part.amount) > NEARLY * size]
    ordered = sorted(kept, key=lambda part: -abs(part.amount))
    return (*ordered, *([LinePart("", rest)] if abs(rest) > NEARLY * max(size, 1.0) else []))


def _weights(results: Results, figure: Figure, entry: int, is_running: bool) -> Values:
    """How much of each month's movements the figure holds, shape (months,)."""
    timeline = results.plan.model.timeline
    period = period_of(figure, timeline)
    first, last = timeline.index(period.first), timeline.index(period.last)
    weights = np.zeros(timeline.month_count)
    month = answer(figure, results).months[entry]
    if figure.reduction is Reduction.SUM and not is_running:
        weights[first : last + 1] = 1.0
    elif figure.reduction is Reduction.MEAN and not is_running:
        weights[first : last + 1] = 1 / (last - first + 1)
    elif figure.reduction is Reduction.MEAN:
        for place in range(first, last + 1):
            weights[: place + 1] += 1 / (last - first + 1)
    else:
        place = last if month is None else timeline.index(month)
        weights[: place + 1] = 1.0 if is_running else 0.0
        weights[place] = 1.0
    return weights


def _parts(model: Model, name: str) -> tuple[Mapping[str, float], bool]:
    """The lines that add up to a line, each with 1 or -1, and whether they are movements of a balance."""
    terms = terms_of(model.line(name).formula or "")
    is_running = Term(name, 1.0, is_before=True) in terms
    if any(term.is_before and term.name != name for term in terms):
        return {}, False
    found: dict[str, float] = {}
    for term in terms:
        if not term.is_before:
            _expand(model, term.name, term.sign, found)
    return found, is_running


def _expand(model: Model, name: str, sign: float, found: dict[str, float]) -> None:
    name = RECEIPTS_AND_PAYMENTS.get(name, name)
    terms = terms_of(model.line(name).formula or "", sign) if name in SUBTOTALS else ()
    if not terms or any(term.is_before for term in terms):
        found[name] = found.get(name, 0.0) + sign
        return
    for term in terms:
        _expand(model, term.name, term.sign, found)
