"""A new model from one short form, with what every model needs."""

import re
from collections.abc import Mapping
from datetime import UTC, datetime

from widefork.core.axes import Dimension, Month, Timeline
from widefork.core.changes import Case
from widefork.core.errors import InvalidValue
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.core.graph.model import Model
from widefork.web.shared.naming import name_from

LONGEST_NAME = 80
USUAL_MONTHS, USUAL_CURRENCY = 36, "EUR"
CASES = (Case("base", "Base"), Case("best", "Best", "base"), Case("worst", "Worst", "base"))


def usual_values() -> dict[str, str]:
    """Return what the form begins with."""
    return {
        "name": "",
        "currency": USUAL_CURRENCY,
        "start": Month(datetime.now(UTC).year, 1).label,
        "months": str(USUAL_MONTHS),
        "fiscal_year_start": "1",
        "last_actual": "",
        "dimensions": "",
    }


def read_new_model(form: Mapping[str, str]) -> Model:
    """Return the model a form describes.

    Raises
    ------
    InvalidValue, InvalidModel: a field that cannot be read; names it.
    """
    timeline = read_timeline(form)
    return Model(
        read_name(form.get("name", "")),
        read_currency(form.get("currency", "")),
        timeline,
        read_dimensions(form.get("dimensions", "")),
        cases=CASES,
        figures=usual_figures(timeline),
    )


def read_name(text: str) -> str:
    """Return a model's name; raise InvalidValue."""
    name = " ".join(text.split())
    if not name or len(name) > LONGEST_NAME:
        raise InvalidValue(f"A model needs a name of 1 to {LONGEST_NAME} letters, such as the company's.")
    return name


def read_currency(text: str) -> str:
    """Return a currency as it stands in units; raise InvalidValue."""
    currency = text.strip().upper()
    if not re.fullmatch(r"[A-Z]{3}", currency):
        raise InvalidValue(f"A currency is three letters, like EUR or USD; got “{text.strip()}”.")
    return currency


def read_timeline(form: Mapping[str, str]) -> Timeline:
    """Return the months a form asks for; raise InvalidValue or InvalidModel."""
    start = _month(form.get("start", ""), "The first month")
    last = form.get("last_actual", "").strip()
    return Timeline(
        start,
        _whole(form.get("months", ""), "How many months"),
        _whole(form.get("fiscal_year_start", "1"), "The fiscal year's first month"),
        _month(last, "The last month of actuals") if last else None,
    )


def _month(text: str, what: str) -> Month:
    try:
        return Month.parse(text.strip())
    except InvalidValue as fault:
        raise InvalidValue(f"{what}: {fault.sentence}") from fault


def _whole(text: str, what: str) -> int:
    if not text.strip().isdecimal() or len(text.strip()) > 4:
        raise InvalidValue(f"{what}: expected a whole number; got “{text.strip()}”.")
    return int(text)


def read_dimensions(text: str) -> tuple[Dimension, ...]:
    """Return dimensions written one a row, like ``Region: Coast, Valley``; raise InvalidValue."""
    found: list[Dimension] = []
    for row in (row.strip() for row in text.splitlines() if row.strip()):
        label, colon, listed = row.partition(":")
        members = tuple(" ".join(member.split()) for member in listed.split(",") if member.strip())
        if not colon or not members:
            raise InvalidValue(f"Expected a dimension and its members, like “Region: Coast, Valley”; got “{row}”.")
        found.append(Dimension(name_from(label, [d.name for d in found]), members, label.strip()))
    return tuple(found)


def usual_figures(timeline: Timeline) -> tuple[Figure, ...]:
    """The figures that are looked at most, over the first fiscal year that is whole; they can be changed like any."""
    years = [year for year in timeline.fiscal_years() if len(year) == 12] or list(timeline.fiscal_years())
    year = years[0]
    first = min(timeline.first_plan, timeline.end)
    return (
        Figure("lowest_cash", "Lowest cash", "cash_after_overdraft", first=first, reduction=Reduction.LOWEST,
               is_pinned=True),
        *(
            Figure(f"{line}_year", f"{year.label} {label}", line, (), year.first, year.last, Reduction.SUM,
                   is_pinned=True)
            for line, label in (("revenue", "revenue"), ("ebitda", "EBITDA"))
        ),
        Figure("first_profit", "First month in profit", "net_profit", first=first, reduction=Reduction.FIRST_MONTH,
               comparison=Comparison.ABOVE, is_pinned=True),
        Figure("cash_end", f"Cash, {timeline.end.label}", "cash_after_overdraft", reduction=Reduction.VALUE,
               is_pinned=True),
    )  # fmt: skip
