"""Figures in words: ``EBITDA in FY27``, ``lowest Cash after overdraft from Jul 26 to Jun 27``, ``first month in which
Net profit above 0``. Read and written alike.
"""

import re

from widefork.core.analysis.grid import line_phrase, named_line
from widefork.core.axes import Grain, Month, Period, Timeline
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.graph.model import Model

EXAMPLE = "EBITDA in FY27, lowest Cash after overdraft from Jul 26, or first month in which Net profit above 0"
ASKED = "asked"
"""Name of a figure read from words, until it is stored."""
_WORDS = {
    "lowest": Reduction.LOWEST,
    "highest": Reduction.HIGHEST,
    "average": Reduction.MEAN,
    "mean": Reduction.MEAN,
    "sum": Reduction.SUM,
    "first month in which": Reduction.FIRST_MONTH,
    "months in which": Reduction.MONTH_COUNT,
}
_LEADS = {reduction: words for words, reduction in _WORDS.items() if words not in ("mean", "sum")}
_MONTH = r"(?:\d{4}-\d{1,2}|[A-Z][a-z]{2} (?:\d{4}|\d{2}))"
_NUMBER = r"[-−]?\d[\d,]*(?:\.\d+)?"
_SPAN = re.compile(rf"(?P<rest>.+?)(?: from (?P<first>{_MONTH}))?(?: to (?P<last>{_MONTH}))?")
_IS = "(?P<comparison>at least|above|at most|below)"
_CONDITION = re.compile(rf"(?P<rest>.+?) {_IS} (?P<amount>{_NUMBER})(?P<share> ?%)?")


def read_figure(model: Model, text: str) -> Figure:
    """Return the figure a phrase asks for: a stored one by its label or name, or one made of the phrase.

    Parameters
    ----------
    text : ``[lowest|highest|average|first month in which|months in which] LINE [at MEMBER, ...] [at least|above|at
        most|below AMOUNT] [in FY27 | in Mar 27 | from MONTH] [to MONTH]``. A range without a word before it is summed
        as its line is rolled up; one month is read as it stands; where no range is given, all plan months.

    Raises
    ------
    InvalidValue: a phrase that cannot be read. UnknownName: no such line or member.
    """
    said = " ".join(text.split())
    stored = next((figure for figure in model.figures if said in (figure.name, figure.label)), None)
    if stored is not None:
        return stored
    if not said:
        raise InvalidValue(f"Say which figure is meant: {EXAMPLE}.")
    whole = _when(model.timeline, said)[0]
    is_line = any(whole in (line.name, line.label) for line in model.lines)  # also one labelled “lowest price”
    lead = "" if is_line else next((words for words in _WORDS if said.lower().startswith(f"{words} ")), "")
    rest, first, last = _when(model.timeline, said[len(lead) :].strip())
    reduction = _WORDS.get(lead, Reduction.SUM)
    comparison, threshold = Comparison.AT_LEAST, 0.0
    if reduction.asks_condition:
        found = _CONDITION.fullmatch(rest)
        if found is None:
            raise InvalidValue(f"After “{lead}” comes a line and what it is, like “Net profit above 0”; got “{rest}”.")
        rest, comparison = found["rest"], Comparison(found["comparison"])
        amount = float(found["amount"].replace("−", "-").replace(",", ""))
        threshold = amount / 100 if found["share"] else amount
    try:
        line, members = named_line(model, rest)
    except UnknownName as fault:
        raise InvalidValue(f"{fault.sentence} A figure is asked for like {EXAMPLE}.") from fault
    if reduction is Reduction.SUM and first is not None and first == last:
        reduction = Reduction.VALUE
    key = _key(model, line, members)
    figure = Figure(ASKED, said, line, key, first, last, reduction, comparison, threshold)
    phrase = figure_phrase(model, figure)
    return Figure(ASKED, phrase[:1].upper() + phrase[1:], line, key, first, last, reduction, comparison, threshold)


def figure_phrase(model: Model, figure: Figure) -> str:
    """Return a figure as the phrase that asks for it; the inverse of ``read_figure``."""
    line = model.line(figure.line)
    parts = [_LEADS[figure.reduction]] if figure.reduction in _LEADS else []
    parts.append(line_phrase(model, figure.line))
    if figure.members:
        parts.append(f"at {', '.join(figure.members)}")
    if figure.reduction.asks_condition:
        share = line.unit.startswith("%")
        parts += [figure.comparison.value, f"{figure.threshold * 100:.12g} %" if share else f"{figure.threshold:.12g}"]
    first = None if figure.reduction is Reduction.VALUE else figure.first
    return " ".join(parts + _when_words(model.timeline, first, figure.last, figure.reduction))


def periods_by_label(timeline: Timeline) -> dict[str, Period]:
    """Return the fiscal years, quarters and months of a timeline by their labels, as an “in” may name them."""
    grains = (Grain.MONTH, Grain.QUARTER, Grain.YEAR)
    return {period.label: period for grain in grains for period in timeline.periods(grain)}


def _when(timeline: Timeline, said: str) -> tuple[str, Month | None, Month | None]:
    """What is left of a phrase without its range, and the range; the plan months where there is none."""
    rest, between, label = said.rpartition(" in ")
    period = periods_by_label(timeline).get(label.strip()) if between else None
    if period is not None:
        return rest, period.first, period.last
    if between and re.fullmatch(_MONTH, label.strip()):
        month = Month.parse(label)
        return rest, month, month
    found = _SPAN.fullmatch(said)
    if found is None:
        return said, timeline.first_plan, None
    first = Month.parse(found["first"]) if found["first"] else timeline.first_plan
    last = Month.parse(found["last"]) if found["last"] else None
    if last is not None and last < first:
        raise InvalidValue(f"The range ends in {last.label}, before it begins in {first.label}.")
    return found["rest"], first, last


def _when_words(timeline: Timeline, first: Month | None, last: Month | None, reduction: Reduction) -> list[str]:
    if reduction is Reduction.VALUE:
        return ["in", (last or timeline.end).label]
    for label, period in periods_by_label(timeline).items():
        if (first, last) == (period.first, period.last):
            return ["in", label]
    words = [] if first in (None, timeline.first_plan) else ["from", first.label] if first is not None else []
    if first is None and timeline.actual_count:
        words = ["from", timeline.start.label]
    return words + (["to", last.label] if last is not None else [])


def _key(model: Model, line: str, members: tuple[tuple[str, str], ...]) -> tuple[str, ...]:
    dimensions = model.line(line).dimensions
    named = dict(members)
    if members and set(named) != set(dimensions):
        raise InvalidValue(
            f"{model.line(line).label} is told by {' and '.join(dimensions)}; name one member of each, or none."
        )
    return tuple(named[dimension] for dimension in dimensions) if members else ()
